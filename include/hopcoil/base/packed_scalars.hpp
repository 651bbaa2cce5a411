#pragma once

#include <cstddef>
#include <type_traits>
#include <utility>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/scalar_of.hpp>

/// @file
/// Detects types that are numbers one after the other in memory.

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Whether a trivially copyable T is its scalars one after the other and nothing else. Specialise
/// it to false for a type that carries other data (an id, a pointer) among its numbers.
template <class T>
inline constexpr bool is_packed_scalars =
    std::is_trivially_copyable_v<T>&& std::is_standard_layout_v<T> &&
    sizeof(T) % sizeof(ScalarIn<T>) == 0 && alignof(T) == alignof(ScalarIn<T>);

template <class T, std::size_t... i>
consteval bool is_made_of(std::index_sequence<i...>) {
    return requires {
        T{(static_cast<void>(i), OnlyConvertsTo<ScalarIn<T>>{})...};
    };
}
/// With how many scalars in braces a T can be initialised, at most n; 0 if with none.
template <class T, std::size_t n>
consteval std::size_t most_in_braces() {
    if constexpr (n == 0) {
        return 0;
    } else if constexpr (is_made_of<T>(std::make_index_sequence<n>{})) {
        return n;
    } else {
        return most_in_braces<T, n - 1>();
    }
}

/// How many numbers a trivially copyable T begins with, where its alignment adds padding behind
/// them: 3 for `struct alignas(16) { float x, y, z; }`. Found out from what T can be made of in
/// braces; specialise it for a type that cannot.
template <class T>
inline constexpr std::size_t scalars_before_padding =
    most_in_braces<T, sizeof(T) / sizeof(ScalarIn<T>)>();

/// A trivially copyable T of scalars one after the other, then padding up to its alignment.
template <class T>
concept PaddedScalars = std::is_trivially_copyable_v<T> && std::is_standard_layout_v<T> &&
                        (alignof(T) > alignof(ScalarIn<T>)) &&
                        scalars_before_padding<T> > 0 &&
                        (scalars_before_padding<T> * sizeof(ScalarIn<T>) + alignof(T) > sizeof(T));

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
