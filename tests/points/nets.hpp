#pragma once

#include <array>

#include <hopcoil/points/net_settings.hpp>

// What tests of nets are run with.

inline constexpr std::array all_methods{hopcoil::NetMethod::forces, hopcoil::NetMethod::positions,
                                        hopcoil::NetMethod::implicit};
inline constexpr double frame_s = 1.0 / 60;
inline constexpr double g = 9.80665;
