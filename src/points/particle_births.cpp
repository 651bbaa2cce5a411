// How particles come to be.

#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/points/particles.hpp>

#include "../base/vectors.hpp"
#include "particle_steps.hpp"

namespace hopcoil {

namespace {

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

}  // namespace

/// Births due in this step, each at its own time, flying for the rest of it.
void Particles::give_birth(const Flight& flight) noexcept {
    if (!(settings_.rate_per_s > 0)) return;
    const double end_s = flight.from_s + particle_step_s;
    while (next_birth_s_ < end_s) {
        const double at_s = std::max(next_birth_s_, flight.from_s);
        const double part = (at_s - flight.from_s) * particle_steps_per_s;
        const Vector3 place = flight.from + (flight.to - flight.from) * part;
        const Vector3 velocity = (flight.to - flight.from) * particle_steps_per_s;
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
    dies_s_[slot] = time_s + lifetime;
    spins_[slot] = spin;
    note(ParticleEvent::Type::born, slot, time_s, Particles::velocity(slot));
    if (flight == nullptr) return;
    const Vector3 wind =
        flight->wind == nullptr ? Vector3{} : flight->wind->at(from, time_s).velocity;
    fly(slot, *flight, float_vector(wind * settings_.wind_share), time_s);
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
    free_until_s_[slot / particles_at_a_time] = 0;
    still_until_s_[slot / particles_at_a_time] = 0;
    offsets_[slot] = float_vector(place - origin_);
    velocities_[slot] = float_vector(velocity);
    born_s_[slot] = time_s;
    return slot;
}

StepStatus Particles::burst(std::size_t count, const Vector3& place,
                            const Vector3& velocity) noexcept {
    if (!is_finite_vector(place) || !is_finite_vector(velocity)) return reject();
    const double now_s = static_cast<double>(steps_) * particle_step_s;
    if (alive_count_ == 0 && is_far_from(origin_, place)) move_origin(place);
    for (std::size_t i = 0; i < std::min(count, capacity()); ++i)
        bear(place, facing_, velocity, now_s, nullptr);
    find_outputs();
    return StepStatus::stepped;
}

}  // namespace hopcoil
