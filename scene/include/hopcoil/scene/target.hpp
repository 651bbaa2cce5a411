#pragma once

#include <cstdint>
#include <variant>
#include <vector>

#include <hopcoil/follow/key_curve.hpp>
#include <hopcoil/scene/wave.hpp>

namespace hopcoil::scene {

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
/// Through points, smoothly: from its present place and speed to rest at the last point.
struct Path {
    double at_s = 0.0;
    std::vector<double> times_s{};  ///< rising, after at_s
    std::vector<double> values{};
};
using Move = std::variant<Jump, Ramp, Path>;

/// What a record does after its last sample.
enum class AfterEnd : std::uint8_t {
    hold,      ///< stays there
    loop,      ///< begins again (a jump, when the ends differ)
    mirror,    ///< goes back, then forth again
    carry_on,  ///< keeps the velocity of its last two samples
};

/// A target made of moves, and of waves added to them.
class MovesTarget {
  public:
    /// Moves in order of time.
    /// Errors  InvalidValue for a number that is not finite, a time before 0 or before the move
    ///         ahead of it, a ramp over no time, a path whose times do not rise, an invalid wave.
    MovesTarget(double start, const std::vector<Move>& moves, std::vector<Wave> waves);

    [[nodiscard]] TargetPoint before(double time_s) const noexcept;
    [[nodiscard]] TargetPoint after(double time_s) const noexcept;
    [[nodiscard]] double next_breakpoint_s(double time_s) const noexcept;
    [[nodiscard]] bool is_straight() const noexcept { return is_straight_; }
    [[nodiscard]] double last_event_s() const noexcept;

  private:
    struct Piece {
        double from_s = 0.0;
        double value = 0.0;
        double slope = 0.0;
        double bend = 0.0;   ///< of the time squared
        double twist = 0.0;  ///< of the time cubed
    };
    static TargetPoint point_in(const Piece& piece, double time_s) noexcept;
    void add(const Jump& jump);
    void add(const Ramp& ramp);
    void add(const Path& path);
    void call_off_after(double at_s);
    [[nodiscard]] TargetPoint sum_at(const Piece& piece, double time_s, bool after) const noexcept;

    std::vector<Piece> pieces_{};
    std::vector<Wave> waves_{};
    bool is_straight_ = true;
};

/// A target given as samples, straight between them, or as keys with slopes and cubics between
/// them. Two samples at one time are a jump.
class RecordTarget {
  public:
    /// Shapes  as many values as times, at least one; times never go back.
    /// Errors  InvalidValue
    RecordTarget(std::vector<double> times_s, std::vector<double> values, AfterEnd after_end);
    RecordTarget(const std::vector<CurveKey>& keys, AfterEnd after_end);

    [[nodiscard]] TargetPoint before(double time_s) const noexcept;
    [[nodiscard]] TargetPoint after(double time_s) const noexcept;
    [[nodiscard]] double next_breakpoint_s(double time_s) const noexcept;
    [[nodiscard]] bool is_straight() const noexcept { return slopes_.empty(); }
    [[nodiscard]] double last_event_s() const noexcept { return times_s_.back(); }

  private:
    struct Segment {
        double cycle = 0.0;
        std::size_t breakpoint = 0;  ///< from this breakpoint to the next
    };
    struct Slopes {
        double first = 0.0;
        double second = 0.0;
    };
    [[nodiscard]] bool repeats() const noexcept;
    [[nodiscard]] bool is_backward(double cycle) const noexcept;
    [[nodiscard]] double breakpoint_time_s(double cycle, std::size_t breakpoint) const noexcept;
    [[nodiscard]] double breakpoint_value(double cycle, std::size_t breakpoint) const noexcept;
    /// Of the segment from a breakpoint on: at its start and at its end.
    [[nodiscard]] Slopes segment_slopes(double cycle, std::size_t breakpoint) const noexcept;
    [[nodiscard]] Segment segment_at(double time_s, bool after) const noexcept;
    [[nodiscard]] TargetPoint point_in(const Segment& segment, double time_s) const noexcept;
    [[nodiscard]] TargetPoint past_end(double time_s) const noexcept;

    std::vector<double> times_s_{};
    std::vector<double> values_{};
    std::vector<Slopes> slopes_{};  ///< before and after each key; none where it is straight
    AfterEnd after_end_;
};

/// A target over time. Between breakpoints it is smooth; at a breakpoint its value or velocity may
/// leap, so a run splits its steps there and the motion is the same at every frame rate.
///
/// Where it is a wave there are as many breakpoints as it takes for cubics between them (wave.hpp).
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
    /// The first breakpoint after a time; infinity when there is none.
    [[nodiscard]] double next_breakpoint_s(double time_s) const noexcept {
        return std::visit([&](const auto& t) { return t.next_breakpoint_s(time_s); }, target_);
    }
    /// Whether it moves straight between breakpoints.
    [[nodiscard]] bool is_straight() const noexcept {
        return std::visit([](const auto& t) { return t.is_straight(); }, target_);
    }
    /// The time of the last event, apart from waves without an end.
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
