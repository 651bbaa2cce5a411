#pragma once

#include <variant>

#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/cascade.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/follow/size_follower.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/scene/scene_mover.hpp>

namespace hopcoil::scene {

/// Any mover of one number.
using AnyMover =
    std::variant<Follower<double>, AngleFollower<double>, Glide<double>, Pursuit<double>,
                 SettleCurve, CurveMove<double>, Cascade<double>, Coast<double>,
                 SteppedFollower<double>, BoundedFollower<double>, SizeFollower<double>>;

/// The mover of one number that a scene names, where it starts and with its velocity, if it can
/// have one.
/// Errors  those of the mover's constructor.
[[nodiscard]] AnyMover make_mover(const SceneMover& item, bool angle);

}  // namespace hopcoil::scene
