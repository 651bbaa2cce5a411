#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {

[[nodiscard]] SystemKind parts_kind();

}  // namespace hopcoil::scene
