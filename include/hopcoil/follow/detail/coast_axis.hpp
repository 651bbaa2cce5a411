#pragma once

#include <cstdint>
#include <limits>

#include <hopcoil/follow/coast_tuning.hpp>

namespace hopcoil {

/// One number of a Coast.
///
/// Model   thrown: v' = -k v, so v falls by k for every unit of way and the way still to go is v /
///         k; on a spring: that of Follower with its target held.
class CoastAxis {
  public:
    struct Range {
        double low = -std::numeric_limits<double>::infinity();
        double high = std::numeric_limits<double>::infinity();

        [[nodiscard]] bool contains(double number) const noexcept {
            return number >= low && number <= high;
        }
    };

    CoastAxis() = default;
    explicit CoastAxis(double place) noexcept : anchor_{place} {}

    [[nodiscard]] double place() const noexcept { return anchor_ + gap_; }
    [[nodiscard]] double velocity() const noexcept { return velocity_; }
    /// Whether it moves to a snap point; new numbers do not change that.
    [[nodiscard]] bool is_snapped() const noexcept { return snapped_; }

    /// Thrown from where it is.
    void launch(double velocity, const CoastTuning& tuning, const Range& range) noexcept;
    /// Thrown so that it ends exactly at `end`, inside the range: by a friction of its own, as near
    /// to the tuning's as it can be, straight on or after bounces; past a bound with a spring, by
    /// that spring; and by the spring too when the end lies behind.
    void launch_to(double end, double velocity, const CoastTuning& tuning,
                   const Range& range) noexcept;
    /// The half-life of the present throw; 0 if there is none.
    [[nodiscard]] double slowing_half_life_s() const noexcept;
    /// Adapts the motion to new bounds or numbers.
    void adapt(const CoastTuning& tuning, const Range& range) noexcept;

    void step(double dt, const CoastTuning& tuning, const Range& range) noexcept;

    /// Where it will come to rest.
    [[nodiscard]] double end(const CoastTuning& tuning, const Range& range) const noexcept;
    /// When it is slower than `speed` for good; infinite when never.
    [[nodiscard]] double time_below_s(double speed, const CoastTuning& tuning,
                                      const Range& range) const noexcept;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(anchor_, gap_, velocity_, friction_per_s_, snapped_, snap_end_);
        fields.up_to(Mode::sprung, mode_);
        fields.require(friction_per_s_ > 0);
    }

  private:
    enum class Mode : std::uint8_t { still, thrown, sprung };

    void halt(double place) noexcept;
    void spring_to(double anchor) noexcept;
    void throw_from(double place, double velocity, double friction) noexcept;
    /// Until the bound ahead is met; infinite when it is not.
    [[nodiscard]] double time_to_bound_s(const Range& range) const noexcept;
    void meet_bound(const CoastTuning& tuning, const Range& range) noexcept;
    void glide_on(double dt) noexcept;
    [[nodiscard]] double snapping_friction(double end, double friction, double restitution,
                                           const Range& range) const noexcept;

    double anchor_ = 0.0;  ///< the end of the throw, or where the spring is fixed
    double gap_ = 0.0;     ///< place minus anchor
    double velocity_ = 0.0;
    double friction_per_s_ = 1.0;
    Mode mode_ = Mode::still;
    bool snapped_ = false;
    double snap_end_ = 0.0;
};

}  // namespace hopcoil
