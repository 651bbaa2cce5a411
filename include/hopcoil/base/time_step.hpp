#pragma once

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Finite, and 0 or more seconds.
[[nodiscard]] inline bool is_time_step(double dt) noexcept {
    return dt >= 0 && is_finite(dt);
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
