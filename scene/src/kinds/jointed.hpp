#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/parts/parts.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "events.hpp"
#include "mounts.hpp"

namespace hopcoil::scene {

/// Springs of joints, or links, that share their numbers.
struct PartsGroup {
    std::string name{};
    JointSpring spring{};  ///< of links its stiffness and damping
    std::vector<std::size_t> joints{};
    std::vector<std::size_t> links{};
};

/// A blow at a time, in newton seconds.
struct PartBlow {
    double at_s = 0;
    std::uint32_t part = 0;
    Vector3 place{};
    Vector3 newton_seconds{};
    friend bool operator==(const PartBlow&, const PartBlow&) = default;
};

/// A driven part, and what it goes with.
struct DrivenPart {
    Mount mount{};
    Placement own{};  ///< in the mount's frame
    friend bool operator==(const DrivenPart&, const DrivenPart&) = default;
};

/// A joint whose spring draws it toward a target.
struct AimedJoint {
    std::uint32_t joint = 0;
    PartJoint::Type type{};
    std::size_t target = 0;  ///< index into the system's own
    friend bool operator==(const AimedJoint&, const AimedJoint&) = default;
};

/// What a table [parts.NAME] says.
struct JointedParts {
    PartsStructure structure{};
    PartsSettings settings{};
    std::vector<std::string> names{};
    std::vector<std::string> joint_names{};
    std::vector<std::optional<Colour>> colours{};
    std::vector<PartMotion> motions{};  ///< of each part, at the start
    std::vector<DrivenPart> driven{};   ///< in the order of parts
    std::vector<AimedJoint> aimed{};
    std::vector<PartsGroup> groups{};
    std::vector<PartBlow> blows{};
    std::vector<MountedShape> shapes{};
    double order = 0;
    std::size_t contact_points = 0;  ///< how many are recorded and drawn

    /// With the numbers of its groups.
    [[nodiscard]] PartsStructure built() const;
};

/// The outputs after those of the parts: where joints are, both ends of links, the centre of mass
/// of what is not driven, what shows the limits of joints, where parts touch. Those that it has
/// none of are left out.
struct PartsPorts {
    explicit PartsPorts(const JointedParts& parts);
    std::optional<std::size_t> joints{};
    std::optional<std::size_t> links{};
    std::optional<std::size_t> centre{};
    std::optional<std::size_t> limits{};
    std::optional<std::size_t> contacts{};
    std::vector<std::size_t> limited{};  ///< joints
};

/// The signals of parts, in order; then the position of each joint, and which contacts there are.
namespace parts_signal {
inline constexpr std::size_t energy = 0;
inline constexpr std::size_t gap = 1;
inline constexpr std::size_t contacts = 2;
inline constexpr std::size_t depth = 3;
inline constexpr std::size_t first_joint = 4;
}  // namespace parts_signal

/// Where a joint is, and one end of a link (a and b of the first, of the second, ...), when the
/// parts are at these places.
[[nodiscard]] Vector3 joint_place(const PartsStructure& structure,
                                  std::span<const Placement> places, std::size_t joint);
[[nodiscard]] Vector3 link_end(const PartsStructure& structure, std::span<const Placement> places,
                               std::size_t index);

/// The look of all solids of a part, in its frame.
[[nodiscard]] io::Solid solid_of(const Part& part);
/// The view of a part as a body: its place at a port, its rotation at the next.
[[nodiscard]] View view_of(const Part& part, std::string name, std::size_t port);

class RunningParts final : public RunningSystem, public EventSource {
  public:
    RunningParts(JointedParts parts, const SystemInputs& inputs);

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
    }
    [[nodiscard]] std::span<const SceneEvent> events() const override { return events_; }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double rate_hz) const override;

  private:
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_, stepped_s_);
        fields.require(time_s_ >= 0 && stepped_s_ >= 0);
        fields(running_, mounts_);
        for (JointTarget& each : targets_)
            fields(each.leaps);
    }
    bool step_to(double time_s, const SystemInputs& inputs);
    [[nodiscard]] const void* field(const std::type_info& type) const override {
        return type == typeid(EventSource) ? static_cast<const EventSource*>(this) : nullptr;
    }
    [[nodiscard]] Vector3 contact_place(std::size_t index) const;
    void place_driven(const SystemInputs& inputs, double time_s);
    void place_targets(const SystemInputs& inputs, double time_s);

    JointedParts parts_;
    PartsPorts ports_;
    Parts running_;
    MountHistory mounts_;
    std::vector<Placement> driven_;
    std::vector<JointTarget> targets_;
    std::vector<ContactShape> shapes_;
    std::optional<PartGrab> grab_;
    std::vector<SceneEvent> events_;
    double grid_s_ = 1.0 / 720;
    double time_s_ = 0;
    double stepped_s_ = 0;  ///< the time of the last step
};

class PartsSpec final : public SystemSpec {
  public:
    /// Throws for an invalid structure.
    explicit PartsSpec(JointedParts parts);

    [[nodiscard]] const JointedParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<PartsSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "parts"; }
    [[nodiscard]] bool has_field(const std::type_info& type) const override {
        return type == typeid(EventSource) || type == typeid(HitEvents);
    }
    [[nodiscard]] std::string in_words(std::size_t port) const override;
    [[nodiscard]] std::vector<Port> outputs() const override;
    [[nodiscard]] std::size_t main_output() const override;
    [[nodiscard]] std::vector<RecordedChannel> signals() const override;
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] std::vector<SpecDial> dials() const override;
    [[nodiscard]] double dial(std::size_t index) const override;
    DialStatus set_dial(std::size_t index, double value) override;
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningParts>(parts_, inputs);
    }
    [[nodiscard]] double last_event_s() const override;
    [[nodiscard]] double highest_hz() const override { return 8; }
    [[nodiscard]] std::vector<StepLimit> step_limits() const override;
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    JointedParts parts_;
    PartsPlan plan_;
};

/// By the keys of part_shape_keys.
[[nodiscard]] PartShape read_part_shape(KindReader& reader);
[[nodiscard]] std::vector<KeyFacts> part_shape_keys();

/// The keys of [parts.NAME] and of the tables inside it.
[[nodiscard]] std::vector<TableFacts> parts_tables();

}  // namespace hopcoil::scene
