#include <algorithm>
#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/detail/hand_path.hpp>

#include "../base/vectors.hpp"

namespace hopcoil::detail {
namespace {

// Ticks that a plan is ahead, 0.99 s in all: half of the kernel, and all of the lift's.
constexpr double width_s = 0.30;
constexpr std::int64_t kernel_reach = 108;
constexpr std::int64_t lift_reach = 64;  // to both sides, twice
static_assert(HandPath::planned_ticks == 2 * lift_reach + 1);
/// A hand lets go after, and catches before, this part of a swing.
constexpr double grip_part = 0.015;
/// Of the arm's length: how far a plan stretches it, which leaves a reserve for pushes.
constexpr double planned_stretch = 0.985;
/// Of the arm's length: from the hold to the middle of the shoulders, swinging.
constexpr double swing_radius = 0.84;
constexpr double standing_speed = 0.05;
/// The mean speed of a reaching hand, in m/s.
constexpr double quickest_hand = 6.5;
/// For each m/s of speed, how long it hangs by both hands before it goes back.
constexpr double turns_in = 0.16;
/// The most by which a swing is faster than the one before, in m/s.
constexpr double most_gain = 2.0;
/// Between holds further apart than this, in arm lengths, swings take more time: 0.4 more at 1.8.
constexpr double wide_gap = 1.3;
constexpr double widest_gap = 1.8;
constexpr double slower_over_wide = 0.4;
/// Of the arc's depth, for the quickest swing.
constexpr double least_depth = 0.3;
/// A swing is at most so deep, in m for each second squared of its time: a low hold between high
/// ones would throw it up and down.
constexpr double most_dip_rate = 0.5;

double radius_of(const BrachiatorSettings& settings) {
    return swing_radius * settings.arm_length_m;
}

/// The lower point at the radius from both holds, but not beyond the place below the upper one; the
/// middle between them where they are too far apart.
Vector3 change_over(const BrachiatorSettings& settings, const Vector3& a, const Vector3& b) {
    const Vector3 way = b - a;
    const double gap = norm(way);
    const Vector3 middle = a + way * 0.5;
    const double radius = radius_of(settings);
    const double square = radius * radius - 0.25 * gap * gap;
    if (!(square > 0) || !(gap > 0)) return gap > 0 ? middle : middle + Vector3{0, -radius, 0};
    const Vector3 along = way * (1 / gap);
    const Vector3 down = Vector3{0, -1, 0} - along * (-along.y);
    const double steep = norm(down);
    const Vector3 aside = steep > 1e-9 ? down * (1 / steep) : Vector3{0, -1, 0};
    const Vector3 place = middle + aside * math::sqrt(square);
    const Vector3& upper = a.y > b.y ? a : b;
    const Vector3 inward = middle - upper;
    const Vector3 from_upper = place - upper;
    const bool is_between = from_upper.x * inward.x + from_upper.z * inward.z >= 0;
    return is_between ? place : upper + Vector3{0, -radius, 0};
}

/// Its place on the arc below the pivot: as an angle from straight down, and the direction of the
/// arc.
struct Hanging {
    double angle_rad = 0.0;
    Vector3 outward{};
};
Hanging hanging_from(const Vector3& pivot, const Vector3& place) {
    const Vector3 arm = place - pivot;
    const double out = flat_length(arm);
    return {math::atan2(out, -arm.y),
            out > 1e-12 ? Vector3{arm.x / out, 0, arm.z / out} : Vector3{}};
}

struct Swung {
    Vector3 place{};
    double ahead = 0.0;
};

/// A swing in a pendulum's time moves as a pendulum; quicker ones are more even.
double share_of_way(double u, double swing_s, double natural_s) {
    const double quick = swing_s / natural_s;
    const double even = std::clamp(1 - quick * quick, 0.0, 0.9);
    return even * u + (1 - even) * 0.5 * (1 - math::cos(math::pi * u));
}

double natural_time_s(double radius, double swept_rad) {
    const double amplitude = 0.5 * swept_rad;
    return math::pi * math::sqrt(radius / standard_gravity) * (1 + amplitude * amplitude / 16);
}

Swung swung(const HandSwing& swing, const Vector3& pivot, double time_s) {
    const double u = swing.swing_s > 0 ? (time_s - swing.from_s) / swing.swing_s : 1;
    if (u >= 1) return {swing.to, 0};
    const Hanging from = hanging_from(pivot, swing.from);
    const Hanging to = hanging_from(pivot, swing.to);
    const double radius_from = norm(swing.from - pivot);
    const double radius_to = norm(swing.to - pivot);
    const double swept = from.angle_rad + to.angle_rad;
    const double natural_s = natural_time_s(radius_from, swept);
    const double part = share_of_way(u, swing.swing_s, natural_s);
    const double angle = swept * part - from.angle_rad;
    const double radius = radius_from + (radius_to - radius_from) * part;
    const Vector3 outward = angle < 0 ? from.outward : to.outward;
    const double out = radius * math::sin(std::abs(angle));
    // Quicker than a pendulum, it bends its arms and swings less deep.
    const double quick = std::min(1.0, swing.swing_s / natural_s);
    const double dip = 0.5 * (swing.from.y + swing.to.y) - (pivot.y - radius);
    const double calm = most_dip_rate * swing.swing_s * swing.swing_s / std::max(dip, 1e-3);
    const double deep = std::max(least_depth, std::min(quick * math::sqrt(quick), calm));
    const double arc = pivot.y - radius * math::cos(angle);
    const double chord = swing.from.y + (swing.to.y - swing.from.y) * part;
    const Vector3 place{pivot.x + outward.x * out, chord + (arc - chord) * deep,
                        pivot.z + outward.z * out};
    return {place, swept > 0 ? std::clamp(2 * angle / swept, -1.0, 1.0) : 0.0};
}

/// The shorter turn. To turn back, the one in which each shoulder passes its own hand's hold.
double turn_below(double from_rad, double to_rad, const Vector3& to_left_hand) {
    constexpr double turns_round = 2.2;
    const double turn = shorter_turn_rad(from_rad, to_rad);
    if (std::abs(turn) < turns_round) return turn;
    const math::SinCos half = math::sincos(from_rad + 0.5 * turn);
    const double same_side = half.cos * to_left_hand.x - half.sin * to_left_hand.z;
    return same_side >= 0 ? turn : turn - std::copysign(2 * math::pi, turn);
}

/// Weights of the ticks from -reach to reach: three box filters of this width each, one after the
/// other.
template <std::int64_t reach>
constexpr std::array<double, 2 * reach + 1> kernel(double box_s) {
    std::array<double, 2 * reach + 1> weights{};
    for (std::int64_t k = -reach; k <= reach; ++k) {
        const double offset_s = static_cast<double>(k) * HandPath::tick_s;
        const double x = (offset_s < 0 ? -offset_s : offset_s) / box_s;
        weights[static_cast<std::size_t>(k + reach)] = x < 0.5   ? 0.75 - x * x
                                                       : x < 1.5 ? 0.5 * (1.5 - x) * (1.5 - x)
                                                                 : 0;
    }
    return weights;
}
constexpr auto path_kernel = kernel<kernel_reach>(width_s);
constexpr auto lift_kernel =
    kernel<lift_reach>(static_cast<double>(lift_reach) * HandPath::tick_s / 1.5);

}  // namespace

Quaternion hanging_turn(const BrachiatorSettings& settings, const BodyPoint& point) noexcept {
    const Vector3 arm = point.hold - point.place;
    const double reach = norm(arm);
    const Vector3 along = reach > 1e-9 ? arm * (1 / reach) : Vector3{0, 1, 0};
    Vector3 up = along * settings.lean + Vector3{0, 1 - settings.lean, 0};
    const double size = norm(up);
    up = size > 1e-6 ? up * (1 / size) : Vector3{0, 1, 0};
    const double yaw = point.yaw_rad + settings.twist_rad * point.twist;
    // Upright and turned, then tilted from the vertical along its arm.
    const Vector3 axis = cross({0, 1, 0}, up);
    const double sine = norm(axis);
    const double angle = math::atan2(sine, up.y);
    const Vector3 tip = sine > 1e-12 ? axis * (angle / sine) : Vector3{};
    return turned_by(tip) * turned_by({0, yaw, 0});
}

HandPath::HandPath(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                   std::uint32_t first) noexcept {
    const Vector3 way = holds[first + 1] - holds[first];
    const Vector3 start = change_over(settings, holds[first], holds[first + 1]);
    swings_[0] = {.pivot = first,
                  .left = first,
                  .caught = first + 1,
                  .hand = 0,
                  .from = start,
                  .to = start,
                  .yaw_rad = math::atan2(way.x, way.z)};
    // The right hand holds the first hold, the left one the second.
    swing_count_ = 1;
    const BodyPoint hanging{.place = start - Vector3{0, settings.shoulder_height_m, 0},
                            .hold = (holds[first] + holds[first + 1]) * 0.5,
                            .yaw_rad = swings_[0].yaw_rad,
                            .twist = 0};
    raw_.fill(hanging);
    for (std::int64_t tick = -2 * lift_reach; tick <= 2 * lift_reach + 1; ++tick)
        smooth(settings, holds, tick);
    for (const std::int64_t tick : {-1, 0, 1})
        lift(tick);
}

const HandSwing& HandPath::swing_at(double time_s) const noexcept {
    const std::uint64_t kept = std::min(swing_count_, swing_size);
    for (std::uint64_t back = 1; back <= kept; ++back) {
        const HandSwing& swing = swings_[(swing_count_ - back) % swing_size];
        if (swing.from_s <= time_s || back == kept) return swing;
    }
    return swings_[0];
}

HandAt HandPath::hand_at(double time_s, std::uint32_t hand) const noexcept {
    const HandSwing& swing = swing_at(time_s);
    if (hand != swing.hand) return {.hold = swing.pivot, .left = swing.pivot};
    const double grip_s = grip_part * swing.swing_s;
    const double since_s = time_s - swing.from_s;
    if (since_s < grip_s) return {.hold = swing.left, .left = swing.left};
    const double free_s = swing.swing_s - 2 * grip_s;
    if (!(since_s - grip_s < free_s)) return {.hold = swing.caught, .left = swing.left};
    return {false, swing.caught, swing.left, (since_s - grip_s) / free_s};
}

bool HandPath::fits(std::size_t holds) const noexcept {
    return swing_count_ > 0 &&
           std::all_of(swings_.begin(), swings_.end(), [&](const HandSwing& swing) {
               return swing.pivot < holds && swing.left < holds && swing.caught < holds &&
                      swing.hand < 2;
           });
}

void HandPath::plan_swing(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                          double speed, double from_s) noexcept {
    const HandSwing last = newest();
    const bool forward = speed > 0;
    // Both hands hold: one the pivot of the last swing, the other the hold just caught.
    const std::uint32_t first = std::min(last.pivot, last.caught);
    const std::uint32_t second = std::max(last.pivot, last.caught);
    const std::uint32_t pivot = forward ? second : first;
    const std::uint32_t left = forward ? first : second;
    const std::uint32_t hand = pivot == last.caught ? 1 - last.hand : last.hand;
    const auto next = [&](std::uint32_t hold, std::uint32_t& found) {
        if (forward ? hold + 1 >= holds.size() : hold == 0) return false;
        found = forward ? hold + 1 : hold - 1;
        return norm(holds[found] - holds[pivot]) <= longest_gap_m(settings);
    };
    std::uint32_t caught = 0;
    is_at_end_ = !next(pivot, caught);
    if (is_at_end_) return;
    // At high speed a near hold is skipped.
    const double way_before_m = flat_length(last.to - last.from);
    const bool went_on = way_before_m > 0 && (last.caught > last.pivot) == forward;
    const double pace_before = went_on ? way_before_m / (from_s - last.from_s) : 0;
    const double pace = std::min(std::abs(speed), pace_before + most_gain);
    const double liked_m = std::min(1.55, 0.75 * pace) * settings.arm_length_m / 1.05;
    constexpr double hurry = 1.2;
    std::uint32_t further = 0;
    if (pace > hurry && next(caught, further)) {
        const double near_m = norm(holds[caught] - holds[pivot]);
        const double far_m = norm(holds[further] - holds[pivot]);
        const double most_m = 1.5 * settings.arm_length_m;
        if (far_m < most_m && std::abs(far_m - liked_m) < std::abs(near_m - liked_m))
            caught = further;
    }
    HandSwing swing{.from_s = from_s,
                    .pivot = pivot,
                    .left = left,
                    .caught = caught,
                    .hand = hand,
                    .from = last.to,
                    .to = change_over(settings, holds[pivot], holds[caught])};
    const Vector3 way = swing.to - swing.from;
    const double natural_s =
        natural_time_s(radius_of(settings), hanging_from(holds[pivot], swing.from).angle_rad +
                                                hanging_from(holds[pivot], swing.to).angle_rad);
    // A hand needs time for its own path, however near the holds are.
    const double hand_s = norm(holds[caught] - holds[left]) / quickest_hand;
    // With arms that are hardly long enough it takes more time.
    const double widest_m =
        std::max(norm(holds[caught] - holds[pivot]), norm(holds[pivot] - holds[left]));
    const double wide = std::clamp(
        (widest_m / settings.arm_length_m - wide_gap) / (widest_gap - wide_gap), 0.0, 1.0);
    const double way_s = flat_length(way) / pace * (1 + slower_over_wide * wide);
    swing.swing_s = std::max(hand_s, std::min(way_s, natural_s));
    const Vector3 along = holds[caught] - holds[pivot];
    const double yaw = flat_length(along) > 1e-9 ? math::atan2(along.x, along.z) : last.yaw_rad;
    const Vector3 to_left =
        (holds[left] - holds[pivot]) * (hand == 0 ? 1 : -1);  // from its right hand's hold
    swing.yaw_rad = last.yaw_rad + turn_below(last.yaw_rad, yaw, to_left);
    swings_[swing_count_ % swing_size] = swing;
    ++swing_count_;
}

void HandPath::extend(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                      double speed, std::int64_t tick) noexcept {
    const double time_s = static_cast<double>(tick) * tick_s;
    const double pace = std::abs(speed);
    if (pace > standing_speed) {
        // Where the wanted speed allows more time than the swing, it hangs by both hands.
        const HandSwing& last = newest();
        const double way_m = flat_length(last.to - last.from);
        const bool went_on = last.caught > last.pivot;
        const double turn_s = last.swing_s > 0 && went_on != (speed > 0) ? turns_in * pace : 0;
        const double until_s = last.from_s + std::max(last.swing_s, way_m / pace) + turn_s;
        if (time_s >= until_s)
            plan_swing(settings, holds, speed, std::max(until_s, time_s - tick_s));
    }
    const HandSwing& swing = newest();
    const Swung now = swung(swing, holds[swing.pivot], time_s);
    const bool swings = time_s < swing.from_s + swing.swing_s;
    BodyPoint& point = raw(tick);
    point.place = now.place - Vector3{0, settings.shoulder_height_m, 0};
    point.ahead = now.ahead;
    // At a change-over it hangs from both holds, in mid-swing from one.
    const double u = swings ? (time_s - swing.from_s) / swing.swing_s : 1;
    const Vector3 other = holds[u < 0.5 ? swing.left : swing.caught] - holds[swing.pivot];
    point.hold = holds[swing.pivot] + other * (0.5 * (2 * u - 1) * (2 * u - 1));
    point.yaw_rad = swing.yaw_rad;
    point.twist = swing.swing_s > 0 ? (swing.hand == 0 ? -1.0 : 1.0) : 0.0;
}

double HandPath::lift_for(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                          const BodyPoint& point, double time_s) const noexcept {
    const Quaternion turn = hanging_turn(settings, point);
    const double reach = planned_stretch * settings.arm_length_m;
    double lift = 0;
    for (const std::uint32_t hand : {0U, 1U}) {
        const HandAt at = hand_at(time_s, hand);
        if (!at.holds) continue;
        const double side = hand == 0 ? 0.5 : -0.5;
        const Vector3 shoulder = point.place + rotated(turn, {side * settings.shoulder_width_m,
                                                              settings.shoulder_height_m, 0});
        const Vector3 arm = holds[at.hold] - shoulder;
        const double out = flat_length(arm);
        const double up = math::sqrt(std::max(0.0, reach * reach - out * out));
        lift = std::max(lift, arm.y - up);
    }
    return lift;
}

void HandPath::smooth(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                      std::int64_t tick) noexcept {
    BodyPoint sum;
    double weights = 0;
    for (std::int64_t k = -kernel_reach; k <= kernel_reach; ++k) {
        const double weight = path_kernel[static_cast<std::size_t>(k + kernel_reach)];
        const BodyPoint& point = raw(tick + k);
        sum.place = sum.place + point.place * weight;
        sum.hold = sum.hold + point.hold * weight;
        sum.yaw_rad += weight * point.yaw_rad;
        sum.twist += weight * point.twist;
        sum.ahead += weight * point.ahead;
        weights += weight;
    }
    BodyPoint& point = smoothed(tick);
    point.place = sum.place * (1 / weights);
    point.hold = sum.hold * (1 / weights);
    point.yaw_rad = sum.yaw_rad / weights;
    point.twist = sum.twist / weights;
    point.ahead = sum.ahead / weights;
    point.lift_m = lift_for(settings, holds, point, static_cast<double>(tick) * tick_s);
    double most = 0;
    for (std::int64_t k = 0; k <= 2 * lift_reach; ++k)
        most = std::max(most, smoothed(tick - k).lift_m);
    raised_[static_cast<std::size_t>((tick - lift_reach) & (smooth_size - 1))] = most;
}

void HandPath::advance(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                       double speed) noexcept {
    ++ticks_;
    const std::int64_t front = static_cast<std::int64_t>(ticks_) + 1 + 2 * lift_reach;
    extend(settings, holds,
           std::clamp(speed, -settings.most_speed_m_per_s, settings.most_speed_m_per_s),
           front + kernel_reach);
    smooth(settings, holds, front);
    lift(static_cast<std::int64_t>(ticks_) + 1);
}

/// Raises a tick by what the arms need near it; its smoothness is kept.
void HandPath::lift(std::int64_t tick) noexcept {
    double lift = 0;
    double weights = 0;
    for (std::int64_t k = -lift_reach; k <= lift_reach; ++k) {
        const double weight = lift_kernel[static_cast<std::size_t>(k + lift_reach)];
        lift += weight * raised_[static_cast<std::size_t>((tick + k) & (smooth_size - 1))];
        weights += weight;
    }
    smoothed(tick).place.y += lift / weights;
}

}  // namespace hopcoil::detail
