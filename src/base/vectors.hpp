#pragma once

#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

[[nodiscard]] inline double norm(const Vector3& v) noexcept {
    return math::sqrt(dot(v, v));
}

/// The horizontal part.
[[nodiscard]] inline Vector3 flat(const Vector3& v) noexcept {
    return {v.x, 0, v.z};
}
[[nodiscard]] inline double flat_length(const Vector3& v) noexcept {
    return math::sqrt(v.x * v.x + v.z * v.z);
}

/// The direction of a vector; `otherwise` for one that is too short or too long to have one.
[[nodiscard]] inline Vector3 unit(const Vector3& v, const Vector3& otherwise) noexcept {
    const double length = norm(v);
    return length > 1e-12 && length < 1e150 ? v * (1 / length) : otherwise;
}

[[nodiscard]] inline bool is_finite_vector(const Vector3& v) noexcept {
    return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z);
}

}  // namespace hopcoil
