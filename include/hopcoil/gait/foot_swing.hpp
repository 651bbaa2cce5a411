#pragma once

#include <array>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Place, velocity and acceleration.
struct SwingPoint {
    Vector3 position{};
    Vector3 velocity{};
    Vector3 acceleration{};
};

/// A number along time with place, velocity and acceleration given at both ends.
class Quintic {
  public:
    struct End {
        double value = 0.0;
        double rate = 0.0;
        double rate_of_rate = 0.0;
    };
    Quintic() = default;
    Quintic(const End& from, const End& to, double from_s, double to_s) noexcept;
    /// Before its start as at its start; after its end as at its end, at rest.
    [[nodiscard]] End at(double time_s) const noexcept;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(c_, from_s_, span_s_, before_, after_);
    }

  private:
    std::array<double, 6> c_{};
    double from_s_ = 0.0;
    double span_s_ = 1.0;
    double before_ = 0.0;
    double after_ = 0.0;
};

/// Along x, y and z from one state of motion to another.
[[nodiscard]] std::array<Quintic, 3> quintics_between(const SwingPoint& from, const SwingPoint& to,
                                                      double from_s, double to_s) noexcept;

/// A foot's path through the air: over the ground from where it is to a spot, up and down again.
///
/// Model   x and z are quintics that end a little before the landing, so that the foot comes down
///         from above; y rises to an apex, stays, and sinks, a quintic each. Continuous in velocity
///         wherever it is planned anew.
/// Units   seconds from an origin of the walker's own; metres in the frame that it lands in.
struct FootSwing {
    double land_s = 0.0;
    Vector3 spot{};
    Quintic x{};
    Quintic z{};
    Quintic up{};
    Quintic down{};
    double down_from_s = 0.0;
    Vector3 aside{};  ///< how far its way is bent in the middle
    double planned_s = 0.0;
    // With gravity, all places are relative to a body that falls freely since `planned_s`:
    Vector3 flies_from{};      ///< where it was then
    Vector3 flies_with{};      ///< its velocity then
    double flies_under = 0.0;  ///< its acceleration downward; 0 for a step on the ground

    [[nodiscard]] SwingPoint at(double time_s) const noexcept;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(land_s, spot, x, z, up, down, down_from_s, aside, planned_s, flies_from, flies_with,
               flies_under);
    }
};

/// How a swing should go.
struct SwingWish {
    SwingPoint from{};
    Vector3 spot{};
    double now_s = 0.0;
    double land_s = 0.0;
    Vector3 aside{};          ///< how far to bend its way in the middle, past another foot
    double delay_part = 0.0;  ///< of the time left, before it goes sideways
    double apex_m = 0.0;      ///< the height to rise to
    double apex_s = 0.0;      ///< when it is there; before now it comes down from where it is
    double down_s = 0.0;      ///< when it leaves that height
};
[[nodiscard]] FootSwing plan_swing(const SwingWish& wish) noexcept;

}  // namespace hopcoil
