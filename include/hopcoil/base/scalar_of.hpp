#pragma once

#include <concepts>
#include <type_traits>

#include <hopcoil/base/build.hpp>

namespace hopcoil {

/// The number a type is made of: the `float` in a `Vector3f`.
///
/// Deduced, in this order, from: the type itself when it is a floating-point number; a member type
/// `Scalar` or `value_type`; what `v[0]` is; what `v.x` is; which of float and double it is
/// multiplied by. Where that finds none, or the wrong one, specialise it:
///
///     template <>
///     struct hopcoil::ScalarOf<MyColour> { using type = float; };
///
/// `void` means that the type is not made of floating-point numbers.
template <class T>
struct ScalarOf;

inline namespace HOPCOIL_BITS {

/// Converts to S and to nothing else, so that an overload set reveals the parameter it wants.
template <class S>
struct OnlyConvertsTo {
    template <std::same_as<S> U>
    operator U() const;
};

template <class T, class S>
concept MultipliesBy = requires(const T& v, OnlyConvertsTo<S> s) {
    static_cast<T>(v * s);
}
|| requires(const T& v, OnlyConvertsTo<S> s) {
    static_cast<T>(s * v);
};

template <class T>
struct FloatingOnly {
    using type = std::conditional_t<std::floating_point<T>, T, void>;
};

template <class T>
consteval auto find_scalar() {
    if constexpr (std::is_arithmetic_v<T>) {
        return FloatingOnly<T>{};
    } else if constexpr (requires { typename T::Scalar; }) {
        return FloatingOnly<typename T::Scalar>{};
    } else if constexpr (requires { typename T::value_type; }) {
        return FloatingOnly<typename T::value_type>{};
    } else if constexpr (requires(const T& v) { v[0]; }) {
        return FloatingOnly<std::remove_cvref_t<decltype(std::declval<const T&>()[0])>>{};
    } else if constexpr (requires(const T& v) { v.x + v.x; }) {
        return FloatingOnly<std::remove_cvref_t<decltype(std::declval<const T&>().x)>>{};
    } else if constexpr (MultipliesBy<T, float>) {
        return FloatingOnly<float>{};
    } else if constexpr (MultipliesBy<T, double>) {
        return FloatingOnly<double>{};
    } else {
        return FloatingOnly<int>{};
    }
}

}  // namespace HOPCOIL_BITS

template <class T>
struct ScalarOf {
    using type = typename decltype(find_scalar<T>())::type;
};

template <class T>
using ScalarIn = typename ScalarOf<T>::type;

}  // namespace hopcoil
