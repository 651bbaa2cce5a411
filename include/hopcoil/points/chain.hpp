#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/follow/motion.hpp>
#include <hopcoil/points/chain_settings.hpp>

namespace hopcoil {

/// The inputs of a chain's step: its root at the end of it, and the wind.
struct ChainInputs {
    Vector3 root{};
    std::optional<Vector3> root_velocity{};  ///< at the end of the step, where it is known
    Quaternion facing{};                     ///< of the root: the rest direction turns with it
    const Wind* wind = nullptr;              ///< no longer than the step
    double time_s = 0.0;                     ///< of the wind, at the end of the step
};

/// Nodes that each follow the one before: a streamer, a tail, a towed line, a row of ducklings.
///
///     Chain streamer{{.nodes = 20, .spacing_m = 0.1}, stern};
///     streamer.step({.root = stern, .facing = heading}, dt);
///     draw(streamer.positions());
///
/// Model   stretchy: each node a Follower of the spot one spacing behind the node before, in a
///         direction mixed from its rest direction and the link before. Fixed: each link turns
///         toward where it would be dragged, its length kept; the tuning acts on its direction.
/// Shapes  `positions` has one for the root and one for each node.
/// Units   metres, seconds, radians.
/// Source  docs/math/chain.md: each node's target is the cubic through its old and new place and
///         velocity, solved exactly over the step.
/// Errors  InvalidValue for invalid settings; while stepping as Follower: an invalid
///         input, or an overflow, leaves everything as it was and is counted.
/// Cost    some 60 (stretchy) to 120 ns a node and substep. Only making one allocates.
class Chain {
  public:
    using Inputs = ChainInputs;

    /// At rest in its rest shape, from the root along its rest direction.
    explicit Chain(const ChainSettings& settings, const Vector3& root = {},
                   const Quaternion& facing = {});

    StepStatus step(const ChainInputs& inputs, double dt) noexcept;
    /// Moves the root at once, and turns it: the whole chain goes along, shape and motion
    /// unchanged.
    StepStatus cut(const Vector3& root, const Quaternion& facing) noexcept;
    StepStatus cut(const Vector3& root) noexcept { return cut(root, facing_); }
    /// Puts it at rest in its rest shape.
    StepStatus reset(const Vector3& root, const Quaternion& facing) noexcept;
    /// A sudden change of a node's velocity; of a link's, where the spacing is fixed.
    StepStatus push(std::size_t node, const Vector3& delta_velocity) noexcept;

    [[nodiscard]] const ChainSettings& settings() const noexcept { return settings_; }
    /// New numbers for the same number of nodes and spacing; the motion goes on.
    /// Errors  InvalidValue, with nothing changed.
    void retune(const ChainSettings& settings);
    bool try_retune(const ChainSettings& settings) noexcept;
    /// One node's own tuning, counted from 1. Errors: InvalidValue; std::out_of_range.
    void set_tuning(std::size_t node, const Tuning& tuning);
    [[nodiscard]] const Tuning& tuning(std::size_t node) const { return tunings_.at(node - 1); }

    /// How many nodes there are, the root not counted.
    [[nodiscard]] std::size_t size() const noexcept { return links_.size(); }
    [[nodiscard]] std::span<const Vector3> positions() const noexcept { return positions_; }
    [[nodiscard]] std::span<const Vector3> velocities() const noexcept { return velocities_; }
    [[nodiscard]] const Vector3& position(std::size_t node) const { return positions_.at(node); }

    /// A point at a part of the length, 0 (root) to 1 (tip), on the smooth curve through the nodes.
    [[nodiscard]] Vector3 point_at(double part) const noexcept;
    /// The rotation of something carried there: its axis `forward` points up the chain, toward the
    /// root. Only the root can twist it.
    [[nodiscard]] Quaternion facing_at(double part,
                                       const Vector3& forward = {0, 0, 1}) const noexcept;
    /// The same at each node, the root first; as many as there is room for.
    void facings(std::span<Quaternion> turns, const Vector3& forward = {0, 0, 1}) const noexcept;

    /// How far the tip lags in steady motion: the sum of all delays.
    [[nodiscard]] double delay_s() const noexcept;
    /// The length along the links over that at rest.
    [[nodiscard]] double stretch() const noexcept;
    /// Whether nothing moves until its root or the wind does.
    [[nodiscard]] bool still() const noexcept { return is_resting_; }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Chain>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("chain 2");
        fields.count(links_.size());
        fields(root_, root_velocity_, root_slope_, last_dt_, facing_, phase_rad_, is_resting_,
               has_history_, was_windy_, rejected_inputs_);
        for (Link& link : links_) {
            fields(link.motion.target, link.motion.gap, link.motion.velocity, link.target_velocity,
                   link.ghost, link.rest_direction);
        }
        for (std::size_t i = 0; i < positions_.size(); ++i)
            fields(positions_[i], velocities_[i]);
    }

  private:
    /// The motion of a node's place (stretchy) or a link's direction (fixed) toward its target.
    struct Link {
        Motion<Vector3> motion{};
        Vector3 target_velocity{};
        Vector3 ghost{0, -1, 0};           ///< fixed: where the link would be dragged to
        Vector3 rest_direction{0, -1, 0};  ///< as the last step had it
    };
    struct RootPath;

    StepStatus reject() noexcept;
    void put_in_rest_shape() noexcept;
    void find_rows(double dt) noexcept;
    [[nodiscard]] Vector3 root_velocity_at_end(const ChainInputs& inputs, double dt) const noexcept;
    [[nodiscard]] std::size_t substeps(const RootPath& path, const ChainInputs& inputs,
                                       double dt) const noexcept;
    [[nodiscard]] Vector3 stream_at(const ChainInputs& inputs, const Vector3& place,
                                    double time_s) const noexcept;
    [[nodiscard]] Vector3 base_direction() const noexcept;
    void retarget_for_wind(const ChainInputs& inputs, double time_s) noexcept;
    void step_stretchy(const RootPath& path, const ChainInputs& inputs, double from_s, double h,
                       double time_s) noexcept;
    void step_fixed(const RootPath& path, const ChainInputs& inputs, double from_s, double h,
                    double time_s) noexcept;
    void find_outputs(std::span<const Vector3> before, double dt) noexcept;
    void keep() noexcept;
    void bring_back() noexcept;
    [[nodiscard]] bool are_outputs_finite() const noexcept;
    [[nodiscard]] bool is_about_to_rest() const noexcept;
    void snap() noexcept;

    ChainSettings settings_;
    std::vector<Tuning> tunings_;
    std::vector<CubicRows<double>> rows_;
    double rows_dt_ = -1;
    std::vector<Link> links_;
    std::vector<Link> kept_;  ///< as they were before the step
    std::vector<Vector3> positions_;
    std::vector<Vector3> velocities_;
    std::vector<Vector3> before_;
    std::vector<Vector3> kept_velocities_;
    Vector3 root_{};
    Vector3 root_velocity_{};
    Vector3 root_slope_{};  ///< of the last step
    double last_dt_ = 0;
    Quaternion facing_{};
    double phase_rad_ = 0;  ///< of the undulation
    bool has_history_ = false;
    bool was_windy_ = false;
    bool is_resting_ = true;
    std::uint64_t rejected_inputs_ = 0;
    std::vector<Channel> channels_;
};

/// Several chains from one root, their rest directions spread evenly over an angle about an axis.
/// Errors  InvalidValue for invalid settings or an angle that is not finite.
[[nodiscard]] std::vector<Chain> fanned(const ChainSettings& settings, std::size_t count,
                                        double spread_rad, const Vector3& axis,
                                        const Vector3& root = {}, const Quaternion& facing = {});

}  // namespace hopcoil
