#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/points/particles.hpp>

#include "chain_math.hpp"
#include "particle_flight.hpp"

namespace hopcoil {

using chain::is_finite_vector;
using chain::length_of;
using chain::unit;

namespace {

constexpr double steps_per_s = 120;
constexpr double step_s = 1 / steps_per_s;
constexpr double longest_step_s = 3600;
constexpr double nothing_s = 1e-9;  // what the sum of many frames may be off by
constexpr std::size_t events_for_each_slot = 4;

/// Evenly over the directions within an angle of one.
Vector3 direction_within(const Vector3& axis, double spread_rad, RandomNumbers& random) noexcept {
    const double least = math::cos(spread_rad);
    const double up = random.between(least, 1);
    const double around = random.between(0, 2 * math::pi);
    const double out = math::sqrt(std::max(0.0, 1 - up * up));
    const Vector3 aside =
        unit(cross(axis, std::abs(axis.x) < 0.9 ? Vector3{1, 0, 0} : Vector3{0, 1, 0}), {0, 0, 1});
    const math::SinCos turn = math::sincos(around);
    return axis * up + aside * (out * turn.cos) + cross(axis, aside) * (out * turn.sin);
}

Vector3 place_in(EmitterShape shape, const Vector3& half, RandomNumbers& random) noexcept {
    const auto side = [&] {
        return random.between(-1, 1);
    };
    switch (shape) {
        case EmitterShape::line:
            return {half.x * side(), 0, 0};
        case EmitterShape::disc: {
            const double r = half.x * math::sqrt(random.unit());
            const math::SinCos turn = math::sincos(random.between(0, 2 * math::pi));
            return {r * turn.cos, 0, r * turn.sin};
        }
        case EmitterShape::box: {
            const double x = half.x * side();
            const double y = half.y * side();
            return {x, y, half.z * side()};
        }
        case EmitterShape::sphere: {
            const double r = half.x * math::pow(random.unit(), 1.0 / 3);
            return direction_within({0, 1, 0}, math::pi, random) * r;
        }
        case EmitterShape::point:
            break;
    }
    return {};
}

constexpr std::array<Vector3, particles_at_a_time> no_winds{};

}  // namespace

/// What is the same for all particles in a step of 1/120 s.
struct Particles::Flight {
    ParticleSurfaces surfaces;
    Vector3 from{};  ///< the emitter at its start
    Vector3 to{};    ///< and at its end
    Quaternion turned{};
    double from_s = 0;
    const Wind* wind = nullptr;
};

Particles::Particles(const ParticleSettings& settings, std::uint64_t stream, const Vector3& emitter,
                     const Quaternion& facing)
    : settings_{settings},
      stream_{stream},
      emitter_{emitter},
      emitter_before_{emitter},
      facing_{normalized(facing)} {
    require_valid(settings);
    if (!is_finite_vector(emitter) || !(facing_.w == facing_.w))
        throw InvalidValue{"emitter", length_of(emitter), "a finite place and a rotation"};
    allocate();
}

void Particles::allocate() {
    const std::size_t size = settings_.capacity;
    alive_.resize(size);
    resting_.resize(size);
    done_.resize(size);
    block_done_.resize((size + particles_at_a_time - 1) / particles_at_a_time);
    positions_.resize(size);
    velocities_.resize(size);
    shown_.resize(size);
    born_s_.resize(size);
    lifetimes_.resize(size);
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
    const double from_s = time_s_;
    time_s_ += dt;
    const auto wanted = static_cast<std::uint64_t>(std::floor(time_s_ * steps_per_s + 1e-6));
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
        return;
    }
    ParticleSurfaces surfaces{inputs.shapes, inputs.ground, settings_};
    double clear_above_m = -std::numeric_limits<double>::infinity();
    for (std::uint64_t k = steps_; k < steps_ + steps; ++k) {
        const double end_s = static_cast<double>(k + 1) * step_s;
        surfaces.set_step(static_cast<double>(k) * step_s, step_s, time_s_ - end_s);
        clear_above_m = std::max(clear_above_m, surfaces.free_flight().clear_above_m);
    }
    FreeFlight last = surfaces.free_flight();
    last.clear_above_m = clear_above_m;
    const FrameFlight flight{last, steps};
    for (std::size_t block = 0; block < block_done_.size(); ++block) {
        const bool is_done = fly_through(set_, flight, block_at(block * particles_at_a_time));
        block_done_[block] = is_done ? 1 : 0;
    }
}

/// One step of 1/120 s, within a step of the caller's.
void Particles::step_to_next(const ParticleInputs& inputs, double from_s, double to_s) noexcept {
    Flight flight{.surfaces = {inputs.shapes, inputs.ground, settings_},
                  .from_s = static_cast<double>(steps_) * step_s,
                  .wind = inputs.wind};
    const auto emitter_at = [&](double time_s) {
        const double part =
            to_s > from_s ? std::clamp((time_s - from_s) / (to_s - from_s), 0.0, 1.0) : 1;
        return emitter_ + (inputs.emitter - emitter_) * part;
    };
    const double end_s = static_cast<double>(steps_ + 1) * step_s;
    flight.from = emitter_before_;
    flight.to = emitter_before_ = emitter_at(end_s);
    flight.turned = inputs.facing;
    flight.surfaces.set_step(flight.from_s, step_s, to_s - end_s);
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
    for (std::size_t i = 0; i < capacity(); ++i) {
        if (alive_[i] != 0 && resting_[i] != 0 && !surfaces.supports(positions_[i]))
            resting_[i] = 0;
    }
}

/// Particles at rest are swept along by anything that moves into them.
void Particles::wake_swept(std::span<const ContactShape> shapes, const Flight& flight) noexcept {
    const auto moves = [](const ContactShape& shape) {
        return shape.velocity != Vector3{};
    };
    if (std::none_of(shapes.begin(), shapes.end(), moves)) return;
    for (std::size_t i = 0; i < capacity(); ++i) {
        if (alive_[i] != 0 && resting_[i] != 0 && flight.surfaces.sweeps(positions_[i]))
            resting_[i] = 0;
    }
}

ParticleBlock Particles::block_at(std::size_t first) noexcept {
    const std::size_t count = std::min(particles_at_a_time, capacity() - first);
    return {.places = std::span{positions_}.subspan(first, count),
            .velocities = std::span{velocities_}.subspan(first, count),
            .alive = std::span{alive_}.subspan(first, count),
            .resting = std::span{resting_}.subspan(first, count),
            .born_s = std::span{born_s_}.subspan(first, count),
            .lifetimes = std::span{lifetimes_}.subspan(first, count),
            .done = std::span{done_}.subspan(first, count),
            .winds = no_winds};
}

/// A few particles from a slot on.
void Particles::fly_block(std::size_t first, const Flight& flight) noexcept {
    if (flight.wind == nullptr) {
        fly_block_in(no_winds, first, flight);
        return;
    }
    // Winds are sampled for all that move at once.
    std::array<std::size_t, particles_at_a_time> moving{};
    std::array<Vector3, particles_at_a_time> places;
    std::size_t count = 0;
    const std::size_t end = std::min(first + particles_at_a_time, capacity());
    for (std::size_t i = first; i < end; ++i) {
        if (alive_[i] == 0 || resting_[i] != 0) continue;
        moving[count] = i - first;
        places[count++] = positions_[i];
    }
    std::array<WindSample, particles_at_a_time> samples;
    flight.wind->find(std::span{places}.first(count), flight.from_s, samples);
    std::array<Vector3, particles_at_a_time> winds{};
    for (std::size_t k = 0; k < count; ++k)
        winds[moving[k]] = samples[k].velocity * settings_.wind_share;
    fly_block_in(winds, first, flight);
}

/// Where only a few of a block are not done, these are stepped one by one, which is quicker;
/// returns whether that was so.
bool Particles::fly_few(std::span<const Vector3> winds, std::size_t first,
                        const Flight& flight) noexcept {
    constexpr std::size_t few = 16;
    const ParticleBlock block = block_at(first);
    std::array<std::uint8_t, particles_at_a_time> open{};
    std::size_t count = 0;
    for (std::size_t k = 0; k < block.alive.size(); ++k) {
        open[count] = static_cast<std::uint8_t>(k);
        count += block.alive[k] & (block.done[k] ^ 1U);
    }
    if (count > few) return false;
    for (std::size_t k = 0; k < count; ++k)
        fly(first + open[k], flight, winds[open[k]], flight.from_s);
    return true;
}

void Particles::fly_block_in(std::span<const Vector3> winds, std::size_t first,
                             const Flight& flight) noexcept {
    if (fly_few(winds, first, flight)) return;
    ParticleBlock block = block_at(first);
    block.winds = winds;
    std::array<double, particles_at_a_time> left{};
    if (fly_freely(set_, flight.surfaces.free_flight(), block, left)) return;
    for (std::size_t k = 0; k < block.places.size(); ++k) {
        if (left[k] != 0) fly(first + k, flight, winds[k], flight.from_s);
    }
}

/// To the end of the step.
void Particles::fly(std::size_t slot, const Flight& flight, const Vector3& wind,
                    double time_s) noexcept {
    const double end_s = born_s_[slot] + lifetimes_[slot];
    const bool is_whole = time_s == flight.from_s;
    double h = is_whole ? step_s : flight.from_s + step_s - time_s;
    const bool dies = end_s <= time_s + h;
    if (dies) h = std::max(0.0, end_s - time_s);
    if (resting_[slot] == 0) {
        FlightState now{positions_[slot], velocities_[slot]};
        const FlightOutcome outcome = flight.surfaces.fly(now, wind, h);
        if (outcome.hit) {
            positions_[slot] = outcome.hit_place;
            note(ParticleEvent::Type::hit, slot, time_s + outcome.hit_after_s,
                 outcome.hit_velocity);
        }
        positions_[slot] = now.place;
        velocities_[slot] = now.velocity;
        if (outcome.hit && settings_.dies_on_contact) {
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
    note(ParticleEvent::Type::died, slot, time_s, velocities_[slot]);
    alive_[slot] = 0;
    resting_[slot] = 0;
    --alive_count_;
    free_[(oldest_free_ + free_count_) % capacity()] = static_cast<std::uint32_t>(slot);
    ++free_count_;
}

void Particles::note(ParticleEvent::Type type, std::size_t slot, double time_s,
                     const Vector3& velocity) noexcept {
    if (event_count_ == events_.size()) return;
    events_[event_count_++] = {type, static_cast<std::uint32_t>(slot), time_s, positions_[slot],
                               velocity};
}

/// Births due in this step, each at its own time, flying for the rest of it.
void Particles::give_birth(const Flight& flight) noexcept {
    if (!(settings_.rate_per_s > 0)) return;
    const double end_s = flight.from_s + step_s;
    while (next_birth_s_ < end_s) {
        const double at_s = std::max(next_birth_s_, flight.from_s);
        const double part = (at_s - flight.from_s) * steps_per_s;
        const Vector3 place = flight.from + (flight.to - flight.from) * part;
        const Vector3 velocity = (flight.to - flight.from) * steps_per_s;
        bear(place, flight.turned, velocity * settings_.emitter_share, at_s, &flight);
        // About evenly: between half and one and a half of the mean apart.
        const double apart = 0.5 + unit_number(stream_, static_cast<std::int64_t>(born_ + missed_));
        next_birth_s_ = at_s + apart / settings_.rate_per_s;
    }
}

void Particles::bear(const Vector3& place, const Quaternion& facing, const Vector3& velocity,
                     double time_s, const Flight* flight) noexcept {
    RandomNumbers random{mixed_bits(stream_ + born_ + missed_)};
    const Vector3 axis = unit(rotated(facing, settings_.direction), {0, 1, 0});
    const Vector3 way = direction_within(axis, settings_.spread_rad, random);
    const auto between = [&](double least, double most) {
        return least + (most - least) * random.unit();
    };
    const double speed = between(settings_.speed_least_m_per_s, settings_.speed_most_m_per_s);
    const Vector3 from =
        place + rotated(facing, place_in(settings_.shape, settings_.half_size_m, random));
    const double lifetime = between(settings_.lifetime_least_s, settings_.lifetime_most_s);
    const double spin = settings_.spin_rad_per_s * random.between(-1, 1);
    if (free_count_ == 0) {
        ++missed_;
        return;
    }
    const std::uint32_t slot = add(from, way * speed + velocity, time_s);
    lifetimes_[slot] = lifetime;
    spins_[slot] = spin;
    note(ParticleEvent::Type::born, slot, time_s, velocities_[slot]);
    if (flight == nullptr) return;
    const Vector3 wind =
        flight->wind == nullptr ? Vector3{} : flight->wind->at(from, time_s).velocity;
    fly(slot, *flight, wind * settings_.wind_share, time_s);
}

std::uint32_t Particles::add(const Vector3& place, const Vector3& velocity,
                             double time_s) noexcept {
    const std::uint32_t slot = free_[oldest_free_];
    oldest_free_ = (oldest_free_ + 1) % capacity();
    --free_count_;
    ++born_;
    ++alive_count_;
    alive_[slot] = 1;
    resting_[slot] = 0;
    positions_[slot] = place;
    velocities_[slot] = velocity;
    born_s_[slot] = time_s;
    return slot;
}

StepStatus Particles::burst(std::size_t count, const Vector3& place,
                            const Vector3& velocity) noexcept {
    if (!is_finite_vector(place) || !is_finite_vector(velocity)) return reject();
    const double now_s = static_cast<double>(steps_) * step_s;
    for (std::size_t i = 0; i < std::min(count, capacity()); ++i)
        bear(place, facing_, velocity, now_s, nullptr);
    find_outputs();
    return StepStatus::stepped;
}

/// Particles that overlap are moved apart and bounce off each other.
void Particles::separate() noexcept {
    const double apart = 2 * settings_.radius_m;
    cells_.sort(positions_, apart, [&](std::size_t i) { return alive_[i] != 0; });
    const auto bounce = [&](std::uint32_t a, std::uint32_t b) {
        const Vector3 way = positions_[b] - positions_[a];
        const double square = dot(way, way);
        if (square >= apart * apart) return;
        const double length = std::sqrt(square);
        const Vector3 n = unit(way, {0, 1, 0});
        // A particle at rest stays where it is: the other one takes all of the correction.
        const double wa = resting_[a] != 0 ? 0 : 1;
        const double wb = resting_[b] != 0 ? 0 : 1;
        if (wa + wb == 0) return;
        const double out = (apart - length) / (wa + wb);
        positions_[a] = positions_[a] - n * (out * wa);
        positions_[b] = positions_[b] + n * (out * wb);
        const double closing = dot(velocities_[b] - velocities_[a], n);
        if (closing >= 0) return;
        const double change = -(1 + settings_.restitution) * closing / (wa + wb);
        velocities_[a] = velocities_[a] - n * (change * wa);
        velocities_[b] = velocities_[b] + n * (change * wb);
    };
    for (std::uint32_t i = 0; i < capacity(); ++i) {
        if (alive_[i] == 0) continue;
        cells_.for_each_near(positions_[i], [&](std::uint32_t other) {
            if (other > i) bounce(i, other);
        });
    }
}

/// Extrapolates from the last step to now.
void Particles::find_outputs() noexcept {
    const double ahead_s = time_s_ - static_cast<double>(steps_) * step_s;
    is_between_steps_ = ahead_s > nothing_s;
    if (!is_between_steps_) return;
    for (std::size_t first = 0; first < capacity(); first += particles_at_a_time) {
        const ParticleBlock block = block_at(first);
        find_later(set_, block, ahead_s, std::span{shown_}.subspan(first, block.places.size()));
    }
}

void Particles::count_alive() noexcept {
    alive_count_ = static_cast<std::size_t>(std::count(alive_.begin(), alive_.end(), 1));
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
}

bool Particles::try_retune(const ParticleSettings& settings) noexcept {
    if (!is_valid(settings) || settings.capacity != settings_.capacity) return false;
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
    for (const Vector3& p : positions()) {
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
