#pragma once

#include <hopcoil/scene/scene_mover.hpp>
#include <hopcoil/spring/answers.hpp>

namespace hopcoil::scene {

/// The figures of a jump for a mover without closed forms, from its events at their exact times.
[[nodiscard]] JumpAnswer measured_jump(const SceneMover& mover, double size);

/// The figures of a kick for such a mover, from rest on its target with its start velocity.
[[nodiscard]] KickAnswer measured_kick(const SceneMover& mover);

/// So long that whatever it does on a jump of this size has been seen.
[[nodiscard]] double telling_time_s(const MoverNumbers& numbers, double size);

}  // namespace hopcoil::scene
