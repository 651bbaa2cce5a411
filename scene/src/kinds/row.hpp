#pragma once

#include <array>
#include <cstddef>

namespace hopcoil::scene {

/// So many numbers side by side, as a linear space.
template <std::size_t n>
struct Row {
    using value_type = double;
    std::array<double, n> numbers{};

    friend constexpr bool operator==(const Row&, const Row&) = default;
    friend constexpr Row operator+(Row a, const Row& b) noexcept {
        for (std::size_t i = 0; i < n; ++i)
            a.numbers[i] += b.numbers[i];
        return a;
    }
    friend constexpr Row operator-(Row a, const Row& b) noexcept {
        for (std::size_t i = 0; i < n; ++i)
            a.numbers[i] -= b.numbers[i];
        return a;
    }
    friend constexpr Row operator*(Row a, double s) noexcept {
        for (double& number : a.numbers)
            number *= s;
        return a;
    }
};

}  // namespace hopcoil::scene
