#include "running_mover_of.hpp"

namespace hopcoil::scene {

AnyMover make_mover(const SceneMover& item, bool angle) {
    AnyMover made = std::visit(MoverMaker<double>{item, angle}, item.numbers);
    const double velocity = item.initial_velocity[0];
    if (velocity == 0) return made;
    std::visit(
        [&](auto& mover) {
            if constexpr (requires { mover.push(velocity); }) {
                mover.push(velocity);
            } else if constexpr (requires { mover.push(0U, velocity); }) {
                mover.push(0, velocity);
            }
        },
        made);
    return made;
}

std::unique_ptr<RunningMover> make_running_number(const SceneMover& item,
                                                  const SceneTarget& target) {
    return std::make_unique<RunningMoverOf<double>>(item, target);
}

}  // namespace hopcoil::scene
