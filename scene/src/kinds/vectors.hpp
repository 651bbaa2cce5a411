#pragma once

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/scene/value_array.hpp>

namespace hopcoil::scene {

/// A step shorter than this is what rounding left of a frame: no velocity can be read off it.
inline constexpr double shortest_step_s = 1e-9;

/// Places and rotations of a scene, and back.
[[nodiscard]] inline Vector3 vector_of(const ValueArray& array) {
    return {array[0], array[1], array[2]};
}
[[nodiscard]] inline ValueArray array_of(const Vector3& v) {
    return ValueArray{{v.x, v.y, v.z, 0}};
}

[[nodiscard]] inline Quaternion rotation_of(const ValueArray& array) {
    return normalized({array[0], array[1], array[2], array[3]});
}
[[nodiscard]] inline ValueArray array_of(const Quaternion& q) {
    return ValueArray{{q.w, q.x, q.y, q.z}};
}

}  // namespace hopcoil::scene
