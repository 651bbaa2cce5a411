#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {
[[nodiscard]] SystemKind net_kind();
}  // namespace hopcoil::scene
