#pragma once

#include <hopcoil/scene/kind.hpp>

namespace hopcoil::scene {

[[nodiscard]] SystemKind swell_kind();

}  // namespace hopcoil::scene
