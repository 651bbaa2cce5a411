#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {

[[nodiscard]] SystemKind balance_kind();

}  // namespace hopcoil::scene
