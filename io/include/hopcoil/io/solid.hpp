#pragma once

#include <array>
#include <cstddef>
#include <vector>

namespace hopcoil::io {

/// How a rigid thing looks: flat faces, in its own frame.
struct Solid {
    std::vector<std::array<double, 3>> corners_m{};
    std::vector<std::vector<std::size_t>> faces{};  ///< counter-clockwise seen from outside

    [[nodiscard]] bool empty() const { return faces.empty(); }
};

}  // namespace hopcoil::io
