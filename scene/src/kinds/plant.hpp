#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {

[[nodiscard]] SystemKind plant_kind();

}  // namespace hopcoil::scene
