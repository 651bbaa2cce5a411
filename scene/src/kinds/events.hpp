#pragma once

#include <cstdint>
#include <span>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil::scene {

/// Something that happened, and where: others can start something there.
struct SceneEvent {
    enum class Type : std::uint8_t { born, hit, at_rest, died, landed, lifted };
    Type type = Type::hit;
    Vector3 place{};
};

/// What happens to a system, as a field that others can name.
class EventSource {
  public:
    /// In its last step.
    [[nodiscard]] virtual std::span<const SceneEvent> events() const = 0;

  protected:
    EventSource() = default;
    EventSource(const EventSource&) = default;
    EventSource& operator=(const EventSource&) = default;
    ~EventSource() = default;
};

/// Further types of field, which say what events a source has: those of feet (landed, lifted),
/// hits, and those of particles (born, at rest, died).
struct FootEvents {};
struct HitEvents {};
struct LifeEvents {};

/// Slower than that things settle rather than hit.
inline constexpr double least_hit_m_per_s = 0.3;

}  // namespace hopcoil::scene
