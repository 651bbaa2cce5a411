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

/// Types of field as well: of one whose feet land and leave, and of one whose particles are born
/// and die. What is neither only hits.
struct FootEvents {};
struct LifeEvents {};

}  // namespace hopcoil::scene
