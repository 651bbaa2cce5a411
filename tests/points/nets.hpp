#pragma once

#include <algorithm>
#include <array>
#include <vector>

#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

#include "support/vectors.hpp"

// What tests of nets are run with.

inline constexpr std::array all_methods{hopcoil::NetMethod::forces, hopcoil::NetMethod::positions,
                                        hopcoil::NetMethod::implicit};
inline constexpr double frame_s = 1.0 / 60;
inline constexpr double g = 9.80665;

inline hopcoil::NetStructure hung_cloth(const hopcoil::ClothSettings& settings,
                                        const hopcoil::Placement& placement = {}) {
    hopcoil::NetStructure made = cloth(settings, placement);
    pin(made, points_at(settings, hopcoil::ClothEdge::top));
    return made;
}

inline std::vector<hopcoil::Vector3> positions_of(const hopcoil::Net& net) {
    return {net.positions().begin(), net.positions().end()};
}

inline double farthest(const std::vector<hopcoil::Vector3>& a,
                       const std::vector<hopcoil::Vector3>& b) {
    double most = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        most = std::max(most, apart(a[i], b[i]));
    return most;
}
