#pragma once

#include <hopcoil/scene/scene_mover.hpp>
#include <hopcoil/spring/step_response.hpp>

namespace hopcoil::scene {

/// The figures of a jump for a mover without closed forms, from its events at their exact times.
[[nodiscard]] JumpResponse measured_jump(const SceneMover& mover, double size);

/// The figures of a kick for such a mover, from rest on its target with its start velocity.
[[nodiscard]] KickResponse measured_kick(const SceneMover& mover);

/// So long that whatever it does on a jump of this size has been seen.
[[nodiscard]] double observation_time_s(const MoverParameters& numbers, double size);

}  // namespace hopcoil::scene
