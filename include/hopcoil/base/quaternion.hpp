#pragma once

#include <concepts>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Has its four numbers as w, x, y, z: members, or functions as Eigen's quaternions have them.
template <class Q>
concept HasQuaternionMembers = requires(const Q& q) {
    { q.w } -> std::convertible_to<double>;
    { q.x } -> std::convertible_to<double>;
    { q.y } -> std::convertible_to<double>;
    { q.z } -> std::convertible_to<double>;
};
template <class Q>
concept HasQuaternionFunctions = requires(const Q& q) {
    { q.w() } -> std::convertible_to<double>;
    { q.x() } -> std::convertible_to<double>;
    { q.y() } -> std::convertible_to<double>;
    { q.z() } -> std::convertible_to<double>;
};

/// A rotation: turns by the angle 2 acos(w) about (x, y, z), counter-clockwise seen from the tip.
///
///     const Quaternion q = quaternion_from(their_quaternion);
///     const Their::Quaternion back{q.w, q.x, q.y, q.z};
struct Quaternion {
    double w = 1.0;
    double x = 0.0;
    double y = 0.0;
    double z = 0.0;

    friend bool operator==(const Quaternion&, const Quaternion&) = default;
    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(w, x, y, z);
    }
};

inline namespace HOPCOIL_BITS {

template <class Q>
requires HasQuaternionMembers<Q> || HasQuaternionFunctions<Q>
[[nodiscard]] constexpr Quaternion quaternion_from(const Q& q) noexcept {
    if constexpr (HasQuaternionMembers<Q>) {
        return {static_cast<double>(q.w), static_cast<double>(q.x), static_cast<double>(q.y),
                static_cast<double>(q.z)};
    } else {
        return {static_cast<double>(q.w()), static_cast<double>(q.x()), static_cast<double>(q.y()),
                static_cast<double>(q.z())};
    }
}

/// The rotation by b, followed by that by a.
[[nodiscard]] constexpr Quaternion operator*(const Quaternion& a, const Quaternion& b) noexcept {
    return {((a.w * b.w - a.x * b.x) - a.y * b.y) - a.z * b.z,
            ((a.w * b.x + a.x * b.w) + a.y * b.z) - a.z * b.y,
            ((a.w * b.y + a.y * b.w) + a.z * b.x) - a.x * b.z,
            ((a.w * b.z + a.z * b.w) + a.x * b.y) - a.y * b.x};
}
/// The inverse of a unit quaternion.
[[nodiscard]] constexpr Quaternion conjugate(const Quaternion& q) noexcept {
    return {q.w, -q.x, -q.y, -q.z};
}
/// v turned by a unit quaternion.
[[nodiscard]] constexpr Vector3 rotated(const Quaternion& q, const Vector3& v) noexcept {
    const Vector3 axis{q.x, q.y, q.z};
    const Vector3 twice = cross(axis, v) * 2;
    return v + twice * q.w + cross(axis, twice);
}

}  // namespace HOPCOIL_BITS

/// q scaled to unit length; NaN in every part when q is zero or not finite.
[[nodiscard]] Quaternion normalized(const Quaternion& q) noexcept;
[[nodiscard]] double length_of(const Quaternion& q) noexcept;

/// The turn about the direction of v by its length in radians.
[[nodiscard]] Quaternion turned_by(const Vector3& rotation_rad) noexcept;
/// The shorter turn that a unit quaternion makes, as direction times angle, at most pi long.
[[nodiscard]] Vector3 rotation_vector(const Quaternion& q) noexcept;
/// Of all rotation vectors of a unit quaternion, which differ by whole turns, the one nearest to
/// `guess`.
[[nodiscard]] Vector3 rotation_vector_near(const Quaternion& q, const Vector3& guess) noexcept;

/// The angular velocity of turned_by(r) while r changes at `rate`, and the rate for an angular
/// velocity. Near a whole turn, where some of them have no rate, it is at most 20 times as large.
///
/// Model   w = J(r) r', J = 1 + (1 - cos t)/t^2 [r] + (t - sin t)/t^3 [r]^2, t the length of r,
///         [r] the matrix of the cross product with r.
/// Units   radians per second, about fixed axes.
[[nodiscard]] Vector3 angular_velocity_from(const Vector3& rotation_rad,
                                            const Vector3& rate) noexcept;
[[nodiscard]] Vector3 rate_from(const Vector3& rotation_rad,
                                const Vector3& angular_velocity) noexcept;

/// The turn that takes the axes of a frame (x, y, z) onto these, which are of unit length and
/// perpendicular.
[[nodiscard]] Quaternion from_axes(const Vector3& x, const Vector3& y, const Vector3& z) noexcept;

/// The turn that points `forward` (an axis of the thing turned) along `direction`, with `up` of the
/// thing as near to +Y as that allows (as near to where it was, looking straight up or down).
/// Units   forward and up perpendicular, neither zero; a direction of zero turns nothing.
[[nodiscard]] Quaternion facing(const Vector3& direction, const Vector3& forward = {0, 0, 1},
                                const Vector3& up = {0, 1, 0}) noexcept;

}  // namespace hopcoil
