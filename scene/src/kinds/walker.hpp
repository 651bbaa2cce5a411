#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {

[[nodiscard]] SystemKind walker_kind();

}  // namespace hopcoil::scene
