#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {
namespace {

constexpr std::array<Dial<Tuning>, Tuning::dial_count> tuning_dials{
    field_dial<&Tuning::frequency_hz, Tuning>({.path = "frequency_hz",
                                               .unit = "Hz",
                                               .hard = {0, unbounded},
                                               .slider = {0.1, 20},
                                               .scale = DialScale::logarithmic}),
    field_dial<&Tuning::damping_ratio, Tuning>(
        {.path = "damping_ratio", .unit = "", .hard = {0, unbounded}, .slider = {0, 2}}),
    field_dial<&Tuning::lead, Tuning>(
        {.path = "lead", .unit = "", .hard = {-unbounded, unbounded}, .slider = {-1, 2}})};

/// The slowest decay over w: z below 1, the slow root from there on.
double slowest_decay(double damping_ratio) {
    const double z = damping_ratio;
    return z < 1 ? z : 1 / (z + math::sqrt(z - 1) * math::sqrt(z + 1));
}

}  // namespace

std::span<const Dial<Tuning>> Tuning::dials() noexcept {
    return tuning_dials;
}

bool is_valid(const Tuning& tuning) noexcept {
    return std::isfinite(tuning.frequency_hz) && tuning.frequency_hz >= 0 &&
           std::isfinite(tuning.damping_ratio) && tuning.damping_ratio >= 0 &&
           std::isfinite(tuning.lead);
}

void require_valid(const Tuning& tuning) {
    require_at_least_zero("frequency_hz", tuning.frequency_hz);
    require_at_least_zero("damping_ratio", tuning.damping_ratio);
    require_finite("lead", tuning.lead);
}

double angular_frequency_rad_per_s(const Tuning& tuning) noexcept {
    return 2 * math::pi * tuning.frequency_hz;
}

double ramp_lag_s(const Tuning& tuning) {
    require_valid(tuning);
    require_above_zero("frequency_hz", tuning.frequency_hz);
    return 2 * tuning.damping_ratio / angular_frequency_rad_per_s(tuning) * (1 - tuning.lead);
}

Tuning tuning_from(const SpringConstants& constants) {
    require_above_zero("mass_kg", constants.mass_kg);
    require_at_least_zero("stiffness_n_per_m", constants.stiffness_n_per_m);
    require_at_least_zero("damping_n_s_per_m", constants.damping_n_s_per_m);
    require_finite("lead", constants.lead);
    if (constants.stiffness_n_per_m == 0) {
        if (constants.damping_n_s_per_m > 0) {
            throw InconsistentParameters{
                "stiffness_n_per_m = 0 with damping_n_s_per_m = " +
                shortest(constants.damping_n_s_per_m) +
                ": a damper without a spring has no frequency; give it a stiffness above 0"};
        }
        return {.frequency_hz = 0, .damping_ratio = 0, .lead = constants.lead};
    }
    // Roots one by one: a product of two large numbers could overflow.
    const double root_mass = std::sqrt(constants.mass_kg);
    const double root_stiffness = std::sqrt(constants.stiffness_n_per_m);
    const Tuning tuning{
        .frequency_hz = root_stiffness / root_mass / (2 * math::pi),
        .damping_ratio = 0.5 * constants.damping_n_s_per_m / root_stiffness / root_mass,
        .lead = constants.lead};
    require_valid(tuning);
    return tuning;
}

Tuning tuning_from(const SpringByRatio& spring) {
    Tuning tuning = tuning_from(SpringConstants{.mass_kg = spring.mass_kg,
                                                .stiffness_n_per_m = spring.stiffness_n_per_m,
                                                .lead = spring.lead});
    tuning.damping_ratio = spring.damping_ratio;
    require_valid(tuning);
    return tuning;
}

double half_life_from_time_constant_s(double time_constant_s) {
    require_above_zero("time_constant_s", time_constant_s);
    return math::ln_2 * time_constant_s;
}

Tuning tuning_from(const DecayHalfLife& decay) {
    require_above_zero("half_life_s", decay.half_life_s);
    require_above_zero("damping_ratio", decay.damping_ratio);
    const double w = math::ln_2 / decay.half_life_s / slowest_decay(decay.damping_ratio);
    const Tuning tuning{.frequency_hz = w / (2 * math::pi),
                        .damping_ratio = decay.damping_ratio,
                        .lead = decay.lead};
    require_valid(tuning);
    return tuning;
}

Tuning tuning_from(const Coefficients& coefficients) {
    require_at_least_zero("y_rate_s", coefficients.y_rate_s);
    require_above_zero("y_acceleration_s2", coefficients.y_acceleration_s2);
    require_finite("x_rate_s", coefficients.x_rate_s);
    if (coefficients.y_rate_s == 0 && coefficients.x_rate_s != 0) {
        throw InconsistentParameters{
            "x_rate_s = " + shortest(coefficients.x_rate_s) +
            " with y_rate_s = 0: without damping nothing holds on to the target's "
            "motion; give y_rate_s a value above 0"};
    }
    const double period_rad_s = std::sqrt(coefficients.y_acceleration_s2);
    const Tuning tuning{
        .frequency_hz = 1 / (2 * math::pi * period_rad_s),
        .damping_ratio = 0.5 * coefficients.y_rate_s / period_rad_s,
        .lead = coefficients.x_rate_s == 0 ? 0.0 : coefficients.x_rate_s / coefficients.y_rate_s};
    require_valid(tuning);
    return tuning;
}

SpringConstants spring_constants_from(const Tuning& tuning, double mass_kg) {
    require_valid(tuning);
    require_above_zero("mass_kg", mass_kg);
    const double w = angular_frequency_rad_per_s(tuning);
    const SpringConstants constants{.mass_kg = mass_kg,
                                    .stiffness_n_per_m = mass_kg * w * w,
                                    .damping_n_s_per_m = 2 * tuning.damping_ratio * w * mass_kg,
                                    .lead = tuning.lead};
    require_finite("stiffness_n_per_m", constants.stiffness_n_per_m);
    require_finite("damping_n_s_per_m", constants.damping_n_s_per_m);
    return constants;
}

SpringByRatio damped_spring_from(const Tuning& tuning, double mass_kg) {
    const SpringConstants constants = spring_constants_from(tuning, mass_kg);
    return {.mass_kg = mass_kg,
            .stiffness_n_per_m = constants.stiffness_n_per_m,
            .damping_ratio = tuning.damping_ratio,
            .lead = tuning.lead};
}

DecayHalfLife decay_half_life_from(const Tuning& tuning) {
    require_valid(tuning);
    require_above_zero("frequency_hz", tuning.frequency_hz);
    require_above_zero("damping_ratio", tuning.damping_ratio);
    const double rate = angular_frequency_rad_per_s(tuning) * slowest_decay(tuning.damping_ratio);
    return {.half_life_s = math::ln_2 / rate,
            .damping_ratio = tuning.damping_ratio,
            .lead = tuning.lead};
}

Coefficients coefficients_from(const Tuning& tuning) {
    require_valid(tuning);
    require_above_zero("frequency_hz", tuning.frequency_hz);
    const double w = angular_frequency_rad_per_s(tuning);
    const double rate = 2 * tuning.damping_ratio / w;
    return {.y_rate_s = rate, .y_acceleration_s2 = 1 / (w * w), .x_rate_s = rate * tuning.lead};
}

}  // namespace hopcoil
