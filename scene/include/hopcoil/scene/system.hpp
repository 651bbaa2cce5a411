#pragma once

#include <concepts>
#include <cstddef>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <typeinfo>
#include <utility>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/take_sink.hpp>
#include <hopcoil/scene/spec_dial.hpp>
#include <hopcoil/scene/step_limit.hpp>
#include <hopcoil/scene/value_array.hpp>

/// @file
/// A system of any kind in a scene: its outputs, inputs and dials, and how it runs.

namespace hopcoil::scene {

struct Scenery;
struct View;
struct SystemReport;
struct ReportInput;
class StepResponder;

/// An output of a system: values that are recorded, and that other systems may follow.
///
/// Shapes  `count` values of `components` numbers each; a rotation has four, its velocity three.
struct Port {
    std::string name{};  ///< "tassel" of "string.tassel"; empty for the system's own output
    std::string quantity = "value";  ///< as in its channel, "lamp.value_m"
    std::string unit{};              ///< "m", "rad", or empty
    ValueKind kind = ValueKind::number;
    std::size_t components = 1;
    std::size_t count = 1;
    bool has_velocity = true;  ///< recorded beside it as "lamp.velocity_m_per_s"
    std::string alive{};       ///< the signal that flags which of `count` are there; all, without
};

/// A target as a system sees it at one moment.
struct InputSample {
    ValueAndVelocity point{};
    bool knows_velocity = false;  ///< it is followed as a cubic; otherwise as a straight line
};

class RunningSystem;
class SystemSpec;

/// The inputs of a running system: its targets, in the order in which its spec lists them, and the
/// systems that act as fields on it (wind, ground); nullptr for one that is not connected.
struct SystemInputs {
    std::span<const InputSample> targets{};
    std::span<const RunningSystem* const> fields{};
    double time_s = 0.0;  ///< of the targets: when a system is started or changed, or its step ends
};

/// A system in a running scene. It holds no pointer to another system: what it needs of others
/// comes as inputs.
///
/// Errors  none while running: a step that cannot be taken returns false.
class RunningSystem {
  public:
    virtual ~RunningSystem() = default;

    /// Steps to a time, while its targets move to where `inputs` has them. False when it diverged.
    virtual bool advance(double time_s, const SystemInputs& inputs) = 0;
    /// Its targets changed at once: they jumped, or have another velocity from now on.
    virtual void change(const SystemInputs& inputs) { static_cast<void>(inputs); }
    /// Applies what is due now: kicks.
    virtual void act() {}
    /// A sudden change of an output's velocity; false where it has none that could change so.
    virtual bool push(std::size_t port, const ValueArray& delta_velocity) {
        static_cast<void>(port);
        static_cast<void>(delta_velocity);
        return false;
    }
    /// A hand pulls one value of an output toward a place, until it is told another or none; false
    /// where nothing can be pulled.
    virtual bool grab(std::size_t port, std::size_t index, const std::optional<ValueArray>& place) {
        static_cast<void>(port);
        static_cast<void>(index);
        static_cast<void>(place);
        return false;
    }
    /// The next time after `time_s` at which its steps have to end; infinity without one.
    [[nodiscard]] virtual double next_event_s(double time_s) const;

    /// One value of an output, as it is shown: an angle in (-pi, pi].
    [[nodiscard]] virtual ValueAndVelocity output(std::size_t port, std::size_t index) const = 0;
    /// Where a system without a target will come to rest; nothing for any other.
    [[nodiscard]] virtual std::optional<ValueArray> resting_place() const { return std::nullopt; }
    /// The numbers of its signals, since the last call.
    virtual void read_signals(std::span<double> numbers) { static_cast<void>(numbers); }
    /// As a field of type F that acts on other systems; nullptr when it is none.
    template <class F>
    [[nodiscard]] const F* as_field() const {
        return static_cast<const F*>(field(typeid(F)));
    }

    /// Takes over the numbers of a spec like the one it was started from; the motion goes on. False
    /// when they need a new start.
    virtual bool retune(const SystemSpec& spec) {
        static_cast<void>(spec);
        return false;
    }
    virtual void save(StateWriter& out) = 0;
    virtual void load(StateReader& in) = 0;

    /// Why its last step could not be taken, where it knows more than that it diverged.
    [[nodiscard]] virtual std::string failure(const std::string& name) const;
    /// A sentence for each thing a run should warn of.
    [[nodiscard]] virtual std::vector<std::string> warnings(const std::string& name,
                                                            double rate_hz) const;

  protected:
    RunningSystem() = default;
    RunningSystem(const RunningSystem&) = default;
    RunningSystem(RunningSystem&&) = default;
    RunningSystem& operator=(const RunningSystem&) = default;
    RunningSystem& operator=(RunningSystem&&) = default;
    [[nodiscard]] virtual const void* field(const std::type_info& type) const {
        static_cast<void>(type);
        return nullptr;
    }
};

/// The description of one system in a scene: a value, copied with the scene.
class SystemSpec {
  public:
    virtual ~SystemSpec() = default;
    [[nodiscard]] virtual std::unique_ptr<SystemSpec> clone() const = 0;

    /// As in [glide.NAME].
    [[nodiscard]] virtual std::string kind() const = 0;
    /// Its numbers in a few words: "halfway in 0.1 s"; of the part behind an output.
    [[nodiscard]] virtual std::string in_words(std::size_t port) const;
    [[nodiscard]] virtual std::vector<Port> outputs() const = 0;
    /// The output that is followed where only the system is named.
    [[nodiscard]] virtual std::size_t main_output() const { return 0; }
    /// What is recorded beside its outputs, and cannot be followed: flags, events, energies. Names
    /// without the system's.
    [[nodiscard]] virtual std::vector<RecordedChannel> signals() const { return {}; }
    /// Whether report() reads a channel of its own (its name without the system's) in
    /// ReportInput::fine. What it does not read is left out of runs made for figures alone.
    [[nodiscard]] virtual bool is_measured(const std::string& /*channel*/) const { return true; }
    /// The signal to chart in place of the value, if that shows more; empty for none.
    [[nodiscard]] virtual std::string charted_signal() const { return {}; }
    /// How it is seen; what is part of a [body.NAME] is seen as that.
    [[nodiscard]] virtual std::vector<View> views() const;
    /// Its scenery, which never moves. Names without the system's.
    [[nodiscard]] virtual std::vector<Scenery> scenery() const;

    [[nodiscard]] virtual std::vector<SpecDial> dials() const { return {}; }
    [[nodiscard]] virtual double dial(std::size_t index) const;
    virtual DialStatus set_dial(std::size_t index, double value);

    /// Started with its targets where they are as time 0 comes up.
    [[nodiscard]] virtual std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const = 0;
    /// By this time everything that it does by itself has happened.
    [[nodiscard]] virtual double last_event_s() const { return 0; }
    /// The highest frequency in its outputs, which decides how often others sample them.
    [[nodiscard]] virtual double highest_hz() const { return 0; }
    /// Whether its outputs are functions of the time alone: then it is evaluated at any time, and
    /// not stepped with the systems it acts on.
    [[nodiscard]] virtual bool is_stateless() const { return false; }
    /// Whether what runs acts on others as a field of a type: `RunningSystem::as_field`.
    [[nodiscard]] virtual bool has_field(const std::type_info& type) const {
        static_cast<void>(type);
        return false;
    }

    /// Its report of a run, read off the take.
    [[nodiscard]] virtual std::vector<SystemReport> report(const ReportInput& input) const;
    /// The ways it could be stepped, where it is stepped as physics, for frames of its own length.
    [[nodiscard]] virtual std::vector<StepLimit> step_limits() const { return {}; }
    /// Its response to a jump or a kick by itself; nullptr when that says nothing of it.
    [[nodiscard]] virtual const StepResponder* step_responder() const { return nullptr; }

  protected:
    SystemSpec() = default;
    SystemSpec(const SystemSpec&) = default;
    SystemSpec(SystemSpec&&) = default;
    SystemSpec& operator=(const SystemSpec&) = default;
    SystemSpec& operator=(SystemSpec&&) = default;
};

/// A spec of any kind as a value: copies are deep.
class AnySpec {
  public:
    AnySpec() = default;
    template <std::derived_from<SystemSpec> Spec>
    AnySpec(std::unique_ptr<Spec> spec) : spec_{std::move(spec)} {}
    AnySpec(const AnySpec& other) : spec_{other.spec_ ? other.spec_->clone() : nullptr} {}
    AnySpec(AnySpec&&) noexcept = default;
    AnySpec& operator=(AnySpec other) noexcept {
        spec_.swap(other.spec_);
        return *this;
    }
    ~AnySpec() = default;

    [[nodiscard]] const SystemSpec& operator*() const { return *spec_; }
    [[nodiscard]] SystemSpec& operator*() { return *spec_; }
    [[nodiscard]] const SystemSpec* operator->() const { return spec_.get(); }
    [[nodiscard]] SystemSpec* operator->() { return spec_.get(); }

  private:
    std::unique_ptr<SystemSpec> spec_;
};

inline constexpr std::size_t not_connected = static_cast<std::size_t>(-1);

/// One system of a scene, and what it is connected to.
struct SceneSystem {
    std::string name{};
    AnySpec spec{};
    std::vector<std::size_t> targets{};  ///< indices into Scene::targets
    std::vector<std::size_t> fields{};   ///< indices into Scene::systems, or `not_connected`
};

/// "string" for its own output, "string.tassel" for another.
[[nodiscard]] std::string output_name(const SceneSystem& system, const Port& port);
/// The channel of an output's values: "string.tassel.value_m"; and of their velocities.
[[nodiscard]] std::string value_channel(const SceneSystem& system, const Port& port);
[[nodiscard]] std::string velocity_channel(const SceneSystem& system, const Port& port);
[[nodiscard]] std::string velocity_unit(const Port& port);

/// "value_rad", "velocity_rad_per_s", or without a unit "value", "velocity".
[[nodiscard]] std::string channel_name(const std::string& owner, const std::string& quantity,
                                       const std::string& unit);

}  // namespace hopcoil::scene
