#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>

#include <hopcoil/points/plant_bed.hpp>

namespace hopcoil {

/// The inputs of a plant's step: its base at the end of it, wind or current, pulls.
struct PlantInputs {
    Vector3 base{};
    std::optional<Vector3> base_velocity{};  ///< at the end of the step, where it is known
    Quaternion facing{};                     ///< of the base
    std::optional<Vector3> base_spin{};      ///< its angular velocity at the end, where it is known
    const Wind* wind = nullptr;              ///< or current; no longer than the step
    double time_s = 0.0;                     ///< of the wind, at the end of the step
    std::span<const PlantPull> pulls{};      ///< during the step
};

/// Branches that sway in a wind or current, each as stiff as its thickness makes it, all coupled.
///
///     const auto fan = std::make_shared<const PlantStructure>(PlantShape{.levels = 5}, stream);
///     Plant plant{fan, {.frequency_hz = 0.8}, rock};
///     plant.step({.base = rock, .wind = &current, .time_s = now}, dt);
///
/// Model   the structure's modes, each solved exactly over a step: bend'' + 2 z w bend' + w^2 bend
///         = load - share of the base's acceleration. The load is the drag across each branch in
///         its bent pose, from the stream relative to it; so a branch that turns along the stream
///         is loaded less, and motion through the air is damped.
/// Shapes  a point for the base and one for the end of each branch.
/// Units   metres, seconds, radians, kilograms.
/// Source  docs/plants.md.
/// Errors  InvalidValue for invalid settings; while stepping none: an invalid input, or an
///         overflow, leaves everything as it was and is counted.
/// Cost    some 0.8 us a branch and step of 1/60 s, 1.3 us with wind; many of one structure are
///         quicker as a PlantBed. Only making one allocates; plants that share a structure share
///         what it holds.
class Plant {
  public:
    using Inputs = PlantInputs;

    /// At rest in its rest shape.
    explicit Plant(std::shared_ptr<const PlantStructure> structure,
                   const PlantSettings& settings = {}, const Vector3& base = {},
                   const Quaternion& facing = {});

    StepStatus step(const PlantInputs& inputs, double dt) noexcept;
    /// Moves the base at once, and turns it: the whole plant goes along, shape and motion
    /// unchanged.
    StepStatus cut(const Vector3& base, const Quaternion& facing) noexcept {
        return bed_.cut(0, base, facing);
    }
    /// At rest in its rest shape.
    StepStatus reset(const Vector3& base, const Quaternion& facing) noexcept {
        return bed_.reset(0, base, facing);
    }
    /// A blow at the end of a branch, in newton seconds.
    StepStatus push(std::size_t branch, const Vector3& impulse_n_s) noexcept {
        return bed_.push(0, branch, impulse_n_s);
    }

    [[nodiscard]] const PlantSettings& settings() const noexcept { return bed_.settings(); }
    /// New numbers; the motion goes on. Errors: InvalidValue, with nothing changed.
    void retune(const PlantSettings& settings) { bed_.retune(settings); }
    bool try_retune(const PlantSettings& settings) noexcept { return bed_.try_retune(settings); }
    [[nodiscard]] const PlantStructure& structure() const noexcept { return bed_.structure(); }

    /// The base, then the end of each branch.
    [[nodiscard]] std::span<const Vector3> positions() const noexcept { return bed_.positions(0); }
    [[nodiscard]] std::span<const Vector3> velocities() const noexcept {
        return bed_.velocities(0);
    }
    /// How far each is turned from rest: the base's own facing, then each branch.
    [[nodiscard]] std::span<const Quaternion> rotations() const noexcept {
        return bed_.rotations(0);
    }
    /// How fast each turns, in radians per second.
    [[nodiscard]] std::span<const Vector3> spins() const noexcept { return bed_.spins(0); }

    /// The kinetic and bending energy of the sway, in joules.
    [[nodiscard]] double energy() const noexcept { return bed_.energy(0); }
    /// Whether nothing moves until its base or the wind does.
    [[nodiscard]] bool still() const noexcept { return bed_.still(); }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return bed_.rejected_inputs(); }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return bed_.channels(); }
    void read(std::span<double> numbers) const noexcept { bed_.read(numbers); }
    [[nodiscard]] static std::span<const Dial<Plant>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("plant 2");
        fields(bed_);
    }

  private:
    PlantBed bed_;
};

}  // namespace hopcoil
