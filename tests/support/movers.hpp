#pragma once

#include <tuple>

#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/cascade.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/settle_curve.hpp>

/// One of each mover of one number that takes a target, at 0.
inline auto one_of_each_with_target() {
    using namespace hopcoil;
    return std::tuple{Follower<double>{{.frequency_hz = 2, .damping_ratio = 0.4}, 0.0},
                      AngleFollower<double>{{.frequency_hz = 1, .damping_ratio = 0.4}, 0.0},
                      BoundedFollower<double>{
                          {.frequency_hz = 2, .damping_ratio = 1}, {.low = -8, .high = 8}, 0.0},
                      Glide<double>{{.half_life_s = 0.2}, 0.0},
                      Pursuit<double>{{.max_speed = 3, .max_acceleration = 9}, 0.0},
                      AnglePursuit<double>{{.max_speed = 3, .max_acceleration = 9}, 0.0},
                      SettleCurve{{.duration_s = 0.6, .overshoot_percent = 15}, 0.0},
                      CurveMove<double>{{.duration_s = 0.4}, 0.0},
                      Cascade<double>{{{.frequency_hz = 2}, {.frequency_hz = 3}}, 0.0}};
}

/// A coast as well, which takes none.
inline auto one_of_each() {
    return std::tuple_cat(one_of_each_with_target(),
                          std::tuple{hopcoil::Coast<double>{{.slowing_half_life_s = 0.5}, 0.0}});
}
