#include <algorithm>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/walker_settings.hpp>

namespace hopcoil {
namespace {

/// Policies as in StepPolicy, then gaits as in Gait.
constexpr std::size_t policy_count = 5;
constexpr std::array<std::string_view, 13> step_orders{
    "groups_in_turn",  "wait_for_both", "one_at_a_time", "alternate",
    "each_on_its_own", "walk",          "trot",          "pace",
    "gallop",          "wave",          "run",           "slide",
    "by_speed"};

double step_order(const WalkerSettings& settings) {
    return settings.policy == StepPolicy::in_a_gait
               ? static_cast<double>(policy_count + static_cast<std::size_t>(settings.gait))
               : static_cast<double>(settings.policy);
}

DialStatus set_step_order(WalkerSettings& settings, double value) {
    if (!(value >= 0 && value < static_cast<double>(step_orders.size())) ||
        value != std::floor(value))
        return DialStatus::refused;
    const auto index = static_cast<std::size_t>(value);
    if (index < policy_count) {
        settings.policy = static_cast<StepPolicy>(index);
    } else {
        settings.policy = StepPolicy::in_a_gait;
        settings.gait = static_cast<Gait>(index - policy_count);
    }
    return DialStatus::set;
}

constexpr std::array<Dial<WalkerSettings>, WalkerSettings::dial_count> walker_dials{
    Dial<WalkerSettings>{.path = "step_order",
                         .hard = {0, step_orders.size() - 1},
                         .slider = {0, step_orders.size() - 1},
                         .get = step_order,
                         .set = set_step_order,
                         .names = step_orders.data()},
    field_dial<&WalkerSettings::lift_height, WalkerSettings>(
        {.path = "lift_height", .unit = "", .hard = {0.01, 0.5}, .slider = {0.02, 0.25}}),
    field_dial<&WalkerSettings::step_time, WalkerSettings>(
        {.path = "step_time", .unit = "", .hard = {0.7, 2.5}, .slider = {0.8, 2}}),
    field_dial<&WalkerSettings::most_acceleration_m_per_s2, WalkerSettings>(
        {.path = "most_acceleration_m_per_s2",
         .unit = "m/s2",
         .hard = {0.2, 50},
         .slider = {0.5, 10}}),
    field_dial<&WalkerSettings::most_turn_acceleration_rad_per_s2, WalkerSettings>(
        {.path = "most_turn_acceleration_rad_per_s2",
         .unit = "rad/s2",
         .hard = {0.2, 100},
         .slider = {1, 20}}),
    field_dial<&WalkerSettings::slope_limit_rad, WalkerSettings>(
        {.path = "slope_limit_rad", .unit = "rad", .hard = {0.05, 1.4}, .slider = {0.2, 1}}),
    field_dial<&WalkerSettings::bob_m, WalkerSettings>(
        {.path = "bob_m", .unit = "m", .hard = {0, 0.2}, .slider = {0, 0.06}}),
    field_dial<&WalkerSettings::sway_m, WalkerSettings>(
        {.path = "sway_m", .unit = "m", .hard = {0, 0.2}, .slider = {0, 0.06}}),
    field_dial<&WalkerSettings::toe_pitch_rad, WalkerSettings>(
        {.path = "toe_pitch_rad", .unit = "rad", .hard = {0, 1}, .slider = {0, 0.8}}),
    field_dial<&WalkerSettings::roll_rad, WalkerSettings>(
        {.path = "roll_rad", .unit = "rad", .hard = {0, 1}, .slider = {0, 0.8}}),
    field_dial<&WalkerSettings::lean_rad_s2_per_m, WalkerSettings>(
        {.path = "lean_rad_s2_per_m", .unit = "rad s2/m", .hard = {0, 0.2}, .slider = {0, 0.1}})};

constexpr double least_duty = 0.45;
constexpr double least_duty_in_run = 0.28;
constexpr double least_duty_in_gallop = 0.2;
constexpr double run_over_walk = 1.8;  // in speed
constexpr double gallop_over_walk = 2.4;
constexpr double shortest_swing = 0.85;  // in units of sqrt(leg length / g)

/// How far a foot's neutral spot is from below its hip, outward.
double outside_of(const WalkerLeg& leg) {
    const Vector3 way = leg.neutral - leg.hip;
    return math::sqrt(way.x * way.x + way.z * way.z);
}

/// The distances to the nearest other foot on the same side, along the body, and to the nearest
/// across it.
struct Spacing {
    double along = 1e9;
    double beside = 1e9;
};
Spacing spacing_of(const WalkerSettings& settings) {
    Spacing spacing;
    for (std::size_t i = 0; i < settings.leg_count; ++i) {
        for (std::size_t k = i + 1; k < settings.leg_count; ++k) {
            const Vector3 way = settings.legs[k].neutral - settings.legs[i].neutral;
            if (std::abs(way.x) < std::abs(way.z)) {
                spacing.along = std::min(spacing.along, std::abs(way.z));
            } else {
                spacing.beside = std::min(spacing.beside, std::abs(way.x));
            }
        }
    }
    return spacing;
}

/// The top speed of the fastest gait over that of a walk.
double over_walk(const WalkerSettings& settings) {
    if (settings.policy != StepPolicy::in_a_gait) return 1;
    const bool by_speed = settings.gait == Gait::by_speed;
    if (settings.leg_count == 4 && (by_speed || settings.gait == Gait::gallop))
        return gallop_over_walk;
    return settings.gait == Gait::run || (by_speed && settings.leg_count == 2) ? run_over_walk : 1;
}

}  // namespace

std::span<const Dial<WalkerSettings>> WalkerSettings::dials() noexcept {
    return walker_dials;
}

WalkerSettings walker_with(std::size_t legs, double leg_length_m) {
    if (legs < 2 || legs > WalkerSettings::most_legs || legs % 2 != 0) {
        throw InvalidValue{"legs", static_cast<double>(legs), "2, or an even number up to 16"};
    }
    require_above_zero("leg_length_m", leg_length_m);
    const double l = leg_length_m;
    WalkerSettings settings{.leg_count = legs, .leg_length_m = l, .foot_radius_m = 0.05 * l};
    const std::size_t rows = legs / 2;
    const double hip_x = rows == 1 ? 0.105 * l : rows == 2 ? 0.2 * l : 0.25 * l;
    const double neutral_x = rows == 1 ? 0.116 * l : rows == 2 ? 0.22 * l : 0.62 * l;
    const double spacing = rows == 1 ? 0 : rows == 2 ? 0.95 * l : 0.62 * l;
    settings.standing_height = rows == 1 ? 0.89 : rows == 2 ? 0.82 : 0.56;
    settings.upright_height = rows == 1 ? 0.945 : settings.standing_height;
    settings.lowest_height = rows == 1 ? 0.75 : rows == 2 ? 0.70 : 0.50;
    settings.roll_rad = rows == 1 ? 0.45 : rows == 2 ? 0.3 : 0;
    settings.bob_m = (rows == 1 ? 0.016 : 0.008) * l;
    settings.sway_m = (rows == 1 ? 0.013 : 0.004) * l;
    for (std::size_t row = 0; row < rows; ++row) {
        const double z = spacing * (0.5 * static_cast<double>(rows - 1) - static_cast<double>(row));
        for (const int side : {0, 1}) {
            const double sign = side == 0 ? 1 : -1;
            settings.legs[2 * row + static_cast<std::size_t>(side)] = {
                .hip = {sign * hip_x, 0, z * (rows > 2 ? 0.75 : 1.0)},
                .neutral = {sign * neutral_x, 0, z},
                .group = static_cast<std::uint32_t>((row + static_cast<std::size_t>(side)) % 2),
                .pole = rows > 2 ? Vector3{sign, 1.2, 0} : Vector3{0, 0, row == 1 ? -1.0 : 1.0}};
        }
    }
    return settings;
}

void require_valid(const WalkerSettings& settings) {
    if (settings.leg_count < 1 || settings.leg_count > WalkerSettings::most_legs) {
        throw InvalidValue{"leg_count", static_cast<double>(settings.leg_count), "1 to 16"};
    }
    require_above_zero("leg_length_m", settings.leg_length_m);
    require_between("thigh_part", settings.thigh_part, 0.1, 0.9);
    require_above_zero("foot_radius_m", settings.foot_radius_m);
    require_between("standing_height", settings.standing_height, 0.3, 0.95);
    require_between("upright_height", settings.upright_height, settings.standing_height, 0.97);
    require_between("lowest_height", settings.lowest_height, 0.1, settings.standing_height);
    for (const Dial<WalkerSettings>& dial : walker_dials) {
        const double value = dial.get(settings);
        if (!(value >= dial.hard.least && value <= dial.hard.most)) {
            throw InvalidValue{
                dial.path, value,
                "a number from " + shortest(dial.hard.least) + " to " + shortest(dial.hard.most)};
        }
    }
    const WalkerLimits limits = limits_of(settings);
    for (std::size_t i = 0; i < settings.leg_count; ++i) {
        const WalkerLeg& leg = settings.legs[i];
        const double outside = outside_of(leg);
        if (!(outside < 0.95 * limits.soft_reach_m)) {
            throw InvalidValue{"neutral", outside,
                               "a spot within " + shortest(0.95 * limits.soft_reach_m) +
                                   " m of the hip, over the ground"};
        }
        if (leg.group > 1) throw InvalidValue{"group", static_cast<double>(leg.group), "0 or 1"};
    }
}

bool is_valid(const WalkerSettings& settings) noexcept {
    return passes_require_valid(settings);
}

WalkerLimits limits_of(const WalkerSettings& settings) noexcept {
    const double l = settings.leg_length_m;
    const auto reach = [&](double part, double height) {
        return l * math::sqrt(std::max(0.0, part - height * height));
    };
    WalkerLimits limits{.swing_time_scale_s = math::sqrt(l / standard_gravity),
                        .soft_reach_m = reach(0.99, settings.standing_height),
                        .hard_reach_m = reach(0.995, settings.lowest_height)};
    double half_stance = 1e9;
    double ahead = 1e9;
    double sideways = 1e9;
    for (std::size_t i = 0; i < settings.leg_count; ++i) {
        const WalkerLeg& leg = settings.legs[i];
        const Vector3 out = leg.neutral - leg.hip;
        const double soft = limits.soft_reach_m;
        const auto room = [&](double across, double along) {
            return 0.85 *
                   (math::sqrt(std::max(0.0, soft * soft - across * across)) - std::abs(along));
        };
        ahead = std::min(ahead, room(out.x, out.z));
        sideways = std::min(sideways, room(out.z, out.x));
        half_stance = std::min(half_stance, std::abs(leg.neutral.x));
    }
    limits.most_half_stride_m = ahead;
    const double swing_s = 0.75 * settings.step_time * limits.swing_time_scale_s;
    if (settings.leg_count > 2) {
        const Spacing spacing = spacing_of(settings);
        const double foot = 3 * settings.foot_radius_m;
        ahead = std::min(ahead, 0.5 * (spacing.along - foot));
        sideways = std::min(sideways, 0.5 * (spacing.beside - foot));
        limits.most_half_stride_m =
            std::min(limits.most_half_stride_m, std::max({ahead, sideways, 0.02 * l}));
    } else {
        const double gap = 0.126 * l;
        sideways = 0.5 * (limits.most_half_stride_m + half_stance - 0.5 * gap);
    }
    limits.half_stride_ahead_m = std::max(ahead, 0.02 * l);
    limits.half_stride_sideways_m = std::max(sideways, 0.02 * l);
    limits.most_speed_ahead = 2 * limits.half_stride_ahead_m / (1.06 * swing_s);
    limits.most_speed_ahead *= over_walk(settings);
    limits.most_speed_sideways = 2 * limits.half_stride_sideways_m / (1.06 * swing_s);
    return limits;
}

double landing_phase(Gait gait, std::size_t leg_count, std::size_t leg) noexcept {
    const std::size_t row_count = leg_count / 2;
    const std::size_t row_index = leg / 2;  // 0: the foremost
    const auto rows = static_cast<double>(row_count);
    const auto row = static_cast<double>(row_index);
    const double side = leg % 2 == 0 ? 0 : 0.5;
    const auto wrapped = [](double phase) {
        return phase - std::floor(phase);
    };
    if (rows < 2) return side;
    switch (gait) {
        case Gait::walk:
        case Gait::wave:
        case Gait::slide:
        case Gait::by_speed:
            break;
        case Gait::trot:
        case Gait::run:
            return wrapped(side + 0.5 * row);
        case Gait::pace:
            return side;
        case Gait::gallop:
            return wrapped(0.12 * (leg % 2 == 0 ? 0 : 1) + 0.5 * (rows - 1 - row));
    }
    // From the hindmost forward, all pairs within half a cycle.
    const double after = gait == Gait::wave ? 1 / (rows + 1) : 0.5 / rows;
    return wrapped(side + after * (rows - 1 - row));
}

Gait gait_at(const WalkerSettings& settings, const WalkerLimits& limits, double speed,
             Gait before) noexcept {
    if (settings.gait != Gait::by_speed) return settings.gait;
    constexpr double later = 1.08;  // in speed
    const auto is_past = [&](double at, bool was_past) {
        return speed > at * (was_past ? 1 / later : later);
    };
    if (settings.leg_count > 4) {
        const bool trots = is_past(0.5 * limits.most_speed_ahead, before == Gait::trot);
        return trots ? Gait::trot : Gait::wave;
    }
    const double hip_m = settings.standing_height * settings.leg_length_m;
    const auto speed_of = [&](double froude) {
        return math::sqrt(froude * standard_gravity * hip_m);
    };
    const bool galloped = before == Gait::gallop;
    if (settings.leg_count == 4 && is_past(speed_of(2.5), galloped)) return Gait::gallop;
    return is_past(speed_of(0.5), galloped || before == Gait::run) ? Gait::run : Gait::walk;
}

Cadence cadence_at(const WalkerSettings& settings, const WalkerLimits& limits,
                   double speed) noexcept {
    return cadence_in(gait_at(settings, limits, speed, Gait::walk), settings, limits, speed);
}

Cadence cadence_in(Gait gait, const WalkerSettings& settings, const WalkerLimits& limits,
                   double speed) noexcept {
    const double hip_m = settings.standing_height * settings.leg_length_m;
    const double froude = std::max(speed * speed / (standard_gravity * hip_m), 1e-6);
    Cadence cadence;
    cadence.duty_factor = std::clamp(0.52 * math::pow(froude, -0.14), least_duty, 0.8);
    const double stride_m = 2.4 * hip_m * math::pow(froude, 0.34);
    const double longest_m = 2 * 0.95 * limits.half_stride_ahead_m;
    const bool gallops = gait == Gait::gallop && settings.leg_count == 4;
    if ((gait == Gait::run || gallops) && cadence.duty_factor * stride_m > longest_m) {
        const double least = gallops ? least_duty_in_gallop : least_duty_in_run;
        cadence.duty_factor = std::max(least, longest_m / stride_m);
    }
    const double stance_m = std::min(cadence.duty_factor * stride_m, longest_m);
    const double most = (1 - cadence.duty_factor) / (shortest_swing * limits.swing_time_scale_s);
    cadence.strides_per_s = std::min(most, cadence.duty_factor * speed / std::max(stance_m, 1e-6));
    return cadence;
}

}  // namespace hopcoil
