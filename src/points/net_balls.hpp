#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/points/net.hpp>

namespace hopcoil {

/// Contacts between balls and the other points of a net, as springs that push only.
///
/// Model   a point nearer than `least_m` to a ball is drawn to that distance; friction opposes how
///         it slips in the step, up to the part of its depth that the coefficient says. One that
///         would pass the middle of the ball is pushed back to the side that it came from.
class NetBalls {
  public:
    struct Pair {
        std::uint32_t ball;
        std::uint32_t point;
        double least_m;
    };

    NetBalls(const NetStructure& structure, const NetSettings& settings);

    [[nodiscard]] bool has_any() const noexcept { return !all_.empty(); }
    /// Every ball with every other point: those that may ever touch.
    [[nodiscard]] std::span<const Pair> all() const noexcept { return all_; }
    /// Chooses those that may touch on the straight way between two places; returns whether they
    /// are others than before.
    bool choose(std::span<const Vector3> from, std::span<const Vector3> to) noexcept;
    /// Of `all`.
    [[nodiscard]] std::span<const std::uint32_t> chosen() const noexcept {
        return std::span{chosen_}.first(chosen_count_);
    }
    /// What takes the point of a pair out of its ball; nothing where it is outside.
    [[nodiscard]] Vector3 correction(const Pair& pair, std::span<const Vector3> from,
                                     std::span<const Vector3> now) const noexcept;

  private:
    double friction_;
    std::vector<Pair> all_;
    std::vector<std::uint32_t> chosen_;
    std::size_t chosen_count_ = 0;
};

}  // namespace hopcoil
