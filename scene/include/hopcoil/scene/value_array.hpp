#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace hopcoil::scene {

/// The type of a target's value, and of what follows it.
enum class ValueKind : std::uint8_t {
    number,
    angle,     ///< a direction in a plane: it goes round, and is shown in (-pi, pi]
    vector,    ///< two to four numbers, each on its own axis: a place, a colour
    rotation,  ///< a unit quaternion w, x, y, z; its velocity three numbers, radians per second
};

inline constexpr std::size_t most_numbers = 4;

/// Where something is, or how fast it moves: one number, a vector's, or a rotation's w, x, y, z.
struct ValueArray {
    std::array<double, most_numbers> numbers{};

    constexpr ValueArray() = default;
    constexpr ValueArray(double number) : numbers{number} {}
    constexpr explicit ValueArray(const std::array<double, most_numbers>& all) : numbers{all} {}

    /// The same number on every axis.
    [[nodiscard]] static constexpr ValueArray all(double number) {
        return ValueArray{{number, number, number, number}};
    }

    [[nodiscard]] constexpr double& operator[](std::size_t i) { return numbers[i]; }
    [[nodiscard]] constexpr double operator[](std::size_t i) const { return numbers[i]; }
    friend constexpr bool operator==(const ValueArray&, const ValueArray&) = default;
};

struct ValueAndVelocity {
    ValueArray value{};
    ValueArray velocity{};
};

/// The rotation that turns nothing.
inline constexpr ValueArray unturned{{1, 0, 0, 0}};

/// How many numbers the velocity of a value of so many numbers has.
[[nodiscard]] constexpr std::size_t velocity_size(ValueKind kind, std::size_t numbers) {
    return kind == ValueKind::rotation ? 3 : numbers;
}

}  // namespace hopcoil::scene
