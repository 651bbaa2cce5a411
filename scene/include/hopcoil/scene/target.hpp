#pragma once

#include <cstdint>
#include <variant>
#include <vector>

namespace hopcoil::scene {

/// Where a target is and how fast it moves.
struct TargetPoint {
    double value = 0.0;
    double velocity = 0.0;
};

/// A move that takes over from whatever went on before it.
struct Jump {
    double at_s = 0.0;
    double to = 0.0;
};
struct Ramp {
    double at_s = 0.0;
    double to = 0.0;
    double over_s = 1.0;
};
/// Added to the others while it lasts.
struct Sine {
    double from_s = 0.0;
    double until_s = 0.0;  ///< may be infinite
    double amplitude = 1.0;
    double frequency_hz = 1.0;
};

/// What a record does past its last sample.
enum class AfterEnd : std::uint8_t {
    hold,      ///< stays there
    loop,      ///< begins again (a jump, when the ends differ)
    mirror,    ///< goes back, then forth again
    carry_on,  ///< keeps the velocity of its last two samples
};

/// A target made of jumps, ramps and sines.
class MovesTarget {
  public:
    /// Jumps and ramps in order of time.
    /// Errors  InvalidValue for a number that is not finite, a time before 0 or before the move
    ///         ahead of it, a ramp over no time, a sine without frequency or ending before it
    ///         begins.
    MovesTarget(double start, const std::vector<std::variant<Jump, Ramp>>& moves,
                std::vector<Sine> sines);

    [[nodiscard]] TargetPoint before(double time_s) const noexcept;
    [[nodiscard]] TargetPoint after(double time_s) const noexcept;
    [[nodiscard]] double next_knot_s(double time_s) const noexcept;
    [[nodiscard]] bool is_straight() const noexcept { return sines_.empty(); }
    [[nodiscard]] double last_event_s() const noexcept;

  private:
    struct Piece {
        double from_s = 0.0;
        double value = 0.0;
        double slope = 0.0;
    };
    void add_ramp(const Ramp& ramp);
    [[nodiscard]] TargetPoint sum_at(const Piece& piece, double time_s, bool after) const noexcept;

    std::vector<Piece> pieces_{};
    std::vector<Sine> sines_{};
};

/// A target given as samples, straight between them. Two samples at one time are a jump.
class RecordTarget {
  public:
    /// Shapes  as many values as times, at least one; times never go back.
    /// Errors  InvalidValue
    RecordTarget(std::vector<double> times_s, std::vector<double> values, AfterEnd after_end);

    [[nodiscard]] TargetPoint before(double time_s) const noexcept;
    [[nodiscard]] TargetPoint after(double time_s) const noexcept;
    [[nodiscard]] double next_knot_s(double time_s) const noexcept;
    [[nodiscard]] bool is_straight() const noexcept { return true; }
    [[nodiscard]] double last_event_s() const noexcept { return times_s_.back(); }

  private:
    struct Place {
        double cycle = 0.0;
        std::size_t knot = 0;  ///< the segment from this knot to the next
    };
    [[nodiscard]] bool repeats() const noexcept;
    [[nodiscard]] bool is_backward(double cycle) const noexcept;
    [[nodiscard]] double knot_time_s(double cycle, std::size_t knot) const noexcept;
    [[nodiscard]] double knot_value(double cycle, std::size_t knot) const noexcept;
    [[nodiscard]] Place place_of(double time_s, bool after) const noexcept;
    [[nodiscard]] TargetPoint point_in(const Place& place, double time_s) const noexcept;
    [[nodiscard]] TargetPoint past_end(double time_s) const noexcept;

    std::vector<double> times_s_{};
    std::vector<double> values_{};
    AfterEnd after_end_;
};

/// A target over time. Between knots it is smooth; at a knot its value or velocity may leap, so a
/// run splits its steps there and the motion is the same at every frame rate.
///
/// Where it is a sine there are 256 knots a period: cubics between them are within 1e-9 of it.
class Target {
  public:
    Target(MovesTarget moves) : target_{std::move(moves)} {}
    Target(RecordTarget record) : target_{std::move(record)} {}

    /// Coming up to a time, and from that time on; they differ at a jump.
    [[nodiscard]] TargetPoint before(double time_s) const noexcept {
        return std::visit([&](const auto& t) { return t.before(time_s); }, target_);
    }
    [[nodiscard]] TargetPoint after(double time_s) const noexcept {
        return std::visit([&](const auto& t) { return t.after(time_s); }, target_);
    }
    /// The first knot after a time; infinity when there is none.
    [[nodiscard]] double next_knot_s(double time_s) const noexcept {
        return std::visit([&](const auto& t) { return t.next_knot_s(time_s); }, target_);
    }
    /// Whether it moves straight between knots.
    [[nodiscard]] bool is_straight() const noexcept {
        return std::visit([](const auto& t) { return t.is_straight(); }, target_);
    }
    /// When the last thing happens that it does not do for ever.
    [[nodiscard]] double last_event_s() const noexcept {
        return std::visit([](const auto& t) { return t.last_event_s(); }, target_);
    }

  private:
    std::variant<MovesTarget, RecordTarget> target_;
};

/// Angles without leaps: each is moved by whole turns to within half a turn of the one before.
/// Units   radians, or with `turn` = 360 degrees.
[[nodiscard]] std::vector<double> unwrapped(std::vector<double> angles, double turn);

}  // namespace hopcoil::scene
