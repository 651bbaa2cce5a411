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

namespace hopcoil {
namespace {

constexpr std::array<Dial<BrachiatorSettings>, BrachiatorSettings::dial_count> brachiator_dials{
    field_dial<&BrachiatorSettings::most_speed, BrachiatorSettings>(
        {.path = "most_speed", .unit = "m/s", .hard = {0.1, 3}, .slider = {0.5, 2.5}}),
    field_dial<&BrachiatorSettings::lean, BrachiatorSettings>(
        {.path = "lean", .unit = "", .hard = {0, 1}, .slider = {0, 1}}),
    field_dial<&BrachiatorSettings::twist_rad, BrachiatorSettings>(
        {.path = "twist_rad", .unit = "rad", .hard = {0, 1.2}, .slider = {0, 1}}),
    field_dial<&BrachiatorSettings::fold, BrachiatorSettings>(
        {.path = "fold", .unit = "", .hard = {0, 1.5}, .slider = {0, 1.5}}),
    field_dial<&BrachiatorSettings::push_decay_hz, BrachiatorSettings>(
        {.path = "push_decay_hz", .unit = "Hz", .hard = {0.2, 10}, .slider = {0.5, 4}})};

/// The longest step that is taken at once.
constexpr double longest_step_s = 10;

double length(const Vector3& v) {
    return math::sqrt(dot(v, v));
}

Tuning push_tuning(const BrachiatorSettings& settings) {
    return {.frequency_hz = settings.push_decay_hz, .damping_ratio = 1};
}

constexpr Tuning fold_tuning{.frequency_hz = 1.3, .damping_ratio = 1};

/// From one hold to the next: at rest at both ends, and down past the body in between.
Vector3 reaching(const Vector3& from, const Vector3& to, const Vector3& aside, double phase) {
    const double u = std::clamp(phase, 0.0, 1.0);
    const double way = u * u * u * (10 + u * (6 * u - 15));
    const double middle = 64 * u * u * u * (1 - u) * (1 - u) * (1 - u);
    return from + (to - from) * way + aside * middle;
}

/// No further from the shoulder than the arm is long: untouched well inside of that.
Vector3 within_arm(const Vector3& shoulder, const Vector3& hand, double arm_m) {
    const Vector3 arm = hand - shoulder;
    const double far = length(arm);
    const double free = 0.985 * arm_m;
    if (far <= free) return hand;
    const double rest = arm_m - free;
    const double drawn = free + rest * (1 - math::exp(-(far - free) / rest));
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
      offset_{push_tuning(settings), Vector3{}},
      folds_{Follower<double>{fold_tuning, 0.0}, Follower<double>{fold_tuning, 0.0}} {
    require_valid(settings);
    if (holds_.size() < 2)
        throw InvalidValue{"holds", static_cast<double>(holds_.size()), "two holds or more"};
    for (const Vector3& hold : holds_) {
        require_finite("holds.x", hold.x);
        require_finite("holds.y", hold.y);
        require_finite("holds.z", hold.z);
    }
    const double first_m = length(holds_[1] - holds_[0]);
    if (!(first_m > 0 && first_m <= longest_gap_m(settings))) {
        throw InvalidValue{"distance of the first two holds", first_m,
                           "above 0, at most " + shortest(longest_gap_m(settings))};
    }
    channels_ = {{{"position", ChannelKind::vector, 3, "m"},
                  {"rotation", ChannelKind::rotation, 4, ""},
                  {"hands", ChannelKind::vector, 3, "m", 2},
                  {"holds", ChannelKind::flag, 1, "", 2}}};
    path_ = detail::HandPath{settings_, holds_};
    pose();
}

StepStatus Brachiator::step(double speed, double dt) noexcept {
    if (!is_time_step(dt) || !std::isfinite(speed)) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    const bool is_too_long = dt > longest_step_s;
    time_left_s_ += std::min(dt, longest_step_s);
    // A tick that is due within rounding is due.
    constexpr double rounding_s = 1e-9;
    while (time_left_s_ >= tick_s - rounding_s) {
        tick(speed);
        time_left_s_ = std::max(0.0, time_left_s_ - tick_s);
    }
    pose();
    return is_too_long ? StepStatus::guarded : StepStatus::stepped;
}

void Brachiator::tick(double speed) noexcept {
    ++ticks_;
    path_.advance(settings_, holds_, speed);
    offset_.step(Vector3{}, tick_s);
    // The legs fold on the way up, one a little more than the other.
    const double ahead = path_.at(0).ahead;
    folds_[0].step(ahead > 0.1 ? 1.0 : 0.0, tick_s);
    folds_[1].step(ahead > 0.25 ? 0.85 : 0.1, tick_s);
    pose();
    for (std::size_t side = 0; side < 2; ++side) {
        if (hands_[side].holds && !held_[side]) ++log_.catches;
        held_[side] = hands_[side].holds;
        log_.most_force_n = std::max(log_.most_force_n, hands_[side].force_n);
    }
    log_.most_acceleration = std::max(log_.most_acceleration, length(acceleration_));
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
    offset_.retune(push_tuning(settings));
    pose();
    return true;
}

Vector3 Brachiator::shoulder(std::size_t side) const noexcept {
    const double x = (side == 0 ? 0.5 : -0.5) * settings_.shoulder_width_m;
    return position_ + rotated(rotation_, {x, settings_.shoulder_height_m, 0});
}

/// The body between two ticks, and all that hangs on it.
void Brachiator::pose() noexcept {
    const detail::BodyPoint& before = path_.at(-1);
    const detail::BodyPoint& now = path_.at(0);
    const detail::BodyPoint& after = path_.at(1);
    const double part = time_left_s_ / tick_s;
    const Vector3 step = after.place - now.place;
    acceleration_ = (step - (now.place - before.place)) * (1 / (tick_s * tick_s));
    // Along the parabola through the three.
    const double bend = 0.5 * part * (part - 1) * tick_s * tick_s;
    position_ = now.place + step * part + acceleration_ * bend;
    velocity_ = step * (1 / tick_s) + acceleration_ * ((part - 0.5) * tick_s);
    detail::BodyPoint point = now;
    const auto between = [&](auto a, auto b) {
        return a + (b - a) * part;
    };
    point.place = position_;
    point.hold = between(now.hold, after.hold);
    point.yaw_rad = between(now.yaw_rad, after.yaw_rad);
    point.twist = between(now.twist, after.twist);
    rotation_ = detail::hanging_turn(settings_, point);
    const Vector3 offset = offset_.value();
    position_ = position_ + offset;
    velocity_ = velocity_ + offset_.velocity();
    acceleration_ = acceleration_ + acceleration_of(offset_.tuning(), offset, offset_.velocity());
    const double time_s = static_cast<double>(ticks_) * tick_s + time_left_s_;
    draw_in(time_s);
    place_hands(time_s);
    place_legs();
    share_force();
}

/// As near to what its hands hold as its arms are long.
void Brachiator::draw_in(double time_s) noexcept {
    double drawn_m = 0;
    for (int round = 0; round < 8; ++round) {
        for (const std::uint32_t side : {0U, 1U}) {
            const detail::HandAt at = path_.hand_at(time_s, side);
            if (!at.holds) continue;
            const Vector3 arm = holds_[at.hold] - shoulder(side);
            const double over = length(arm) - settings_.arm_length_m;
            if (!(over > 0)) continue;
            position_ = position_ + arm * (over / (over + settings_.arm_length_m));
            drawn_m += over;
        }
    }
    log_.drawn_in_m = std::max(log_.drawn_in_m, drawn_m);
}

void Brachiator::place_hands(double time_s) noexcept {
    const Vector3 outward = rotated(rotation_, {1, 0, 0});
    const double arm_m = settings_.arm_length_m;
    next_hold_ = path_.swing_at(time_s).caught;
    for (const std::uint32_t side : {0U, 1U}) {
        const detail::HandAt at = path_.hand_at(time_s, side);
        BrachiatorHand& hand = hands_[side];
        hand.holds = at.holds;
        hand.hold = at.hold;
        hand.phase = at.phase;
        hand.shoulder = shoulder(side);
        if (at.holds) {
            hand.position = holds_[at.hold];
        } else {
            const double sign = side == 0 ? 1 : -1;
            const Vector3 aside = Vector3{0, -0.75 * arm_m, 0} + outward * (0.15 * arm_m * sign);
            const Vector3 wanted = reaching(holds_[at.left], holds_[at.hold], aside, at.phase);
            hand.position = within_arm(hand.shoulder, wanted, arm_m);
        }
        const double upper_m = 0.5 * arm_m;
        const Vector3 pole = rotated(rotation_, {side == 0 ? 0.6 : -0.6, -0.5, -1});
        const TwoBonePose bent =
            bend_two_bones(hand.shoulder, hand.position, pole, upper_m, arm_m - upper_m);
        hand.elbow = bent.knee;
    }
}

void Brachiator::place_legs() noexcept {
    for (std::size_t side = 0; side < 2; ++side) {
        const double fold = settings_.fold * folds_[side].value();
        const double sign = side == 0 ? 0.5 : -0.5;
        BrachiatorLeg& leg = legs_[side];
        leg.hip = position_ +
                  rotated(rotation_, {sign * settings_.hip_width_m, -settings_.hip_depth_m, 0});
        const double reach = settings_.leg_length_m * (0.96 - 0.36 * std::min(fold, 1.5));
        const double angle = 0.1 + 0.75 * fold;
        const Vector3 wanted =
            leg.hip + rotated(rotation_, {0.1 * sign * settings_.hip_width_m,
                                          -reach * math::cos(angle), reach * math::sin(angle)});
        const double thigh_m = 0.5 * settings_.leg_length_m;
        const TwoBonePose bent = bend_two_bones(leg.hip, wanted, rotated(rotation_, {0, 0, 1}),
                                                thigh_m, settings_.leg_length_m - thigh_m);
        leg.knee = bent.knee;
        leg.foot = bent.ankle;
    }
}

/// What accelerates and carries the body, along the arms that hold.
void Brachiator::share_force() noexcept {
    const Vector3 force = (acceleration_ + Vector3{0, standard_gravity, 0}) * settings_.mass_kg;
    std::array<Vector3, 2> along{};
    for (std::size_t side = 0; side < 2; ++side) {
        hands_[side].force_n = 0;
        const Vector3 arm = hands_[side].position - hands_[side].shoulder;
        const double far = length(arm);
        if (hands_[side].holds && far > 0) along[side] = arm * (1 / far);
    }
    if (hands_[0].holds != hands_[1].holds) {
        hands_[hands_[0].holds ? 0 : 1].force_n = length(force);
        return;
    }
    // The pulls along both arms that come nearest to it; small ones rather than large ones that
    // cancel.
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
    return hands_[0].holds && hands_[1].holds && length(velocity_) < still_speed &&
           length(acceleration_) < still_speed;
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
