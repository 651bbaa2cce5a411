#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/placement.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/parts/parts_settings.hpp>
#include <hopcoil/parts/parts_structure.hpp>

namespace hopcoil {

/// A force and a torque on a part, during a step.
struct PartForce {
    std::uint32_t part = 0;
    Vector3 place{};  ///< where the force acts, in the part's frame
    Vector3 newtons{};
    Vector3 torque_nm{};
};

/// A hand on a part: pulls a spot of it toward a place with a limited force.
struct PartGrab {
    std::uint32_t part = 0;
    Vector3 place{};  ///< in the part's frame
    Vector3 target{};
    double most_force_n = 200.0;
};

/// The position that a joint's spring draws it to, as it is when a step ends.
///
/// Model   the wanted position goes there evenly from where the last step left it, and the spring's
///         damping acts on the difference of the two velocities: the joint follows as a follower
///         with lead 1 does, and lags only by its load over its stiffness.
struct JointTarget {
    std::uint32_t joint = 0;
    double wanted = 0.0;       ///< hinge: rad, going the shorter way; slide: m
    Quaternion wanted_turn{};  ///< ball: from the joint's frame on `a` to the one on `b`
    bool leaps = false;        ///< it is there at once: the damping is of the joint alone
};

/// The inputs of a step of jointed parts; references need to live no longer than it.
struct PartsInputs {
    /// Where the driven parts are at the end of the step, in the order of `Parts::driven()`. They
    /// go there evenly; one that leaps (half a turn a step, or further than could be followed)
    /// carries along what hangs on it. Without any they stay.
    std::span<const Placement> driven{};
    std::span<const ContactShape> shapes{};  ///< at the end of the step; at most 64
    std::span<const PartForce> forces{};
    std::span<const PartGrab> grabs{};
    /// Positions wanted by joint springs, from now on; joints that are left out keep theirs. Not
    /// for fixed joints or links.
    std::span<const JointTarget> targets{};
    const Ground* ground = nullptr;
    const Wind* wind = nullptr;
    double time_s = 0.0;  ///< of the wind, at the end of the step
};

/// How a part moves.
struct PartMotion {
    Vector3 velocity{};          ///< of its centre of mass
    Vector3 angular_velocity{};  ///< rad/s, about fixed axes
};

/// Where a part touches something.
struct PartContact {
    std::uint32_t part = 0;
    std::uint32_t other = no_part;  ///< `no_part`: ground or a shape
    Vector3 place{};
    Vector3 normal{};      ///< toward the part
    double force_n = 0.0;  ///< along the normal
};

/// Where a part met something during a step that it had not touched just before.
struct PartImpact {
    std::uint32_t part = 0;
    std::uint32_t other = no_part;  ///< `no_part`: ground or a shape
    Vector3 place{};
    Vector3 normal{};            ///< toward the part
    double speed_m_per_s = 0.0;  ///< along the normal, before
};

struct PartsWorks;

/// Rigid parts, held together by joints and links, that fall, swing, collide and come to rest.
///
///     PartsStructure made;
///     made.parts = {{.is_driven = true}, {.placement = {{0, -1, 0}}, .shapes = {bob}}};
///     made.joints = {{.a = 0, .b = 1, .frame = {{0, 0, 0}}}};
///     Parts pendulum{made};
///     pendulum.step({}, dt);
///     draw(pendulum.placements()[1]);
///
/// Model   m v' = forces, L' = torques with L the angular momentum; joints hold their places
///         exactly, links and springs are as stiff and damped as they say; contact with friction
///         and restitution.
/// Shapes  placements and motions: one for each part.
/// Units   metres, seconds, kilograms, newtons, radians.
/// Source  docs/parts.md.
/// Errors  InvalidValue and std::out_of_range for an invalid structure or settings; while stepping
///         none: invalid input is rejected and counted.
/// Cost    docs/performance.md. Only making and configuring allocate.
class Parts {
  public:
    using Inputs = PartsInputs;

    explicit Parts(PartsStructure structure, const PartsSettings& settings = {});
    Parts(const Parts& other);
    Parts(Parts&&) noexcept;
    Parts& operator=(const Parts& other);
    Parts& operator=(Parts&&) noexcept;
    ~Parts();

    /// `guarded` when something was too fast for its substeps and was slowed, or was carried.
    StepStatus step(const PartsInputs& inputs, double dt) noexcept;
    /// Whether `step` would take these rather than reject them.
    [[nodiscard]] bool accepts(const PartsInputs& inputs, double dt) const noexcept;

    [[nodiscard]] std::size_t size() const noexcept { return structure_.parts.size(); }
    [[nodiscard]] std::span<const Placement> placements() const noexcept { return placements_; }
    [[nodiscard]] std::span<const PartMotion> motions() const noexcept { return motions_; }
    [[nodiscard]] std::span<const std::uint32_t> driven() const noexcept { return driven_; }
    [[nodiscard]] const PartsStructure& structure() const noexcept { return structure_; }
    [[nodiscard]] const PartsSettings& settings() const noexcept { return settings_; }
    [[nodiscard]] const MassProperties& mass(std::uint32_t part) const;
    [[nodiscard]] Vector3 centre_of_mass(std::uint32_t part) const;
    /// That of all parts that are not driven; of all parts, where every one is driven.
    [[nodiscard]] Vector3 centre_of_mass() const noexcept;

    /// New numbers for parts and joints as they are; the motion goes on.
    /// Errors  InvalidValue, std::out_of_range, with nothing changed; also for other counts.
    void retune(const PartsStructure& structure, const PartsSettings& settings);
    bool try_retune(const PartsSettings& settings) noexcept;
    /// Errors  InvalidValue; std::out_of_range.
    void set_spring(std::size_t joint, const JointSpring& spring);
    bool try_set_spring(std::size_t joint, const JointSpring& spring) noexcept;
    /// Releases a joint or link, or restores it: a joint anew, with the parts as they are then, or
    /// as it was made.
    /// Errors  std::out_of_range.
    void set_joint_holding(std::size_t joint, bool holds, bool anew = true);
    void set_link_holding(std::size_t link, bool holds);

    /// A sudden blow at a spot of a part, in newton seconds; rejected where it is driven.
    StepStatus push(std::uint32_t part, const Vector3& place, const Vector3& impulse_n_s) noexcept;
    StepStatus set_motion(std::uint32_t part, const PartMotion& motion) noexcept;
    /// Makes a part driven from now on, or free again, with the velocity it has. Rejected for one
    /// that was made driven.
    StepStatus set_driven(std::uint32_t part, bool is_driven) noexcept;
    /// Moves one part alone at once; if it is driven, `motion` is not used.
    StepStatus cut_part(std::uint32_t part, const Placement& to, const PartMotion& motion) noexcept;
    /// Moves everything at once, turned about the origin and shifted, its motion with it.
    StepStatus cut(const Placement& way) noexcept;
    /// Moves driven parts at once; what hangs on them goes along unchanged.
    StepStatus cut_driven(std::span<const Placement> driven) noexcept;

    /// How far a hinge is turned (rad, in (-pi, pi]) or a slide moved (m) since the start; of a
    /// ball, b's X axis from a's.
    [[nodiscard]] double joint_position(std::size_t joint) const;
    /// How far apart the two sides of a joint are.
    [[nodiscard]] double joint_gap_m(std::size_t joint) const;
    [[nodiscard]] double largest_joint_gap_m() const noexcept;
    [[nodiscard]] double link_length_m(std::size_t link) const;
    /// The contacts of the last substep.
    [[nodiscard]] std::span<const PartContact> contacts() const noexcept;
    /// Impacts faster than 0.05 m/s during the last step: one for each pair, 64 at most.
    [[nodiscard]] std::span<const PartImpact> impacts() const noexcept;
    [[nodiscard]] double contact_depth_m() const noexcept;
    /// What the wind did to a part during the last substep, at its centre of mass.
    /// Errors  std::out_of_range.
    [[nodiscard]] const PartForce& wind_force(std::uint32_t part) const;

    /// Kinetic, elastic and of gravity (0 at the origin), in joules, of what is not driven.
    [[nodiscard]] double energy() const noexcept;
    [[nodiscard]] Vector3 momentum() const noexcept;          ///< kg m/s
    [[nodiscard]] Vector3 angular_momentum() const noexcept;  ///< about the origin
    /// Everything sleeps until something moves or touches it.
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] bool is_asleep(std::uint32_t part) const;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }
    /// How often something was too fast for its substeps.
    [[nodiscard]] std::uint64_t guarded_substeps() const noexcept { return guarded_substeps_; }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Parts>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("parts 3");
        fields.count(size());
        fields.count(structure_.joints.size());
        fields.count(structure_.links.size());
        for (Part& part : structure_.parts)
            fields(part.is_driven);
        drive_as_structured();
        visit_works(fields);
        fields(rejected_inputs_, guarded_substeps_);
        find_outputs();
    }

  private:
    StepStatus reject() noexcept;
    void visit_works(StateWriter& fields);
    void visit_works(StateReader& fields);
    void find_outputs() noexcept;
    void find_driven() noexcept;
    void drive_as_structured() noexcept;

    PartsStructure structure_;
    PartsSettings settings_;
    std::unique_ptr<PartsWorks> works_;
    std::vector<std::uint32_t> driven_;
    std::vector<Placement> placements_;
    std::vector<PartMotion> motions_;
    std::vector<Channel> channels_;
    std::uint64_t rejected_inputs_ = 0;
    std::uint64_t guarded_substeps_ = 0;
};

}  // namespace hopcoil
