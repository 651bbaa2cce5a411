// [brachiator.NAME]: a body that goes hand over hand along a row of holds, running and reported on.

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/brachiator.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "brachiating.hpp"
#include "mounts.hpp"
#include "timed.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

enum BrachiatorPort : std::size_t { body, turned, gaze, spine, arm1, arm2, leg1, leg2, holds };
constexpr std::size_t limb_points = 3;
constexpr std::size_t spine_points = 4;  // between the hips, the middle, neck, head
constexpr std::array signal_names{"hand1.holds",   "hand2.holds",           "hand1.force_n",
                                  "hand2.force_n", "acceleration_m_per_s2", "feet.hold"};
enum BrachiatorSignal : std::size_t {
    hand1_holds,
    hand2_holds,
    hand1_force,
    hand2_force,
    acceleration,
    feet_stand
};

class RunningBrachiator final : public RunningSystem {
  public:
    RunningBrachiator(const BrachiatorParts& parts, const SystemInputs& inputs)
        : parts_{parts},
          body_{parts.body()},
          targets_{inputs},
          time_s_{inputs.time_s},
          head_{{.frequency_hz = 2.5, .damping_ratio = 1}, eye(), body_.looks_at()} {
        leap();
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        const bool is_good =
            step_to_each_tick(body_, time_s_, time_s, [&](double end_s, double dt, bool /*ticks*/) {
                const double speed = inputs.targets.empty()
                                         ? parts_.speed
                                         : targets_.number_at(0, inputs, end_s, false);
                if (body_.step(speed, dt) == StepStatus::rejected) return false;
                head_.step(eye(), body_.looks_at(), dt);
                return true;
            });
        if (!is_good) return false;
        targets_.note(inputs, time_s);
        time_s_ = time_s;
        leap();
        return true;
    }
    void change(const SystemInputs& inputs) override { targets_.note(inputs, time_s_); }
    [[nodiscard]] double next_event_s(double time_s) const override {
        return next_at_s(parts_.leaps, time_s);
    }
    bool push(std::size_t port, const ValueArray& delta_velocity) override {
        return port == BrachiatorPort::body &&
               body_.push(vector_of(delta_velocity)) == StepStatus::stepped;
    }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override {
        switch (port) {
            case BrachiatorPort::body:
                return {array_of(body_.position()), array_of(body_.velocity())};
            case turned:
                return {array_of(body_.rotation()), {}};
            case gaze:
                return {array_of(head_.value()), {}};
            case spine:
                return {array_of(spine_point(index)), {}};
            case holds:
                return {array_of(body_.holds()[index]), {}};
            default:
                break;
        }
        if (port == arm1 || port == arm2) {
            const BrachiatorHand& hand = body_.hands()[port - arm1];
            const std::array points{hand.shoulder, hand.elbow, hand.position};
            return {array_of(points[index]), {}};
        }
        const BrachiatorLeg& leg = body_.legs()[port - leg1];
        const std::array points{leg.hip, leg.knee, leg.foot};
        return {array_of(points[index]), {}};
    }
    void read_signals(std::span<double> numbers) override {
        for (std::size_t side = 0; side < 2; ++side) {
            numbers[hand1_holds + side] = body_.hands()[side].holds ? 1 : 0;
            numbers[hand1_force + side] = body_.hands()[side].force_n;
        }
        const Vector3 a = body_.acceleration();
        numbers[acceleration] = std::sqrt(dot(a, a));
        numbers[feet_stand] = body_.legs()[0].stands ? 1 : 0;
    }
    bool retune(const SystemSpec& spec) override;
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double /*rate_hz*/) const override {
        std::vector<std::string> all;
        constexpr double seen_m = 0.001;
        if (body_.log().drawn_in_m > seen_m) {
            all.push_back(
                fmt::format("{}: was drawn in by up to {:.3g} m, so that an arm reaches "
                            "what it holds",
                            name, body_.log().drawn_in_m));
        }
        if (body_.log().leaps_refused > 0) {
            all.push_back(fmt::format(
                "{}: {} of its leaps {} out of reach from where it stood or hung, and not made; "
                "raise most_leap_speed_m_per_s, or bring the place nearer",
                name, body_.log().leaps_refused, body_.log().leaps_refused == 1 ? "was" : "were"));
        }
        const std::size_t last = body_.holds().size() - 1;
        if (body_.is_at_end() && body_.next_hold() != last && body_.next_hold() != 0) {
            all.push_back(
                fmt::format("{}: stopped at hold {} of {}: the next one is out of reach, "
                            "further than {:.3g} m",
                            name, body_.next_hold() + 1, last + 1, longest_gap_m(parts_.settings)));
        }
        return all;
    }

  private:
    [[nodiscard]] Vector3 spine_point(std::size_t index) const {
        const BrachiatorSettings& s = parts_.settings;
        const std::array heights{-s.hip_depth_m, 0.0, s.shoulder_height_m + 0.02,
                                 s.shoulder_height_m + 0.26};
        return body_.position() + rotated(body_.rotation(), {0, heights[index], 0});
    }
    [[nodiscard]] Vector3 eye() const { return spine_point(spine_points - 1); }
    /// What is due now.
    void leap() {
        for (const LeapAt& leap : parts_.leaps) {
            if (!is_due(leap.at_s, time_s_)) continue;
            if (leap.to_hold) {
                body_.leap_to_hold(*leap.to_hold, leap.from_hold);
            } else {
                body_.leap_to_ground(leap.to_ground, leap.from_hold);
            }
        }
    }
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(body_, targets_, time_s_, head_.head());
        fields.require(time_s_ >= 0);
    }

    BrachiatorParts parts_;
    Brachiator body_;
    MountHistory targets_;
    double time_s_;
    LookAt head_;
};

class BrachiatorSpec final : public SystemSpec {
  public:
    explicit BrachiatorSpec(BrachiatorParts parts) : parts_{std::move(parts)} {
        Brachiator body = parts_.body();  // refuses what cannot be
        for (const LeapAt& leap : parts_.leaps) {
            if (!leap.to_hold || body.leap_to_hold(*leap.to_hold)) continue;
            throw InvalidValue{"to_hold", static_cast<double>(*leap.to_hold) + 1,
                               "a hold with another in reach beside it"};
        }
    }
    [[nodiscard]] const BrachiatorParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<BrachiatorSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "brachiator"; }
    [[nodiscard]] std::string in_words(std::size_t port) const override {
        if (port > 0) return "";
        return fmt::format("arms of {:.3g} m, along {} holds, up to {:.3g} m/s",
                           parts_.settings.arm_length_m, parts_.holds.size(),
                           parts_.settings.most_speed_m_per_s);
    }
    [[nodiscard]] std::vector<Port> outputs() const override {
        const auto points = [](const char* name, std::size_t count) {
            return Port{.name = name,
                        .quantity = "position",
                        .unit = "m",
                        .kind = ValueKind::vector,
                        .components = 3,
                        .count = count,
                        .has_velocity = false};
        };
        std::vector<Port> ports{
            {.quantity = "position", .unit = "m", .kind = ValueKind::vector, .components = 3}};
        for (const char* name : {"facing", "gaze"}) {
            ports.push_back({.name = name,
                             .kind = ValueKind::rotation,
                             .components = 4,
                             .has_velocity = false});
        }
        ports.push_back(points("spine", spine_points));
        for (const char* name : {"arm1", "arm2", "leg1", "leg2"})
            ports.push_back(points(name, limb_points));
        ports.push_back(points("holds", parts_.holds.size()));
        return ports;
    }
    [[nodiscard]] std::vector<RecordedChannel> signals() const override {
        std::vector<RecordedChannel> all;
        all.reserve(signal_names.size());
        for (const char* name : signal_names)
            all.push_back({.name = name});
        for (const std::size_t flag : {hand1_holds, hand2_holds, feet_stand})
            all[flag].kind = ChannelKind::flag;
        return all;
    }
    [[nodiscard]] std::vector<View> views() const override {
        std::vector<View> views;
        View whole{.position = body, .rotation = turned, .radius_m = {2.5 * parts_.radius_m}};
        whole.look.order = parts_.order;
        views.push_back(std::move(whole));
        const auto tube = [&](std::size_t port, const char* name, double from, double to) {
            View view{.type = View::Type::tube,
                      .name = name,
                      .position = port,
                      .radius_m = {from * parts_.radius_m, to * parts_.radius_m},
                      .colours = parts_.colours};
            view.look.order = parts_.order;
            views.push_back(std::move(view));
        };
        tube(leg1, "leg1", 1.4, 0.8);
        tube(leg2, "leg2", 1.4, 0.8);
        tube(spine, "spine", 2.2, 1.8);
        tube(arm1, "arm1", 1.1, 0.7);
        tube(arm2, "arm2", 1.1, 0.7);
        View row{.type = View::Type::line, .name = "holds", .position = holds};
        row.look.order = parts_.order - 1;
        views.push_back(std::move(row));
        return views;
    }
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        append_dials<BrachiatorSettings>(all, "", "");
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        return BrachiatorSettings::dials()[index].get(parts_.settings);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        return BrachiatorSettings::dials()[index].set(parts_.settings, value);
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningBrachiator>(parts_, inputs);
    }
    [[nodiscard]] double highest_hz() const override { return 10; }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    BrachiatorParts parts_;
};

/// A signal over all rows of a take.
std::vector<double> signal_of(const Take& take, const std::string& name, std::size_t signal) {
    return take.column(
        take.columns_of(*take.find_channel(fmt::format("{}.{}", name, signal_names[signal])))
            .first);
}

ComponentCurve grip_of(std::vector<double> held, double height, const char* name) {
    for (double& row : held)
        row = row != 0 ? height : std::numeric_limits<double>::quiet_NaN();
    return {.name = name, .values = std::move(held)};
}

/// Times that it leaves all that it holds and stands on.
double count_leaps(const Take& take, const std::string& name) {
    const std::array fixed{signal_of(take, name, hand1_holds), signal_of(take, name, hand2_holds),
                           signal_of(take, name, feet_stand)};
    double leaps = 0;
    bool was_in_air = false;
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const bool is_in_air = fixed[0][row] == 0 && fixed[1][row] == 0 && fixed[2][row] == 0;
        leaps += is_in_air && !was_in_air ? 1 : 0;
        was_in_air = is_in_air;
    }
    return leaps;
}

std::vector<SystemReport> BrachiatorSpec::report(const ReportInput& input) const {
    const std::string& name = input.system.name;
    SystemReport report{.name = name, .kind = kind(), .words = in_words(0), .unit = "m"};
    const Port port = outputs()[body];
    const auto columns =
        input.take.columns_of(*input.take.find_channel(value_channel(input.system, port)));
    for (std::size_t k = 0; k < 3; ++k) {
        report.components.push_back(
            {.name = std::string(1, "xyz"[k]), .values = input.take.column(columns.first + k)});
    }
    const double weight_n = parts_.settings.mass_kg * standard_gravity;
    double catches = 0;
    double most_n = 0;
    double most_acceleration = 0;
    const std::vector<double> accelerations = signal_of(input.fine, name, acceleration);
    for (const std::size_t side : {0U, 1U}) {
        const std::vector<double> held = signal_of(input.fine, name, hand1_holds + side);
        const std::vector<double> force = signal_of(input.fine, name, hand1_force + side);
        for (std::size_t i = 0; i < held.size(); ++i) {
            if (held[i] == 0) continue;
            catches += i > 0 && held[i - 1] == 0 ? 1 : 0;
            most_n = std::max(most_n, force[i]);
            most_acceleration = std::max(most_acceleration, accelerations[i]);
        }
    }
    report.figures = {
        {"catches", "holds caught", "", catches},
        {"most_force_weights", "hardest pull of a hand", "body weights", most_n / weight_n},
        {"most_acceleration_m_per_s2", "highest acceleration while a hand holds", "m/s2",
         most_acceleration}};
    SystemChart grips{.title = "hands that hold"};
    grips.curves = {grip_of(signal_of(input.take, name, hand1_holds), 2, "left"),
                    grip_of(signal_of(input.take, name, hand2_holds), 1, "right")};
    if (parts_.stand || !parts_.leaps.empty()) {
        report.figures.push_back({"leaps", "leaps", "", count_leaps(input.fine, name)});
        grips.title = "hands and feet";
        grips.curves.push_back(grip_of(signal_of(input.take, name, feet_stand), 0, "feet"));
    }
    SystemChart forces{.title = "pull of each hand", .unit = "N"};
    forces.curves = {{.name = "left", .values = signal_of(input.take, name, hand1_force)},
                     {.name = "right", .values = signal_of(input.take, name, hand2_force)}};
    report.charts = {std::move(grips), std::move(forces)};
    return {std::move(report)};
}

}  // namespace

bool RunningBrachiator::retune(const SystemSpec& spec) {
    const BrachiatorParts& parts = dynamic_cast<const BrachiatorSpec&>(spec).parts();
    if (parts.holds != parts_.holds || !body_.try_retune(parts.settings)) return false;
    parts_ = parts;
    return true;
}

std::unique_ptr<SystemSpec> brachiator_spec(BrachiatorParts parts) {
    return std::make_unique<BrachiatorSpec>(std::move(parts));
}

}  // namespace hopcoil::scene
