#pragma once

#include <concepts>
#include <type_traits>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/scalar_of.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

template <class S>
inline constexpr bool is_float_or_double = std::is_same_v<S, float> || std::is_same_v<S, double>;

template <class T>
concept MadeOfFloats = is_float_or_double<ScalarIn<T>>;

/// A type that owns memory has a destructor that frees it; a dynamic vector has a size at run time.
template <class T>
concept NeverAllocates = std::is_trivially_destructible_v<T> && !requires {
    requires static_cast<int>(T::SizeAtCompileTime) <= 0;
};

template <class T>
concept AddsAndSubtracts = requires(const T& a, const T& b) {
    static_cast<T>(a + b);
    static_cast<T>(a - b);
};

template <class T>
concept ScalesFromTheRight = requires(const T& v, ScalarIn<T> s) {
    static_cast<T>(v * s);
};
template <class T>
concept ScalesFromTheLeft = requires(const T& v, ScalarIn<T> s) {
    static_cast<T>(s * v);
};
template <class T>
concept Scales = ScalesFromTheRight<T> || ScalesFromTheLeft<T>;

/// What a mover can move: a value that adds, subtracts and scales by its own float or double, and
/// owns no memory. float, double, fixed-size Eigen vectors and a user's own vector type qualify as
/// they are; integers, dynamic vectors and containers do not.
template <class T>
concept LinearSpace =
    MadeOfFloats<T> && NeverAllocates<T> && std::copyable<T> && AddsAndSubtracts<T> && Scales<T>;

template <LinearSpace T>
[[nodiscard]] constexpr T scaled(const T& v, ScalarIn<T> s) noexcept {
    if constexpr (ScalesFromTheRight<T>) {
        return v * s;
    } else {
        return s * v;
    }
}

/// Compares with `==` to one bool for all components: then a NaN in it can be noticed.
template <class T>
concept ComparesWhole = requires(const T& a, const T& b) {
    { a == b } -> std::same_as<bool>;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
