#pragma once

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/scene/value_array.hpp>

namespace hopcoil::scene {

/// A place of a scene as a vector, and back.
[[nodiscard]] inline Vector3 vector_of(const ValueArray& array) {
    return {array[0], array[1], array[2]};
}
[[nodiscard]] inline ValueArray array_of(const Vector3& v) {
    return ValueArray{{v.x, v.y, v.z, 0}};
}

}  // namespace hopcoil::scene
