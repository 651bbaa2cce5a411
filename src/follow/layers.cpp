#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/layers.hpp>

namespace hopcoil {

void require_valid_fade(double weight, double duration_s) {
    require_finite("weight", weight);
    require_at_least_zero("duration_s", duration_s);
}

void Fade::start(double to, double duration_s) noexcept {
    const Place now = at();
    from_ = now.weight;
    first_rate_ = now.rate;
    to_ = to;
    duration_s_ = duration_s;
    elapsed_s_ = 0;
}

void Fade::step(double dt) noexcept {
    if (!is_over()) elapsed_s_ += dt;
}

Fade::Place Fade::at() const noexcept {
    if (is_over()) return {to_, 0};
    const double s = elapsed_s_ / duration_s_;
    const double travel = to_ - from_;
    const double m0 = first_rate_ * duration_s_;
    const double b = 3 * travel - 2 * m0;
    const double c = m0 - 2 * travel;
    return {from_ + s * (m0 + s * (b + s * c)), (m0 + s * (2 * b + s * 3 * c)) / duration_s_};
}

}  // namespace hopcoil
