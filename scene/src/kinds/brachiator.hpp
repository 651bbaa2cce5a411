#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {

[[nodiscard]] SystemKind brachiator_kind();

}  // namespace hopcoil::scene
