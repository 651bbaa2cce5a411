#pragma once

#include <cstddef>
#include <limits>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/points/particles.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "events.hpp"
#include "mounts.hpp"

namespace hopcoil::scene {

/// So many at once at a time.
struct ParticleBurst {
    double at_s = 0;
    std::size_t count = 0;
    friend bool operator==(const ParticleBurst&, const ParticleBurst&) = default;
};

/// What a table [particles.NAME] says.
struct ParticlesParts {
    ParticleSettings settings{};
    Vector3 place{};
    Quaternion turned{};
    Mount mount{};
    double from_s = 0;
    double until_s = std::numeric_limits<double>::infinity();
    std::vector<ParticleBurst> bursts{};
    /// What happens to others starts so many of these, there.
    SceneEvent::Type on = SceneEvent::Type::hit;
    std::size_t count_for_each = 0;
    std::vector<MountedShape> shapes{};
    double trail_s = 0;  ///< as it is drawn
    double order = 0;
    std::uint64_t stream = 0;

    [[nodiscard]] bool are_turning() const { return settings.spin_rad_per_s != 0; }
};

/// The fields that act on particles, in order.
namespace particle_field {
inline constexpr std::size_t ground = 0;
inline constexpr std::size_t wind = 1;
inline constexpr std::size_t source = 2;
}  // namespace particle_field

/// The signals: two for each slot, those of all, and how far each has turned.
namespace particle_signal {
inline constexpr const char* alive = "alive";
inline constexpr const char* age = "age";
inline constexpr const char* count = "count";
inline constexpr const char* hits = "hits";
inline constexpr const char* turn = "turn_rad";  ///< of each slot, where they turn
}  // namespace particle_signal

class RunningParticles final : public RunningSystem, public EventSource {
  public:
    RunningParticles(const ParticlesParts& parts, const SystemInputs& inputs);

    bool advance(double time_s, const SystemInputs& inputs) override;
    void change(const SystemInputs& inputs) override;
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
        fields(particles_, time_s_, hits_, place_);
        fields.require(time_s_ >= 0);
        for (Placement& each : shape_places_)
            fields(each.position, each.rotation);
    }
    [[nodiscard]] Placement emitter(const SystemInputs& inputs) const;
    void place_shapes(const SystemInputs& inputs, double dt);
    void start_bursts(double from_s, double to_s, const SystemInputs& inputs);
    [[nodiscard]] const void* field(const std::type_info& type) const override {
        return type == typeid(EventSource) ? static_cast<const EventSource*>(this) : nullptr;
    }

    ParticlesParts parts_;
    Particles particles_;
    std::vector<Placement> shape_places_;
    std::vector<ContactShape> shapes_;
    Vector3 place_{};
    double time_s_ = 0;
    std::uint64_t hits_ = 0;
    std::vector<SceneEvent> events_;
};

class ParticlesSpec final : public SystemSpec {
  public:
    explicit ParticlesSpec(ParticlesParts parts) : parts_{std::move(parts)} {
        require_valid(parts_.settings);
    }
    [[nodiscard]] const ParticlesParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<ParticlesSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "particles"; }
    [[nodiscard]] std::string in_words(std::size_t port) const override;
    [[nodiscard]] std::vector<Port> outputs() const override;
    [[nodiscard]] std::vector<RecordedChannel> signals() const override;
    [[nodiscard]] bool is_measured(const std::string& channel) const override;
    [[nodiscard]] std::string charted_signal() const override { return particle_signal::count; }
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        append_dials<ParticleSettings>(all, "", "");
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        return ParticleSettings::dials()[index].get(parts_.settings);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        return ParticleSettings::dials()[index].set(parts_.settings, value);
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningParticles>(parts_, inputs);
    }
    [[nodiscard]] bool has_field(const std::type_info& type) const override {
        return type == typeid(EventSource) || type == typeid(HitEvents) ||
               type == typeid(LifeEvents);
    }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    ParticlesParts parts_;
};

}  // namespace hopcoil::scene
