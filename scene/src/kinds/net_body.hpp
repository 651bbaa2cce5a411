#pragma once

#include <array>
#include <cstddef>
#include <vector>

#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/view.hpp>

#include "net_parts.hpp"

namespace hopcoil::scene {

void read_body_of_points(KindReader& reader, NetParts& parts);

/// A box, whose middle and rotation are at this port and the next, and its limbs.
[[nodiscard]] std::vector<View> views_of(const BodyOfPoints& body, std::size_t middle_port,
                                         const NetLook& look);

/// Of its six points, in their order.
[[nodiscard]] ValueAndVelocity middle_of(
    const std::array<ValueAndVelocity, BodyOfPoints::corners>& corners);
[[nodiscard]] ValueAndVelocity facing_of(
    const std::array<ValueAndVelocity, BodyOfPoints::corners>& corners);

}  // namespace hopcoil::scene
