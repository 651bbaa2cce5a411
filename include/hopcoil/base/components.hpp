#pragma once

#include <array>
#include <bit>
#include <concepts>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <type_traits>
#include <utility>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/linear_space.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/packed_scalars.hpp>
#include <hopcoil/base/scalar_of.hpp>

/// @file
/// Operations on the components of a value, and what remains possible where they are hidden.

namespace hopcoil {
inline namespace HOPCOIL_BITS {

template <class T>
concept FixedSizeWithData = requires(T& v) {
    requires static_cast<int>(T::SizeAtCompileTime) > 0;
    { v.data() } -> std::convertible_to<ScalarIn<T>*>;
};

/// Its numbers can be reached one by one.
template <class T>
concept HasComponents = LinearSpace<T> &&
    (FixedSizeWithData<T> || is_packed_scalars<T> || PaddedScalars<T>);

template <class T>
using BytesOf = std::array<std::byte, sizeof(T)>;

template <HasComponents T>
[[nodiscard]] consteval std::size_t component_count() {
    if constexpr (std::floating_point<T>) {
        return 1;
    } else if constexpr (FixedSizeWithData<T>) {
        return static_cast<std::size_t>(T::SizeAtCompileTime);
    } else if constexpr (PaddedScalars<T>) {
        return scalars_before_padding<T>;
    } else {
        return sizeof(T) / sizeof(ScalarIn<T>);
    }
}

template <HasComponents T>
[[nodiscard]] constexpr auto components_of(const T& v) noexcept {
    using Components = std::array<ScalarIn<T>, component_count<T>()>;
    if constexpr (FixedSizeWithData<T>) {
        Components c{};
        for (std::size_t i = 0; i < c.size(); ++i)
            c[i] = v.data()[i];
        return c;
    } else if constexpr (PaddedScalars<T>) {
        const auto all = std::bit_cast<BytesOf<T>>(v);
        BytesOf<Components> front{};
        for (std::size_t i = 0; i < front.size(); ++i)
            front[i] = all[i];
        return std::bit_cast<Components>(front);
    } else {
        return std::bit_cast<Components>(v);
    }
}

/// The value whose numbers are these; `like` gives it its shape.
template <HasComponents T>
[[nodiscard]] constexpr T with_components(
    const T& like, const std::array<ScalarIn<T>, component_count<T>()>& numbers) noexcept {
    if constexpr (FixedSizeWithData<T>) {
        T result = like;
        for (std::size_t i = 0; i < numbers.size(); ++i)
            result.data()[i] = numbers[i];
        return result;
    } else if constexpr (PaddedScalars<T>) {
        auto all = std::bit_cast<BytesOf<T>>(like);
        const auto front = std::bit_cast<BytesOf<decltype(numbers)>>(numbers);
        for (std::size_t i = 0; i < front.size(); ++i)
            all[i] = front[i];
        return std::bit_cast<T>(all);
    } else {
        return std::bit_cast<T>(numbers);
    }
}

/// a s + b t + c u; where the numbers of T can be reached, summed in double and rounded once.
template <LinearSpace T>
[[nodiscard]] constexpr T combined(const T& a, double s, const T& b, double t, const T& c,
                                   double u) noexcept {
    using Scalar = ScalarIn<T>;
    const auto sum = [=](Scalar x, Scalar y, Scalar z) {
        return static_cast<Scalar>((static_cast<double>(x) * s + static_cast<double>(y) * t) +
                                   static_cast<double>(z) * u);
    };
    if constexpr (std::floating_point<T>) {
        return sum(a, b, c);
    } else if constexpr (FixedSizeWithData<T>) {
        T result = a;
        for (std::size_t i = 0; i < component_count<T>(); ++i) {
            result.data()[i] = sum(a.data()[i], b.data()[i], c.data()[i]);
        }
        return result;
    } else if constexpr (HasComponents<T>) {
        auto result = components_of(a);
        const auto second = components_of(b);
        const auto third = components_of(c);
        for (std::size_t i = 0; i < result.size(); ++i) {
            result[i] = sum(result[i], second[i], third[i]);
        }
        return with_components(a, result);
    } else {
        return (scaled(a, static_cast<Scalar>(s)) + scaled(b, static_cast<Scalar>(t))) +
               scaled(c, static_cast<Scalar>(u));
    }
}

/// The largest power of two that is at most v, for a normal v > 0.
template <std::floating_point S>
[[nodiscard]] constexpr S power_of_two_below(S v) noexcept {
    using Bits = std::conditional_t<sizeof(S) == sizeof(float), std::uint32_t, std::uint64_t>;
    constexpr Bits exponent_bits = std::bit_cast<Bits>(std::numeric_limits<S>::infinity());
    return std::bit_cast<S>(std::bit_cast<Bits>(v) & exponent_bits);
}

/// Every number of v that is nearer to zero than `limit` becomes exactly zero.
///
/// A type whose numbers cannot be reached is scaled down until such numbers underflow and up again;
/// those up to 2^24 (float) or 2^51 (double) times the limit may lose trailing digits by it.
template <LinearSpace T>
constexpr void drop_below(T& v, ScalarIn<T> limit) noexcept {
    using Scalar = ScalarIn<T>;
    if constexpr (std::floating_point<T>) {
        v = (v < limit && v > -limit) ? Scalar{0} : v;
    } else if constexpr (FixedSizeWithData<T>) {
        for (std::size_t i = 0; i < component_count<T>(); ++i)
            drop_below(v.data()[i], limit);
    } else if constexpr (HasComponents<T>) {
        auto c = components_of(v);
        for (Scalar& each : c)
            drop_below(each, limit);
        v = with_components(v, c);
    } else {
        const Scalar down = std::numeric_limits<Scalar>::denorm_min() / power_of_two_below(limit);
        const bool exact = down >= std::numeric_limits<Scalar>::min() && down < 1;
        if (exact) v = scaled(scaled(v, down), 1 / down);
    }
}

/// Whether every number of v is finite; true for a type that neither compares nor gives access to
/// its numbers: it cannot be checked.
template <LinearSpace T>
[[nodiscard]] constexpr bool is_finite(const T& v) noexcept {
    using Scalar = ScalarIn<T>;
    if constexpr (std::floating_point<T>) {
        return v - v == Scalar{0};  // infinity minus itself is NaN
    } else if constexpr (HasComponents<T>) {
        bool finite = true;
        for (const Scalar each : components_of(v))
            finite &= is_finite(each);
        return finite;
    } else if constexpr (ComparesWhole<T>) {
        const T nothing = v - v;
        return nothing == nothing;
    } else {
        return true;
    }
}

/// Has a Euclidean length that can be compared with a distance.
template <class T>
concept HasLength = HasComponents<T> || requires(const T& v) {
    { v.norm() } -> std::convertible_to<double>;
};

/// The Euclidean length of v; neither over- nor underflows on the way.
template <HasLength T>
[[nodiscard]] double length_of(const T& v) noexcept {
    if constexpr (HasComponents<T>) {
        double largest = 0;
        for (const double each : components_of(v)) {
            const double size = each < 0 ? -each : each;
            if (!(size <= largest)) largest = size;
        }
        if (!(largest > 0) || !is_finite(largest)) return largest;
        double sum = 0;
        for (const double each : components_of(v))
            sum += (each / largest) * (each / largest);
        return largest * math::sqrt(sum);
    } else {
        return static_cast<double>(v.norm());
    }
}

/// Whether a vector of these numbers is at most `limit` (>= 0) long; false when one is a NaN.
template <class Numbers>
[[nodiscard]] constexpr bool are_within(const Numbers& numbers, double limit) noexcept {
    double largest = 0;
    for (const double each : numbers) {
        const double size = each < 0 ? -each : each;
        if (!(size <= limit)) return false;
        largest = size > largest ? size : largest;
    }
    if (largest == 0) return limit >= 0;
    double sum = 0;  // of squares relative to the largest, which neither over- nor underflow
    for (const double each : numbers)
        sum += (each / largest) * (each / largest);
    return sum <= (limit / largest) * (limit / largest);
}

/// Whether the length of v is at most `limit` (>= 0); false when v holds a NaN.
template <HasLength T>
[[nodiscard]] constexpr bool is_within(const T& v, double limit) noexcept {
    if constexpr (HasComponents<T>) {
        return are_within(components_of(v), limit);
    } else {
        return static_cast<double>(v.norm()) <= limit;
    }
}

/// Whether two values are equal in every number; never so for a NaN.
template <class T>
[[nodiscard]] constexpr bool is_same(const T& a, const T& b) noexcept {
    if constexpr (ComparesWhole<T>) {
        return a == b;
    } else {
        const T difference = a - b;
        return is_within(difference, 0);
    }
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
