#include "running_mover.hpp"

namespace hopcoil::scene {

std::unique_ptr<RunningMover> make_running(const SceneMover& item, const SceneTarget& target) {
    switch (target.kind()) {
        case ValueKind::vector:
            return make_running_vector(item, target);
        case ValueKind::rotation:
            return make_running_rotation(item, target);
        default:
            return make_running_number(item, target);
    }
}

}  // namespace hopcoil::scene
