#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/glide.hpp>

namespace hopcoil {
namespace {

constexpr std::array<Dial<GlideTuning>, GlideTuning::dial_count> glide_dials{
    field_dial<&GlideTuning::half_life_s, GlideTuning>({.path = "half_life_s",
                                                        .unit = "s",
                                                        .hard = {0, unbounded},
                                                        .slider = {0.01, 2},
                                                        .scale = DialScale::logarithmic})};

}  // namespace

std::span<const Dial<GlideTuning>> GlideTuning::dials() noexcept {
    return glide_dials;
}

GlideTuning tuning_from(const FractionPerFrame& recipe) {
    require_above_zero("rate_hz", recipe.rate_hz);
    if (!(recipe.fraction > 0 && recipe.fraction < 1)) {
        throw InvalidValue{"fraction", recipe.fraction,
                           "a number above 0 and below 1, the part of the gap covered in a frame"};
    }
    // log(1 - f) without losing a small f: -2 atanh(f / (2 - f)), which log1p would be.
    const double f = recipe.fraction;
    const double log_left = f < 1e-4 ? -f * (1 + f * (0.5 + f * (1.0 / 3 + f * 0.25)))  //
                                     : math::log(1 - f);
    const GlideTuning tuning{.half_life_s = -math::ln_2 / (recipe.rate_hz * log_left)};
    require_valid(tuning);
    return tuning;
}

void require_valid(const GlideTuning& tuning) {
    require_at_least_zero("half_life_s", tuning.half_life_s);
}

bool is_valid(const GlideTuning& tuning) noexcept {
    return std::isfinite(tuning.half_life_s) && tuning.half_life_s >= 0;
}

double glide_rate_per_s(const GlideTuning& tuning) noexcept {
    return math::ln_2 / tuning.half_life_s;
}

GlideRows glide_rows(const GlideTuning& tuning, double dt) noexcept {
    if (dt == 0) return {};
    const double u = glide_rate_per_s(tuning) * dt;
    if (std::isinf(u)) return {.gap_of_gap = 0, .gap_of_travel = 0};
    const double gone = -math::expm1(-u);
    return {.gap_of_gap = u < 0.5 ? 1 - gone : math::exp(-u),
            .gap_of_travel = u < 0x1p-500 ? -1 : -gone / u};
}

Smoothing smoothing_of(const GlideTuning& tuning, double rate_hz) {
    require_valid(tuning);
    require_above_zero("rate_hz", rate_hz);
    if (tuning.half_life_s == 0) return {};
    // As a recursion on samples, y <- e y + a x_before + b x_now.
    const GlideRows rows = glide_rows(tuning, 1 / rate_hz);
    const double e = rows.gap_of_gap;
    const double b = 1 + rows.gap_of_travel;
    const double a = -rows.gap_of_travel - e;
    const double one_minus_e2 = -math::expm1(-2 * glide_rate_per_s(tuning) / rate_hz);
    const double later = a + e * b;
    return {.noise_left = math::sqrt(b * b + later * later / one_minus_e2),
            .lag_s = 1 / glide_rate_per_s(tuning)};
}

}  // namespace hopcoil
