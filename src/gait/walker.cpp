#include <algorithm>
#include <cmath>
#include <initializer_list>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/gait/leg_ik.hpp>
#include <hopcoil/gait/walker.hpp>

#include "walker_tick.hpp"

namespace hopcoil {
namespace {

constexpr double longest_frame_s = 10;

bool is_usable(const WalkCommand& command) noexcept {
    constexpr double largest = 1e6;
    return std::abs(command.ahead) < largest && std::abs(command.left) < largest &&
           std::abs(command.turn_rate) < largest;
}

bool is_place(const Vector3& place) noexcept {
    constexpr double largest = 1e9;
    return std::abs(place.x) < largest && std::abs(place.y) < largest &&
           std::abs(place.z) < largest;
}

Quaternion rotation_of(const detail::WalkerPose& pose) noexcept {
    const Quaternion heading = turned_by({0, pose.yaw, 0});
    const Vector3 slope{-math::atan2(pose.slope_z, 1), 0, math::atan2(pose.slope_x, 1)};
    const Vector3 lean{pose.lean.z, 0, -pose.lean.x};
    return heading * turned_by(slope) * turned_by(lean);
}

}  // namespace

WalkerSole rolled_sole(const WalkerFoot& foot, double behind_m, double ahead_m) noexcept {
    const Vector3 level = foot.forward - foot.normal * dot(foot.forward, foot.normal);
    const double length = length_of(level);
    const Vector3 flat = length > 1e-6 ? level * (1 / length) : foot.forward;
    const Vector3 heel = foot.position - flat * behind_m;
    const Vector3 toe = foot.position + flat * ahead_m;
    if (foot.pitch_rad == 0) return {heel, toe, flat, foot.normal};
    const math::SinCos pitch = math::sincos(foot.pitch_rad);
    const Vector3 forward = flat * pitch.cos - foot.normal * pitch.sin;
    const Vector3 normal = foot.normal * pitch.cos + flat * pitch.sin;
    const Vector3 along = forward * (behind_m + ahead_m);
    if (foot.pitch_rad > 0) return {toe - along, toe, forward, normal};
    return {heel, heel + along, forward, normal};
}

Walker::Walker(const WalkerSettings& settings, const Ground& ground, const Vector3& place,
               double yaw_rad)
    : settings_{settings} {
    require_valid(settings);
    limits_ = limits_of(settings);
    channels_ = {{{"position", ChannelKind::vector, 3, "m"},
                  {"rotation", ChannelKind::rotation, 4, ""},
                  {"feet", ChannelKind::vector, 3, "m", settings.leg_count},
                  {"planted", ChannelKind::flag, 1, "", settings.leg_count}}};
    require_finite("place.x", place.x);
    require_finite("place.y", place.y);
    require_finite("place.z", place.z);
    require_finite("yaw_rad", yaw_rad);
    reset(ground, place, yaw_rad);
}

StepStatus Walker::reset(const Ground& ground, const Vector3& place, double yaw_rad) noexcept {
    if (!is_place(place) || !(std::abs(yaw_rad) < 1e9)) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    const double l = settings_.leg_length_m;
    const GroundPoint under = ground.under(place.x, place.z, place.y + 2 * l, 0);
    mean_ground_ = under.exists ? under.height : place.y;
    pose_ = {.place = {place.x, mean_ground_ + settings_.upright_height * l, place.z},
             .yaw = yaw_rad};
    velocity_ = carried_ = {};
    turn_rate_ = height_rate_ = rock_ = time_left_s_ = rested_s_ = 0;
    last_group_ = no_group;
    hop_ = {};
    WalkerTick{*this, {}, ground, 0}.stand();
    for (const WalkerFoot& foot : feet()) {
        const Vector3 moves = ground.velocity_at(foot.position, foot.part, 0);
        carried_ = carried_ +
                   Vector3{moves.x, 0, moves.z} * (1 / static_cast<double>(settings_.leg_count));
    }
    note_tick(pose_);
    moved_.place = carried_ * tick_s;
    show(ground);
    return StepStatus::stepped;
}

/// The body's motion in a tick, and where the feet are at its end. The next tick moves the body by
/// as much as its ground has moved them since.
void Walker::note_tick(const detail::WalkerPose& before) noexcept {
    moved_ = pose_.plus(before, -1);
    for (std::size_t i = 0; i < settings_.leg_count; ++i)
        state_[i].at_tick = feet_[i].position;
}

/// Extrapolates from the last tick to now: frames come between ticks, and a body shown only at
/// ticks judders. Planted feet move with their ground, swings along their path, and the body as it
/// moved in that tick.
void Walker::show(const Ground& ground) noexcept {
    constexpr double hardly = 1e-6;
    const double part = time_left_s_ / tick_s;
    const double since_s = part < hardly ? 0 : time_left_s_;
    shown_ = since_s == 0 ? pose_ : pose_.plus(moved_, part);
    for (std::size_t i = 0; i < settings_.leg_count; ++i) {
        WalkerFoot& foot = feet_[i];
        if (!foot.planted) continue;
        foot.position =
            foot.part == 0 ? state_[i].at_tick : ground.frame(foot.part, 0).to_world(foot.on_part);
        if (since_s == 0) continue;
        if (foot.reason == StepReason::slides) foot.position = foot.position + velocity_ * since_s;
        shown_.place.y = std::min(shown_.place.y, highest_over(shown_, i, foot.position));
    }
    const double tick_at_s = static_cast<double>(ticks_) * tick_s;
    for (std::size_t i = 0; i < settings_.leg_count; ++i) {
        if (feet_[i].planted || since_s == 0) continue;
        const double flown_s = tick_at_s - state_[i].lift_s;
        const double phase = flown_s > 0 ? feet_[i].phase * (1 + since_s / flown_s) : 0;
        feet_[i].position = in_swing(i, tick_at_s + since_s, ground, 0);
        pull_along(i, hip(i), phase);
    }
}

/// Where a foot in the air is at a time.
Vector3 Walker::in_swing(std::size_t leg, double time_s, const Ground& ground,
                         double ahead_s) const noexcept {
    const detail::FootState& own = state_[leg];
    const Vector3 local = own.swing.at(time_s).position;
    return own.swing_part == 0 ? local : ground.frame(own.swing_part, ahead_s).to_world(local);
}

namespace {

/// A length within a leg's, approached with an even deceleration: from `soft_m` before it on.
double evenly_within(double leg_m, double soft_m, double length_m) noexcept {
    const double beyond = length_m - (leg_m - soft_m);
    if (beyond <= 0) return length_m;
    if (beyond >= 2 * soft_m) return leg_m;
    return length_m - beyond * beyond / (4 * soft_m);
}

}  // namespace

/// A place further from the hip than the leg is long, pulled toward it. In mid-swing the leg
/// stretches softly; at both ends the foot is where it stood, and where it will stand.
Vector3 Walker::within_leg(const Vector3& place, const Vector3& hip, double phase) const noexcept {
    const Vector3 way = place - hip;
    const double length = length_of(way);
    const double l = settings_.leg_length_m;
    constexpr double stretched = 0.9995;
    constexpr double softly = 0.06;
    if (length <= (stretched - softly) * l) return place;
    const auto smooth = [](double u) {
        const double s = std::clamp(4 * u, 0.0, 1.0);
        return s * s * (3 - 2 * s);
    };
    // A step keeps some of it until just before the landing: a foot that comes down fast may still
    // meet the end of its leg there.
    const double before = std::clamp(6 * (1 - phase), 0.0, 1.0);
    const bool steps = hop_.phase <= HopPhase::waits;
    const double share = std::min(smooth(phase), steps ? before * (2 - before) : smooth(1 - phase));
    const double soft = softly * l * share;
    const double most = evenly_within(stretched * l, soft, length);
    return most < length ? hip + way * (most / length) : place;
}

void Walker::pull_along(std::size_t leg, const Vector3& hip, double phase) noexcept {
    feet_[leg].position = within_leg(feet_[leg].position, hip, phase);
}

StepStatus Walker::step(const Inputs& inputs, double dt) noexcept {
    static const FlatGround flat;
    return step(inputs.command, inputs.ground == nullptr ? flat : *inputs.ground, dt);
}

StepStatus Walker::step(const WalkCommand& command, const Ground& ground, double dt) noexcept {
    if (!is_usable(command) || !(dt >= 0)) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    const bool cut = dt > longest_frame_s;
    time_left_s_ += cut ? longest_frame_s : dt;
    const auto ticks = static_cast<std::int64_t>(std::floor(time_left_s_ / tick_s + 1e-6));
    time_left_s_ = std::max(0.0, time_left_s_ - static_cast<double>(ticks) * tick_s);
    for (std::size_t i = 0; ticks > 0 && i < settings_.leg_count; ++i)
        feet_[i].position = state_[i].at_tick;
    for (std::int64_t i = ticks - 1; i >= 0; --i) {
        ++ticks_;
        const double ahead_s = -(time_left_s_ + static_cast<double>(i) * tick_s);
        const detail::WalkerPose before = pose_;
        WalkerTick{*this, command, ground, ahead_s}.run();
        note_tick(before);
    }
    show(ground);
    return cut ? StepStatus::guarded : StepStatus::stepped;
}

StepStatus Walker::push(const Vector3& delta_velocity) noexcept {
    constexpr double fastest = 1e3;
    const Vector3 pushed = velocity_ + Vector3{delta_velocity.x, 0, delta_velocity.z};
    if (!(length_of(pushed) < fastest)) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    velocity_ = pushed;
    return StepStatus::stepped;
}

StepStatus Walker::hop(const HopWish& wish, const Ground& ground) noexcept {
    const double l = settings_.leg_length_m;
    constexpr double furthest = 20;  // legs
    const Vector3 there = wish.keeps_on ? pose_.place - Vector3{0, l, 0} : wish.place;
    const bool usable = is_place(there) && wish.apex_m >= 0 && wish.apex_m < furthest * l &&
                        length_of(there - pose_.place) < furthest * l;
    if (usable && hop_.phase == HopPhase::none) {
        const GroundPoint at = ground.under(there.x, there.z, there.y + 1.5 * l, 0);
        if (at.exists && (at.can_stand || wish.keeps_on)) {
            const Vector3 spot{there.x, at.height, there.z};
            hop_ = {.phase = HopPhase::waits, .wish = wish, .part = at.part};
            hop_.on_part = at.part == 0 ? spot : ground.frame(at.part, 0).to_local(spot);
            hop_.wish.place = spot;
            return StepStatus::stepped;
        }
    }
    ++rejected_inputs_;
    return StepStatus::rejected;
}

Vector3 Walker::attention() const noexcept {
    if (hop_.phase != HopPhase::none) return hop_.wish.place;
    const Vector3 ahead = Heading{shown_.yaw}.to_world({0, 0, 2 * settings_.leg_length_m});
    constexpr double soon_s = 0.5;
    const Vector3 spot = shown_.place + ahead + velocity_ * soon_s;
    return {spot.x, mean_ground_, spot.z};
}

WalkCommand Walker::toward(const Vector3& place, double yaw_rad, const Vector3& velocity,
                           double within_s) const noexcept {
    const Heading heading{shown_.yaw};
    Vector3 way = place - shown_.place;
    way.y = 0;
    // Never faster than it can still stop in time.
    const double distance = length_of(way);
    const double rate =
        distance > 0
            ? std::min(1 / within_s, math::sqrt(settings_.most_acceleration_m_per_s2 / distance))
            : 0;
    constexpr double near_m = 0.004;
    const Vector3 over_ground = velocity - carried_;
    const bool is_there = distance < near_m && length_of(over_ground) < 1e-3;
    const Vector3 wanted = is_there ? Vector3{} : over_ground + way * rate;
    constexpr double part = 0.95;  // of what its legs can do: turning needs some of it
    constexpr double fastest_turn = 3;
    const Vector3 body = heading.to_body(wanted);
    const double turn = std::remainder(yaw_rad - shown_.yaw, 2 * math::pi);
    const double x = body.x / limits_.most_speed_sideways;
    const double z = body.z / limits_.most_speed_ahead;
    // A body that faces elsewhere turns first.
    const double most = part * std::clamp(1.7 - std::abs(turn), 0.2, 1.0);
    const double slower = std::min(1.0, most / std::max(math::sqrt(x * x + z * z), 1e-9));
    const double turn_rate =
        std::abs(turn) < 0.01 ? 0 : std::clamp(turn / within_s, -fastest_turn, fastest_turn);
    return {body.z * slower, body.x * slower, turn_rate};
}

bool Walker::try_retune(const WalkerSettings& settings) noexcept {
    if (settings.leg_count != settings_.leg_count || !is_valid(settings)) {
        ++rejected_inputs_;
        return false;
    }
    settings_ = settings;
    limits_ = limits_of(settings);
    return true;
}

Vector3 Walker::position() const noexcept {
    return shown_.place + Heading{shown_.yaw}.to_world({shown_.sway, shown_.bob, 0});
}

Quaternion Walker::rotation() const noexcept {
    return rotation_of(shown_);
}

Vector3 Walker::velocity() const noexcept {
    const Vector3 swayed = Heading{pose_.yaw}.to_world({moved_.sway, moved_.bob, 0});
    const Vector3 rise{0, moved_.place.y, 0};
    return Vector3{carried_.x + velocity_.x, 0, carried_.z + velocity_.z} +
           (rise + swayed) * (1 / tick_s);
}

Vector3 Walker::angular_velocity() const noexcept {
    const Quaternion before = rotation_of(pose_.plus(moved_, -1));
    return rotation_vector(rotation_of(pose_) * conjugate(before)) * (1 / tick_s);
}

Vector3 Walker::hip(std::size_t leg) const noexcept {
    return hip_of(shown_, leg);
}

Vector3 Walker::hip_of(const detail::WalkerPose& pose, std::size_t leg) const noexcept {
    const Vector3& hip = settings_.legs[leg].hip;
    const Heading heading{pose.yaw};
    const double rise = pose.slope_x * hip.x + pose.slope_z * hip.z;
    return pose.place + heading.to_world({pose.sway, pose.bob, 0}) +
           heading.to_world({hip.x, rise, hip.z});
}

/// The highest place of the body with a foot there.
double Walker::highest_over(const detail::WalkerPose& pose, std::size_t leg,
                            const Vector3& foot) const noexcept {
    const Vector3 way = hip_of(pose, leg) - foot;
    const double l = settings_.leg_length_m;
    constexpr double stretched = 0.9995;
    const double away = way.x * way.x + way.z * way.z;
    return pose.place.y - way.y + math::sqrt(std::max(0.01 * l * l, stretched * l * l - away));
}

Vector3 Walker::knee(std::size_t leg) const noexcept {
    const Heading heading{shown_.yaw};
    const double l = settings_.leg_length_m;
    const Vector3 pole = heading.to_world(settings_.legs[leg].pole);
    return bend_two_bones(hip(leg), feet_[leg].position, pole, settings_.thigh_part * l,
                          (1 - settings_.thigh_part) * l)
        .knee;
}

WalkerSole Walker::sole(std::size_t leg) const noexcept {
    const WalkerFoot& foot = feet_[leg];
    const double r = settings_.foot_radius_m;
    return rolled_sole(foot, WalkerSole::heel_part * r, WalkerSole::toe_part * r);
}

void Walker::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    const auto put = [&](std::initializer_list<double> more) {
        for (const double number : more) {
            if (at < numbers.size()) numbers[at++] = number;
        }
    };
    const Vector3 place = position();
    const Quaternion turn = rotation();
    put({place.x, place.y, place.z, turn.w, turn.x, turn.y, turn.z});
    for (const WalkerFoot& foot : feet())
        put({foot.position.x, foot.position.y, foot.position.z});
    for (const WalkerFoot& foot : feet())
        put({foot.planted ? 1.0 : 0.0});
}

std::span<const Dial<Walker>> Walker::dials() noexcept {
    return dials_through<Walker, WalkerSettings, ReadSettings>();
}

bool Walker::still() const noexcept {
    if (hop_.phase != HopPhase::none) return false;
    if (!(velocity_ == Vector3{}) || turn_rate_ != 0) return false;
    return std::all_of(feet_.begin(),
                       feet_.begin() + static_cast<std::ptrdiff_t>(settings_.leg_count),
                       [](const WalkerFoot& foot) { return foot.planted; });
}

}  // namespace hopcoil
