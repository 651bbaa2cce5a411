#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/detail/hand_path.hpp>
#include <hopcoil/gait/detail/launch.hpp>
#include <hopcoil/gait/leap.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace {

using detail::g;
using detail::part_of_launch;
/// Parts of a leg's length, from hip to sole: standing, and at touch-down.
constexpr double standing_leg = 0.97;
constexpr double landing_leg = 0.92;
/// Parts of the speed with which legs leap off: what hands add, and what they catch.
constexpr double part_of_arms = 0.8;
/// Its least falling speed onto its feet and into its hands, m/s.
constexpr double least_fall_onto_feet = 0.64;
constexpr double least_fall_into_hands = 0.3;
/// The highest speed that legs stop, m/s.
constexpr double hardest_landing = 7.0;

double leap_ticks(double time_s) noexcept {
    return detail::in_ticks(time_s, detail::HandPath::tick_s);
}

/// The points and velocities of a leap, before it is timed.
class LeapPlanner {
  public:
    LeapPlanner(const BrachiatorSettings& settings, const LeapEnd& from, const LeapEnd& to) noexcept
        : settings_{settings}, from_{from}, to_{to} {
        Vector3 way = to.body.position - from.body.position;
        way.y = 0;
        const double far = norm(way);
        // Straight up, or nearly so, there is no direction to swing along.
        share_ = std::min(1.0, far / (0.8 * settings.arm_length_m));
        along_ = far > 1e-9 ? way * (1 / far) : Vector3{};
    }

    [[nodiscard]] LeapPlan plan() noexcept {
        place_ends();
        LeapPlan plan;
        if (!find_flight()) return plan;
        plan.is_in_reach = true;
        const double push_s = from_.is_on_feet ? push_time_s() : pull_time_s(from_, launch_);
        const double stop_s = to_.is_on_feet ? stop_time_s() : pull_time_s(to_, lands_);
        const Vector3 gathered =
            from_.is_on_feet ? crouched() : off_ - launch_ * (part_of_launch * push_s);
        const Vector3 lowest =
            to_.is_on_feet ? given_way() : on_ + lands_ * (part_of_launch * stop_s);
        const Vector3 gravity{0, -g, 0};
        plan.points = {from_.body,
                       SwingPoint{.position = gathered},
                       SwingPoint{off_, launch_, gravity},
                       SwingPoint{on_, lands_, gravity},
                       SwingPoint{.position = lowest},
                       SwingPoint{.position = to_.body.position}};
        const double limb_s = math::sqrt(settings_.leg_length_m / g);
        const std::array<double, LeapPlan::moment_count - 1> spans{
            leap_ticks((from_.is_on_feet ? 1.3 : 1.8) * limb_s), leap_ticks(push_s), flight_s_,
            leap_ticks(stop_s), leap_ticks(2.2 * limb_s)};
        for (std::size_t i = 0; i < spans.size(); ++i)
            plan.times_s[i + 1] = plan.times_s[i] + spans[i];
        return plan;
    }

  private:
    /// Where it leaves, and where it arrives.
    void place_ends() noexcept {
        const double leg = settings_.leg_length_m;
        const double arm = settings_.arm_length_m;
        const Vector3 from = from_.body.position;
        const Vector3 to = to_.body.position;
        // From the feet it leans in the direction of the leap; from the hands it leaves at the end
        // of a swing.
        off_ = from_.is_on_feet
                   ? from + along_ * (0.15 * leg * share_)
                   : from + along_ * (0.6 * from_.sway_m * share_) + Vector3{0, 0.12 * arm, 0};
        // It arrives behind its place of rest, by the distance that stopping takes.
        on_ = to_.is_on_feet ? to - along_ * (0.25 * leg * share_) -
                                   Vector3{0, (standing_leg - landing_leg) * leg, 0}
                             : to - along_ * (0.5 * to_.sway_m * share_) +
                                   Vector3{0, (from.y < to.y ? -0.01 : 0.12) * arm, 0};
    }

    /// The lowest flight that is not too fast along the ground.
    [[nodiscard]] bool find_flight() noexcept {
        const double by_hand = part_of_arms * settings_.most_leap_speed_m_per_s;
        const double most = from_.is_on_feet ? settings_.most_leap_speed_m_per_s : by_hand;
        Vector3 way = on_ - off_;
        const double rise = way.y;
        way.y = 0;
        const double least = to_.is_on_feet ? least_fall_onto_feet : least_fall_into_hands;
        double over = least * least / (2 * g);
        for (int round = 0; round < 80; ++round) {
            const double top = std::max(rise, 0.0) + over;
            flight_s_ =
                leap_ticks((math::sqrt(2 * g * top) + math::sqrt(2 * g * (top - rise))) / g);
            launch_ = way * (1 / flight_s_);
            launch_.y = rise / flight_s_ + 0.5 * g * flight_s_;
            if (launch_.y > most) return false;
            if (norm({launch_.x, 0, launch_.z}) <= 0.75 * most) break;
            over *= 1.1;
        }
        lands_ = launch_ - Vector3{0, g * flight_s_, 0};
        return norm(launch_) <= most &&
               norm(lands_) <= (to_.is_on_feet ? hardest_landing : by_hand);
    }

    [[nodiscard]] double crouch_m() const noexcept {
        return std::clamp(0.09 * norm(launch_), 0.14, 0.36) * settings_.leg_length_m;
    }
    [[nodiscard]] double give_m() const noexcept {
        return std::clamp(0.11 * norm(lands_), 0.16, 0.46) * settings_.leg_length_m;
    }
    [[nodiscard]] Vector3 crouched() const noexcept {
        return from_.body.position - Vector3{0, crouch_m(), 0} +
               along_ * (0.05 * settings_.leg_length_m * share_);
    }
    /// Where the legs have stopped it.
    [[nodiscard]] Vector3 given_way() const noexcept {
        return to_.body.position - Vector3{0, give_m(), 0};
    }
    [[nodiscard]] double push_time_s() const noexcept {
        const double way = off_.y - crouched().y;
        return std::clamp(way / (part_of_launch * launch_.y), 0.15, 0.8);
    }
    [[nodiscard]] double stop_time_s() const noexcept {
        const double way = on_.y - given_way().y;
        return std::clamp(way / (part_of_launch * std::max(-lands_.y, 0.5)), 0.12, 0.8);
    }
    /// Arms allow motion to and fro, and a little up and down.
    [[nodiscard]] double pull_time_s(const LeapEnd& end, const Vector3& velocity) const noexcept {
        const double to_and_fro =
            1.1 * end.sway_m / (part_of_launch * norm({velocity.x, 0, velocity.z}) + 1e-9);
        const double up_and_down =
            0.17 * settings_.arm_length_m / (part_of_launch * std::abs(velocity.y) + 1e-9);
        return std::clamp(std::min(to_and_fro, up_and_down), 0.15, 0.4);
    }

    const BrachiatorSettings& settings_;
    const LeapEnd& from_;
    const LeapEnd& to_;
    Vector3 along_{};
    double share_ = 0.0;
    Vector3 off_{};
    Vector3 on_{};
    Vector3 launch_{};
    Vector3 lands_{};
    double flight_s_ = 0.0;
};

}  // namespace

SwingPoint LeapPlan::at(double time_s) const noexcept {
    std::size_t k = 0;
    while (k + 2 < moment_count && !(time_s < times_s[k + 1]))
        ++k;
    const auto [x, y, z] = quintics_between(points[k], points[k + 1], times_s[k], times_s[k + 1]);
    const Quintic::End ex = x.at(time_s);
    const Quintic::End ey = y.at(time_s);
    const Quintic::End ez = z.at(time_s);
    return {{ex.value, ey.value, ez.value},
            {ex.rate, ey.rate, ez.rate},
            {ex.rate_of_rate, ey.rate_of_rate, ez.rate_of_rate}};
}

bool LeapPlan::is_timed() const noexcept {
    for (std::size_t i = 1; i < moment_count; ++i)
        if (!(times_s[i] > times_s[i - 1])) return false;
    return true;
}

LeapPlan plan_leap(const BrachiatorSettings& settings, const LeapEnd& from,
                   const LeapEnd& to) noexcept {
    return LeapPlanner{settings, from, to}.plan();
}

double standing_height_m(const BrachiatorSettings& settings) noexcept {
    return settings.hip_depth_m + standing_leg * settings.leg_length_m;
}

}  // namespace hopcoil
