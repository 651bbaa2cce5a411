#pragma once

#include <algorithm>
#include <cmath>
#include <limits>

namespace hopcoil::scene {

/// Steps that differ by the rounding of times alone have one length, so that their numbers are
/// computed once.
class StepLength {
  public:
    [[nodiscard]] double from_to(double from_s, double to_s) noexcept {
        const double length_s = to_s - from_s;
        const double rounding_s = 4 * std::numeric_limits<double>::epsilon() * std::abs(to_s);
        if (std::abs(length_s - last_s_) > rounding_s) last_s_ = length_s;
        return last_s_;
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(last_s_);
    }

  private:
    double last_s_ = 0.0;
};

}  // namespace hopcoil::scene
