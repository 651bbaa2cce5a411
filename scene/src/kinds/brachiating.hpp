#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include <hopcoil/gait/brachiator.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/view.hpp>

namespace hopcoil::scene {

/// From hand to hand or foot: where to, and when.
struct LeapAt {
    double at_s = 0;
    std::optional<std::uint32_t> from_hold{};
    std::optional<std::uint32_t> to_hold{};
    Vector3 to_ground{};
};

struct BrachiatorParts {
    BrachiatorSettings settings{};
    std::vector<Vector3> holds{};
    std::optional<BrachiatorStand> stand{};  ///< at the start; else it hangs
    std::vector<LeapAt> leaps{};
    double speed = 1.2;  ///< where no target says it
    double radius_m = 0.04;
    std::vector<Colour> colours{};
    double order = 0.0;

    [[nodiscard]] Brachiator body() const {
        return stand ? Brachiator{settings, holds, *stand} : Brachiator{settings, holds};
    }
};

/// What a [brachiator.NAME] says.
[[nodiscard]] std::unique_ptr<SystemSpec> brachiator_spec(BrachiatorParts parts);

}  // namespace hopcoil::scene
