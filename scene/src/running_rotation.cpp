#include "running_mover_of.hpp"

namespace hopcoil::scene {

std::unique_ptr<RunningMover> make_running_rotation(const SceneMover& item,
                                                    const SceneTarget& target) {
    return std::make_unique<RunningMoverOf<Quaternion>>(item, target);
}

}  // namespace hopcoil::scene
