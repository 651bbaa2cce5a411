#pragma once

#include <algorithm>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Three floats, one after the other: for many at once, and for buffers that are drawn from.
struct FloatVector3 {
    float x = 0;
    float y = 0;
    float z = 0;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(x, y, z);
    }
    friend constexpr bool operator==(const FloatVector3&, const FloatVector3&) noexcept = default;
};

inline namespace HOPCOIL_BITS {

/// Rounded; numbers beyond 1e30 become that.
[[nodiscard]] constexpr FloatVector3 float_vector(const Vector3& v) noexcept {
    const auto rounded = [](double number) {
        return static_cast<float>(std::clamp(number, -1e30, 1e30));
    };
    return {rounded(v.x), rounded(v.y), rounded(v.z)};
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
