#pragma once

#include <array>
#include <cstddef>
#include <vector>

#include <hopcoil/base/vector3.hpp>

#include "draw/solid.hpp"

/// @file
/// Which things hide which, in pictures whose things are drawn one over the other.

namespace hopcoil::draw {

/// The box around a thing.
struct Surrounding {
    std::array<Vector3, 8> corners{};
    std::array<Vector3, 3> axes{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
    double order = 0;        ///< drawn over all of a lower order, even nearer ones
    bool gives_way = false;  ///< where the boxes do not decide, it is drawn first
};

/// The indices of the things, in the order in which they are drawn.
///
/// Model   of two that overlap on the sheet, one that lies wholly beyond a side of the other's box
///         is before or behind it as that side faces; others, and those that hide each other in a
///         cycle, are ordered by the distance of their middles.
[[nodiscard]] std::vector<std::size_t> drawing_order(const std::vector<Surrounding>& all,
                                                     const Eye& eye);

}  // namespace hopcoil::draw
