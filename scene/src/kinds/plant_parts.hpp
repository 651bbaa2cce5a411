#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/points/plant_bed.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "../run/step_length.hpp"
#include "mounts.hpp"

namespace hopcoil::scene {

/// A force on the end of a branch, for a time.
struct PlantPush {
    double at_s = 0;
    double for_s = 0.2;
    std::size_t branch = 0;
    Vector3 force_n{};
    friend bool operator==(const PlantPush&, const PlantPush&) = default;
};

/// A branch end that something is carried at.
struct PlantSpot {
    std::string name{};
    std::size_t branch = 0;
};

/// What a table [plant.NAME] says.
struct PlantParts {
    std::optional<PlantShape> shape{};  ///< grown; without it the branches are listed
    std::uint64_t stream = 0;
    PlantModeSettings modes{};
    PlantSettings settings{};
    std::shared_ptr<const PlantStructure> structure{};
    std::vector<Placement> places{};  ///< of each plant, in the mount's frame; at least one
    Mount mount{};
    Placement carrier{};  ///< where the mount is at the start
    std::vector<PlantPush> pushes{};
    std::vector<PlantSpot> spots{};
    std::vector<Colour> colours{};
    double order = 0;

    [[nodiscard]] std::size_t points_of_each() const { return structure->size() + 1; }
    [[nodiscard]] std::size_t point_count() const { return points_of_each() * places.size(); }
};

class RunningPlant final : public RunningSystem {
  public:
    RunningPlant(PlantParts parts, const SystemInputs& inputs);

    bool advance(double time_s, const SystemInputs& inputs) override;
    void change(const SystemInputs& inputs) override;
    bool push(std::size_t port, const ValueArray& delta_velocity) override;
    bool grab(std::size_t port, std::size_t index, const std::optional<ValueArray>& place) override;
    [[nodiscard]] double next_event_s(double time_s) const override;
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override;
    void read_signals(std::span<double> numbers) override;
    bool retune(const SystemSpec& spec) override;
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }

  private:
    /// What a hand pulls at, and where to.
    struct Grab {
        std::size_t plant = 0;
        std::size_t branch = 0;
        Vector3 place{};
    };
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_, step_length_, plants_);
        fields.require(time_s_ >= 0);
    }
    void find_pulls(double from_s, double to_s);

    PlantParts parts_;
    std::vector<PlantBase> bases_;
    PlantBed plants_;
    std::vector<std::size_t> tips_;
    std::vector<PlantPull> pulls_;
    std::optional<Grab> grab_;
    double time_s_ = 0;
    StepLength step_length_;
};

class PlantSpec final : public SystemSpec {
  public:
    explicit PlantSpec(PlantParts parts) : parts_{std::move(parts)} {
        require_valid(parts_.settings);
    }
    [[nodiscard]] const PlantParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<PlantSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "plant"; }
    [[nodiscard]] std::string in_words(std::size_t port) const override;
    [[nodiscard]] std::vector<Port> outputs() const override;
    [[nodiscard]] std::vector<RecordedChannel> signals() const override;
    [[nodiscard]] bool is_measured(const std::string& channel) const override;
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] std::vector<SpecDial> dials() const override;
    [[nodiscard]] double dial(std::size_t index) const override;
    DialStatus set_dial(std::size_t index, double value) override;
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningPlant>(parts_, inputs);
    }
    [[nodiscard]] double last_event_s() const override;
    [[nodiscard]] double highest_hz() const override;
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    PlantParts parts_;
};

/// So many points there may be in all, in a scene.
inline constexpr std::size_t most_plant_points = 20'000;

}  // namespace hopcoil::scene
