#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/parts/parts.hpp>

#include "constraint_row.hpp"
#include "parts_body.hpp"

namespace hopcoil {
namespace parts {

/// A joint or a link between two bodies, as it is solved.
///
/// Its components have fixed numbers: 0 to 5 what it holds, 6 to 10 limits, 11 to 13 its spring.
class Connection {
  public:
    static constexpr std::size_t component_count = 14;
    static constexpr std::size_t first_limit = 6;
    static constexpr std::size_t first_spring = 11;
    using Values = std::array<double, component_count>;

    Connection(const PartJoint& joint, std::span<const Body> bodies);
    Connection(const PartLink& link, std::span<const Body> bodies);

    [[nodiscard]] std::uint32_t a() const noexcept { return a_; }
    [[nodiscard]] std::uint32_t b() const noexcept { return b_; }
    [[nodiscard]] bool is_link() const noexcept { return is_link_; }

    /// Where a spring was as the substep began.
    struct SpringStart {
        Values values{};
        Quaternion turn{};  ///< of a ball: how far b is turned beyond what is wanted
    };
    void begin(std::span<const Body> bodies, SpringStart& start) const noexcept;
    /// What each component's number is, with the bodies where they are. Those of a turning spring
    /// go on from where they were: past half a turn, and about whatever axis it turns on.
    void measure(std::span<const Body> bodies, const SpringStart& start,
                 Values& values) const noexcept;
    /// Both sides' spots and axes, with the bodies where they are.
    struct Frames {
        Vector3 on_a{};
        Vector3 on_b{};
        Axes axes_a{};
        Axes axes_b{};
    };
    [[nodiscard]] Frames frames(std::span<const Body> bodies) const noexcept;
    /// Sets the position that the spring draws the joint to as the step ends, and its velocity
    /// until then. Returns whether it leaps there.
    bool aim(const JointTarget& target, double dt) noexcept;
    /// No target was given for this step.
    void stay_aimed() noexcept { aimed_per_s_ = {}; }
    /// The wanted position is that of so many seconds before the step ends.
    void aim_at(double remaining_s) noexcept;
    /// Takes over the target of another connection, if that has one.
    void aim_like(const Connection& other) noexcept;
    /// In the components of its spring: the velocity of the wanted position, and the rate of the
    /// motor.
    [[nodiscard]] Vector3 aimed_rates(const Frames& at) const noexcept;
    [[nodiscard]] Vector3 motor_rates(const Frames& at) const noexcept;
    [[nodiscard]] bool moves_its_parts() const noexcept {
        return aimed_per_s_ != Vector3{} || (motor_rate_ != 0 && damping_ > 0);
    }
    /// The row of a component, with the bodies as the substep began.
    [[nodiscard]] Row row(std::span<const Body> bodies, const Frames& at,
                          std::size_t component) const noexcept;
    /// Which components are held, may be limited, or are pulled by a spring.
    [[nodiscard]] std::size_t held_count() const noexcept;
    [[nodiscard]] bool has_limit(std::size_t component) const noexcept;
    [[nodiscard]] std::size_t spring_count() const noexcept;

    [[nodiscard]] double stiffness() const noexcept { return stiffness_; }
    [[nodiscard]] double damping() const noexcept { return damping_; }
    [[nodiscard]] double most() const noexcept { return most_; }
    /// How far a link is beyond its range; 0 within it.
    [[nodiscard]] double link_excess(double length) const noexcept;
    [[nodiscard]] double shortest() const noexcept { return shortest_; }
    [[nodiscard]] double longest() const noexcept { return longest_; }
    [[nodiscard]] double length(std::span<const Body> bodies) const noexcept;
    [[nodiscard]] double position(std::span<const Body> bodies) const noexcept;
    [[nodiscard]] double gap(std::span<const Body> bodies) const noexcept;

    /// The same joint or link with other numbers of its spring and limits.
    void set_spring(const JointSpring& spring) noexcept;
    /// From now on it holds the bodies as they are.
    void hold_here(std::span<const Body> bodies) noexcept;

    bool holds = true;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(holds, frame_a_.position, frame_a_.rotation, is_aimed_, aim_, aim_turn_);
    }

  private:
    enum class Type : std::uint8_t { hinge, ball, slide, fixed, link };
    [[nodiscard]] Quaternion turn_beyond(std::span<const Body> bodies) const noexcept;
    [[nodiscard]] double along(const Frames& at) const noexcept;
    void measure_held(const Frames& at, Values& values) const noexcept;
    static double angle_about_x(const Frames& at) noexcept;
    static Vector3 lean_axis(const Frames& at) noexcept;
    static double lean(const Frames& at) noexcept;
    static double twist(const Frames& at) noexcept;

    Type type_ = Type::hinge;
    bool is_link_ = false;
    std::uint32_t a_ = 0;
    std::uint32_t b_ = 0;
    Placement frame_a_{};  ///< in the bodies' own frames
    Placement frame_b_{};
    double lowest_ = -1e9;
    double highest_ = 1e9;
    double most_lean_ = 1e9;
    double most_twist_ = 1e9;
    double stiffness_ = 0;
    double damping_ = 0;
    double most_ = 1e9;
    double motor_rate_ = 0;
    double own_wanted_ = 0;  ///< of its spring
    Quaternion own_turn_{};
    bool is_aimed_ = false;
    double aim_ = 0;  ///< as the step ends
    Quaternion aim_turn_{};
    Vector3 aimed_per_s_{};  ///< of a ball about the axes of where it is aimed
    double wanted_ = 0;      ///< now
    Quaternion wanted_turn_{};
    double shortest_ = 0;
    double longest_ = 0;
};

}  // namespace parts
}  // namespace hopcoil
