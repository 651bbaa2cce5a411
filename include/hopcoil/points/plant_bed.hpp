#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/points/detail/plant_room.hpp>
#include <hopcoil/points/plant_settings.hpp>
#include <hopcoil/points/plant_structure.hpp>

namespace hopcoil {

/// A force on the end of a branch, such as that of a weight or a hand.
struct PlantPull {
    std::size_t branch = 0;
    Vector3 force_n{};
    std::size_t plant = 0;  ///< which one of a bed
};

/// Where a plant stands, or will at the end of a step.
struct PlantBase {
    Vector3 place{};
    Quaternion facing{};
    std::optional<Vector3> velocity{};  ///< at the end of the step, where it is known
    std::optional<Vector3> spin{};      ///< angular velocity in the world, rad/s, likewise
};

/// The inputs of a bed's step; references need to live no longer than it.
struct PlantBedInputs {
    std::span<const PlantBase> bases{};  ///< of each plant; none: all stay where they are
    const Wind* wind = nullptr;          ///< or current
    double time_s = 0.0;                 ///< of the wind, at the end of the step
    std::span<const PlantPull> pulls{};  ///< during the step
};

/// Many plants of one structure: grass, reeds, a wood. Each is bit for bit a Plant by itself; eight
/// at a time are stepped side by side.
///
///     PlantBed reeds{reed, {.frequency_hz = 1.2}, places};
///     reeds.step({.wind = &evening, .time_s = now}, dt);
///     for (std::size_t i = 0; i < reeds.size(); ++i) draw(reeds.positions(i));
///
/// Model   that of Plant (plant.hpp).
/// Shapes  of each plant a point for the base and one for the end of each branch.
/// Units   metres, seconds, radians, kilograms.
/// Source  docs/plants.md.
/// Errors  InvalidValue for invalid settings. While stepping none: a plant with an invalid base,
///         or that would overflow, stays as it was and is counted.
/// Cost    docs/performance.md. Only making one allocates.
class PlantBed {
  public:
    using Inputs = PlantBedInputs;

    /// At rest in their rest shape; at least one.
    PlantBed(std::shared_ptr<const PlantStructure> structure, const PlantSettings& settings,
             std::span<const PlantBase> bases);

    StepStatus step(const PlantBedInputs& inputs, double dt) noexcept;
    /// Moves a base at once, and turns it: the whole plant goes along, shape and motion unchanged.
    StepStatus cut(std::size_t plant, const Vector3& place, const Quaternion& facing) noexcept;
    /// At rest in its rest shape.
    StepStatus reset(std::size_t plant, const Vector3& place, const Quaternion& facing) noexcept;
    /// A blow at the end of a branch, in newton seconds.
    StepStatus push(std::size_t plant, std::size_t branch, const Vector3& impulse_n_s) noexcept;

    [[nodiscard]] std::size_t size() const noexcept { return stands_.size(); }
    [[nodiscard]] const PlantSettings& settings() const noexcept { return settings_; }
    /// New numbers; the motion goes on. Errors: InvalidValue, with nothing changed.
    void retune(const PlantSettings& settings);
    bool try_retune(const PlantSettings& settings) noexcept;
    [[nodiscard]] const PlantStructure& structure() const noexcept { return *structure_; }
    /// Chooses the instructions of its loops; the bits are the same with each.
    /// Errors  InvalidValue for one that this processor does not have.
    void use(InstructionSet set);

    /// The points of one plant: the base, then the end of each branch.
    [[nodiscard]] std::span<const Vector3> positions(std::size_t plant) const noexcept {
        return of(positions_, plant);
    }
    [[nodiscard]] std::span<const Vector3> velocities(std::size_t plant) const noexcept {
        return of(velocities_, plant);
    }
    /// How far each is turned from rest: the base's own facing, then each branch.
    [[nodiscard]] std::span<const Quaternion> rotations(std::size_t plant) const noexcept {
        return of(rotations_, plant);
    }
    /// How fast each turns, in radians per second.
    [[nodiscard]] std::span<const Vector3> spins(std::size_t plant) const noexcept {
        return of(spins_, plant);
    }

    /// The kinetic and bending energy of a plant's sway, in joules.
    [[nodiscard]] double energy(std::size_t plant) const noexcept;
    [[nodiscard]] double energy() const noexcept;
    /// Whether nothing moves until a base or the wind does.
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<PlantBed>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("plant bed 1");
        fields.count(stands_.size());
        fields.count(structure_->mode_count());
        fields.count(structure_->size());
        fields(rejected_inputs_);
        for (std::size_t i = 0; i < stands_.size(); ++i) {
            fields(stands_[i]);
            plant::Block& block = blocks_[i / lanes_];
            const std::size_t lane = i % lanes_;
            fields(block.load_rates[lane]);
            for (std::size_t at = lane; at < block.swings.bends.size(); at += lanes_) {
                fields(block.swings.bends[at], block.swings.rates[at], block.swings.loads[at],
                       block.swings.drags[at]);
            }
        }
        show_all();
    }

  private:
    /// Where a plant stands, and how its base has moved.
    struct Stand {
        Vector3 base{};
        Vector3 velocity{};
        Vector3 slope{};  ///< of the last step
        Quaternion facing{};
        Vector3 spin{};
        Vector3 spin_slope{};
        double last_dt = 0;
        bool has_history = false;
        bool is_resting = true;

        template <class Fields>
        void visit_state(Fields& fields) {
            fields(base, velocity, slope, facing, spin, spin_slope, last_dt, has_history,
                   is_resting);
        }
    };
    struct Way;
    struct Ways;

    template <class T>
    [[nodiscard]] std::span<const T> of(const std::vector<T>& all,
                                        std::size_t plant) const noexcept {
        const std::size_t points = structure_->size() + 1;
        return plant < size() ? std::span{all}.subspan(plant * points, points)
                              : std::span<const T>{};
    }
    StepStatus reject() noexcept;
    [[nodiscard]] std::size_t plants_in(std::size_t block) const noexcept;
    [[nodiscard]] bool can_be(const PlantBase& base) const noexcept;
    [[nodiscard]] PlantBase base_of(const PlantBedInputs& inputs, std::size_t plant) const noexcept;
    StepStatus move_at_once(const PlantBedInputs& inputs) noexcept;
    [[nodiscard]] std::size_t substeps(double load_rate, double dt) const noexcept;
    [[nodiscard]] Way way_of(std::size_t plant, const PlantBase& base, double dt) const noexcept;
    [[nodiscard]] bool is_idle(std::size_t plant, const PlantBedInputs& inputs,
                               const Way& way) const noexcept;
    std::size_t step_block(std::size_t block, const PlantBedInputs& inputs, double dt) noexcept;
    void substep(std::size_t block, const PlantBedInputs& inputs, Ways& ways,
                 std::size_t number) noexcept;
    void find_streams(const PlantBedInputs& inputs, Ways& ways, std::size_t number) noexcept;
    void finish(const Ways& ways, double dt) noexcept;
    void find_rows(plant::Block& block, std::size_t lane, const Way& way) const noexcept;
    [[nodiscard]] bool is_about_to_rest(const plant::Swings& swings,
                                        std::size_t lane) const noexcept;
    void show(std::size_t block) noexcept;
    void show_all() noexcept;

    std::shared_ptr<const PlantStructure> structure_;
    PlantSettings settings_;
    std::size_t lanes_ = 1;
    std::vector<Stand> stands_;
    std::vector<plant::Block> blocks_;
    plant::Room room_;
    std::uint64_t rejected_inputs_ = 0;
    InstructionSet set_ = best_instruction_set();

    std::vector<Vector3> positions_;
    std::vector<Vector3> velocities_;
    std::vector<Quaternion> rotations_;
    std::vector<Vector3> spins_;
    std::vector<Channel> channels_;
};

}  // namespace hopcoil
