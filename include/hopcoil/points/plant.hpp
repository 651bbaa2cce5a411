#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/points/plant_settings.hpp>
#include <hopcoil/points/plant_structure.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil {

/// A force on the end of a branch, as of what hangs on it, or of a hand.
struct PlantPull {
    std::size_t branch = 0;
    Vector3 force_n{};
};

/// What a plant is given for a step: where its base has got to, and what it stands in.
struct PlantInputs {
    Vector3 base{};
    std::optional<Vector3> base_velocity{};  ///< at the end of the step, where it is known
    Quaternion facing{};                     ///< of the base
    const Wind* wind = nullptr;              ///< or current; no longer than the step
    double time_s = 0.0;                     ///< of the wind, at the end of the step
    std::span<const PlantPull> pulls{};      ///< during the step
};

/// Branches that sway in a wind or current, each as stiff as it is thick, all as one thing.
///
///     const auto fan = std::make_shared<const PlantStructure>(PlantShape{.levels = 5}, stream);
///     Plant plant{fan, {.frequency_hz = 0.8}, rock};
///     plant.step({.base = rock, .wind = &current, .time_s = now}, dt);
///
/// Model   the structure's modes, each solved exactly over a step: bend'' + 2 z w bend' + w^2 bend
///         = load - share of the base's acceleration. The load is the drag across each branch as
///         it then stands, of the stream relative to it; so a branch that turns along the stream
///         sheds its load, and motion through the air is damped.
/// Shapes  a point for the base and one for the end of each branch.
/// Units   metres, seconds, radians, kilograms.
/// Source  docs/plants.md.
/// Errors  InvalidValue for settings that cannot be; while stepping none: what cannot be used, or
///         would overflow, leaves everything as it was and is counted.
/// Cost    some 0.8 us a branch and step of 1/60 s, 1.3 us with wind. Only making one allocates;
///         plants that share a structure share what it holds.
class Plant {
  public:
    using Inputs = PlantInputs;

    /// At rest in its rest shape.
    explicit Plant(std::shared_ptr<const PlantStructure> structure,
                   const PlantSettings& settings = {}, const Vector3& base = {},
                   const Quaternion& facing = {});

    StepStatus step(const PlantInputs& inputs, double dt) noexcept;
    /// The base is elsewhere, turned or not: the whole plant goes with it, as it is.
    StepStatus cut(const Vector3& base, const Quaternion& facing) noexcept;
    /// At rest in its rest shape.
    StepStatus reset(const Vector3& base, const Quaternion& facing) noexcept;
    /// A blow at the end of a branch, in newton seconds.
    StepStatus push(std::size_t branch, const Vector3& impulse_n_s) noexcept;

    [[nodiscard]] const PlantSettings& settings() const noexcept { return settings_; }
    /// New numbers; the motion goes on. Errors: InvalidValue, with nothing changed.
    void retune(const PlantSettings& settings);
    bool try_retune(const PlantSettings& settings) noexcept;
    [[nodiscard]] const PlantStructure& structure() const noexcept { return *structure_; }

    /// The base, then the end of each branch.
    [[nodiscard]] std::span<const Vector3> positions() const noexcept { return positions_; }
    [[nodiscard]] std::span<const Vector3> velocities() const noexcept { return velocities_; }
    /// How each is turned since rest: the base's own facing, then each branch.
    [[nodiscard]] std::span<const Quaternion> rotations() const noexcept { return rotations_; }

    /// How fast one of them turns, in radians per second.
    [[nodiscard]] Vector3 spin(std::size_t point) const;

    /// Of all that swings: motion and bending, in joules.
    [[nodiscard]] double energy() const noexcept;
    /// Nothing moves until its base or the wind does.
    [[nodiscard]] bool still() const noexcept { return is_resting_; }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Plant>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("plant 1");
        fields.count(swings_.size());
        fields.count(structure_->size());
        fields(base_, base_velocity_, base_slope_, facing_, spin_, spin_slope_, last_dt_,
               has_history_, load_rate_, is_resting_, rejected_inputs_);
        for (Swing& swing : swings_)
            fields(swing.bend, swing.rate, swing.load, swing.drag);
        find_outputs();
    }

  private:
    /// One mode's motion.
    struct Swing {
        double bend = 0;
        double rate = 0;
        double load = 0;  ///< the static bend under the last load
        double drag = 0;  ///< damping by its own motion in the stream, per second
    };
    /// Change of a mode's bend and rate under a unit force that lasts for a substep.
    struct UnitResponse {
        double bend = 0;
        double rate = 0;
    };
    /// The drag of half a branch for small changes of its velocity.
    struct Drag {
        double slope = 0;  ///< newton seconds per metre, across the branch
        Vector3 stream{};  ///< of unit length: along it, twice as much
    };
    /// A force, and its moment about the foot of a branch.
    struct Load {
        Vector3 force{};
        Vector3 moment{};
        void add_at(const Vector3& arm, const Vector3& more) noexcept {
            force = force + more;
            moment = moment + cross(arm, more);
        }
    };
    struct BasePath;
    struct Moment;

    StepStatus reject() noexcept;
    [[nodiscard]] double density() const noexcept;
    [[nodiscard]] double radians_per_s(std::size_t mode) const noexcept;
    void find_rows(double h) noexcept;
    [[nodiscard]] std::size_t substeps(double dt) const noexcept;
    void substep(const BasePath& path, const PlantInputs& inputs, double from_s, double h) noexcept;
    void predict(const Moment& moment) noexcept;
    void pose() noexcept;
    void move() noexcept;
    [[nodiscard]] Vector3 foot_of(std::size_t branch) const noexcept;
    void add_inertia(const Moment& moment) noexcept;
    void find_inertia(const Moment& moment) noexcept;
    void set_rates(std::span<const double> of_modes) noexcept;
    [[nodiscard]] double on_mode(std::size_t mode, std::span<const double> torques) const noexcept;
    void add_stream_loads(const Moment& moment) noexcept;
    void add_pull(std::size_t branch, const Vector3& force) noexcept;
    void find_torques() noexcept;
    void find_modal_loads(const Moment& moment) noexcept;
    void drag_on_modes(std::span<const double> rates) noexcept;
    [[nodiscard]] Swing after_half(std::size_t mode, double load, const Moment& moment,
                                   std::size_t half) const noexcept;
    void add_mode(std::size_t mode, const Swing& swing) noexcept;
    void swing_on(const Moment& moment, std::size_t half) noexcept;
    void solve_drag() noexcept;
    void find_outputs() noexcept;
    [[nodiscard]] bool is_about_to_rest() const noexcept;

    std::shared_ptr<const PlantStructure> structure_;
    PlantSettings settings_;
    std::vector<Swing> swings_;
    std::vector<Swing> kept_;  ///< as they were before the step
    std::vector<double> next_loads_;
    std::vector<double> gains_;  ///< of rate, per second; then what inertia adds to the loads
    std::vector<CubicRows<double>> rows_;  ///< of half a substep, with the base's motion
    std::vector<double> rows_drag_;        ///< that each is for
    double rows_dt_ = -1;
    std::vector<UnitResponse> responses_;  ///< and what goes with solving for the drag
    std::vector<double> slowings_;
    std::vector<double> wanted_;
    std::vector<double> missing_;
    std::vector<double> toward_;

    Vector3 base_{};
    Vector3 base_velocity_{};
    Vector3 base_slope_{};  ///< of the last step
    Quaternion facing_{};
    Vector3 spin_{};  ///< the base's angular velocity
    Vector3 spin_slope_{};
    double last_dt_ = 0;
    bool has_history_ = false;
    double load_rate_ = 0;  ///< how quickly loads change with the bend, radians per second squared
    bool is_windy_ = false;
    bool is_resting_ = true;
    std::uint64_t rejected_inputs_ = 0;

    // A pose in the base's frame: of each branch.
    std::vector<double> angles_;  ///< about its two bends
    std::vector<double> rates_;
    std::vector<Quaternion> turns_;
    std::vector<Vector3> ends_;
    std::vector<Vector3> end_velocities_;
    std::vector<Vector3> spins_;
    std::vector<Vector3> end_gains_;  ///< of velocity, per second
    std::vector<Vector3> spin_gains_;
    std::vector<Vector3> bends_;    ///< each against its parent, an axis times an angle
    std::vector<Load> loads_;       ///< of all that it carries
    std::vector<Drag> drags_;       ///< of either half
    std::vector<Vector3> streams_;  ///< at the wind points

    std::vector<Vector3> positions_;
    std::vector<Vector3> velocities_;
    std::vector<Quaternion> rotations_;
    std::vector<Channel> channels_;
};

}  // namespace hopcoil
