#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {
[[nodiscard]] SystemKind particles_kind();
}  // namespace hopcoil::scene
