#pragma once

#include <array>
#include <cstddef>

#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil::rows {

/// The rows of a step along a cubic (CubicRows) as numbers one after the other, for loops over many
/// things.
enum Row : std::size_t {
    gap_of_gap,
    gap_of_velocity,
    gap_of_travel,
    gap_of_first,
    gap_of_last,
    velocity_of_gap,
    velocity_of_velocity,
    velocity_of_travel,
    velocity_of_first,
    velocity_of_last,
    row_count,
};

template <class S>
[[nodiscard]] std::array<S, row_count> in_order(const CubicRows<S>& r) noexcept {
    const auto rounded = [](double number) {
        return static_cast<S>(number);
    };
    return {r.gap_of_gap,
            r.gap_of_velocity,
            rounded(r.gap_of_travel),
            rounded(r.gap_of_first),
            rounded(r.gap_of_last),
            r.velocity_of_gap,
            r.velocity_of_velocity,
            rounded(r.velocity_of_travel),
            rounded(r.velocity_of_first),
            rounded(r.velocity_of_last)};
}

}  // namespace hopcoil::rows
