// [chain.NAME]: nodes that each follow the one before, behind a root.

#include "chain.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/points/chain.hpp>
#include <hopcoil/points/chain_shape.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_pictures.hpp"
#include "../run/step_length.hpp"
#include "mounts.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// A spot along the chain that something is carried at.
struct Carried {
    std::string name{};
    double at = 1.0;  ///< 0 root to 1 tip
    Vector3 forward{0, 0, 1};
};

/// How it is drawn.
struct ChainLook {
    std::vector<double> radius_m{};
    std::vector<Colour> colours{};
    double order = 0;
};

ChainInputs inputs_of(const SystemInputs& inputs, bool has_facing, double time_s) {
    ChainInputs chain{.time_s = time_s};
    const InputSample& root = inputs.targets[0];
    chain.root = vector_of(root.point.value);
    if (root.knows_velocity) chain.root_velocity = vector_of(root.point.velocity);
    if (has_facing) {
        const ValueArray& q = inputs.targets[1].point.value;
        chain.facing = {q[0], q[1], q[2], q[3]};
    }
    if (!inputs.fields.empty() && inputs.fields[0] != nullptr)
        chain.wind = inputs.fields[0]->as_field<Wind>();
    return chain;
}

class RunningChain final : public RunningSystem {
  public:
    RunningChain(Chain chain, std::vector<Carried> carried, bool has_facing, double time_s)
        : chain_{std::move(chain)},
          carried_{std::move(carried)},
          has_facing_{has_facing},
          time_s_{time_s},
          turning_(carried_.size()) {
        note_facings(0);
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        const double dt = step_length_.from_to(time_s_, time_s);
        if (chain_.step(inputs_of(inputs, has_facing_, time_s), dt) == StepStatus::rejected)
            return false;
        time_s_ = time_s;
        note_facings(dt);
        return true;
    }
    void change(const SystemInputs& inputs) override {
        const ChainInputs now = inputs_of(inputs, has_facing_, time_s_);
        chain_.step(now, 0);  // wherever it has jumped, the chain goes along
        note_facings(0);
    }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override {
        if (port == 0)
            return {array_of(chain_.positions()[index]), array_of(chain_.velocities()[index])};
        const std::size_t i = (port - 1) / 2;
        if ((port - 1) % 2 == 0) {
            return {array_of(chain_.point_at(carried_[i].at)),
                    array_of(smooth_point(chain_.velocities(), carried_[i].at))};
        }
        const Quaternion& q = turning_[i].facing;
        return {ValueArray{{q.w, q.x, q.y, q.z}}, array_of(turning_[i].velocity)};
    }
    bool retune(const SystemSpec& spec) override;
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override {
        visit_state(in);
        note_facings(0);
    }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double /*rate_hz*/) const override {
        const ChainGain loud = gain_of(chain_.settings());
        constexpr double visible = 1.01;
        if (loud.gain < visible) return {};
        return {
            fmt::format("{}: node {} swings {:.3g} times as far as its root does at {:.3g} Hz; "
                        "more damping, a higher lead or a lower carry takes that away",
                        name, loud.node, loud.gain, loud.frequency_hz)};
    }

  private:
    struct Turning {
        Quaternion facing{};
        Vector3 velocity{};
    };
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(chain_, time_s_, step_length_);
        fields.require(time_s_ >= 0);
    }
    /// How what is carried is turned, and how fast it has turned in this step.
    void note_facings(double dt) {
        for (std::size_t i = 0; i < carried_.size(); ++i) {
            const Quaternion now = chain_.facing_at(carried_[i].at, carried_[i].forward);
            const Vector3 way = rotation_vector(now * conjugate(turning_[i].facing));
            const bool is_short = dt > 0 && dt < shortest_step_s;
            turning_[i] = {now, is_short ? turning_[i].velocity
                                : dt > 0 ? way * (1 / dt)
                                         : Vector3{}};
        }
    }

    Chain chain_;
    std::vector<Carried> carried_;
    bool has_facing_;
    double time_s_;
    StepLength step_length_;
    std::vector<Turning> turning_;
};

class ChainSpec final : public SystemSpec {
  public:
    ChainSpec(const ChainSettings& settings, std::vector<Carried> carried, ChainLook look,
              bool has_facing)
        : settings_{settings},
          carried_{std::move(carried)},
          look_{std::move(look)},
          has_facing_{has_facing} {
        require_valid(settings);
    }

    [[nodiscard]] const ChainSettings& settings() const { return settings_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<ChainSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "chain"; }
    [[nodiscard]] std::string in_words(std::size_t port) const override {
        if (port > 0) return "";
        return fmt::format("{} nodes of {:.3g} m, {}, {:.3g} to {:.3g} Hz", settings_.nodes,
                           settings_.spacing_m,
                           settings_.spacing == ChainSpacing::fixed ? "fixed" : "stretchy",
                           settings_.root.frequency_hz, settings_.tip.frequency_hz);
    }
    [[nodiscard]] std::vector<Port> outputs() const override {
        std::vector<Port> ports{{.quantity = "position",
                                 .unit = "m",
                                 .kind = ValueKind::vector,
                                 .components = 3,
                                 .count = settings_.nodes + 1}};
        for (const Carried& each : carried_) {
            ports.push_back({.name = each.name,
                             .quantity = "position",
                             .unit = "m",
                             .kind = ValueKind::vector,
                             .components = 3});
            ports.push_back(
                {.name = each.name + ".facing", .kind = ValueKind::rotation, .components = 4});
        }
        return ports;
    }
    [[nodiscard]] std::vector<View> views() const override {
        View view{.type = look_.radius_m.empty() ? View::Type::line : View::Type::tube,
                  .position = 0,
                  .radius_m = look_.radius_m,
                  .colours = look_.colours,
                  .is_smooth = true};
        view.look.order = look_.order;
        return {std::move(view)};
    }
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        append_dials<ChainSettings>(all, "", "");
        for (SpecDial& dial : all) {
            if (dial.path.starts_with("root.")) dial.key = "root_tuning" + dial.path.substr(4);
            if (dial.path.starts_with("tip.")) dial.key = "tip_tuning" + dial.path.substr(3);
        }
        all.push_back({.path = "nodes",
                       .hard = {1, 1e5},
                       .slider = {2, 60},
                       .default_value = static_cast<double>(ChainSettings{}.nodes),
                       .key = "nodes"});
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        if (index == ChainSettings::dial_count) return static_cast<double>(settings_.nodes);
        return ChainSettings::dials()[index].get(settings_);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        if (index < ChainSettings::dial_count)
            return ChainSettings::dials()[index].set(settings_, value);
        if (!(value >= 1 && value <= 1e5)) return DialStatus::refused;
        settings_.nodes = static_cast<std::size_t>(std::lround(value));
        return DialStatus::set;
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        const ChainInputs at = inputs_of(inputs, has_facing_, inputs.time_s);
        return std::make_unique<RunningChain>(Chain{settings_, at.root, at.facing}, carried_,
                                              has_facing_, inputs.time_s);
    }
    [[nodiscard]] double highest_hz() const override {
        return std::max(settings_.root.frequency_hz, settings_.tip.frequency_hz) / 4;
    }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    ChainSettings settings_;
    std::vector<Carried> carried_;
    ChainLook look_;
    bool has_facing_;
};

bool RunningChain::retune(const SystemSpec& spec) {
    const ChainSettings& settings = dynamic_cast<const ChainSpec&>(spec).settings();
    if (settings.nodes != chain_.settings().nodes) return false;
    return chain_.try_retune(settings);
}

/// Its nodes in a take.
class ChainRows {
  public:
    ChainRows(const Take& take, const std::string& channel)
        : take_{take}, columns_{take.columns_of(take.find_channel(channel).value())} {}

    [[nodiscard]] std::size_t size() const { return take_.row_count(); }
    [[nodiscard]] std::size_t tip() const { return columns_.count / 3 - 1; }
    [[nodiscard]] Vector3 node(std::size_t row, std::size_t i) const {
        const auto numbers = take_.row(row).subspan(columns_.first + 3 * i, 3);
        return {numbers[0], numbers[1], numbers[2]};
    }
    [[nodiscard]] double length_m(std::size_t row) const {
        double length = 0;
        for (std::size_t i = 1; i <= tip(); ++i) {
            const Vector3 link = node(row, i) - node(row, i - 1);
            length += std::sqrt(dot(link, link));
        }
        return length;
    }
    /// Of the tip, from the row before.
    [[nodiscard]] double tip_speed(std::size_t row) const {
        const double dt = take_.times_s()[row] - take_.times_s()[row - 1];
        const Vector3 moved = node(row, tip()) - node(row - 1, tip());
        return dt > 0 ? std::sqrt(dot(moved, moved)) / dt : 0;
    }
    [[nodiscard]] std::vector<double> component(std::size_t i, std::size_t k) const {
        return take_.column(columns_.first + 3 * i + k);
    }

  private:
    const Take& take_;
    Take::Columns columns_;
};

/// The tip beside the root, and how much the chain stretches.
std::vector<SystemReport> ChainSpec::report(const ReportInput& input) const {
    const std::string channel = value_channel(input.system, outputs().front());
    SystemReport report{.name = input.system.name,
                        .kind = kind(),
                        .target = "its root",
                        .words = in_words(0),
                        .value_kind = ValueKind::vector,
                        .unit = "m"};
    const double whole_m = settings_.spacing_m * static_cast<double>(settings_.nodes);
    const ChainRows shown{input.take, channel};
    SystemChart lengths{.title = "length", .unit = "m", .curves = {{}}};
    for (std::size_t k = 0; k < 3; ++k) {
        report.components.push_back({.name = std::string(1, "xyz"[k]),
                                     .values = shown.component(shown.tip(), k),
                                     .targets = shown.component(0, k)});
    }
    for (std::size_t row = 0; row < shown.size(); ++row)
        lengths.curves.front().values.push_back(shown.length_m(row));
    lengths.curves.front().targets.assign(shown.size(), whole_m);
    const ChainRows fine{input.fine, channel};
    double longest = 0;
    double shortest = unbounded;
    double quickest = 0;
    for (std::size_t row = 0; row < fine.size(); ++row) {
        longest = std::max(longest, fine.length_m(row));
        shortest = std::min(shortest, fine.length_m(row));
        if (row > 0) quickest = std::max(quickest, fine.tip_speed(row));
    }
    report.figures = {{"length_m", "length at rest", "m", whole_m},
                      {"longest_m", "at its longest", "m", longest},
                      {"shortest_m", "at its shortest", "m", shortest},
                      {"tip_peak_speed_m_per_s", "its tip at most", "m/s", quickest}};
    report.charts.push_back(std::move(lengths));
    return {std::move(report)};
}

void read_tunings(KindReader& reader, ChainSettings& settings) {
    if (reader.has("tuning")) settings.root = settings.tip = reader.tuning("tuning", settings.root);
    settings.root = reader.tuning("root_tuning", settings.root);
    settings.tip = reader.tuning("tip_tuning", settings.tip);
}

ChainSettings read_settings(KindReader& reader) {
    ChainSettings settings;
    const auto read = [](KindReader& table, const char* key, double& number) {
        number = table.number(key).value_or(number);
    };
    settings.nodes = reader.whole_number("nodes", 1, 100'000).value_or(settings.nodes);
    read(reader, "spacing_m", settings.spacing_m);
    if (reader.choice("spacing") == "fixed") settings.spacing = ChainSpacing::fixed;
    read_tunings(reader, settings);
    read(reader, "carry", settings.carry);
    settings.rest_direction = three(reader, "rest_direction").value_or(settings.rest_direction);
    settings.hanging_m_per_s = three(reader, "hanging_m_per_s").value_or(settings.hanging_m_per_s);
    read(reader, "wind_share", settings.wind_share);
    read(reader, "stiffness_m_per_s", settings.stiffness_m_per_s);
    read(reader, "bend_limit_rad", settings.bend_limit_rad);
    settings.is_flat = reader.flag("flat").value_or(false);
    reader.one_table("undulation", "undulation", [&](KindReader& wave) {
        read(wave, "amplitude_m", settings.undulation.amplitude_m);
        read(wave, "frequency_hz", settings.undulation.frequency_hz);
        read(wave, "delay_rad", settings.undulation.delay_rad);
        settings.undulation.axis = three(wave, "axis").value_or(settings.undulation.axis);
    });
    return settings;
}

std::vector<Carried> read_carried(KindReader& reader) {
    std::vector<Carried> all;
    reader.each_table("carried", "carried", [&](KindReader& one) {
        Carried carried{.name = one.own_name(KindReader::names_in(all)),
                        .at = one.number("at").value_or(1)};
        if (!(carried.at >= 0 && carried.at <= 1))
            one.problem("at", fmt::format("expected 0 (root) to 1 (tip), found {}", carried.at));
        const std::string axis = one.choice("forward").value_or("z");
        const double way = axis.starts_with('-') ? -1 : 1;
        carried.forward = {axis.ends_with('x') ? way : 0.0, axis.ends_with('y') ? way : 0.0,
                           axis.ends_with('z') ? way : 0.0};
        all.push_back(std::move(carried));
    });
    return all;
}

ChainLook read_chain_look(KindReader& reader) {
    ChainLook look{.radius_m = reader.numbers("radius_m"),
                   .order = reader.number("order").value_or(0)};
    for (const double radius : look.radius_m) {
        if (!(radius >= 0)) reader.problem("radius_m", "expected numbers that are 0 or more");
    }
    look.colours = read_colours(reader.table(), "colours");
    return look;
}

void read_chain(KindReader& reader) {
    const auto root = reader.target("root");
    if (!reader.has("root")) reader.problem("", "expected a key 'root': what it hangs on");
    const bool has_facing = reader.has("facing");
    std::optional<std::size_t> facing;
    if (has_facing) facing = reader.target("facing");
    const ChainSettings settings = read_settings(reader);
    std::vector<Carried> carried = read_carried(reader);
    ChainLook look = read_chain_look(reader);
    const std::size_t wind = reader.field<Wind>("wind");
    if (!root || (has_facing && !facing)) return;
    const SceneTarget& hook = reader.target_at(*root);
    if (hook.kind() != ValueKind::vector || hook.path.size() > 3) {
        reader.problem("root", "expected a place: a vector of two or three numbers");
        return;
    }
    if (facing && reader.target_at(*facing).kind() != ValueKind::rotation) {
        reader.problem("facing", "expected a rotation");
        return;
    }
    std::vector<std::size_t> targets{*root};
    if (facing) targets.push_back(*facing);
    reader.try_to([&] {
        reader.add(
            std::make_unique<ChainSpec>(settings, std::move(carried), std::move(look), has_facing),
            std::move(targets), {wind});
    });
}

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<TableFacts> chain_tables() {
    using enum KeyType;
    return {
        {"chain",
         "`[chain.NAME]`",
         "Nodes that each follow the one before: a streamer, a tail, a towed line. `NAME` is its "
         "tip, `NAME.3` its fourth point from the root on; `NAME.SPOT` and `NAME.SPOT.facing` what "
         "it carries.",
         {{"root", source, "place that its root is fixed to", "required"},
          {"facing", source, "rotation that its rest direction turns with", "it does not turn"},
          dial_key({"nodes", whole_number, "number of nodes, without the root", "12"}),
          dial_key({"spacing_m", number, "distance from node to node", "0.1"}),
          {"spacing",
           choice,
           "whether links stretch or keep their length exactly",
           "`stretchy`",
           {"stretchy", "fixed"}},
          {"tuning", tuning, "tuning of all nodes", "by `root_tuning` and `tip_tuning`"},
          {"root_tuning", tuning, "tuning of the first node",
           "`tuning`; or 6 Hz, damping ratio 1, lead 0.5"},
          {"tip_tuning", tuning,
           "tuning of the last node; in between, frequencies change by equal factors",
           "`tuning`; or 3 Hz, damping ratio 1, lead 0.5"},
          dial_key({"carry", number,
                    "of `stretchy`: part of a link's direction that comes from the link before it, "
                    "0 to below 1",
                    "0.2"}),
          {"rest_direction", vector, "direction of its links at rest: x, y, z", "[0, -1, 0]"},
          {"hanging_m_per_s", vector, "steady flow along which it hangs or points: x, y, z",
           "none"},
          {"wind", field, "wind or current that moves it", "none"},
          dial_key({"wind_share", number, "part of the wind's speed that acts on it", "1"}),
          dial_key({"stiffness_m_per_s", number,
                    "of `stretchy`: wind speed that turns a link half way from its rest direction",
                    "2"}),
          dial_key({"bend_limit_rad", number, "largest angle between two neighbouring links",
                    "bends freely"}),
          {"undulation", table, "wave that runs along it by itself", "none", {}, {"undulation"}},
          {"flat", flag, "`true`: kept in the XY plane", "`false`"},
          {"carried",
           tables,
           "named spots at which other things are carried",
           "none",
           {},
           {"carried"}},
          {"radius_m", numbers, "radius in pictures: one, or several from root to tip", "a line"},
          {"colours", texts, "colours as in \"#c86432\", from root to tip",
           "the next of the palette"},
          order_key()}},
        {"undulation",
         "An undulation",
         "",
         {dial_key({"amplitude_m", number, "amplitude", "0"}),
          dial_key({"frequency_hz", number, "oscillations per second", "1"}),
          dial_key({"delay_rad", number, "phase delay from node to node", "0.5"}),
          {"axis", vector, "direction it swings along: x, y, z", "[1, 0, 0]"}}},
        {"carried",
         "A spot of a chain",
         "",
         {{"name", text, "its name", "required"},
          {"at", number, "where along it: 0 is the root, 1 the tip", "1"},
          {"forward",
           choice,
           "axis of the carried thing that points toward the root",
           "`z`",
           {"x", "y", "z", "-x", "-y", "-z"}}}}};
}

}  // namespace

SystemKind chain_kind() {
    return {"chain", chain_tables(), {}, read_chain};
}

}  // namespace hopcoil::scene
