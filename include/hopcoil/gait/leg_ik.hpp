#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// A leg of two bones, bent.
struct TwoBonePose {
    Vector3 knee{};
    Vector3 ankle{};       ///< where it was asked for, or as near as the bones reach
    double error_m = 0.0;  ///< from where the ankle was asked for
};

/// Bends two bones so that the second one ends on a spot.
///
/// Model   the triangle of both lengths and the distance, in the plane of hip, spot and `pole`,
///         its knee on the pole's side. A spot out of reach is met as nearly as it can be. With the
///         pole along the leg any plane will do.
/// Units   lengths above 0.
/// Source  the law of cosines, by half differences, which keep their digits near a straight leg.
[[nodiscard]] TwoBonePose bend_two_bones(const Vector3& hip, const Vector3& spot,
                                         const Vector3& pole, double thigh_m,
                                         double shin_m) noexcept;

/// The angle between the directions of both bones, 0 when the leg is straight.
[[nodiscard]] double knee_angle_rad(const Vector3& hip, const TwoBonePose& pose) noexcept;

/// How a chain of bones is turned toward a spot.
struct LimbSettings {
    double most_bend_rad = 3.2;  ///< between two bones
    double tolerance_m = 1e-6;
    int most_rounds = 64;
};

/// Bends a limb of any number of bones so that it ends on a spot: `joints` from root to tip, as
/// they are, are moved; the root and the bones' lengths stay. Returns the distance left to the
/// spot.
///
/// Model   in turn from the tip and from the root each joint is drawn to its neighbour at its
///         bone's length, bent no further than allowed, until the tip is there or it no longer
///         comes nearer.
/// Errors  none: a limb of fewer than two joints stays as it is.
[[nodiscard]] double bend_limb(std::span<Vector3> joints, const Vector3& spot,
                               const LimbSettings& settings = {}) noexcept;

/// The distance of a foot from its hip, limited to the leg's length: smoothly over the last
/// `soft_m`, so that the knee does not snap straight.
[[nodiscard]] inline double softly_within(double leg_m, double soft_m, double length_m) noexcept {
    const double beyond = length_m - (leg_m - soft_m);
    return beyond <= 0 ? length_m : leg_m - soft_m + beyond * soft_m / (soft_m + beyond);
}

}  // namespace hopcoil
