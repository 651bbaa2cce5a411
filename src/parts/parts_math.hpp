#pragma once

#include <cmath>
#include <cstddef>
#include <span>

#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace parts {

/// By its rows.
struct Matrix3 {
    Vector3 x{};
    Vector3 y{};
    Vector3 z{};
};

inline Vector3 operator*(const Matrix3& m, const Vector3& v) noexcept {
    return {dot(m.x, v), dot(m.y, v), dot(m.z, v)};
}

/// The three axes of a frame.
struct Axes {
    Vector3 x{1, 0, 0};
    Vector3 y{0, 1, 0};
    Vector3 z{0, 0, 1};
};

inline Axes axes_of(const Quaternion& q) noexcept {
    const double xx = 2 * (q.x * q.x);
    const double yy = 2 * (q.y * q.y);
    const double zz = 2 * (q.z * q.z);
    const double xy = 2 * (q.x * q.y);
    const double xz = 2 * (q.x * q.z);
    const double yz = 2 * (q.y * q.z);
    const double wx = 2 * (q.w * q.x);
    const double wy = 2 * (q.w * q.y);
    const double wz = 2 * (q.w * q.z);
    return {{1 - (yy + zz), xy + wz, xz - wy},
            {xy - wz, 1 - (xx + zz), yz + wx},
            {xz + wy, yz - wx, 1 - (xx + yy)}};
}

inline Vector3 along(const Axes& axes, const Vector3& v) noexcept {
    return (axes.x * v.x + axes.y * v.y) + axes.z * v.z;
}
inline Vector3 into(const Axes& axes, const Vector3& v) noexcept {
    return {dot(axes.x, v), dot(axes.y, v), dot(axes.z, v)};
}

/// The sum of s a a^T over the axes.
inline Matrix3 scaled_axes(const Axes& axes, const Vector3& s) noexcept {
    const auto row = [&](double x, double y, double z) {
        return (axes.x * (s.x * x) + axes.y * (s.y * y)) + axes.z * (s.z * z);
    };
    return {row(axes.x.x, axes.y.x, axes.z.x), row(axes.x.y, axes.y.y, axes.z.y),
            row(axes.x.z, axes.y.z, axes.z.z)};
}

inline Vector3 across(const Vector3& v, const Vector3& normal) noexcept {
    return v - normal * dot(v, normal);
}

inline Vector3 any_across(const Vector3& v) noexcept {
    const Vector3 other = std::abs(v.x) < 0.6 ? Vector3{1, 0, 0} : Vector3{0, 1, 0};
    return unit(cross(v, other), {0, 0, 1});
}

/// A hand pulls with all its force from this distance on.
inline constexpr double grab_reach_m = 0.1;

inline bool is_placement(const Placement& placement) noexcept {
    const Quaternion& q = placement.rotation;
    const bool is_turn = std::isfinite(q.w) && std::isfinite(q.x) && std::isfinite(q.y) &&
                         std::isfinite(q.z) && length_of(q) > 0.1;
    return is_turn && is_finite_vector(placement.position);
}

/// All positions, then all rotations, as channels have them; how many numbers those are.
inline std::size_t put_placements(std::span<const Placement> placements,
                                  std::span<double> numbers) noexcept {
    std::size_t at = 0;
    for (const Placement& each : placements) {
        for (const double number : {each.position.x, each.position.y, each.position.z})
            numbers[at++] = number;
    }
    for (const Placement& each : placements) {
        const Quaternion& q = each.rotation;
        for (const double number : {q.w, q.x, q.y, q.z})
            numbers[at++] = number;
    }
    return at;
}

inline Placement inverse(const Placement& p) noexcept {
    const Quaternion back = conjugate(p.rotation);
    return {rotated(back, p.position * -1), back};
}

inline Vector3 to_world(const Placement& p, const Vector3& local) noexcept {
    return p.position + rotated(p.rotation, local);
}
inline Vector3 to_local(const Placement& p, const Vector3& world) noexcept {
    return rotated(conjugate(p.rotation), world - p.position);
}

}  // namespace parts
}  // namespace hopcoil
