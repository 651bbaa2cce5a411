#pragma once

#include "convex.hpp"

namespace hopcoil {
namespace parts {

/// The nearest points of two solids without their radii.
struct Nearest {
    Vector3 on_a{};
    Vector3 on_b{};
    double distance = 0;
    bool overlap = false;
};
/// Source  Gilbert, Johnson and Keerthi, A fast procedure for computing the distance between
///         complex objects in three-dimensional space, 1988.
[[nodiscard]] Nearest nearest_points(const Convex& a, const Convex& b) noexcept;

}  // namespace parts
}  // namespace hopcoil
