// Legs between hips and feet, and the remaining difference from an earlier pose.

#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/leg_ik.hpp>

#include "balance_tick.hpp"

namespace hopcoil {

using parts::index_of;

namespace {

/// How quickly the difference from another pose decays.
constexpr double settles_per_s = 12;

/// A vector, by the shortest rotation from one direction to another.
Vector3 turned_along(const Vector3& from, const Vector3& to, const Vector3& v) noexcept {
    const Vector3 sum = from + to;
    const double half = 1 + dot(from, to);
    if (half < 1e-9) return v;
    return v - sum * (dot(sum, v) / half) + to * (2 * dot(from, v));
}

/// Turns a direction about an axis for a tick, toward where another one lies about that axis:
/// critically damped. `rate` is its angular velocity, `quick` the natural frequency in rad/s.
void turn_softly(Vector3& direction, double& rate, const Vector3& to, const Vector3& axis,
                 double quick) noexcept {
    constexpr double aligned_rad = 1e-4;
    const auto across = [&](const Vector3& way, const Vector3& otherwise) {
        return unit(way - axis * dot(way, axis), otherwise);
    };
    const Vector3 wanted = across(to, direction);
    const Vector3 now = across(direction, wanted);
    const double left = math::atan2(dot(cross(now, wanted), axis), dot(now, wanted));
    rate = rate * (1 - 2 * quick * Balance::tick_s) + quick * quick * left * Balance::tick_s;
    const bool is_there = std::abs(left) < aligned_rad && std::abs(rate) < quick * aligned_rad;
    if (is_there) rate = 0;
    direction = is_there ? wanted : rotated(turned_by(axis * (rate * Balance::tick_s)), now);
}

}  // namespace

void BalanceTick::keep_where_it_is(std::uint32_t part, const Placement& to) noexcept {
    const Placement& now = b_.parts_.placements()[part];
    b_.settling_[part] = {.way = now.position - to.position,
                          .turn = rotation_vector(now.rotation * conjugate(to.rotation))};
}

void BalanceTick::settle(double dt) noexcept {
    const double e = math::exp(-settles_per_s * dt);
    const auto step = [&](V& value, V& speed) {
        const V sum = speed + value * settles_per_s;
        value = (value + sum * dt) * e;
        speed = (speed - sum * (settles_per_s * dt)) * e;
        constexpr double gone = 1e-5;
        if (dot(value, value) < gone * gone && dot(speed, speed) < gone * gone) value = speed = {};
    };
    for (Balance::Settling& each : b_.settling_) {
        step(each.way, each.way_rate);
        step(each.turn, each.turn_rate);
    }
}

Placement BalanceTick::settled(std::uint32_t part, const Placement& to) const noexcept {
    const Balance::Settling& left = b_.settling_[part];
    if (left.way == V{} && left.turn == V{}) return to;
    return {to.position + left.way, normalized(turned_by(left.turn) * to.rotation)};
}

/// How far a foot should be rolled as it walks ahead: above 0 its heel is up, below 0 its toes are.
/// It leaves on its toes and lands on its heel.
double BalanceTick::wanted_roll(std::size_t side) const noexcept {
    constexpr double at_speed = 1.3;
    constexpr double heel_up_rad = 0.5;
    constexpr double toes_up_rad = 0.25;
    constexpr double flat_after_s = 0.1;
    // While it gets up its feet are flat, wherever it is told to go.
    if (b_.state_ != BalanceState::stands) return 0;
    const BalanceFoot& foot = b_.feet_[side];
    const double ahead = dot(b_.wanted_velocity_, rotated(foot.rotation, {0, 0, 1}));
    const double part = std::clamp(ahead / at_speed, 0.0, 1.0);
    if (part == 0) return 0;
    const double leaving = heel_up_rad * part;
    const double landing = toes_up_rad * part;
    if (!foot.planted) {
        return leaving * (1 - smooth(foot.phase / 0.6)) -
               landing * smooth((foot.phase - 0.6) / 0.35);
    }
    if (side == b_.last_step_) return -landing * (1 - smooth(b_.landed_s_ / flat_after_s));
    return leaving * smooth(b_.landed_s_ / (both_down * set_.walk_step_s));
}

/// Follows the wanted roll, critically damped: a step that comes early does not snap the sole.
void BalanceTick::roll_soles() noexcept {
    constexpr double quick = 40;  // rad/s
    constexpr double flat_rad = 1e-4;
    for (const std::size_t side : {0U, 1U}) {
        Balance::Step& own = b_.steps_[side];
        const double wanted = wanted_roll(side);
        // Only sums: for a sum beside a difference g++ 12 uses fused operations, which give other
        // bits.
        const double pulled = quick * quick * (wanted - own.roll_rad) * Balance::tick_s;
        own.roll_rate = own.roll_rate * (1 - 2 * quick * Balance::tick_s) + pulled;
        own.roll_rad = own.roll_rad + own.roll_rate * Balance::tick_s;
        // Where a leg is too short its heel rises at once; it sinks as softly as usual.
        const Placement& pelvis = b_.parts_.placements()[index_of(BodyPart::pelvis)];
        const double least = b_.feet_[side].planted
                                 ? roll_under(side, parts::to_world(pelvis, at_.hip_of(side)))
                                 : own.roll_rad;
        if (least > own.roll_rad) {
            own.roll_rad = least;
            own.roll_rate = std::max(own.roll_rate, 0.0);
        }
        const bool rests = wanted == 0 && std::abs(own.roll_rad) < flat_rad &&
                           std::abs(own.roll_rate) < quick * flat_rad;
        if (rests) own.roll_rad = own.roll_rate = 0;
    }
}

/// About its toes or its heel, which stay where they are.
Placement BalanceTick::rolled_sole(std::size_t side, double roll_rad) const noexcept {
    const BalanceFoot& foot = b_.feet_[side];
    if (roll_rad == 0) return {foot.position, foot.rotation};
    const V edge{0, 0, (roll_rad > 0 ? 0.5 : -0.5) * set_.build.foot_length_m};
    const Quaternion turn = foot.rotation * turned_by({roll_rad, 0, 0});
    return {foot.position + rotated(foot.rotation, edge) - rotated(turn, edge), turn};
}

/// The roll on its toes that brings the ankle nearest to the hip.
double BalanceTick::nearest_roll(std::size_t side, const V& hip) const noexcept {
    const BalanceFoot& foot = b_.feet_[side];
    const V toes{0, 0, 0.5 * set_.build.foot_length_m};
    const V from = at_.ankle - toes;
    const V to = rotated(conjugate(foot.rotation), hip - foot.position) - toes;
    constexpr double most_rad = 0.9;
    return std::clamp(math::atan2(to.z, to.y) - math::atan2(from.z, from.y), 0.0, most_rad);
}

double BalanceTick::leg_to(const Placement& sole, const V& hip) const noexcept {
    return length_of(parts::to_world(sole, at_.ankle) - hip);
}

/// The roll of a foot that stands: where its leg is too short it is on its toes, as far as that
/// takes. Its heel begins to rise before the knee is straight.
double BalanceTick::roll_under(std::size_t side, const V& hip) const noexcept {
    const double roll_rad = b_.steps_[side].roll_rad;
    constexpr double softly = 0.03;
    const double length = leg_to(rolled_sole(side, roll_rad), hip);
    const double wanted = softly_within(longest_leg_m(), softly * longest_leg_m(), length);
    if (wanted >= length) return roll_rad;
    constexpr int rounds = 20;
    double least = std::max(roll_rad, 0.0);
    // Close to the best roll a little more reach takes a large turn: the sole would snap.
    constexpr double part = 0.7;
    double most = std::max(roll_rad + part * (nearest_roll(side, hip) - roll_rad), least);
    for (int i = 0; i < rounds; ++i) {
        const double middle = 0.5 * (least + most);
        (leg_to(rolled_sole(side, middle), hip) > wanted ? least : most) = middle;
    }
    return most;
}

/// Its planted pose. In the air a foot whose leg is too short is pulled along by it; before it
/// lands it points its toes down instead, as it will stand on them.
Placement BalanceTick::sole_under(std::size_t side, const V& hip) const noexcept {
    const BalanceFoot& foot = b_.feet_[side];
    const double roll_rad = b_.steps_[side].roll_rad;
    const double share = foot.planted ? 1 : smooth((foot.phase - 0.5) / 0.4);
    const double rolled_rad = roll_rad + (roll_under(side, hip) - roll_rad) * share;
    Placement sole = rolled_sole(side, rolled_rad);
    if (foot.planted) return sole;
    const V way = hip - parts::to_world(sole, at_.ankle);
    const double length = length_of(way);
    constexpr double softly = 0.03;
    const double soft_m = softly * longest_leg_m() * smooth(4 * foot.phase);
    const double most = softly_within(longest_leg_m(), soft_m, length);
    if (most < length) sole.position = sole.position + way * (1 - most / length);
    return sole;
}

bool BalanceTick::is_out_of_reach(std::size_t side) const noexcept {
    constexpr double hardly_m = 1e-3;
    const V hip = hip_of(side);
    const Placement sole = rolled_sole(side, roll_under(side, hip));
    return leg_to(sole, hip) > longest_leg_m() + hardly_m;
}

/// How far a foot moves aside while the body gets up, to pass its hip at a distance.
Vector3 BalanceTick::past_hip(std::size_t side, const V& hip) const noexcept {
    const BalanceFoot& foot = b_.feet_[side];
    if (b_.state_ != BalanceState::rises || foot.planted) return {};
    const double leg_m = at_.thigh_m + at_.shin_m;
    constexpr double near = 0.6;
    constexpr double beside = 0.42;
    const V way = foot.position - hip;
    const double share = length_of(way) / (near * leg_m);
    const double part = std::max(0.0, 1 - share * share);
    const double swings = 4 * foot.phase * (1 - foot.phase);
    const V aside = unit(b_.steps_[side].aside, {0, 1, 0});
    const double missing_m = std::max(0.0, beside * leg_m - dot(way, aside));
    const double softly_m = missing_m * missing_m / (missing_m + 0.06 * leg_m);
    return aside * (softly_m * part * part * swings * swings);
}

/// The side on which a foot passes its hip: outward of the body, and not below the ground.
void BalanceTick::choose_side(std::size_t side, const Placement& pelvis) noexcept {
    if (b_.state_ != BalanceState::rises || b_.feet_[side].planted) return;
    Balance::Step& own = b_.steps_[side];
    const V outward = rotated(pelvis.rotation, {side == 0 ? 1.0 : -1.0, 0, 0});
    const V way = unit(own.way, {});
    const V up{outward.x, std::max(outward.y, 0.2), outward.z};
    constexpr double quick = 12;  // rad/s
    turn_softly(own.aside, own.aside_rate, up, way, quick);
}

/// Where the knee is to point. Upright it goes ahead of the body and with its toes, lying it goes
/// up; in between it goes outward, past where the leg itself points.
Vector3 BalanceTick::wanted_knee(std::size_t side, const Placement& pelvis) const noexcept {
    const V outward = rotated(pelvis.rotation, {side == 0 ? 1.0 : -1.0, 0, 0});
    const V toe = rotated(b_.feet_[side].rotation, {0, 0, 1});
    const V ahead = rotated(pelvis.rotation, {0, 0, 1});
    const double upright = std::clamp(rotated(pelvis.rotation, {0, 1, 0}).y, 0.0, 1.0);
    return (toe + ahead) * (0.5 * upright) + V{0, 1, 0} * (1 - upright) +
           rotated(turned_by({0, b_.yaw_, 0}), {0, 0, 1}) * (0.3 * (1 - upright)) +
           outward * (3 * upright * (1 - upright));
}

/// Starts from where the knee of the limp leg points, unless that leg is straight.
void BalanceTick::keep_knee(std::size_t side) noexcept {
    const auto all = b_.parts_.placements();
    const Placement& thigh = all[parts::thigh_of(side)];
    const V half = rotated(thigh.rotation, {0, 0.5 * at_.thigh_m, 0});
    const V hip = thigh.position + half;
    const V ankle = parts::to_world(all[parts::foot_of(side)], at_.ankle);
    const V bend = thigh.position - half - (hip + ankle) * 0.5;
    constexpr double straight_m = 0.03;
    Balance::Step& own = b_.steps_[side];
    own.knee = dot(bend, bend) > straight_m * straight_m ? unit(bend, {}) : V{};
    own.leg = {};
    own.knee_rate = 0;
}

/// A knee is carried along as its leg swings, and turns about the leg smoothly to where it should
/// point.
void BalanceTick::turn_knees() noexcept {
    const double quick = b_.state_ == BalanceState::rises ? 12 : 30;  // rad/s
    const Placement& pelvis = b_.parts_.placements()[index_of(BodyPart::pelvis)];
    for (const std::size_t side : {0U, 1U}) {
        Balance::Step& own = b_.steps_[side];
        const V hip = parts::to_world(pelvis, at_.hip_of(side));
        choose_side(side, pelvis);
        const V axis = unit(parts::to_world(sole_of(side, pelvis), at_.ankle) - hip, {});
        if (own.leg != V{}) own.knee = turned_along(own.leg, axis, own.knee);
        own.leg = axis;
        turn_softly(own.knee, own.knee_rate, wanted_knee(side, pelvis), axis, quick);
    }
}

/// The place of a leg's sole: a foot in the air may pass beside its hip.
Placement BalanceTick::sole_of(std::size_t side, const Placement& pelvis) const noexcept {
    const V hip = parts::to_world(pelvis, at_.hip_of(side));
    Placement sole = sole_under(side, hip);
    sole.position = sole.position + past_hip(side, hip);
    return sole;
}

BalanceTick::Leg BalanceTick::bend_leg(std::size_t side, const Placement& pelvis) const noexcept {
    const V hip = parts::to_world(pelvis, at_.hip_of(side));
    const Placement sole = sole_of(side, pelvis);
    const V ankle = parts::to_world(sole, at_.ankle);
    const V& knee = b_.steps_[side].knee;
    const V bends_to = knee == V{} ? wanted_knee(side, pelvis) : knee;
    const TwoBonePose pose = bend_two_bones(hip, ankle, bends_to, at_.thigh_m, at_.shin_m);
    return {hip, pose.knee, pose.ankle, bends_to, sole};
}

void BalanceTick::place_leg(std::size_t side, const Placement& pelvis,
                            std::span<Placement> all) const noexcept {
    const Leg leg = bend_leg(side, pelvis);
    const V whole = leg.ankle - leg.hip;
    // From the direction of the knee, which is there on a straight leg as well.
    const V hinge = unit(cross(leg.bends_to, whole), rotated(pelvis.rotation, {1, 0, 0}));
    const auto turn_of = [&](const V& from, const V& to) {
        const V up = unit(from - to, {0, 1, 0});
        return from_axes(hinge, up, cross(hinge, up));
    };
    const std::uint32_t thigh = parts::thigh_of(side);
    const std::uint32_t shin = parts::shin_of(side);
    const std::uint32_t foot = parts::foot_of(side);
    const auto turned = [&](std::uint32_t part, const Quaternion& to) {
        return settled(part, {{}, to}).rotation;
    };
    const V up{0, 1, 0};
    all[thigh].rotation = turned(thigh, turn_of(leg.hip, leg.knee));
    all[thigh].position = leg.hip - rotated(all[thigh].rotation, up) * (0.5 * at_.thigh_m);
    const V knee = leg.hip - rotated(all[thigh].rotation, up) * at_.thigh_m;
    all[shin].rotation = turned(shin, turn_of(leg.knee, leg.ankle));
    all[shin].position = knee - rotated(all[shin].rotation, up) * (0.5 * at_.shin_m);
    const V ankle = knee - rotated(all[shin].rotation, up) * at_.shin_m;
    all[foot].rotation = turned(foot, leg.sole.rotation);

    const bool is_there = b_.settling_[thigh].turn == V{} && b_.settling_[shin].turn == V{} &&
                          b_.settling_[foot].turn == V{};
    all[foot].position =
        is_there ? leg.sole.position : ankle - rotated(all[foot].rotation, at_.ankle);
}

/// To the place and rotation that hips and feet give them at the end of the tick.
void BalanceTick::drive_legs(double ahead_s) noexcept {
    const std::uint32_t pelvis = index_of(BodyPart::pelvis);
    const PartMotion& motion = b_.parts_.motions()[pelvis];
    const Placement& now = b_.parts_.placements()[pelvis];
    const Placement then{now.position + motion.velocity * ahead_s,
                         normalized(turned_by(motion.angular_velocity * ahead_s) * now.rotation)};
    std::array<Placement, 16> all{};
    place_leg(0, then, all);
    place_leg(1, then, all);
    for (std::size_t i = 0; i < b_.parts_.driven().size(); ++i) {
        const std::uint32_t part = b_.parts_.driven()[i];
        if (parts::is_of_legs(part)) b_.driven_[i] = all[part];
    }
}

}  // namespace hopcoil
