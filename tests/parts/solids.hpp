#pragma once

#include <cmath>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/parts/part_shape.hpp>

// Solids for tests, and what the tests measure them in.

inline constexpr double g = 9.80665;
inline constexpr double frame_s = 1.0 / 60;

inline double length(const hopcoil::Vector3& v) {
    return std::sqrt(dot(v, v));
}

/// An axis, as the X axis of a joint's frame.
inline hopcoil::Quaternion about(const hopcoil::Vector3& axis) {
    return hopcoil::facing(axis, {1, 0, 0}, {0, 1, 0});
}

inline hopcoil::PartShape box(const hopcoil::Vector3& half, double density = 500) {
    return {
        .type = hopcoil::PartShape::Type::box, .half_size_m = half, .density_kg_per_m3 = density};
}

inline hopcoil::PartShape ball(double radius, double density = 500) {
    return {
        .type = hopcoil::PartShape::Type::sphere, .radius_m = radius, .density_kg_per_m3 = density};
}
