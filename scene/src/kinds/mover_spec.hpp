#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

/// @file
/// What the specs of all movers have in common.

namespace hopcoil::scene {

/// What each type of parameters says of its mover, specialised in the file of its kind.
///
///     kind, in_words(parameters, port)
///     make(parameters, start)           a mover of a double or a row; make_angle, make_rotation
///     with_dials(parameters, port)      the plain struct that has the dials; key_prefix(port)
///     observation_time_s(parameters, size), solve(...); ramp_lag_s(parameters) if it is linear
template <class Parameters>
struct MoverTraits;

/// What most movers say, for their traits to build on.
template <class Parameters>
struct UsualMoverTraits {
    /// Its target is straight in short steps only, for the mover bends it.
    static constexpr bool bends_target = false;
    /// Between stops there is one way alone: a direction that leaps does not go the shorter way.
    static bool keeps_way(const Parameters& /*parameters*/) { return false; }
    static std::size_t part_count(const Parameters& /*parameters*/) { return 1; }
    static std::string part_name(const Parameters& /*parameters*/, std::size_t /*port*/) {
        return {};
    }
    template <class P>
    static P& with_dials(P& parameters, std::size_t /*port*/) {
        return parameters;
    }
    static std::string key_prefix(std::size_t /*port*/) { return {}; }
    static const Tuning* tuning(const Parameters& /*parameters*/, std::size_t /*port*/) {
        return nullptr;
    }
    static double highest_hz(const Parameters& /*parameters*/) { return 0; }
    /// By itself and free of stops: its response to a jump.
    static Parameters by_itself(const Parameters& parameters, std::size_t /*port*/) {
        return parameters;
    }
    static std::vector<double> stops(const Parameters& /*parameters*/) { return {}; }
    /// Whether its response to a target twice as large is twice as large.
    static constexpr bool is_linear = false;
    /// Whether it begins a new motion whenever its target moves.
    static constexpr bool starts_anew = false;
};

/// The same of those whose numbers are a tuning.
template <class Parameters>
struct TuningMoverTraits : UsualMoverTraits<Parameters> {
    template <class P>
    static auto& with_dials(P& parameters, std::size_t /*port*/) {
        return parameters.tuning;
    }
    static std::string key_prefix(std::size_t /*port*/) { return "tuning."; }
    static const Tuning* tuning(const Parameters& parameters, std::size_t /*port*/) {
        return &parameters.tuning;
    }
    static double highest_hz(const Parameters& parameters) {
        return parameters.tuning.frequency_hz;
    }
};

/// Values of a tuning's dials with which it overshoots and settles so.
[[nodiscard]] std::vector<std::pair<std::string, double>> solved_tuning(const Tuning& now,
                                                                        double overshoot_percent,
                                                                        double settling_time_s);
/// Errors  std::invalid_argument for an overshoot other than 0.
void require_no_overshoot(const std::string& what, double overshoot_percent);
[[nodiscard]] double settled_s(const Tuning& tuning);
[[nodiscard]] Figure ramp_lag_of(const Tuning& tuning);

/// What does not depend on the type of parameters.
class MoverSpecBase : public SystemSpec, public StepResponder {
  public:
    MoverSpecBase(MoverShape shape, MoverStart start)
        : shape_{std::move(shape)}, start_{std::move(start)} {}

    [[nodiscard]] const MoverShape& shape() const { return shape_; }
    [[nodiscard]] const MoverStart& mover_start() const { return start_; }
    [[nodiscard]] std::vector<RecordedChannel> signals() const override;
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] double last_event_s() const override {
        return start_.kicks.empty() ? 0 : start_.kicks.back().at_s;
    }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;
    [[nodiscard]] const StepResponder* step_responder() const override { return this; }

  protected:
    [[nodiscard]] Port port_named(std::string name) const;
    [[nodiscard]] virtual std::vector<double> stops() const = 0;

    MoverShape shape_;
    MoverStart start_;
};

/// The spec of the mover that some parameters make.
template <class Parameters>
class MoverSpec final : public MoverSpecBase {
    using Traits = MoverTraits<Parameters>;

  public:
    MoverSpec(Parameters parameters, MoverShape shape, MoverStart start)
        : MoverSpecBase{std::move(shape), std::move(start)}, parameters_{std::move(parameters)} {}

    [[nodiscard]] const Parameters& parameters() const { return parameters_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<MoverSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return Traits::kind; }
    [[nodiscard]] std::string in_words(std::size_t port) const override {
        return Traits::in_words(parameters_, port);
    }
    [[nodiscard]] std::vector<Port> outputs() const override {
        std::vector<Port> ports;
        for (std::size_t i = 0; i < Traits::part_count(parameters_); ++i)
            ports.push_back(port_named(Traits::part_name(parameters_, i)));
        return ports;
    }
    [[nodiscard]] std::size_t main_output() const override {
        return Traits::part_count(parameters_) - 1;
    }
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        for (std::size_t i = 0; i < Traits::part_count(parameters_); ++i) {
            const std::string name = Traits::part_name(parameters_, i);
            using Dialled = std::remove_cvref_t<decltype(Traits::with_dials(parameters_, i))>;
            append_dials<Dialled>(all, name.empty() ? name : name + '.', Traits::key_prefix(i));
        }
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        const auto& numbers = Traits::with_dials(parameters_, index / dial_count);
        return numbers.dials()[index % dial_count].get(numbers);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        auto& numbers = Traits::with_dials(parameters_, index / dial_count);
        return numbers.dials()[index % dial_count].set(numbers, value);
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override;
    [[nodiscard]] double highest_hz() const override { return Traits::highest_hz(parameters_); }

    [[nodiscard]] std::optional<Tuning> tuning(std::size_t port) const override {
        const Tuning* tuning = Traits::tuning(parameters_, port);
        return tuning == nullptr ? std::nullopt : std::optional{*tuning};
    }
    [[nodiscard]] bool has_target() const override;
    [[nodiscard]] double observation_time_s(double size) const override {
        return Traits::observation_time_s(parameters_, size);
    }
    [[nodiscard]] JumpResponse jump(std::size_t port, double size) const override;
    [[nodiscard]] KickResponse kick(double velocity) const override;
    [[nodiscard]] std::vector<std::vector<double>> jump_curves(double seconds,
                                                               int samples) const override;
    [[nodiscard]] bool is_linear() const override { return Traits::is_linear; }
    [[nodiscard]] Figure ramp_lag_s(double speed) const override;
    [[nodiscard]] Figure noise_left(double rate_hz, double rms) const override;
    [[nodiscard]] std::vector<std::pair<std::string, double>> solve(
        std::size_t port, double overshoot_percent, double settling_time_s) const override {
        auto values = Traits::solve(parameters_, port, overshoot_percent, settling_time_s);
        const std::string name = Traits::part_name(parameters_, port);
        if (name.empty()) return values;
        for (auto& [path, value] : values)
            path.insert(0, name + '.');
        return values;
    }

  private:
    template <class T>
    [[nodiscard]] std::unique_ptr<RunningSystem> run_as(const SystemInputs& inputs) const;
    static constexpr std::size_t dial_count = std::remove_cvref_t<decltype(Traits::with_dials(
        std::declval<Parameters&>(), std::size_t{}))>::dial_count;
    [[nodiscard]] std::vector<double> stops() const override {
        return shape_.size == 1 ? Traits::stops(parameters_) : std::vector<double>{};
    }

    Parameters parameters_;
};

}  // namespace hopcoil::scene
