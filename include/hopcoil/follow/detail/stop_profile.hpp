#pragma once

#include <array>
#include <cstddef>
#include <limits>

namespace hopcoil {

/// What a StopProfile keeps.
struct StopCaps {
    double max_speed = 1.0;
    double max_acceleration = 1.0;
    // Towards the stop and faster than `gentle_from` it speeds up at `gentle_acceleration` at most.
    double gentle_from = std::numeric_limits<double>::infinity();
    double gentle_acceleration = 0.0;
};

/// The quickest way along a line from one motion to a stop at zero, under a cap on speed and one on
/// acceleration: speed up, cruise, slow down. Known for all time once it is planned.
///
/// Model   pieces of constant acceleration. It passes the stop only if it arrives too fast to be
///         held, and then by the least possible, v^2 / (2 a) less the way there; above the speed
///         cap it first slows down to it.
/// Source  the time-optimal control of a double integrator with a speed constraint.
class StopProfile {
  public:
    /// At rest at zero.
    StopProfile() = default;
    /// From `place` with `velocity`; the caps are above 0, one of the first two may be infinite.
    /// With an infinite acceleration the velocity is ignored.
    StopProfile(double place, double velocity, const StopCaps& caps) noexcept;

    /// Which way it goes first: braking from now on, it would stop on the other side of zero.
    [[nodiscard]] static double first_way(double place, double velocity,
                                          double max_acceleration) noexcept;

    struct State {
        double place = 0.0;
        double velocity = 0.0;
    };
    /// `time_s` >= 0 after the start; exactly zero from `duration_s` on.
    [[nodiscard]] State at(double time_s) const noexcept;
    [[nodiscard]] double duration_s() const noexcept { return duration_s_; }

    template <class Fields>
    void visit_state(Fields& fields) {
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

    std::array<Piece, 4> pieces_{};
    std::size_t count_ = 0;
    double duration_s_ = 0.0;
};

}  // namespace hopcoil
