#pragma once

#include <cstddef>
#include <string>

namespace hopcoil::scene {

/// The limits of one way of stepping a system.
struct StepLimit {
    std::string method{};       ///< "forces, velocity_verlet"
    double stable_below_s = 0;  ///< infinity for any step
    std::size_t steps = 1;      ///< that a frame takes with it
    std::string note{};         ///< how it differs from the exact motion
    bool is_chosen = false;
};

}  // namespace hopcoil::scene
