#pragma once

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// Where something is, and how it is turned.
struct Placement {
    Vector3 position{};
    Quaternion rotation{};
    friend bool operator==(const Placement&, const Placement&) = default;
};

/// The placement in the world of what is placed at `own` in a frame.
[[nodiscard]] inline Placement operator*(const Placement& frame, const Placement& own) noexcept {
    return {frame.position + rotated(frame.rotation, own.position), frame.rotation * own.rotation};
}

}  // namespace hopcoil
