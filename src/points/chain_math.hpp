#pragma once

#include <cmath>
#include <cstddef>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/points/chain_settings.hpp>

namespace hopcoil {
namespace chain {

inline double length_of(const Vector3& v) noexcept {
    return std::sqrt(dot(v, v));
}

inline Vector3 unit(const Vector3& v, const Vector3& otherwise) noexcept {
    const double length = length_of(v);
    return length > 1e-12 && length < 1e150 ? v * (1 / length) : otherwise;
}

inline bool is_finite_vector(const Vector3& v) noexcept {
    return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z);
}

/// A direction and its rate of change.
struct Direction {
    Vector3 unit{};
    Vector3 rate{};
};

/// The direction of a vector that changes; `otherwise`, at rest, for one that is too short to have
/// one.
inline Direction direction_of(const Vector3& v, const Vector3& rate,
                              const Vector3& otherwise) noexcept {
    const double length = length_of(v);
    if (!(length > 1e-9)) return {otherwise, {}};
    const Vector3 along = v * (1 / length);
    return {along, (rate - along * dot(along, rate)) * (1 / length)};
}

/// Between root and tip: the frequency by equal factors, damping ratio and lead by equal parts.
[[nodiscard]] Tuning tuning_of_link(const ChainSettings& settings, std::size_t link) noexcept;

}  // namespace chain
}  // namespace hopcoil
