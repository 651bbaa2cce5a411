#pragma once

#include <cstdint>
#include <string_view>

namespace hopcoil {

/// A number that has nothing to do with any other input's, the same on every machine.
[[nodiscard]] constexpr std::uint64_t mixed_bits(std::uint64_t value) noexcept {
    value = (value ^ (value >> 30U)) * 0xbf58476d1ce4e5b9U;
    value = (value ^ (value >> 27U)) * 0x94d049bb133111ebU;
    return value ^ (value >> 31U);
}

/// Of a whole run's seed and the path of one thing in it ("target.wind"): its own, so that adding
/// or removing another changes nothing here.
[[nodiscard]] std::uint64_t stream_of(std::uint64_t seed, std::string_view path) noexcept;

/// The `index`th number of a stream, in [0, 1), without those before it.
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
    /// Mean 0, standard deviation 1, by the polar form of two even ones.
    [[nodiscard]] double normal() noexcept;

  private:
    std::uint64_t stream_;
    std::uint64_t count_ = 0;
};

}  // namespace hopcoil
