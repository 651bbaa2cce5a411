#pragma once

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

[[nodiscard]] inline double length(const Vector3& v) noexcept {
    return math::sqrt(dot(v, v));
}

/// Of the horizontal part.
[[nodiscard]] inline double flat_length(const Vector3& v) noexcept {
    return math::sqrt(v.x * v.x + v.z * v.z);
}

}  // namespace hopcoil
