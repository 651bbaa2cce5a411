// [brachiator.NAME]: a body that goes hand over hand along a row of holds.

#include "brachiator.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/brachiator.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "../read/read_pictures.hpp"
#include "../run/step_length.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

enum BrachiatorPort : std::size_t { body, turned, gaze, spine, arm1, arm2, leg1, leg2, holds };
constexpr std::size_t limb_points = 3;
constexpr std::size_t spine_points = 4;  // between the hips, the middle, neck, head
constexpr std::array signal_names{"hand1.holds", "hand2.holds", "hand1.force_n", "hand2.force_n",
                                  "acceleration_m_per_s2"};
enum BrachiatorSignal : std::size_t {
    hand1_holds,
    hand2_holds,
    hand1_force,
    hand2_force,
    acceleration
};

struct BrachiatorParts {
    BrachiatorSettings settings{};
    std::vector<Vector3> holds{};
    double speed = 1.2;  ///< where no target says it
    double radius_m = 0.04;
    std::vector<Colour> colours{};
    double order = 0.0;
};

class RunningBrachiator final : public RunningSystem {
  public:
    RunningBrachiator(const BrachiatorParts& parts, double time_s)
        : parts_{parts},
          body_{parts.settings, parts.holds},
          time_s_{time_s},
          head_{{.frequency_hz = 2.5, .damping_ratio = 1}, eye(), looked_at()} {}

    bool advance(double time_s, const SystemInputs& inputs) override {
        const double dt = step_length_.from_to(time_s_, time_s);
        const double speed =
            inputs.targets.empty() ? parts_.speed : inputs.targets[0].point.value[0];
        if (body_.step(speed, dt) == StepStatus::rejected) return false;
        head_.step(eye(), looked_at(), dt);
        time_s_ = time_s;
        return true;
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
    [[nodiscard]] Vector3 looked_at() const { return body_.holds()[body_.next_hold()]; }
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(body_, time_s_, head_.head(), step_length_);
        fields.require(time_s_ >= 0);
    }

    BrachiatorParts parts_;
    Brachiator body_;
    double time_s_;
    LookAt head_;
    StepLength step_length_;
};

class BrachiatorSpec final : public SystemSpec {
  public:
    explicit BrachiatorSpec(BrachiatorParts parts) : parts_{std::move(parts)} {
        static_cast<void>(Brachiator{parts_.settings, parts_.holds});  // refuses what cannot be
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
                           parts_.settings.most_speed);
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
        for (const char* name : signal_names)
            all.push_back({.name = name});
        all[hand1_holds].kind = all[hand2_holds].kind = ChannelKind::flag;
        return all;
    }
    [[nodiscard]] ValueArray start(std::size_t port, std::size_t index) const override {
        return RunningBrachiator{parts_, 0}.output(port, index).value;
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
        return std::make_unique<RunningBrachiator>(parts_, inputs.time_s);
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
    for (const std::size_t side : {0U, 1U}) {
        const std::vector<double> held = signal_of(input.fine, name, hand1_holds + side);
        for (std::size_t i = 1; i < held.size(); ++i)
            catches += held[i] != 0 && held[i - 1] == 0 ? 1 : 0;
        const std::vector<double> force = signal_of(input.fine, name, hand1_force + side);
        most_n = std::max(most_n, *std::max_element(force.begin(), force.end()));
    }
    const std::vector<double> accelerations = signal_of(input.fine, name, acceleration);
    report.figures = {
        {"catches", "holds caught", "", catches},
        {"most_force_weights", "hardest pull of a hand", "body weights", most_n / weight_n},
        {"most_acceleration_m_per_s2", "highest acceleration", "m/s2",
         *std::max_element(accelerations.begin(), accelerations.end())}};
    SystemChart grips{.title = "hands that hold"};
    grips.curves = {grip_of(signal_of(input.take, name, hand1_holds), 2, "left"),
                    grip_of(signal_of(input.take, name, hand2_holds), 1, "right")};
    SystemChart forces{.title = "pull of each hand", .unit = "N"};
    forces.curves = {{.name = "left", .values = signal_of(input.take, name, hand1_force)},
                     {.name = "right", .values = signal_of(input.take, name, hand2_force)}};
    report.charts = {std::move(grips), std::move(forces)};
    return {std::move(report)};
}

/// One hold, or a row of them.
void read_holds(KindReader& reader, std::vector<Vector3>& all) {
    bool is_right = true;
    reader.each_table("holds", "holds", [&](KindReader& one) {
        const bool is_one = one.has("at");
        const auto at = one.value("at", "m", 3);
        const auto from = one.value("from", "m", 3);
        const auto to = one.value("to", "m", 3);
        const std::size_t count = one.whole_number("count", 2, 1000).value_or(2);
        is_right = is_right && (at || (from && to));
        if (is_one) {
            if (from || to) one.problem("", "expected 'at_m', or 'from_m' and 'to_m' of a row");
            if (at) all.push_back(vector_of(*at));
            return;
        }
        if (!from || !to) {
            one.problem("", "expected 'at_m' of one hold, or 'from_m' and 'to_m' of a row");
            return;
        }
        const Vector3 first = vector_of(*from);
        const Vector3 way = vector_of(*to) - first;
        for (std::size_t i = 0; i < count; ++i)
            all.push_back(first + way * (static_cast<double>(i) / static_cast<double>(count - 1)));
    });
    if (is_right && all.size() < 2) reader.problem("holds", "expected two holds or more");
}

void read_brachiator(KindReader& reader) {
    BrachiatorParts parts;
    const bool has_speed = reader.has("speed");
    std::optional<std::size_t> speed;
    if (has_speed) speed = reader.target("speed");
    parts.speed = reader.number("speed_m_per_s").value_or(1.2);
    BrachiatorSettings& settings = parts.settings;
    const auto size = [&](const char* key, double& number) {
        if (const auto given = reader.number(key)) number = *given;
    };
    size("arm_length_m", settings.arm_length_m);
    const double scale = settings.arm_length_m / BrachiatorSettings{}.arm_length_m;
    for (double* const number :
         {&settings.shoulder_width_m, &settings.shoulder_height_m, &settings.hip_width_m,
          &settings.hip_depth_m, &settings.leg_length_m})
        *number *= scale;
    size("leg_length_m", settings.leg_length_m);
    size("mass_kg", settings.mass_kg);
    reader.dials(settings);
    read_holds(reader, parts.holds);
    parts.radius_m = reader.number("limb_radius_m").value_or(0.04 * scale);
    parts.colours = read_colours(reader.table(), "colours");
    parts.order = reader.number("order").value_or(0);
    if (has_speed && !speed) return;
    std::vector<std::size_t> targets;
    if (speed) {
        if (reader.target_at(*speed).kind() != ValueKind::number) {
            reader.problem("speed", "expected a number: metres per second along the holds");
            return;
        }
        targets.push_back(*speed);
    }
    if (parts.holds.size() < 2) return;
    reader.try_to([&] {
        reader.add(std::make_unique<BrachiatorSpec>(std::move(parts)), std::move(targets));
    });
}

}  // namespace

bool RunningBrachiator::retune(const SystemSpec& spec) {
    const BrachiatorParts& parts = dynamic_cast<const BrachiatorSpec&>(spec).parts();
    if (parts.holds != parts_.holds || !body_.try_retune(parts.settings)) return false;
    parts_ = parts;
    return true;
}

SystemKind brachiator_kind() {
    using enum KeyType;
    return {
        "brachiator",
        {{"brachiator",
          "`[brachiator.NAME]`",
          "A body that goes hand over hand along a row of holds. `NAME` is its centre of mass, "
          "`NAME.facing` how it is turned, `NAME.gaze` where it looks, `NAME.arm1` shoulder, elbow "
          "and hand of its left arm, `NAME.leg1` hip, knee and foot.",
          {{"holds", tables, "what it hangs from, in their order", "required", {}, {"holds"}},
           {"speed", source, "metres per second along the holds; below 0 it comes back",
            "`speed_m_per_s`"},
           {"speed_m_per_s", number, "the same, where it does not change", "1.2"},
           {"arm_length_m", number, "shoulder to grip; the other sizes go with it", "1.05"},
           {"leg_length_m", number, "hip to sole, stretched", "0.81 arm lengths"},
           {"mass_kg", number, "for the pull of its hands", "70"},
           dial_key({"most_speed", number, "along the holds, m/s", "2.5"}),
           dial_key(
               {"lean", number, "0: it stays upright; 1: it hangs in line with its arm", "0.6"}),
           dial_key(
               {"twist_rad", number, "how far the shoulder of the reaching arm goes ahead", "0.5"}),
           dial_key({"fold", number, "how far it folds its legs ahead of a hold", "1"}),
           dial_key({"push_decay_hz", number, "how quickly a push is over", "0.8"}),
           {"limb_radius_m", number, "how thick its limbs are drawn", "0.038 arm lengths"},
           {"colours", texts, "of its limbs from root to tip", "the next of the palette"},
           {"order", number, "in pictures without depth, drawn over those of a lower one", "0"}}},
         {"holds",
          "Holds of a brachiator",
          "One hold, or a row of them in even steps.",
          {{"at", place, "one hold", "none"},
           {"from", place, "the first of a row", "none"},
           {"to", place, "the last of a row", "none"},
           {"count", whole_number, "how many the row has, both ends included", "2"}}}},
        {},
        read_brachiator};
}

}  // namespace hopcoil::scene
