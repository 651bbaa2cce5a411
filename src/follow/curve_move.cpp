#include <array>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/curve_move.hpp>

namespace hopcoil {
namespace {

const std::array<Dial<CurveMoveTuning>, CurveMoveTuning::dial_count> curve_dials{
    field_dial<&CurveMoveTuning::duration_s, CurveMoveTuning>({.path = "duration_s",
                                                               .unit = "s",
                                                               .hard = {0, unbounded},
                                                               .slider = {0.05, 5},
                                                               .scale = DialScale::logarithmic})};

}  // namespace

std::span<const Dial<CurveMoveTuning>> CurveMoveTuning::dials() noexcept {
    return curve_dials;
}

CurveMoveTuning::Place CurveMoveTuning::at(double time_s) const noexcept {
    const double t = time_s / duration_s;
    if (t >= 1) return {1, 0};
    if (const Ease* ease = std::get_if<Ease>(&curve)) {
        return {ease->at(t), ease->slope_at(t) / duration_s};
    }
    const auto& keys = std::get<KeyCurve>(curve);
    const double length_s = keys.end_s() - keys.start_s();
    const double key_s = keys.start_s() + t * length_s;
    return {keys.at(key_s), keys.slope_at(key_s) * length_s / duration_s};
}

void require_valid(const CurveMoveTuning& tuning) {
    require_above_zero("duration_s", tuning.duration_s);
}

bool is_valid(const CurveMoveTuning& tuning) noexcept {
    return std::isfinite(tuning.duration_s) && tuning.duration_s > 0;
}

}  // namespace hopcoil
