#pragma once

#include <hopcoil/base/build.hpp>

namespace hopcoil {

/// Three doubles: the vector type of the library's own interfaces.
struct Vector3 {
    double x = 0.0;
    double y = 0.0;
    double z = 0.0;

    friend constexpr bool operator==(const Vector3&, const Vector3&) noexcept = default;
};

inline namespace HOPCOIL_BITS {

[[nodiscard]] constexpr Vector3 operator+(const Vector3& a, const Vector3& b) noexcept {
    return {a.x + b.x, a.y + b.y, a.z + b.z};
}
[[nodiscard]] constexpr Vector3 operator-(const Vector3& a, const Vector3& b) noexcept {
    return {a.x - b.x, a.y - b.y, a.z - b.z};
}
[[nodiscard]] constexpr Vector3 operator*(const Vector3& a, double s) noexcept {
    return {a.x * s, a.y * s, a.z * s};
}
[[nodiscard]] constexpr double dot(const Vector3& a, const Vector3& b) noexcept {
    return (a.x * b.x + a.y * b.y) + a.z * b.z;
}
[[nodiscard]] constexpr Vector3 cross(const Vector3& a, const Vector3& b) noexcept {
    return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

/// A vector of another type, by its members or functions x, y, z.
template <class V>
[[nodiscard]] constexpr Vector3 vector3_from(const V& v) noexcept {
    if constexpr (requires { v.x(); }) {
        return {static_cast<double>(v.x()), static_cast<double>(v.y()), static_cast<double>(v.z())};
    } else {
        return {static_cast<double>(v.x), static_cast<double>(v.y), static_cast<double>(v.z)};
    }
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
