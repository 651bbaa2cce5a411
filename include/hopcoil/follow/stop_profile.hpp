#pragma once

#include <array>
#include <cstddef>

namespace hopcoil {

/// The quickest way along a line from one motion to a stop at zero, under a cap on speed and one on
/// acceleration: speed up, cruise, slow down. Known for all time once it is planned.
///
/// Model   pieces of constant acceleration +-a and 0. It passes the stop only if it arrives too
/// fast
///         to be held, and then by the least possible, v^2 / (2 a) less the way there; above the
///         speed cap it first slows down to it.
/// Source  the time-optimal control of a double integrator with a speed constraint.
class StopProfile {
  public:
    /// At rest at zero.
    StopProfile() = default;
    /// From `place` with `velocity`; max_speed > 0, max_acceleration > 0, either may be infinite
    /// but not both. With an infinite acceleration the velocity is ignored.
    StopProfile(double place, double velocity, double max_speed, double max_acceleration) noexcept;

    struct State {
        double place = 0.0;
        double velocity = 0.0;
    };
    /// `time_s` >= 0 after the start; exactly zero from `duration_s` on.
    [[nodiscard]] State at(double time_s) const noexcept;
    [[nodiscard]] double duration_s() const noexcept { return duration_s_; }

    template <class Fields>
    void each_state(Fields& fields) {
        for (Piece& piece : pieces_)
            fields(piece.duration_s, piece.place, piece.velocity, piece.acceleration);
        fields.up_to(pieces_.size(), count_);
        fields(duration_s_);
    }

  private:
    struct Piece {
        double duration_s = 0.0;
        double place = 0.0;
        double velocity = 0.0;
        double acceleration = 0.0;
    };
    void add(double duration_s, double acceleration) noexcept;

    std::array<Piece, 3> pieces_{};
    std::size_t count_ = 0;
    double duration_s_ = 0.0;
};

}  // namespace hopcoil
