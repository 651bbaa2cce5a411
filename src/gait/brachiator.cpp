#include <algorithm>
#include <cmath>
#include <initializer_list>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/brachiator.hpp>
#include <hopcoil/gait/leg_ik.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace {

constexpr std::array<Dial<BrachiatorSettings>, BrachiatorSettings::dial_count> brachiator_dials{
    field_dial<&BrachiatorSettings::most_speed_m_per_s, BrachiatorSettings>(
        {.path = "most_speed_m_per_s", .unit = "m/s", .hard = {0.1, 3}, .slider = {0.5, 2.5}}),
    field_dial<&BrachiatorSettings::lean, BrachiatorSettings>(
        {.path = "lean", .unit = "", .hard = {0, 1}, .slider = {0, 1}}),
    field_dial<&BrachiatorSettings::twist_rad, BrachiatorSettings>(
        {.path = "twist_rad", .unit = "rad", .hard = {0, 1.2}, .slider = {0, 1}}),
    field_dial<&BrachiatorSettings::fold, BrachiatorSettings>(
        {.path = "fold", .unit = "", .hard = {0, 1.5}, .slider = {0, 1.5}}),
    field_dial<&BrachiatorSettings::push_decay_hz, BrachiatorSettings>(
        {.path = "push_decay_hz", .unit = "Hz", .hard = {0.2, 10}, .slider = {0.5, 4}}),
    field_dial<&BrachiatorSettings::most_leap_speed_m_per_s, BrachiatorSettings>(
        {.path = "most_leap_speed_m_per_s", .unit = "m/s", .hard = {0.5, 8}, .slider = {2, 6}})};

/// The longest step; longer ones are cut to it.
constexpr double longest_step_s = 10;

constexpr Tuning fold_tuning{.frequency_hz = 1.3, .damping_ratio = 1};
constexpr Tuning turn_tuning{.frequency_hz = 1.6, .damping_ratio = 1};
constexpr Tuning free_hand_tuning{.frequency_hz = 1.8, .damping_ratio = 0.8};

/// From one hold to the next: at rest at both ends, and through a place beside the body in between.
Vector3 reaching(const Vector3& from, const Vector3& to, const Vector3& beside, double phase) {
    const double u = std::clamp(phase, 0.0, 1.0);
    const double way = u * u * u * (10 + u * (6 * u - 15));
    const double middle = 64 * u * u * u * (1 - u) * (1 - u) * (1 - u);
    return from + (to - from) * way + (beside - (from + to) * 0.5) * middle;
}

/// Limits the distance from the shoulder to the arm's length; unchanged well inside of it. A hand
/// that leaves its hold, or is about to catch, may leave the arm straight, as one that holds.
Vector3 within_arm(const Vector3& shoulder, const Vector3& hand, double arm_m, double phase) {
    const Vector3 arm = hand - shoulder;
    const double far = norm(arm);
    constexpr double softening = 0.05;
    const double u = std::min(1.0, std::min(phase, 1 - phase) / softening);
    const double rest = 0.015 * arm_m * u * u * (3 - 2 * u);
    const double free = arm_m - rest;
    if (far <= free) return hand;
    const double drawn = rest > 0 ? free + rest * (1 - math::exp(-(far - free) / rest)) : arm_m;
    return shoulder + arm * (drawn / far);
}

}  // namespace

std::span<const Dial<BrachiatorSettings>> BrachiatorSettings::dials() noexcept {
    return brachiator_dials;
}

void require_valid(const BrachiatorSettings& settings) {
    const double arm = settings.arm_length_m;
    require_above_zero("arm_length_m", arm);
    require_between("shoulder_width_m", settings.shoulder_width_m, 0, arm);
    require_between("shoulder_height_m", settings.shoulder_height_m, 0, 0.6 * arm);
    require_between("hip_width_m", settings.hip_width_m, 0, arm);
    require_between("hip_depth_m", settings.hip_depth_m, 0, 2 * arm);
    require_above_zero("leg_length_m", settings.leg_length_m);
    require_above_zero("mass_kg", settings.mass_kg);
    for (const Dial<BrachiatorSettings>& dial : brachiator_dials)
        require_between(dial.path, dial.get(settings), dial.hard.least, dial.hard.most);
}

bool is_valid(const BrachiatorSettings& settings) noexcept {
    return passes_require_valid(settings);
}

double longest_gap_m(const BrachiatorSettings& settings) noexcept {
    return 1.84 * settings.arm_length_m;
}

Brachiator::Brachiator(const BrachiatorSettings& settings, std::vector<Vector3> holds)
    : settings_{settings},
      holds_{std::move(holds)},
      channels_{{{"position", ChannelKind::vector, 3, "m"},
                 {"rotation", ChannelKind::rotation, 4, ""},
                 {"hands", ChannelKind::vector, 3, "m", 2},
                 {"holds", ChannelKind::flag, 1, "", 2}}},
      folds_{Follower<double>{fold_tuning, 0.0}, Follower<double>{fold_tuning, 0.0}},
      turn_{turn_tuning, Quaternion{}},
      free_{Follower<Vector3>{free_hand_tuning, Vector3{}},
            Follower<Vector3>{free_hand_tuning, Vector3{}}} {
    require_valid(settings);
    check_holds();
    path_ = detail::HandPath{settings_, holds_};
    pose();
}

Brachiator::Brachiator(const BrachiatorSettings& settings, std::vector<Vector3> holds,
                       const BrachiatorStand& stand)
    : Brachiator{settings, std::move(holds)} {
    require_finite("spot.x", stand.spot.x);
    require_finite("spot.y", stand.spot.y);
    require_finite("spot.z", stand.spot.z);
    require_finite("yaw_rad", stand.yaw_rad);
    mode_ = Mode::stands;
    held_ = {false, false};
    const Vector3 place = stand.spot + Vector3{0, standing_height_m(settings_), 0};
    leaping_.plan.points.fill({.position = place});
    leaping_.feet_to = feet_beside(stand.spot, stand.yaw_rad);
    leaping_.yaw_rad = stand.yaw_rad;
    turn_.reset(turned_by({0, stand.yaw_rad, 0}));
    for (const std::size_t side : {0U, 1U})
        free_[side].reset(free_hand_target(side));
    pose();
}

void Brachiator::check_holds() const {
    if (holds_.size() < 2)
        throw InvalidValue{"holds", static_cast<double>(holds_.size()), "two holds or more"};
    for (const Vector3& hold : holds_) {
        require_finite("holds.x", hold.x);
        require_finite("holds.y", hold.y);
        require_finite("holds.z", hold.z);
    }
    const double first_m = norm(holds_[1] - holds_[0]);
    require_above_zero("distance of the first two holds", first_m);
    require_between("distance of the first two holds", first_m, 0, longest_gap_m(settings_));
}

StepStatus Brachiator::step(double speed, double dt) noexcept {
    if (!is_time_step(dt) || !std::isfinite(speed)) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    const bool is_too_long = dt > longest_step_s;
    double left_s = time_left_s_ + std::min(dt, longest_step_s);
    time_left_s_ = 0;  // while it ticks
    // A tick that is due within rounding is due.
    constexpr double rounding_s = 1e-9;
    while (left_s >= tick_s - rounding_s) {
        tick(speed);
        left_s = std::max(0.0, left_s - tick_s);
    }
    time_left_s_ = left_s;
    pose();
    return is_too_long ? StepStatus::guarded : StepStatus::stepped;
}

void Brachiator::tick(double speed) noexcept {
    ++ticks_;
    if (mode_ == Mode::hangs)
        path_.advance(settings_, holds_, wish_.is_from(path_.newest()) ? 0 : speed);
    advance_leap(speed);
    const double decay_rate = 2 * math::pi * settings_.push_decay_hz;
    offset_.step(decay_rate, tick_s);
    drawn_.step(decay_rate, tick_s);
    fold_legs();
    move_free_hands();
    if (const Vector3 drawn = pose(); !(drawn == Vector3{})) {
        draw_on(drawn);
        pose();
    }
    bool any_holds = false;
    for (std::size_t side = 0; side < 2; ++side) {
        if (hands_[side].holds && !held_[side]) ++log_.catches;
        held_[side] = hands_[side].holds;
        any_holds = any_holds || held_[side];
        log_.most_force_n = std::max(log_.most_force_n, hands_[side].force_n);
    }
    if (any_holds) log_.most_acceleration = std::max(log_.most_acceleration, norm(acceleration_));
    begin_leap();
}

/// On the way up, one hand a little more than the other.
void Brachiator::fold_legs() noexcept {
    double ahead = path_.at(0).ahead;
    if (mode_ != Mode::hangs) {
        const bool flies = phase() == BrachiatorPhase::flies;
        ahead = flies && !leaping_.to_feet ? 0.2 : 0.0;
    }
    folds_[0].step(ahead > 0.1 ? 1.0 : 0.0, tick_s);
    folds_[1].step(ahead > 0.25 ? 0.85 : 0.1, tick_s);
}

StepStatus Brachiator::push(const Vector3& delta_velocity) noexcept {
    if (!is_finite(delta_velocity) || !(dot(delta_velocity, delta_velocity) < 1e6)) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    offset_.push(delta_velocity);
    return StepStatus::stepped;
}

bool Brachiator::try_retune(const BrachiatorSettings& settings) noexcept {
    const bool same_sizes = settings.arm_length_m == settings_.arm_length_m &&
                            settings.shoulder_width_m == settings_.shoulder_width_m &&
                            settings.shoulder_height_m == settings_.shoulder_height_m;
    if (!is_valid(settings) || !same_sizes) return false;
    settings_ = settings;
    pose();
    return true;
}

Vector3 Brachiator::shoulder(std::size_t side) const noexcept {
    const double x = (side == 0 ? 0.5 : -0.5) * settings_.shoulder_width_m;
    return position_ + rotated(rotation_, {x, settings_.shoulder_height_m, 0});
}

Vector3 Brachiator::hip(std::size_t side) const noexcept {
    const double x = (side == 0 ? 0.5 : -0.5) * settings_.hip_width_m;
    return position_ + rotated(rotation_, {x, -settings_.hip_depth_m, 0});
}

/// Between two ticks of its path along the row.
SwingPoint Brachiator::on_row() const noexcept {
    const Vector3 step = path_.at(1).place - path_.at(0).place;
    SwingPoint point;
    point.acceleration =
        (step - (path_.at(0).place - path_.at(-1).place)) * (1 / (tick_s * tick_s));
    // Along the parabola through the three.
    const double part = time_left_s_ / tick_s;
    const double bend = 0.5 * part * (part - 1) * tick_s * tick_s;
    point.position = path_.at(0).place + step * part + point.acceleration * bend;
    point.velocity = step * (1 / tick_s) + point.acceleration * ((part - 0.5) * tick_s);
    return point;
}

/// Without the offsets from pushes and from arms that are too short.
SwingPoint Brachiator::on_way() const noexcept {
    if (mode_ == Mode::hangs) return on_row();
    if (mode_ == Mode::leaps) return leaping_.plan.at(leap_time_s());
    return {.position = leaping_.plan.points[LeapPlan::end].position};
}

Quaternion Brachiator::turn_on_way() const noexcept {
    if (mode_ != Mode::hangs) return turn_.value();
    const double part = time_left_s_ / tick_s;
    const detail::BodyPoint& now = path_.at(0);
    const detail::BodyPoint& after = path_.at(1);
    const auto between = [&](auto a, auto b) {
        return a + (b - a) * part;
    };
    detail::BodyPoint point;
    point.place = position_;
    point.hold = between(now.hold, after.hold);
    point.yaw_rad = between(now.yaw_rad, after.yaw_rad);
    point.twist = between(now.twist, after.twist);
    return detail::hanging_turn(settings_, point);
}

/// The body between two ticks, with its limbs.
Vector3 Brachiator::pose() noexcept {
    const SwingPoint way = on_way();
    position_ = way.position;
    rotation_ = turn_on_way();
    position_ = position_ + offset_.value() + drawn_.value();
    velocity_ = way.velocity + offset_.velocity() + drawn_.velocity();
    acceleration_ = way.acceleration + offset_.acceleration() + drawn_.acceleration();
    const Vector3 drawn = draw_in();
    place_hands();
    place_legs();
    share_force();
    return drawn;
}

/// As a hand along the row, or in a leap from it or to it.
detail::HandAt Brachiator::hand_at(std::uint32_t side) const noexcept {
    const BrachiatorPhase now = phase();
    if (now == BrachiatorPhase::hangs || (now == BrachiatorPhase::arrives && !leaping_.to_feet))
        return path_.hand_at(path_.now_s() + time_left_s_, side);
    const bool holds = now == BrachiatorPhase::gathers && !leaping_.from_feet;
    return {.holds = holds, .hold = leaping_.let_go[side], .left = leaping_.let_go[side]};
}

Brachiator::Fixed Brachiator::foot_on(std::size_t side) const noexcept {
    const BrachiatorPhase now = phase();
    if (now == BrachiatorPhase::gathers && leaping_.from_feet)
        return {true, leaping_.feet_from[side]};
    const bool has_landed = now == BrachiatorPhase::stands || now == BrachiatorPhase::arrives;
    return {has_landed && leaping_.to_feet, leaping_.feet_to[side]};
}

/// As near to what its hands hold and its feet stand on as the limbs allow.
Vector3 Brachiator::draw_in() noexcept {
    const Vector3 before = position_;
    const auto draw = [&](const Fixed& end, const Vector3& root, double most_m) {
        if (!end.is_fixed) return;
        const Vector3 limb = end.place - root;
        const double over = norm(limb) - most_m;
        if (!(over > 0)) return;
        position_ = position_ + limb * (over / (over + most_m));
    };
    // A hand that is about to catch will reach its hold: offsets from pushes decay gradually.
    constexpr double from_phase = 0.3;
    const Vector3 aside = offset_.value() + drawn_.value();
    const auto reach_m = [&](const detail::HandAt& at, std::size_t side) {
        const double arm_m = settings_.arm_length_m;
        if (at.holds) return arm_m;
        const double left = std::clamp((1 - at.phase) / (1 - from_phase), 0.0, 1.0);
        const double planned_m = norm(holds_[at.hold] - (shoulder(side) - aside));
        constexpr double furthest_aside = 0.4;
        return std::max(arm_m, planned_m) + furthest_aside * arm_m * left * left * (3 - 2 * left);
    };
    const std::array<double, 2> most_m{reach_m(hand_at(0), 0), reach_m(hand_at(1), 1)};
    for (int round = 0; round < 8; ++round) {
        for (const std::uint32_t side : {0U, 1U}) {
            const detail::HandAt at = hand_at(side);
            const bool is_near = at.holds || (mode_ == Mode::hangs && at.phase > from_phase);
            draw({is_near, holds_[at.hold]}, shoulder(side), most_m[side]);
            draw(foot_on(side), hip(side), settings_.leg_length_m);
        }
    }
    return position_ - before;
}

/// Keeps the offset that the arms have caused, so that the body does not jump back when a hand lets
/// go.
void Brachiator::draw_on(const Vector3& drawn) noexcept {
    const Vector3 inward = drawn * (1 / norm(drawn));
    const double outward_speed = -dot(offset_.velocity() + drawn_.velocity(), inward);
    const Vector3 faster = inward * std::max(outward_speed, 0.0);
    drawn_.move(drawn, faster);
    log_.drawn_in_m = std::max(log_.drawn_in_m, norm(drawn_.value()));
}

void Brachiator::place_hands() noexcept {
    const double arm_m = settings_.arm_length_m;
    if (mode_ == Mode::hangs) next_hold_ = path_.swing_at(path_.now_s() + time_left_s_).caught;
    for (const std::uint32_t side : {0U, 1U}) {
        const detail::HandAt at = hand_at(side);
        const double out = side == 0 ? 1 : -1;
        BrachiatorHand& hand = hands_[side];
        hand.holds = at.holds;
        hand.hold = at.hold;
        hand.phase = at.phase;
        hand.shoulder = shoulder(side);
        if (at.holds) {
            hand.position = holds_[at.hold];
        } else if (mode_ != Mode::hangs) {
            hand.position = free_hand(side);
        } else {
            // Beside the head, never near the shoulder, where the elbow would flip.
            const Vector3 beside =
                hand.shoulder + rotated(rotation_, Vector3{0.5 * out, 0.28, 0.12} * arm_m);
            const Vector3 wanted = reaching(holds_[at.left], holds_[at.hold], beside, at.phase);
            hand.position = within_arm(hand.shoulder, wanted, arm_m, at.phase);
        }
        const double upper_m = 0.5 * arm_m;
        const Vector3 pole = rotated(rotation_, {0.75 * out, -0.5, -0.43});
        const TwoBonePose bent =
            bend_two_bones(hand.shoulder, hand.position, pole, upper_m, arm_m - upper_m);
        hand.elbow = bent.knee;
    }
}

/// A foot moves along with its hip before the leg is straight, or its knee would jump: at 0.985 of
/// the leg's length.
Vector3 Brachiator::softly_stretched(const Vector3& leg) const noexcept {
    constexpr double from = 0.925;
    constexpr double most = 0.985;
    const double far = norm(leg) / settings_.leg_length_m;
    if (!(far > from)) return leg;
    const double soft = most - (most - from) * math::exp(-(far - from) / (most - from));
    return leg * (soft / far);
}

void Brachiator::place_legs() noexcept {
    for (std::size_t side = 0; side < 2; ++side) {
        const double fold = settings_.fold * folds_[side].value();
        const double sign = side == 0 ? 0.5 : -0.5;
        BrachiatorLeg& leg = legs_[side];
        leg.hip = hip(side);
        const double reach = settings_.leg_length_m * (0.96 - 0.36 * std::min(fold, 1.5));
        const double angle = 0.1 + 0.75 * fold;
        Vector3 wanted =
            leg.hip + rotated(rotation_, {0.1 * sign * settings_.hip_width_m,
                                          -reach * math::cos(angle), reach * math::sin(angle)});
        if (mode_ != Mode::hangs) wanted = flying_foot(side, wanted);
        Fixed on = foot_on(side);
        if (on.is_fixed) wanted = on.place;
        const auto& times_s = leaping_.plan.times_s;
        const bool pushes_or_lands = mode_ == Mode::leaps &&
                                     leap_time_s() > times_s[LeapPlan::gathered] &&
                                     leap_time_s() < times_s[LeapPlan::lowest];
        if (pushes_or_lands || !on.is_fixed) {
            const Vector3 far = wanted - leg.hip;
            const Vector3 near = softly_stretched(far);
            on.is_fixed = on.is_fixed && near == far;
            if (!on.is_fixed) wanted = leg.hip + near;
        }
        const double thigh_m = 0.5 * settings_.leg_length_m;
        const TwoBonePose bent = bend_two_bones(leg.hip, wanted, rotated(rotation_, {0, 0, 1}),
                                                thigh_m, settings_.leg_length_m - thigh_m);
        leg.knee = bent.knee;
        leg.foot = on.is_fixed ? on.place : bent.ankle;
        leg.stands = on.is_fixed;
    }
}

/// The forces that accelerate and carry the body, along the arms that hold.
void Brachiator::share_force() noexcept {
    const Vector3 force = (acceleration_ + Vector3{0, standard_gravity, 0}) * settings_.mass_kg;
    std::array<Vector3, 2> along{};
    for (std::size_t side = 0; side < 2; ++side) {
        hands_[side].force_n = 0;
        const Vector3 arm = hands_[side].position - hands_[side].shoulder;
        const double far = norm(arm);
        if (hands_[side].holds && far > 0) along[side] = arm * (1 / far);
    }
    if (!hands_[0].holds && !hands_[1].holds) return;
    if (hands_[0].holds != hands_[1].holds) {
        hands_[hands_[0].holds ? 0 : 1].force_n = norm(force);
        return;
    }
    // The least-squares pulls along both arms, which prefers small ones to large ones that cancel.
    constexpr double sparing = 0.05;
    const double c = dot(along[0], along[1]);
    const double a = dot(along[0], force);
    const double b = dot(along[1], force);
    const double own = 1 + sparing;
    const double determinant = own * own - c * c;
    hands_[0].force_n = std::max(0.0, (own * a - c * b) / determinant);
    hands_[1].force_n = std::max(0.0, (own * b - c * a) / determinant);
}

bool Brachiator::still() const noexcept {
    constexpr double still_speed = 1e-4;
    const bool is_kept = mode_ == Mode::stands || (hands_[0].holds && hands_[1].holds);
    return is_kept && mode_ != Mode::leaps && wish_.to == detail::LeapWish::To::nowhere &&
           norm(velocity_) < still_speed && norm(acceleration_) < still_speed;
}

void Brachiator::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    const auto put = [&](std::initializer_list<double> more) {
        for (const double number : more) {
            if (at < numbers.size()) numbers[at++] = number;
        }
    };
    put({position_.x, position_.y, position_.z, rotation_.w, rotation_.x, rotation_.y,
         rotation_.z});
    for (const BrachiatorHand& hand : hands_)
        put({hand.position.x, hand.position.y, hand.position.z});
    for (const BrachiatorHand& hand : hands_)
        put({hand.holds ? 1.0 : 0.0});
}

std::span<const Dial<Brachiator>> Brachiator::dials() noexcept {
    return dials_through<Brachiator, BrachiatorSettings, ReadSettings>();
}

}  // namespace hopcoil
