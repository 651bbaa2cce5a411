#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <limits>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "short_steps.hpp"

namespace hopcoil {
namespace {

/// Below this w dt the ratios of responses to it are taken at their limits.
constexpr double least_phase = 0x1p-500;

/// The spring's free response after a phase u = w dt (equation (4) of docs/math/follower.md).
struct FreeAnswer {
    double approach = 0.0;   ///< A: how far it has come to a held target, from rest one away
    double gap_left = 1.0;   ///< 1 - A, without the cancellation
    double kick = 0.0;       ///< q: where a unit kick in units of w has brought it
    double kick_left = 1.0;  ///< q': what is left of the kick's velocity
};

/// e^-x and 1 - e^-x for x >= 0 from one exponential, both to the last digits.
struct Decay {
    double left = 1.0;
    double gone = 0.0;
};

Decay decay_over(double x) {
    if (x > 0.5) {
        const double left = math::exp(-x);
        return {left, 1 - left};
    }
    const double gone = -math::expm1(-x);
    return {1 - gone, gone};
}

FreeAnswer swinging_answer(double z, double u) {
    const double d = math::sqrt((1 - z) * (1 + z));
    const double p = d * u;
    const auto [e, gone] = decay_over(z * u);
    const auto [sin_p, cos_p] = math::sincos(p);
    const double one_minus_cos = cos_p > 0 ? sin_p * sin_p / (1 + cos_p) : 1 - cos_p;
    const double q = p == 0 ? e * u : e * sin_p / d;
    return {.approach = gone + e * one_minus_cos - z * q,
            .gap_left = e * cos_p + z * q,
            .kick = q,
            .kick_left = e * cos_p - z * q};
}

FreeAnswer creeping_answer(double z, double u) {
    const double d = math::sqrt(z - 1) * math::sqrt(z + 1);
    const double b = 1 / (z + d);
    const auto [e, gone] = decay_over(b * u);
    const auto [faster, faster_gone] = decay_over(2 * d * u);
    const double q = d == 0 ? e * u : e * faster_gone / (2 * d);
    return {.approach = gone - b * q,
            .gap_left = e + b * q,
            .kick = q,
            .kick_left = e * faster - b * q};
}

FreeAnswer free_answer(double z, double u) {
    if (std::isinf(u) && z > 0) return {.approach = 1, .gap_left = 0, .kick = 0, .kick_left = 0};
    return z < 1 ? swinging_answer(z, u) : creeping_answer(z, u);
}

/// Responses after a phase u, from those after it has been halved until `stiffness` times it is
/// short.
template <class ShortAnswers>
auto by_doubling(double z, double u, double stiffness, ShortAnswers short_answers) {
    // No finite phase needs more halvings; an infinite one would be halved without end.
    constexpr int most_halvings = 2100;
    int halvings = 0;
    for (; halvings < most_halvings && stiffness * u > ShortSeries::longest_phase; ++halvings)
        u *= 0.5;
    auto answers = short_answers(z, u);
    for (; halvings > 0; --halvings) {
        answers = doubled(answers, z, u);
        u *= 2;
    }
    return answers;
}

double over_phase(double answer, double u) {
    return std::isinf(u) ? 0 : answer / u;
}

/// R_0 .. R_3 and q: the responses at the phase u, from rest at zero, to targets s^k with s going
/// from 0 to 1 (equations (8) to (10)).
struct PowerAnswers {
    std::array<double, 4> r{};
    double kick = 0.0;
};

PowerAnswers series_answers(double z, double u) {
    constexpr std::array<double, 4> factorial{1, 1, 2, 6};
    PowerAnswers sums;
    double before = 0;
    double term = 1;         // a_n
    double power = 1;        // u^(n-1)
    double over_next = 0.5;  // 1 / (n+1)!
    for (int n = 1; n <= 16; ++n) {
        double weight = term * power * over_next;
        sums.kick += weight * (n + 1);
        for (int k = 0; k < 4; ++k) {
            sums.r[static_cast<std::size_t>(k)] += weight;
            weight /= n + k + 2;
        }
        const double next = -2 * z * term - before;
        before = term;
        term = next;
        power *= u;
        over_next /= n + 2;
    }
    sums.kick *= u;
    for (std::size_t k = 0; k < 4; ++k)
        sums.r[k] *= factorial[k] * u * u;
    return sums;
}

PowerAnswers doubled(const PowerAnswers& old, double z, double u) {
    const auto& [r0, r1, r2, r3] = old.r;
    const double left = 1 - r0;
    const double q = old.kick;
    const double q_over_u = u < least_phase ? 1 : q / u;
    return {.r = {2 * r0 - r0 * r0 + q * q, 0.5 * (left * r1 + q_over_u * r0 + r0 + r1),
                  0.25 * (left * r2 + 2 * q_over_u * r1 + r0 + 2 * r1 + r2),
                  0.125 * (left * r3 + 3 * q_over_u * r2 + r0 + 3 * r1 + 3 * r2 + r3)},
            .kick = 2 * q * (left - z * q)};
}

PowerAnswers power_answers(double z, double u) {
    const double stiffness = 2 * z + 1;
    if (u > 64 * stiffness || std::isinf(u)) {
        // Long after the transient: each response from the one before, by integrating by parts.
        const FreeAnswer free = free_answer(z, u);
        const double r0 = free.approach;
        const double r1 = 1 - over_phase(free.kick, u) - over_phase(2 * z * r0, u);
        const double r2 = 1 - over_phase(4 * z * r1, u) - over_phase(over_phase(2 * r0, u), u);
        const double r3 = 1 - over_phase(6 * z * r2, u) - over_phase(over_phase(6 * r1, u), u);
        return {.r = {r0, r1, r2, r3}, .kick = free.kick};
    }
    return by_doubling(z, u, stiffness, series_answers);
}

template <class S>
S rounded(double number) {
    constexpr auto least = static_cast<double>(std::numeric_limits<S>::min());
    constexpr auto most = static_cast<double>(std::numeric_limits<S>::max());
    if (number < least && number > -least) return S{0};
    if (number > most) return std::numeric_limits<S>::infinity();
    if (number < -most) return -std::numeric_limits<S>::infinity();
    return static_cast<S>(number);
}

void require_valid_step(const Tuning& tuning, double dt) {
    require_valid(tuning);
    require_at_least_zero("dt", dt);
}

bool is_short(double z, double u) {
    return z <= short_steps::most_damping && u <= short_steps::longest_phase &&
           z * u <= short_steps::longest_phase;
}

StraightRows<double> short_rows(const short_steps::SpringNumbers& spring, double dt) {
    const auto free =
        by_doubling(spring.z, spring.w * dt, std::max(1.0, spring.z),
                    [](double z, double u) { return short_steps::short_ratios(z, u); });
    return short_steps::rows_of(free, spring, dt);
}

}  // namespace

StraightRows<double> straight_rows(const Tuning& tuning, double dt) noexcept {
    const auto spring = short_steps::numbers_of(tuning);
    const auto [w, z, lag, hold] = spring;
    const double u = w * dt;
    if (is_short(z, u)) return short_rows(spring, dt);
    const FreeAnswer free = free_answer(z, u);
    const double kick_ratio = u < least_phase ? 1 : over_phase(free.kick, u);
    const double approach_ratio = u < least_phase ? 0.5 * u : over_phase(free.approach, u);
    return {.gap_of_gap = free.gap_left,
            .gap_of_velocity = dt * kick_ratio,
            .gap_of_travel = lag * approach_ratio - kick_ratio,
            .velocity_of_gap = -w * free.kick,
            .velocity_of_velocity = free.kick_left,
            .velocity_of_travel = w * (approach_ratio + hold * kick_ratio)};
}

StraightRows<double> jump_rows(const Tuning& tuning) noexcept {
    return {.velocity_of_travel =
                2 * tuning.damping_ratio * angular_frequency_rad_per_s(tuning) * tuning.lead};
}

CubicRows<double> cubic_rows(const Tuning& tuning, double dt) noexcept {
    const double w = angular_frequency_rad_per_s(tuning);
    const double u = w * dt;
    const double hold = 2 * tuning.damping_ratio * tuning.lead;
    const PowerAnswers answers = power_answers(tuning.damping_ratio, u);
    const auto& r = answers.r;
    const bool tiny = u < least_phase;
    const double kick_ratio = tiny ? 1 : over_phase(answers.kick, u);
    const std::array<double, 3> ratio{tiny ? 0.5 * u : over_phase(r[0], u),
                                      tiny ? u / 6 : over_phase(r[1], u),
                                      tiny ? u / 12 : over_phase(r[2], u)};
    const double ratio_0_twice = tiny ? 0.5 : over_phase(ratio[0], u);
    const double ratio_1_twice = tiny ? 1.0 / 6 : over_phase(ratio[1], u);

    // Value (c) and velocity over w (n) at the end, of a target s^k with its lead.
    const double c1 = r[1] + hold * ratio[0];
    const double c2 = r[2] + 2 * hold * ratio[1];
    const double c3 = r[3] + 3 * hold * ratio[2];
    const double n1 = ratio[0] + hold * kick_ratio;
    const double n2 = 2 * ratio[1] + 2 * hold * ratio_0_twice;
    const double n3 = 3 * ratio[2] + 6 * hold * ratio_1_twice;

    // Hermite: x = x0 + m0 s + (3 D - 2 m0 - m1) s^2 + (m0 + m1 - 2 D) s^3, m = dt x'
    const StraightRows<double> free = straight_rows(tuning, dt);
    return {.gap_of_gap = free.gap_of_gap,
            .gap_of_velocity = free.gap_of_velocity,
            .velocity_of_gap = free.velocity_of_gap,
            .velocity_of_velocity = free.velocity_of_velocity,
            .gap_of_travel = 3 * c2 - 2 * c3 - 1,
            .gap_of_first = dt * (c1 - 2 * c2 + c3),
            .gap_of_last = dt * (c3 - c2),
            .gap_of_chord = c1 - 2 * c2 + c3,
            .velocity_of_travel = w * (3 * n2 - 2 * n3),
            .velocity_of_first = u * (n1 - 2 * n2 + n3),
            .velocity_of_last = u * (n3 - n2),
            .velocity_of_chord = w * (n1 - 2 * n2 + n3)};
}

template <class S>
StraightRows<S> rounded(const StraightRows<double>& rows) noexcept {
    return {.gap_of_gap = rounded<S>(rows.gap_of_gap),
            .gap_of_velocity = rounded<S>(rows.gap_of_velocity),
            .gap_of_travel = rounded<S>(rows.gap_of_travel),
            .velocity_of_gap = rounded<S>(rows.velocity_of_gap),
            .velocity_of_velocity = rounded<S>(rows.velocity_of_velocity),
            .velocity_of_travel = rounded<S>(rows.velocity_of_travel)};
}

template <class S>
CubicRows<S> rounded(const CubicRows<double>& rows) noexcept {
    return {.gap_of_gap = rounded<S>(rows.gap_of_gap),
            .gap_of_velocity = rounded<S>(rows.gap_of_velocity),
            .velocity_of_gap = rounded<S>(rows.velocity_of_gap),
            .velocity_of_velocity = rounded<S>(rows.velocity_of_velocity),
            .gap_of_travel = rounded<double>(rows.gap_of_travel),
            .gap_of_first = rounded<double>(rows.gap_of_first),
            .gap_of_last = rounded<double>(rows.gap_of_last),
            .gap_of_chord = rounded<double>(rows.gap_of_chord),
            .velocity_of_travel = rounded<double>(rows.velocity_of_travel),
            .velocity_of_first = rounded<double>(rows.velocity_of_first),
            .velocity_of_last = rounded<double>(rows.velocity_of_last),
            .velocity_of_chord = rounded<double>(rows.velocity_of_chord)};
}

template StraightRows<float> rounded<float>(const StraightRows<double>&) noexcept;
template StraightRows<double> rounded<double>(const StraightRows<double>&) noexcept;
template CubicRows<float> rounded<float>(const CubicRows<double>&) noexcept;
template CubicRows<double> rounded<double>(const CubicRows<double>&) noexcept;

StepCoefficients::StepCoefficients(const Tuning& tuning, double dt) : tuning_{tuning}, dt_{dt} {
    require_valid_step(tuning, dt);
    const StraightRows<double> exact = straight_rows(tuning, dt);
    in_double_ = rounded<double>(exact);
    in_float_ = rounded<float>(exact);
}

CubicStepCoefficients::CubicStepCoefficients(const Tuning& tuning, double dt)
    : tuning_{tuning}, dt_{dt} {
    require_valid_step(tuning, dt);
    const CubicRows<double> exact = cubic_rows(tuning, dt);
    in_double_ = rounded<double>(exact);
    in_float_ = rounded<float>(exact);
}

}  // namespace hopcoil
