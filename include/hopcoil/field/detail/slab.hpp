#pragma once

#include <hopcoil/base/vector3.hpp>

namespace hopcoil::detail {

/// The top of a box that is turned about Y.
struct Slab {
    Vector3 middle{};  ///< of its top
    double half_x = 0.0;
    double half_z = 0.0;
    double cos_yaw = 1.0;
    double sin_yaw = 0.0;
    bool can_stand = true;
};

/// The outline of a piece of ground from above, in its part's frame.
struct Footprint {
    double low_x = 0.0;
    double high_x = 0.0;
    double low_z = 0.0;
    double high_z = 0.0;

    [[nodiscard]] bool leaves_out(double x, double z) const noexcept {
        return x < low_x || x > high_x || z < low_z || z > high_z;
    }
};

}  // namespace hopcoil::detail
