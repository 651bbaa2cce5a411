#pragma once

#include <array>
#include <cstddef>
#include <utility>
#include <vector>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/scene/target.hpp>
#include <hopcoil/scene/value_array.hpp>

namespace hopcoil::io {
struct NodeTrack;
}

namespace hopcoil::scene {

/// The rotation of a body that is first rolled about Z, then pitched about X, then turned about Y.
/// Units   radians: { pitch, heading, roll }, about x, y, z.
[[nodiscard]] Quaternion turned_in_order(const Vector3& turns_rad) noexcept;
/// Its angular velocity about fixed axes while the three turns change at these rates.
[[nodiscard]] Vector3 angular_velocity_in_order(const Vector3& turns_rad,
                                                const Vector3& rates) noexcept;

/// The motion of a target over time: a component for each of its numbers.
///
/// Shapes  a number or an angle has one component, a vector two to four; a rotation three (turns
///         about x, y, z: `turned_in_order`) or four (w, x, y, z, straight from sample to sample
///         and made unit).
class Trajectory {
  public:
    Trajectory(MovesTarget number) : components_{Target{std::move(number)}} {}
    Trajectory(RecordTarget number) : components_{Target{std::move(number)}} {}
    Trajectory(Target number) : components_{std::move(number)} {}
    /// Errors  InvalidValue for a number of components that such a value does not have.
    Trajectory(ValueKind kind, std::vector<Target> components);

    [[nodiscard]] ValueKind kind() const noexcept { return kind_; }
    /// How many numbers a value has: 4 for a rotation.
    [[nodiscard]] std::size_t size() const noexcept {
        return kind_ == ValueKind::rotation ? 4 : components_.size();
    }
    [[nodiscard]] const Target& component(std::size_t index = 0) const {
        return components_.at(index);
    }

    /// As of Target.
    [[nodiscard]] ValueAndVelocity before(double time_s) const noexcept;
    [[nodiscard]] ValueAndVelocity after(double time_s) const noexcept;
    [[nodiscard]] double next_breakpoint_s(double time_s) const noexcept;
    [[nodiscard]] bool is_straight() const noexcept;
    [[nodiscard]] double last_event_s() const noexcept;

  private:
    [[nodiscard]] ValueAndVelocity assembled(double time_s, bool after) const noexcept;

    ValueKind kind_ = ValueKind::number;
    std::vector<Target> components_;
};

/// A track as the motion of a target: a vector, or a rotation.
/// Errors  InvalidValue for keys that make no target.
[[nodiscard]] Trajectory trajectory_from(const io::NodeTrack& track, AfterEnd after_end);

/// Samples of a rotation so near to one another that going straight from each to the next is as
/// good as turning evenly; q and -q are one turn, and the nearer is taken.
///
/// Shapes  as many parts w, x, y, z as times, which may repeat (a jump).
struct TurnSamples {
    std::vector<double> times_s{};
    std::array<std::vector<double>, 4> parts{};
};
[[nodiscard]] TurnSamples evenly_turning(const std::vector<double>& times_s,
                                         const std::vector<std::array<double, 4>>& turns);

}  // namespace hopcoil::scene
