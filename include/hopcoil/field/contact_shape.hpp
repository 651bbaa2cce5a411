#pragma once

#include <cstdint>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// A simple solid that points cannot enter: at a place, turned, perhaps moving.
struct ContactShape {
    enum class Type : std::uint8_t {
        plane,    ///< its Y axis points out of it
        sphere,   ///< of radius_m
        capsule,  ///< about its Y axis from -half_size_m.y to +half_size_m.y, of radius_m
        box,      ///< of half_size_m, its edges rounded by radius_m
    };
    Type type = Type::plane;
    Vector3 position{};
    Quaternion rotation{};
    double radius_m = 0.0;
    Vector3 half_size_m{};
    Vector3 velocity{};
    Vector3 angular_velocity{};
    double friction = 0.5;
    friend bool operator==(const ContactShape&, const ContactShape&) = default;
};

/// Errors  InvalidValue for numbers that are not finite, sizes or a friction below 0, or a rotation
///         of no length.
void require_valid(const ContactShape& shape);

/// The distance of a place from a shape's surface.
struct ShapeDistance {
    double metres = 0.0;      ///< below 0 inside
    Vector3 normal{0, 1, 0};  ///< out of the shape, toward the place
};
[[nodiscard]] ShapeDistance distance_to(const ContactShape& shape, const Vector3& place) noexcept;
/// The velocity of the shape's material at a place.
[[nodiscard]] Vector3 velocity_at(const ContactShape& shape, const Vector3& place) noexcept;

}  // namespace hopcoil
