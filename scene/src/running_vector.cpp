#include "running_mover_of.hpp"

namespace hopcoil::scene {

std::unique_ptr<RunningMover> make_running_vector(const SceneMover& item,
                                                  const SceneTarget& target) {
    switch (target.path.size()) {
        case 2:
            return std::make_unique<RunningMoverOf<Row<2>>>(item, target);
        case 3:
            return std::make_unique<RunningMoverOf<Row<3>>>(item, target);
        default:
            return std::make_unique<RunningMoverOf<Row<4>>>(item, target);
    }
}

}  // namespace hopcoil::scene
