#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/points/particles.hpp>

#include "../base/vectors.hpp"
#include "particle_steps.hpp"

namespace hopcoil {

namespace {

constexpr double longest_step_s = 3600;
constexpr double nothing_s = 1e-9;  // what the sum of many frames may be off by
constexpr std::size_t events_for_each_slot = 4;

/// Where particles meet a level floor and nothing else, and bounce.
std::optional<FloorFlight> floor_under(const ParticleSurfaces& surfaces,
                                       const ParticleSettings& settings, double origin_m) noexcept {
    if (!surfaces.is_floor_alone() || settings.dies_on_contact) return std::nullopt;
    if (!(settings.drag_per_s * particle_step_s < most_floor_drag)) return std::nullopt;
    return FloorFlight{.height = static_cast<float>(surfaces.floor_m() - origin_m),
                       .restitution = static_cast<float>(settings.restitution),
                       .friction = static_cast<float>(settings.friction),
                       .h_s = static_cast<float>(particle_step_s),
                       .drag_per_s = static_cast<float>(settings.drag_per_s),
                       .gravity_m_per_s2 = static_cast<float>(settings.gravity_m_per_s2)};
}

}  // namespace

Particles::Particles(const ParticleSettings& settings, std::uint64_t stream, const Vector3& emitter,
                     const Quaternion& facing)
    : settings_{settings},
      stream_{stream},
      emitter_{emitter},
      emitter_before_{emitter},
      facing_{normalized(facing)},
      origin_{emitter} {
    require_valid(settings);
    if (!is_finite_vector(emitter) || !(facing_.w == facing_.w))
        throw InvalidValue{"emitter", norm(emitter), "a finite place and a rotation"};
    allocate();
}

void Particles::allocate() {
    const std::size_t size = settings_.capacity;
    alive_.resize(size);
    resting_.resize(size);
    done_.resize(size);
    block_done_.resize((size + particles_at_a_time - 1) / particles_at_a_time);
    free_until_s_.resize(block_done_.size());
    still_until_s_.resize(block_done_.size());
    offsets_.resize(size);
    velocities_.resize(size);
    shown_.resize(size);
    born_s_.resize(size);
    dies_s_.resize(size);
    spins_.resize(size);
    for (std::uint32_t i = 0; i < size; ++i)
        free_.push_back(i);
    free_count_ = size;
    events_.resize(events_for_each_slot * size + 16);
    cells_.resize(size);
    channels_ = {{"position", ChannelKind::vector, 3, "m", size},
                 {"alive", ChannelKind::flag, 1, "", size},
                 {"age", ChannelKind::scalar, 1, "", size}};
}

StepStatus Particles::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

StepStatus Particles::step(const ParticleInputs& inputs, double dt) noexcept {
    const Quaternion facing = normalized(inputs.facing);
    const bool is_good = is_time_step(dt) && dt <= longest_step_s &&
                         is_finite_vector(inputs.emitter) && facing.w == facing.w;
    if (!is_good) return reject();
    event_count_ = 0;
    if (is_far_from(origin_, inputs.emitter)) move_origin(inputs.emitter);
    const double from_s = time_s_;
    time_s_ += dt;
    const auto wanted =
        static_cast<std::uint64_t>(std::floor(time_s_ * particle_steps_per_s + 1e-6));
    ParticleInputs given = inputs;
    given.facing = facing;
    if (wanted > steps_) wake_unsupported(given);
    fly_ahead(given, wanted > steps_ ? wanted - steps_ : 0);
    while (steps_ < wanted)
        step_to_next(given, from_s, time_s_);
    emitter_ = inputs.emitter;
    facing_ = facing;
    find_outputs();
    return StepStatus::stepped;
}

/// Particles that meet nothing in any step of the frame take all steps at once, which touches
/// memory once.
void Particles::fly_ahead(const ParticleInputs& inputs, std::uint64_t steps) noexcept {
    if (steps == 0) return;
    if (inputs.wind != nullptr || !inputs.shapes.empty() || settings_.has_contact_among) {
        std::fill(done_.begin(), done_.end(), std::uint8_t{0});
        std::fill(block_done_.begin(), block_done_.end(), std::uint8_t{0});
        look_anew();
        return;
    }
    ParticleSurfaces surfaces{inputs.shapes, inputs.ground, settings_};
    double clear_above_m = -std::numeric_limits<double>::infinity();
    double end_s = 0;
    for (std::uint64_t k = steps_; k < steps_ + steps; ++k) {
        end_s = static_cast<double>(k + 1) * particle_step_s;
        surfaces.set_step(particle_step_s, time_s_ - end_s);
        clear_above_m = std::max(clear_above_m, surfaces.clear_above_m());
    }
    const BlockFlight flight{surfaces.free_flight(), steps, clear_above_m - origin_.y, end_s};
    if (flight.clear_above != looked_above_) look_anew();
    looked_above_ = flight.clear_above;
    for (std::size_t block = 0; block < block_done_.size(); ++block) {
        const bool is_done = fly_through(set_, flight, block_at(block * particles_at_a_time));
        block_done_[block] = is_done ? 1 : 0;
    }
}

/// One step of 1/120 s, within a step of the caller's.
void Particles::step_to_next(const ParticleInputs& inputs, double from_s, double to_s) noexcept {
    const double began_s = static_cast<double>(steps_) * particle_step_s;
    const double end_s = static_cast<double>(steps_ + 1) * particle_step_s;
    ParticleSurfaces surfaces{inputs.shapes, inputs.ground, settings_};
    surfaces.set_step(particle_step_s, to_s - end_s);
    const double part =
        to_s > from_s ? std::clamp((end_s - from_s) / (to_s - from_s), 0.0, 1.0) : 1;
    const Vector3 emitter = emitter_ + (inputs.emitter - emitter_) * part;
    const Flight flight{
        .surfaces = surfaces,
        .free = {surfaces.free_flight(), 1, surfaces.clear_above_m() - origin_.y, end_s},
        .floor = floor_under(surfaces, settings_, origin_.y),
        .from = emitter_before_,
        .to = emitter,
        .turned = inputs.facing,
        .from_s = began_s,
        .wind = inputs.wind};
    emitter_before_ = emitter;
    wake_swept(inputs.shapes, flight);
    for (std::size_t block = 0; block < block_done_.size(); ++block) {
        if (block_done_[block] == 0) fly_block(block * particles_at_a_time, flight);
    }
    if (settings_.has_contact_among) separate();
    if (inputs.is_on) {
        give_birth(flight);
    } else {
        next_birth_s_ = std::max(next_birth_s_, end_s);
    }
    ++steps_;
}

/// Particles at rest start to move where their support moves, or has gone.
void Particles::wake_unsupported(const ParticleInputs& inputs) noexcept {
    const ParticleSurfaces surfaces{inputs.shapes, inputs.ground, settings_};
    const double floor_m = surfaces.is_floor_alone() ? surfaces.floor_m() : nowhere;
    if (floor_m == rested_floor_m_) return;
    if (surfaces.is_floor_alone()) look_anew();
    rested_floor_m_ = floor_m;
    for (std::size_t first = 0; first < capacity(); first += particles_at_a_time) {
        const std::size_t count = std::min(particles_at_a_time, capacity() - first);
        if (std::memchr(&resting_[first], 1, count) == nullptr) continue;
        for (std::size_t i = first; i < first + count; ++i) {
            if (surfaces.is_floor_alone()) {
                const double height = origin_.y + static_cast<double>(offsets_[i].y);
                resting_[i] &= static_cast<std::uint8_t>(surfaces.is_on_floor(height));
            } else if (resting_[i] != 0 && !surfaces.supports(place_of(i))) {
                resting_[i] = 0;
                still_until_s_[first / particles_at_a_time] = 0;
            }
        }
    }
}

/// Particles at rest are swept along by anything that moves into them.
void Particles::wake_swept(std::span<const ContactShape> shapes, const Flight& flight) noexcept {
    const auto moves = [](const ContactShape& shape) {
        return shape.velocity != Vector3{};
    };
    if (std::none_of(shapes.begin(), shapes.end(), moves)) return;
    for (std::size_t i = 0; i < capacity(); ++i) {
        if (alive_[i] != 0 && resting_[i] != 0 && flight.surfaces.sweeps(place_of(i)))
            resting_[i] = 0;
    }
}

ParticleBlock Particles::block_at(std::size_t first) noexcept {
    const std::size_t count = std::min(particles_at_a_time, capacity() - first);
    return {.offsets = std::span{offsets_}.subspan(first, count),
            .velocities = std::span{velocities_}.subspan(first, count),
            .alive = std::span{alive_}.subspan(first, count),
            .resting = std::span{resting_}.subspan(first, count),
            .dies_s = std::span{dies_s_}.subspan(first, count),
            .done = std::span{done_}.subspan(first, count),
            .winds = {},
            .free_until_s = &free_until_s_[first / particles_at_a_time],
            .still_until_s = &still_until_s_[first / particles_at_a_time]};
}

/// A few particles from a slot on.
void Particles::fly_block(std::size_t first, const Flight& flight) noexcept {
    ParticleBlock block = block_at(first);
    // Winds are sampled for all that move at once.
    std::array<FloatVector3, particles_at_a_time> winds{};
    if (flight.wind != nullptr) {
        std::array<std::size_t, particles_at_a_time> moving{};
        std::array<Vector3, particles_at_a_time> places;
        std::size_t count = 0;
        for (std::size_t k = 0; k < block.alive.size(); ++k) {
            if (block.alive[k] == 0 || block.resting[k] != 0) continue;
            moving[count] = k;
            places[count++] = place_of(first + k);
        }
        std::array<WindSample, particles_at_a_time> samples;
        flight.wind->find(std::span{places}.first(count), flight.from_s, samples);
        for (std::size_t k = 0; k < count; ++k)
            winds[moving[k]] = float_vector(samples[k].velocity * settings_.wind_share);
        block.winds = winds;
    }
    if (fly_few(block, first, flight)) return;
    std::array<float, particles_at_a_time> left{};
    if (fly_freely(set_, flight.free, block, left)) return;
    for (std::size_t k = 0; k < block.alive.size(); ++k) {
        const FloatVector3 wind = block.winds.empty() ? FloatVector3{} : block.winds[k];
        if (left[k] != 0) fly(first + k, flight, wind, flight.from_s);
    }
}

/// Where only a few of a block are not done, these are stepped one by one, which is quicker;
/// returns whether that was so.
bool Particles::fly_few(const ParticleBlock& block, std::size_t first,
                        const Flight& flight) noexcept {
    constexpr std::size_t few = 16;
    std::array<std::uint8_t, particles_at_a_time + 1> open{};
    std::size_t count = 0;
    for (std::size_t k = 0; k < block.alive.size(); ++k) {
        open[count] = static_cast<std::uint8_t>(k);
        count += block.alive[k] & (block.done[k] ^ 1U);
    }
    if (count > few) return false;
    for (std::size_t k = 0; k < count; ++k) {
        const FloatVector3 wind = block.winds.empty() ? FloatVector3{} : block.winds[open[k]];
        fly(first + open[k], flight, wind, flight.from_s);
    }
    return true;
}

/// A whole step over a floor; false where that takes more than one bounce.
bool Particles::bounce_off_floor(std::size_t slot, const Flight& flight, const FloatFlight& free,
                                 const FloatVector3& wind) noexcept {
    if (!flight.floor) return false;
    const FloorStep step =
        over_floor(*flight.floor, {offsets_[slot], velocities_[slot]}, free, wind);
    if (!step.is_known) return false;
    if (step.meets) {
        offsets_[slot] = step.at_hit.offset;
        note(ParticleEvent::Type::hit, slot, flight.from_s + static_cast<double>(step.hit_after_s),
             vector3_from(step.at_hit.velocity));
    }
    offsets_[slot] = step.after.offset;
    velocities_[slot] = step.after.velocity;
    return true;
}

/// To the end of the step.
void Particles::fly(std::size_t slot, const Flight& flight, const FloatVector3& wind,
                    double time_s) noexcept {
    const double end_s = dies_s_[slot];
    const bool is_whole = time_s == flight.from_s && end_s > flight.free.end_s;
    double h = is_whole ? particle_step_s : flight.from_s + particle_step_s - time_s;
    const bool dies = end_s <= flight.free.end_s;
    if (dies) h = std::max(0.0, end_s - time_s);
    if (resting_[slot] == 0) {
        const FloatFlight from{offsets_[slot], velocities_[slot]};
        const FloatFlight free = flown(flight.free, from, wind);
        const float lowest = std::min(from.offset.y, free.offset.y);
        FlightState now{place_of(slot), velocity(slot)};
        FlightOutcome outcome;
        const bool is_clear = is_whole && lowest > flight.free.clear_above;
        if (is_whole && !is_clear && bounce_off_floor(slot, flight, free, wind)) return;
        if (!is_clear) outcome = flight.surfaces.fly(now, vector3_from(wind), h);
        if (outcome.hits) {
            offsets_[slot] = float_vector(outcome.hit_place - origin_);
            note(ParticleEvent::Type::hit, slot, time_s + outcome.hit_after_s,
                 outcome.hit_velocity);
        }
        // What meets nothing goes as in a block, bit for bit.
        if (is_whole && !outcome.meets) {
            offsets_[slot] = free.offset;
            velocities_[slot] = free.velocity;
        } else {
            offsets_[slot] = float_vector(now.place - origin_);
            velocities_[slot] = float_vector(now.velocity);
        }
        if (outcome.meets && settings_.dies_on_contact) {
            end(slot, time_s + outcome.hit_after_s);
            return;
        }
        if (outcome.rests) {
            resting_[slot] = 1;
            velocities_[slot] = {};
            note(ParticleEvent::Type::at_rest, slot, time_s + h, {});
        }
    }
    if (dies) end(slot, end_s);
}

void Particles::end(std::size_t slot, double time_s) noexcept {
    note(ParticleEvent::Type::died, slot, time_s, velocity(slot));
    alive_[slot] = 0;
    resting_[slot] = 0;
    --alive_count_;
    free_[(oldest_free_ + free_count_) % capacity()] = static_cast<std::uint32_t>(slot);
    ++free_count_;
}

void Particles::note(ParticleEvent::Type type, std::size_t slot, double time_s,
                     const Vector3& velocity) noexcept {
    if (event_count_ == events_.size()) return;
    events_[event_count_++] = {type, static_cast<std::uint32_t>(slot), time_s, place_of(slot),
                               velocity};
}

void Particles::move_origin(const Vector3& to) noexcept {
    for (FloatVector3& offset : offsets_)
        offset = float_vector(vector3_from(offset) + (origin_ - to));
    origin_ = to;
    look_anew();
}

/// Particles that overlap are moved apart and bounce off each other.
void Particles::separate() noexcept {
    const double apart = 2 * settings_.radius_m;
    const auto offset_of = [this](std::size_t i) {
        return vector3_from(offsets_[i]);
    };
    cells_.sort(capacity(), offset_of, apart, [&](std::size_t i) { return alive_[i] != 0; });
    const auto bounce = [&](std::uint32_t a, std::uint32_t b) {
        const Vector3 way = offset_of(b) - offset_of(a);
        const double square = dot(way, way);
        if (square >= apart * apart) return;
        const double length = std::sqrt(square);
        const Vector3 n = unit(way, {0, 1, 0});
        // A particle at rest stays where it is: the other one takes all of the correction.
        const double wa = resting_[a] != 0 ? 0 : 1;
        const double wb = resting_[b] != 0 ? 0 : 1;
        if (wa + wb == 0) return;
        const double out = (apart - length) / (wa + wb);
        offsets_[a] = float_vector(offset_of(a) - n * (out * wa));
        offsets_[b] = float_vector(offset_of(b) + n * (out * wb));
        const double closing = dot(velocity(b) - velocity(a), n);
        if (closing >= 0) return;
        const double change = -(1 + settings_.restitution) * closing / (wa + wb);
        velocities_[a] = float_vector(velocity(a) - n * (change * wa));
        velocities_[b] = float_vector(velocity(b) + n * (change * wb));
    };
    for (std::uint32_t i = 0; i < capacity(); ++i) {
        if (alive_[i] == 0) continue;
        cells_.for_each_near(offset_of(i), [&](std::uint32_t other) {
            if (other > i) bounce(i, other);
        });
    }
}

/// Extrapolates from the last step to now.
void Particles::find_outputs() noexcept {
    const double ahead_s = time_s_ - static_cast<double>(steps_) * particle_step_s;
    is_between_steps_ = ahead_s > nothing_s;
    if (!is_between_steps_) return;
    for (std::size_t first = 0; first < capacity(); first += particles_at_a_time) {
        const ParticleBlock block = block_at(first);
        find_later(set_, block, ahead_s, std::span{shown_}.subspan(first, block.alive.size()));
    }
}

void Particles::count_alive() noexcept {
    alive_count_ = static_cast<std::size_t>(std::count(alive_.begin(), alive_.end(), 1));
}

/// Forgets how long nothing can happen to each block, and what carries those at rest: it is found
/// out again.
void Particles::look_anew() noexcept {
    std::fill(free_until_s_.begin(), free_until_s_.end(), 0.0);
    std::fill(still_until_s_.begin(), still_until_s_.end(), 0.0);
    rested_floor_m_ = nowhere;
}

void Particles::use(InstructionSet set) {
    require_available(set);
    set_ = set;
}

void Particles::retune(const ParticleSettings& settings) {
    require_valid(settings);
    if (settings.capacity != settings_.capacity)
        throw InvalidValue{"capacity", static_cast<double>(settings.capacity), "what it was"};
    settings_ = settings;
    look_anew();
}

bool Particles::try_retune(const ParticleSettings& settings) noexcept {
    if (!is_valid(settings) || settings.capacity != settings_.capacity) return false;
    look_anew();
    try {
        settings_ = settings;
    } catch (const std::exception&) {
        return false;
    }
    return true;
}

bool Particles::still() const noexcept {
    for (std::size_t i = 0; i < capacity(); ++i) {
        if (alive_[i] != 0 && resting_[i] == 0) return false;
    }
    return !(settings_.rate_per_s > 0);
}

void Particles::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    const auto put = [&](double number) {
        if (at < numbers.size()) numbers[at++] = number;
    };
    for (std::size_t i = 0; i < capacity(); ++i) {
        const Vector3 p = position(i);
        put(p.x);
        put(p.y);
        put(p.z);
    }
    for (const std::uint8_t flag : alive_)
        put(flag);
    for (std::size_t i = 0; i < capacity(); ++i)
        put(age(i));
}

std::span<const Dial<Particles>> Particles::dials() noexcept {
    return dials_through<Particles, ParticleSettings, ReadSettings>();
}

}  // namespace hopcoil
