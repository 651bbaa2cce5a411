#include <algorithm>
#include <cmath>
#include <span>

#include <hopcoil/base/components.hpp>
#include <hopcoil/gait/support.hpp>
#include <hopcoil/measure/foot_watch.hpp>

namespace hopcoil {
namespace {

/// Of the sole, as it is turned, over the highest ground beneath it.
double clearance_of(const WalkerFoot& foot, double radius, double top,
                    const Ground& ground) noexcept {
    double least = 1e9;
    for (const auto& [x, z] :
         {std::array{0.0, 0.0}, {1.0, 0.0}, {-1.0, 0.0}, {0.0, 1.0}, {0.0, -1.0}}) {
        const Vector3& at = foot.position;
        const Vector3& n = foot.normal;
        const double rise = n.y > 0.1 ? -radius * (n.x * x + n.z * z) / n.y : 0;
        const GroundPoint under = ground.under(at.x + radius * x, at.z + radius * z, top, 0);
        if (under.exists) least = std::min(least, at.y + rise - under.height);
    }
    return least;
}

double flat_apart(const Vector3& a, const Vector3& b) noexcept {
    return length_of(Vector3{a.x - b.x, 0, a.z - b.z});
}

}  // namespace

void FootFigures::include(const FootFigures& other) noexcept {
    slip_m = std::max(slip_m, other.slip_m);
    reach = std::max(reach, other.reach);
    support_m = std::min(support_m, other.support_m);
    clearance_m = std::min(clearance_m, other.clearance_m);
    legs_apart_m = std::min(legs_apart_m, other.legs_apart_m);
    foot_acceleration = std::max(foot_acceleration, other.foot_acceleration);
    feet_up = std::max(feet_up, other.feet_up);
    steps_at_rest += other.steps_at_rest;
}

FootWatch::FootWatch(const Walker& walker) noexcept : time_s_{walker.time_s()} {
    for (std::size_t i = 0; i < walker.feet().size(); ++i) {
        const WalkerFoot& foot = walker.feet()[i];
        feet_[i] = {.planted = foot.planted,
                    .part = foot.part,
                    .on_part = foot.on_part,
                    .lifted_part = foot.part,
                    .lifted = foot.on_part,
                    .position = foot.position};
    }
}

void FootWatch::look(const Walker& walker, const Ground& ground) noexcept {
    // Within a tick the motion shown has no acceleration of its own.
    const double since_s = walker.time_s() - time_s_;
    const bool has_ticked = std::abs(since_s) > 0.999 * Walker::tick_s;
    const double dt = has_ticked ? since_s : 0;
    now_ = {.foot_acceleration = has_ticked ? 0 : now_.foot_acceleration};
    const Vector3 over_ground = walker.velocity() - walker.carried_velocity();
    const bool stands = length_of(over_ground) < 0.03 && std::abs(walker.turn_rate()) < 0.05;
    for (std::size_t i = 0; i < walker.feet().size(); ++i)
        look_at(i, walker, ground, dt);
    stood_s_ = stands ? stood_s_ + dt : 0;
    if (has_ticked) {
        last_dt_ = dt;
        time_s_ = walker.time_s();
    }
    look_at_legs(walker);
    all_.include(now_);
}

/// Of where it left the ground and of where it lands, as they move.
bool FootWatch::is_near_ends(const Foot& was, const WalkerFoot& foot,
                             const Ground& ground) noexcept {
    constexpr double near_m = 0.03;
    const Vector3 lifted =
        was.lifted_part == 0 ? was.lifted : ground.frame(was.lifted_part, 0).to_world(was.lifted);
    return flat_apart(foot.position, lifted) < near_m ||
           flat_apart(foot.position, foot.landing) < near_m;
}

void FootWatch::look_at(std::size_t leg, const Walker& walker, const Ground& ground,
                        double dt) noexcept {
    constexpr double long_s = 2;
    const WalkerFoot& foot = walker.feet()[leg];
    Foot& was = feet_[leg];
    const double l = walker.settings().leg_length_m;
    now_.reach = std::max(now_.reach, length_of(foot.position - walker.hip(leg)) / l);
    // In a step `on_part` stays where it left, also of one that landed and left again between two
    // looks. In a hop it is where it will land.
    if (foot.planted || foot.reason != StepReason::flies) {
        was.lifted_part = foot.part;
        was.lifted = foot.on_part;
    }
    if (foot.planted) {
        const bool slides = foot.reason == StepReason::slides;  // it was asked to
        if (was.planted && !slides && was.part == foot.part)
            now_.slip_m = std::max(now_.slip_m, length_of(foot.on_part - was.on_part));
    } else {
        ++now_.feet_up;
        const bool tidies = foot.reason == StepReason::tidies;
        if (was.planted && tidies && stood_s_ > long_s) ++now_.steps_at_rest;
        if (!is_near_ends(was, foot, ground)) {
            const double radius = walker.settings().foot_radius_m;
            const double top = walker.position().y;
            now_.clearance_m = std::min(now_.clearance_m, clearance_of(foot, radius, top, ground));
        }
    }
    if (dt > 0) {
        const Vector3 velocity = (foot.position - was.position) * (1 / dt);
        const double apart_s = (dt + last_dt_) / 2;
        if (was.has_velocity) {
            now_.foot_acceleration =
                std::max(now_.foot_acceleration, length_of(velocity - was.velocity) / apart_s);
        }
        was.velocity = velocity;
        was.position = foot.position;
        was.has_velocity = true;
    }
    was.planted = foot.planted;
    was.part = foot.part;
    was.on_part = foot.on_part;
}

void FootWatch::look_at_legs(const Walker& walker) noexcept {
    std::array<Vector3, Walker::most_legs> planted{};
    std::size_t count = 0;
    const std::span<const WalkerFoot> feet = walker.feet();
    for (std::size_t i = 0; i < feet.size(); ++i) {
        if (feet[i].planted) planted.at(count++) = feet[i].position;
        for (std::size_t k = 0; k < i; ++k) {
            now_.legs_apart_m = std::min(
                now_.legs_apart_m,
                stretches_apart(walker.hip(i), feet[i].position, walker.hip(k), feet[k].position));
        }
    }
    now_.support_m = support_margin(std::span{planted}.first(count), walker.position());
}

}  // namespace hopcoil
