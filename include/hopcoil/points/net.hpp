#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/points/net_settings.hpp>
#include <hopcoil/points/net_structure.hpp>

namespace hopcoil {

/// A hand on a net: pulls a point, and those near it, toward a place with a limited force.
struct NetGrab {
    std::uint32_t point = 0;
    double radius_m = 0.0;  ///< the points within this of it are pulled alike
    Vector3 target{};
    double most_force_n = 50.0;
};

/// The inputs of a net's step; references need to live no longer than it.
struct NetInputs {
    /// Where the pinned points are at the end of the step, in the order of `Net::pins()`; they go
    /// there in a straight line. Without any they stay.
    std::span<const Vector3> pins{};
    std::span<const ContactShape> shapes{};  ///< at the end of the step; at most 64
    std::span<const NetGrab> grabs{};
    const Ground* ground = nullptr;
    const Wind* wind = nullptr;
    double time_s = 0.0;  ///< of the wind, at the end of the step
};

/// The motion of a net: all that its next step depends on.
struct NetState {
    std::vector<Vector3> x{};
    std::vector<Vector3> v{};
    std::vector<Vector3> x_before{};  ///< a step ago
    std::vector<Vector3> v_before{};
    std::vector<std::uint8_t> touches{};  ///< in contact at the last step
    double dt_before = 0.0;               ///< 0: no step yet
};

struct NetWorks;

/// Points joined by links, stepped as physics: rope, cloth, soft bodies.
///
///     NetStructure sail = cloth({.width_m = 2, .height_m = 1});
///     pin(sail, points_at(ClothSettings{.width_m = 2, .height_m = 1}, ClothEdge::top));
///     Net net{sail};
///     net.step({.wind = &evening, .time_s = now}, dt);
///     draw(net.positions());
///
/// Model   m x'' = gravity, air, lasting forces, grabs, and the forces of links (NetLink) and bends
///         (NetBend); contact without bounce, with friction.
/// Shapes  positions and velocities have one Vector3 for each point.
/// Units   metres, seconds, kilograms, newtons.
/// Source  docs/nets.md.
/// Errors  InvalidValue and std::out_of_range for an invalid structure or settings; while stepping
///         none: invalid input is rejected and counted; a motion that diverges (with forces only)
///         stays as it was before the step.
/// Cost    docs/performance.md. Only making and configuring allocate.
class Net {
  public:
    using Inputs = NetInputs;

    explicit Net(NetStructure structure, const NetSettings& settings = {});
    Net(const Net& other);
    Net(Net&&) noexcept;
    Net& operator=(const Net& other);
    Net& operator=(Net&&) noexcept;
    ~Net();

    StepStatus step(const NetInputs& inputs, double dt) noexcept;

    [[nodiscard]] std::size_t size() const noexcept { return state_.x.size(); }
    [[nodiscard]] std::span<const Vector3> positions() const noexcept { return state_.x; }
    [[nodiscard]] std::span<const Vector3> velocities() const noexcept { return state_.v; }
    [[nodiscard]] const NetStructure& structure() const noexcept { return structure_; }
    [[nodiscard]] const NetSettings& settings() const noexcept { return settings_; }
    /// How it is stepped: the method and substeps that were chosen.
    [[nodiscard]] const NetPlan& plan() const noexcept { return plan_; }
    [[nodiscard]] std::span<const std::uint32_t> pins() const noexcept { return pins_; }

    /// Chooses the instructions of its loops; the bits are the same with each.
    /// Errors  InvalidValue for one that this processor does not have.
    void use(InstructionSet set);

    /// New numbers for as many points; the motion goes on.
    /// Errors  InvalidValue, with nothing changed; also for another number of points.
    void retune(const NetStructure& structure, const NetSettings& settings);
    bool try_retune(const NetSettings& settings) noexcept;
    /// Pins a point where it is, or lets it go with the velocity it has.
    /// Errors  std::out_of_range. Cost    as making the net.
    void set_pinned(std::uint32_t point, bool is_pinned);
    /// Cuts a link. Errors: std::out_of_range. Cost: as making the net.
    void cut_link(std::size_t link);
    /// A force on a point that lasts until another is set. Errors: InvalidValue; std::out_of_range.
    void set_force(std::uint32_t point, const Vector3& newtons);
    /// A sudden change of a point's velocity; rejected where it is pinned or not finite.
    StepStatus push(std::uint32_t point, const Vector3& delta_velocity) noexcept;
    /// Moves the whole net at once, turned about the origin and shifted, its motion with it.
    StepStatus cut(const Vector3& way, const Quaternion& turn = {}) noexcept;
    /// The point nearest to a place.
    [[nodiscard]] std::uint32_t nearest_point(const Vector3& place) const noexcept;

    /// Kinetic, elastic (as firm as the method holds links) and of gravity (0 at the origin), in
    /// joules, of what is not pinned.
    [[nodiscard]] double energy() const noexcept;
    [[nodiscard]] Vector3 momentum() const noexcept;          ///< kg m/s
    [[nodiscard]] Vector3 angular_momentum() const noexcept;  ///< about the origin
    /// The largest stretch of any link beyond its longest, over that.
    [[nodiscard]] double largest_stretch() const noexcept;
    /// How deep the deepest point was in what it touches, after the last step.
    [[nodiscard]] double contact_depth_m() const noexcept { return contact_depth_m_; }
    [[nodiscard]] std::size_t contact_count() const noexcept;
    /// Implicit: how far the last iteration still moved a point.
    [[nodiscard]] double residual_m() const noexcept;
    /// Whether nothing moves visibly.
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Net>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("net 1");
        fields.count(state_.x.size());
        for (std::size_t i = 0; i < state_.x.size(); ++i) {
            fields(state_.x[i], state_.v[i], state_.x_before[i], state_.v_before[i],
                   state_.touches[i], forces_[i]);
        }
        fields(state_.dt_before, rejected_inputs_, contact_depth_m_);
        visit_solver(fields);
    }

  private:
    void rebuild();
    StepStatus reject() noexcept;
    [[nodiscard]] bool can_use(const NetInputs& inputs, double dt) const noexcept;
    [[nodiscard]] std::size_t substeps_of(double dt) const noexcept;
    bool substep(const NetInputs& inputs, double h, double part, double remaining_s) noexcept;
    void find_lasting_accelerations() noexcept;
    std::span<const Vector3> find_accelerations(const NetInputs& inputs, double h) noexcept;
    void add_grabs(const NetInputs& inputs, double h) noexcept;
    void visit_solver(StateWriter& fields);
    void visit_solver(StateReader& fields);

    NetStructure structure_;  ///< with positions as built
    NetSettings settings_;
    NetPlan plan_;
    NetState state_;
    NetState kept_;  ///< as it was before the step
    std::vector<std::uint32_t> pins_;
    std::vector<Vector3> forces_;         ///< lasting ones
    std::vector<Vector3> lasting_;        ///< accelerations that last longer than a substep
    std::vector<Vector3> accelerations_;  ///< of all that is not links and contact
    std::vector<Vector3> pins_from_;
    std::vector<Vector3> pins_to_;
    std::unique_ptr<NetWorks> works_;  ///< what its method and contacts work with
    std::vector<Channel> channels_;
    InstructionSet set_ = best_instruction_set();
    double contact_depth_m_ = 0.0;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace hopcoil
