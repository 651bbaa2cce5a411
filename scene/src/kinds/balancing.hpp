#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/parts/balance.hpp>
#include <hopcoil/parts/balance_rig.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "events.hpp"
#include "model_rig.hpp"
#include "mounts.hpp"

namespace hopcoil::scene {

/// What a table [balance.NAME] has happen at a time.
struct BalanceEvent {
    enum class What : std::uint8_t { blow, push, state, throws, takes_hold, lets_go };
    What what = What::blow;
    double at_s = 0;
    std::uint32_t part = 0;  ///< or thing
    Vector3 place{};
    Vector3 vector{};  ///< newton seconds, or metres per second
    BalanceState state = BalanceState::stands;
    BalanceGrip grip{};
};

/// A part that is not of the body.
struct BalanceThing {
    std::string name{};
    Part part{};
    std::optional<double> thrown_at_s{};
    std::optional<Colour> colour{};
};

using BodyRig = RigWithClip<BalanceRig>;

/// What a table [balance.NAME] says.
struct BalancingBody {
    BalanceSettings settings{};
    std::optional<Vector3> at{};          ///< at the start; its target's place, without it
    std::optional<double> yaw_rad{};      ///< that it faces then; what `facing` says, without it
    std::optional<std::size_t> target{};  ///< indices into its targets
    std::optional<std::size_t> facing{};
    bool faces_an_angle = false;
    std::vector<BalanceThing> things{};
    std::vector<BalanceEvent> events{};
    std::vector<MountedShape> shapes{};
    std::shared_ptr<const BodyRig> rig{};
    std::vector<Colour> colours{};
    double order = 0;
    bool shows_limits = false;

    [[nodiscard]] std::vector<Part> parts_of_things() const;
    /// Its own parts' names, then those of the things.
    [[nodiscard]] std::vector<std::string> part_names() const;
    /// The output of a skeleton's joints, after those of its parts; then their rotations.
    [[nodiscard]] std::size_t joints_port() const;
    /// The output of the limits of its joints, the last.
    [[nodiscard]] std::size_t limits_port() const { return joints_port() + (rig ? 2 : 0); }
};

/// Its outputs: centre of mass, facing, soles, where the ground pushes it, its capture point; then
/// place and rotation of each part and thing; those of a skeleton's joints; limits, if shown.
namespace balance_port {
enum Index : std::size_t { body, facing, foot1, foot2, pressure, capture, first_part };
}  // namespace balance_port

namespace balance_signal {
enum Index : std::size_t {
    state,
    planted1,
    planted2,
    load1,
    load2,
    help,
    tilt,
    margin,
    falls,
    steps,
    catches,
    count
};
inline constexpr const char* names[] = {
    "state",    "foot1.planted", "foot2.planted", "foot1.load_n", "foot2.load_n", "help",
    "tilt_rad", "margin_m",      "falls",         "steps",        "catches"};
}  // namespace balance_signal

class RunningBalance final : public RunningSystem, public EventSource {
  public:
    RunningBalance(BalancingBody body, const SystemInputs& inputs);

    bool advance(double time_s, const SystemInputs& inputs) override;
    void change(const SystemInputs& inputs) override;
    void act() override;
    bool push(std::size_t port, const ValueArray& delta_velocity) override;
    bool grab(std::size_t port, std::size_t index, const std::optional<ValueArray>& place) override;
    [[nodiscard]] double next_event_s(double time_s) const override;
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override;
    void read_signals(std::span<double> numbers) override;
    bool retune(const SystemSpec& spec) override;
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override {
        visit_state(in);
        events_.clear();
        pose_skeleton();
    }
    [[nodiscard]] std::span<const SceneEvent> events() const override { return events_; }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double rate_hz) const override;

  private:
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_, stepped_s_, yaw_, facing_before_);
        fields.require(time_s_ >= 0 && stepped_s_ >= 0);
        fields(running_, mounts_, animated_at_.position, animated_at_.rotation);
    }
    bool step_to(double time_s, const SystemInputs& inputs);
    void note_events(const std::array<bool, 2>& planted);
    [[nodiscard]] const void* field(const std::type_info& type) const override {
        return type == typeid(EventSource) ? static_cast<const EventSource*>(this) : nullptr;
    }
    void apply(const BalanceEvent& event);
    void pose_skeleton();
    void find_pose(double time_s);

    BalancingBody body_;
    Balance running_;
    std::vector<std::size_t> limited_{};  ///< joints whose limits are shown
    MountHistory mounts_;
    std::vector<ContactShape> shapes_;
    std::optional<PartGrab> grab_;
    std::vector<SceneEvent> events_{};
    std::vector<Pose> base_{};
    std::vector<Pose> local_{};
    std::vector<Pose> joints_{};
    std::vector<Placement> pose_{};
    Placement animated_at_{};  ///< the model's frame, while it is animated
    double yaw_ = 0;
    double facing_before_ = 0;
    double time_s_ = 0;
    double stepped_s_ = 0;  ///< the time of the last step
};

class BalanceSpec final : public SystemSpec {
  public:
    /// Throws for invalid settings.
    explicit BalanceSpec(BalancingBody body);

    [[nodiscard]] const BalancingBody& body() const { return body_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<BalanceSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "balance"; }
    [[nodiscard]] bool has_field(const std::type_info& type) const override {
        return type == typeid(EventSource) || type == typeid(FootEvents) ||
               type == typeid(HitEvents);
    }
    [[nodiscard]] std::string in_words(std::size_t port) const override;
    [[nodiscard]] std::vector<Port> outputs() const override;
    [[nodiscard]] std::vector<RecordedChannel> signals() const override;
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] std::vector<SpecDial> dials() const override;
    [[nodiscard]] double dial(std::size_t index) const override;
    DialStatus set_dial(std::size_t index, double value) override;
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningBalance>(body_, inputs);
    }
    [[nodiscard]] double last_event_s() const override;
    [[nodiscard]] double highest_hz() const override { return 15; }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    BalancingBody body_;
    PartsStructure structure_;
    std::vector<std::size_t> limited_{};  ///< joints whose limits are shown
};

/// The parts of a body, in their order, as files name them.
[[nodiscard]] std::span<const char* const> body_part_names(bool has_arms);

/// The keys of [balance.NAME] and of the tables inside it.
[[nodiscard]] std::vector<TableFacts> balance_tables();

}  // namespace hopcoil::scene
