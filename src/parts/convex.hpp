#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/vector3.hpp>

#include "parts_math.hpp"

namespace hopcoil {
namespace parts {

/// Flat sides of a solid, by the indices of their corners.
struct Polytope {
    std::vector<std::vector<std::uint16_t>> faces{};  ///< counter-clockwise seen from outside
    std::vector<Vector3> normals{};                   ///< of each, in the solid's own frame
    std::vector<Vector3> edges{};                     ///< their directions, each once
};
/// Of an outline's corners at the front, then the same at the back.
[[nodiscard]] Polytope prism(std::span<const Vector3> corners);

/// A convex solid where it stands: points, all that is between them, and a radius around it.
struct Convex {
    std::span<const Vector3> points{};
    const Polytope* sides = nullptr;  ///< none of a single point or of a line
    Axes axes{};                      ///< of the solid
    double radius = 0;
};

/// A spot where two solids touch or nearly do.
struct TouchPoint {
    Vector3 on_a{};
    Vector3 on_b{};
    double gap = 0;  ///< below 0: how deep
};

/// Where two solids touch: up to four spots with one normal, from b toward a.
struct Touch {
    Vector3 normal{0, 1, 0};
    std::array<TouchPoint, 4> points{};
    std::size_t count = 0;

    void add(const TouchPoint& point) noexcept;
};

/// Of many, moved to the front: the deepest, the one furthest from it, and those furthest to either
/// side of both.
[[nodiscard]] std::span<TouchPoint> keep_four(std::span<TouchPoint> all,
                                              const Vector3& normal) noexcept;

/// Those that are nearer than `margin`, while a moves so past b.
[[nodiscard]] Touch touch_of(const Convex& a, const Convex& b, double margin,
                             const Vector3& moving) noexcept;
/// Of a solid on a plane.
[[nodiscard]] Touch touch_of(const Convex& a, const Vector3& on_plane, const Vector3& normal,
                             double margin) noexcept;

}  // namespace parts
}  // namespace hopcoil
