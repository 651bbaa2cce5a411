#pragma once

#include <cstddef>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/points/chain_settings.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {
namespace chain {

/// A direction and its rate of change.
struct Direction {
    Vector3 unit{};
    Vector3 rate{};
};

/// The direction of a vector that changes; `otherwise`, at rest, for one that is too short to have
/// one.
inline Direction direction_of(const Vector3& v, const Vector3& rate,
                              const Vector3& otherwise) noexcept {
    const double length = norm(v);
    if (!(length > 1e-9)) return {otherwise, {}};
    const Vector3 along = v * (1 / length);
    return {along, (rate - along * dot(along, rate)) * (1 / length)};
}

/// Between root and tip: the frequency by equal factors, damping ratio and lead by equal parts.
[[nodiscard]] Tuning tuning_of_link(const ChainSettings& settings, std::size_t link) noexcept;

}  // namespace chain
}  // namespace hopcoil
