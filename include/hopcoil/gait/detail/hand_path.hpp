#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/gait/brachiator_settings.hpp>

namespace hopcoil::detail {

/// One swing below a hold, and the time after it in which both hands hold.
struct HandSwing {
    double from_s = 0.0;
    double swing_s = 0.0;     ///< 0: it hangs by both hands
    std::uint32_t pivot = 0;  ///< the hold that it swings below
    std::uint32_t left = 0;   ///< the one that is let go
    std::uint32_t caught = 0;
    std::uint32_t hand = 0;  ///< that lets go and catches
    Vector3 from{};          ///< of the middle of the shoulders, at the change-over
    Vector3 to{};
    double yaw_rad = 0.0;  ///< along its way

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(from_s, swing_s, pivot, left, caught, hand, from, to, yaw_rad);
    }
};

/// What a hand does at a time.
struct HandAt {
    bool holds = true;
    std::uint32_t hold = 0;  ///< that it has, or reaches for
    std::uint32_t left = 0;  ///< that it comes from
    double phase = 0.0;      ///< of reaching
};

/// The body at a tick, as planned.
struct BodyPoint {
    Vector3 place{};  ///< of the centre of mass
    Vector3 hold{};   ///< what it hangs from
    double yaw_rad = 0.0;
    double twist = 0.0;   ///< -1: the left shoulder goes ahead
    double ahead = 0.0;   ///< where in its swing: -1 to 1
    double lift_m = 0.0;  ///< that an arm needs

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(place, hold, yaw_rad, twist, ahead, lift_m);
    }
};

/// The way of a body from hold to hold, planned and smoothed some ticks before it is gone.
class HandPath {
  public:
    static constexpr double tick_s = 1.0 / 240;

    HandPath() = default;
    /// At rest, hanging by both hands from a hold and the next.
    HandPath(const BrachiatorSettings& settings, std::span<const Vector3> holds,
             std::uint32_t first = 0) noexcept;

    /// A speed that is told now moves the body no sooner than this.
    static constexpr std::uint64_t planned_ticks = 129;
    [[nodiscard]] double now_s() const noexcept { return static_cast<double>(ticks_) * tick_s; }
    /// Plans one tick further.
    void advance(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                 double speed) noexcept;
    /// Now (0), one tick later (1) or one before (-1).
    [[nodiscard]] const BodyPoint& at(int ticks) const noexcept {
        return smoothed(static_cast<std::int64_t>(ticks_) + ticks);
    }
    [[nodiscard]] HandAt hand_at(double time_s, std::uint32_t hand) const noexcept;
    [[nodiscard]] const HandSwing& swing_at(double time_s) const noexcept;
    /// The last one that is planned.
    [[nodiscard]] const HandSwing& newest() const noexcept {
        return swings_[(swing_count_ - 1) % swing_size];
    }
    [[nodiscard]] bool is_at_end() const noexcept { return is_at_end_; }
    /// Whether every swing is between holds that there are.
    [[nodiscard]] bool fits(std::size_t holds) const noexcept;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(swings_, raw_, smooth_, raised_, swing_count_, ticks_, is_at_end_);
    }

  private:
    static constexpr std::int64_t raw_size = 512;
    static constexpr std::int64_t smooth_size = 512;
    static constexpr std::uint64_t swing_size = 64;

    void extend(const BrachiatorSettings& settings, std::span<const Vector3> holds, double speed,
                std::int64_t tick) noexcept;
    void smooth(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                std::int64_t tick) noexcept;
    void plan_swing(const BrachiatorSettings& settings, std::span<const Vector3> holds,
                    double speed, double from_s) noexcept;
    void lift(std::int64_t tick) noexcept;
    [[nodiscard]] double lift_for(const BrachiatorSettings& settings,
                                  std::span<const Vector3> holds, const BodyPoint& point,
                                  double time_s) const noexcept;
    [[nodiscard]] BodyPoint& raw(std::int64_t tick) noexcept {
        return raw_[static_cast<std::size_t>(tick & (raw_size - 1))];
    }
    [[nodiscard]] const BodyPoint& raw(std::int64_t tick) const noexcept {
        return raw_[static_cast<std::size_t>(tick & (raw_size - 1))];
    }
    [[nodiscard]] BodyPoint& smoothed(std::int64_t tick) noexcept {
        return smooth_[static_cast<std::size_t>(tick & (smooth_size - 1))];
    }
    [[nodiscard]] const BodyPoint& smoothed(std::int64_t tick) const noexcept {
        return smooth_[static_cast<std::size_t>(tick & (smooth_size - 1))];
    }

    std::array<HandSwing, swing_size> swings_{};
    std::array<BodyPoint, raw_size> raw_{};
    std::array<BodyPoint, smooth_size> smooth_{};  ///< lifted up to the next tick
    std::array<double, smooth_size> raised_{};     ///< the most lift near a tick
    std::uint64_t swing_count_ = 0;
    std::uint64_t ticks_ = 0;  ///< now
    bool is_at_end_ = false;
};

/// How a body hangs at a point of its path: along its arm, turned along its way and twisted.
[[nodiscard]] Quaternion hanging_turn(const BrachiatorSettings& settings,
                                      const BodyPoint& point) noexcept;

}  // namespace hopcoil::detail
