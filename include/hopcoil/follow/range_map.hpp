#pragma once

#include <limits>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>

namespace hopcoil {

/// Errors  InvalidValue unless both ends are finite and differ.
void require_valid_input_range(double from, double to);

inline namespace HOPCOIL_BITS {

/// A number scaled, then offset, then kept within bounds; and how fast the result changes.
///
/// Model   out = scale in + offset, in [low, high]; at a bound its rate is 0.
struct LinearMap {
    double scale = 1.0;
    double offset = 0.0;
    double low = -std::numeric_limits<double>::infinity();
    double high = std::numeric_limits<double>::infinity();

    [[nodiscard]] constexpr double operator()(double in) const noexcept {
        const double out = scale * in + offset;
        return out < low ? low : (high < out ? high : out);
    }
    [[nodiscard]] constexpr double rate(double in, double in_rate) const noexcept {
        const double out = scale * in + offset;
        return (*this)(in) == out ? scale * in_rate : 0;
    }
};

/// An input range mapped to an output range, ahead of a mover: wind speed to a lean, distance to a
/// colour.
///
///     const RangeMap<float> lean{{.from = 2, .to = 12}, 0.f, 0.6f};
///     streamer.step(lean(wind_m_per_s), dt);
///
/// Model   out = at_from + (at_to - at_from) (in - from) / (to - from); outside the range the end's
///         value, or further along the line where `beyond` is set. An input that is not a number
///         gives the value at `from`.
/// Errors  InvalidValue for a range of no width.
template <LinearSpace T>
class RangeMap {
  public:
    struct Input {
        double from = 0.0;
        double to = 1.0;
        bool beyond = false;
    };

    RangeMap(const Input& input, T at_from, T at_to)
        : input_{input}, at_from_{at_from}, at_to_{at_to} {
        require_valid_input_range(input.from, input.to);
    }

    [[nodiscard]] T operator()(double in) const noexcept {
        double part = (in - input_.from) / (input_.to - input_.from);
        if (!is_finite(part)) part = part > 0 ? 1 : 0;
        if (!input_.beyond) part = part < 0 ? 0 : (part > 1 ? 1 : part);
        if (part == 1) return at_to_;
        return at_from_ + scaled(T{at_to_ - at_from_}, static_cast<ScalarIn<T>>(part));
    }

  private:
    Input input_;
    T at_from_;
    T at_to_;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
