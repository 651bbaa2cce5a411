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

/// Further types of field, which say what events a source has: those of feet (landed, lifted), or
/// those of particles (born, hit, at rest, died). A source that is neither only has hits.
struct FootEvents {};
struct LifeEvents {};

}  // namespace hopcoil::scene
