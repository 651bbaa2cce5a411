#pragma once

#include <cstdint>
#include <string_view>

namespace hopcoil {

/// A hash of a number: unrelated to that of any other number, the same on every machine.
[[nodiscard]] constexpr std::uint64_t mixed_bits(std::uint64_t value) noexcept {
    value = (value ^ (value >> 30U)) * 0xbf58476d1ce4e5b9U;
    value = (value ^ (value >> 27U)) * 0x94d049bb133111ebU;
    return value ^ (value >> 31U);
}

/// The stream of one thing in a run, from the run's seed and the thing's path ("target.wind"):
/// adding or removing another thing does not change it.
[[nodiscard]] std::uint64_t stream_of(std::uint64_t seed, std::string_view path) noexcept;

/// The number at `index` of a stream, in [0, 1), without computing those before it.
[[nodiscard]] double unit_number(std::uint64_t stream, std::int64_t index) noexcept;

/// Random numbers, one after the other. A value: a copy goes on with the same numbers.
///
///     RandomNumbers numbers{stream_of(seed, "spray.wall")};
///     const double angle = numbers.between(0, 0.3);
///
/// Source  Steele, Lea, Flood: Fast splittable pseudorandom number generators (2014), its
///         finaliser.
class RandomNumbers {
  public:
    explicit RandomNumbers(std::uint64_t stream) noexcept : stream_{stream} {}

    [[nodiscard]] std::uint64_t bits() noexcept;
    /// In [0, 1), 2^53 different ones.
    [[nodiscard]] double unit() noexcept;
    /// In [low, high).
    [[nodiscard]] double between(double low, double high) noexcept;
    /// Normally distributed with mean 0 and standard deviation 1, by the polar method.
    [[nodiscard]] double normal() noexcept;

  private:
    std::uint64_t stream_;
    std::uint64_t count_ = 0;
};

}  // namespace hopcoil
