#include "read_movers.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <filesystem>
#include <numeric>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/scene/csv.hpp>
#include <hopcoil/spring/named_tunings.hpp>
#include <hopcoil/spring/wish.hpp>

#include "reading.hpp"

namespace hopcoil::scene {
namespace {

bool uses(const TableReader& reader, const std::vector<std::string>& keys) {
    return std::any_of(keys.begin(), keys.end(),
                       [&](const std::string& key) { return reader.has(key); });
}

bool contains(const std::vector<std::string>& names, const std::string& name) {
    return std::find(names.begin(), names.end(), name) != names.end();
}

enum class Form : std::uint8_t { feel, spring, damped_spring, rates, wish, calming };

const std::vector<std::string>& spring_keys() {
    static const std::vector<std::string> keys{"mass_kg", "stiffness_n_per_m", "damping_n_s_per_m"};
    return keys;
}
const std::vector<std::string>& rate_keys() {
    static const std::vector<std::string> keys{"y_rate_s", "y_acceleration_s2", "x_rate_s"};
    return keys;
}
const std::vector<std::string>& wish_keys() {
    static const std::vector<std::string> keys{"overshoot_percent", "settling_time_s",
                                               "most_anticipation_percent"};
    return keys;
}

/// The form that a tuning's keys belong to; nothing, and noted, when they belong to several.
std::optional<Form> form_of(TableReader& reader) {
    const bool feel = reader.has("frequency_hz");
    const bool spring = uses(reader, spring_keys());
    const bool rates = uses(reader, rate_keys());
    const bool wish = uses(reader, wish_keys());
    const bool calming = reader.has("half_life_s");
    const bool ratio = reader.has("damping_ratio");
    const bool ratio_elsewhere = ratio && (rates || wish || reader.has("damping_n_s_per_m"));
    if (feel + spring + rates + wish + calming > 1 || ratio_elsewhere) {
        reader.problem(
            "", fmt::format("expected keys of one form only: {}; or {}; or {}; or {}; "
                            "or half_life_s and damping_ratio",
                            any_of({"frequency_hz", "damping_ratio", "lead"}),
                            any_of(spring_keys()), any_of(rate_keys()), any_of(wish_keys())));
        return std::nullopt;
    }
    if (spring) return ratio ? Form::damped_spring : Form::spring;
    if (rates) return Form::rates;
    if (wish) return Form::wish;
    return calming ? Form::calming : Form::feel;
}

Tuning tuning_by_feel(TableReader& reader) {
    Tuning tuning;
    for (const Dial<Tuning>& dial : Tuning::dials()) {
        const auto value = reader.number(std::string{dial.path});
        if (value && dial.set(tuning, *value) != DialStatus::set) {
            reader.problem(
                std::string{dial.path},
                fmt::format("expected a number {} or more, found {}", dial.hard.least, *value));
        }
    }
    return tuning;
}

Tuning tuning_in_form(Form form, TableReader& reader) {
    const auto number_or = [&](const std::string& key, double otherwise) {
        return reader.number(key).value_or(otherwise);
    };
    switch (form) {
        case Form::feel:
            break;
        case Form::spring:
            return tuning_from(
                SpringConstants{.mass_kg = number_or("mass_kg", 1),
                                .stiffness_n_per_m = required(reader, "stiffness_n_per_m"),
                                .damping_n_s_per_m = number_or("damping_n_s_per_m", 0),
                                .lead = number_or("lead", 0)});
        case Form::damped_spring:
            return tuning_from(
                DampedSpring{.mass_kg = number_or("mass_kg", 1),
                             .stiffness_n_per_m = required(reader, "stiffness_n_per_m"),
                             .damping_ratio = required(reader, "damping_ratio"),
                             .lead = number_or("lead", 0)});
        case Form::rates:
            return tuning_from(
                Coefficients{.y_rate_s = required(reader, "y_rate_s"),
                             .y_acceleration_s2 = required(reader, "y_acceleration_s2"),
                             .x_rate_s = number_or("x_rate_s", 0)});
        case Form::wish:
            return tuning_from(
                Wish{.overshoot_percent = required(reader, "overshoot_percent"),
                     .settling_time_s = required(reader, "settling_time_s"),
                     .lead = number_or("lead", 0),
                     .most_anticipation_percent = reader.number("most_anticipation_percent")});
        case Form::calming:
            return tuning_from(Calming{.half_life_s = required(reader, "half_life_s"),
                                       .damping_ratio = number_or("damping_ratio", 1),
                                       .lead = number_or("lead", 0)});
    }
    return tuning_by_feel(reader);
}

}  // namespace

const std::vector<std::string>& MoverReader::kinds() {
    static const std::vector<std::string> all{"follower", "glide", "pursuit",
                                              "settle",   "curve", "relay"};
    return all;
}

void MoverReader::read(const std::string& kind, TableReader& reader, const std::string& name) {
    SceneMover mover{.name = name};
    refuse_taken(reader, name);
    std::optional<std::string> unit;
    read_target_of(reader, mover, unit);
    if (const auto start = in_unit(reader, "start", unit)) mover.start = *start;
    const bool has_velocity = kind != "glide" && kind != "curve";
    if (has_velocity) {
        mover.start_velocity = in_unit(reader, "start_velocity", unit, "_per_s").value_or(0);
    }
    mover.numbers = read_numbers(kind, reader, unit);
    lines_.push_back(reader.position_of("").line);
    scene_.movers.push_back(std::move(mover));
}

void MoverReader::put_in_order() {
    std::vector<std::size_t> order(lines_.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return lines_[a] < lines_[b]; });
    std::vector<SceneMover> sorted;
    std::vector<std::size_t> new_place(order.size());
    sorted.reserve(order.size());
    for (const std::size_t i : order) {
        new_place[i] = sorted.size();
        sorted.push_back(std::move(scene_.movers[i]));
    }
    scene_.movers = std::move(sorted);
    for (SceneTarget& target : scene_.targets) {
        if (target.leader) target.leader->mover = new_place[target.leader->mover];
    }
}

std::optional<Leader> MoverReader::find_leader(const std::string& name) const {
    for (std::size_t i = 0; i < scene_.movers.size(); ++i) {
        const SceneMover& mover = scene_.movers[i];
        const std::size_t parts = part_count(mover.numbers);
        if (mover.name == name) return Leader{.mover = i, .part = parts - 1};
        for (std::size_t part = 0; part < parts; ++part) {
            if (mover.name + part_suffix(mover.numbers, part) == name) {
                return Leader{.mover = i, .part = part};
            }
        }
    }
    return std::nullopt;
}

SceneTarget MoverReader::led_target(const std::string& name, const Leader& leader) const {
    const SceneMover& ahead = scene_.movers[leader.mover];
    const SceneTarget& its_target = scene_.targets[ahead.target];
    const double start = leader.seen({ahead.start, 0}).value;
    return {.name = name,
            .unit = its_target.unit,
            .path = MovesTarget{start, {}, {}},
            .is_made_of_moves = its_target.is_made_of_moves,
            .is_angle = its_target.is_angle,
            .leader = leader};
}

void MoverReader::refuse_taken(TableReader& reader, const std::string& name) {
    if (contains(declared_targets_, name)) {
        reader.problem("", fmt::format("a target has the name '{}' already", name));
    }
    if (contains(names_, name)) {
        reader.problem("", fmt::format("another mover has the name '{}' already", name));
    }
    names_.push_back(name);
}

void MoverReader::read_target_of(TableReader& reader, SceneMover& mover,
                                 std::optional<std::string>& unit) {
    const auto target = reader.text("target");
    if (!reader.has("target")) {
        reader.problem("", fmt::format("expected a key 'target': {}", any_of(declared_targets_)));
    }
    const bool is_declared = target && contains(declared_targets_, *target);
    if (target && !is_declared) {
        if (const auto leader = find_leader(*target)) {
            // What another mover does is a target too; the take shows it beside this one.
            mover.target = scene_.targets.size();
            scene_.targets.push_back(led_target(mover.name + ".target", *leader));
            unit = scene_.targets.back().unit;
            mover.start = scene_.targets.back().path.before(0).value;
            return;
        }
        std::vector<std::string> known = declared_targets_;
        known.insert(known.end(), declared_movers_.begin(), declared_movers_.end());
        std::erase(known, mover.name);
        reader.problem("target", fmt::format("there is no target '{}'; there is {}{}", *target,
                                             any_of(known), did_you_mean(*target, known)));
    }
    const auto found =
        std::find_if(scene_.targets.begin(), scene_.targets.end(),
                     [&](const SceneTarget& each) { return target && each.name == *target; });
    if (found == scene_.targets.end()) return;
    unit = found->unit;
    mover.target = static_cast<std::size_t>(found - scene_.targets.begin());
    mover.start = found->path.before(0).value;
}

MoverNumbers MoverReader::read_numbers(const std::string& kind, TableReader& reader,
                                       std::optional<std::string>& unit) {
    if (kind == "follower") return read_follower(reader);
    if (kind == "glide") {
        GlideTuning glide;
        if (uses(reader, {"fraction", "at_rate_hz"})) {
            try_to(reader, [&] {
                glide = tuning_from(FractionPerFrame{.fraction = required(reader, "fraction"),
                                                     .rate_hz = required(reader, "at_rate_hz")});
            });
        } else if (const auto half_life_s = reader.number("half_life_s")) {
            glide.half_life_s = *half_life_s;
        }
        try_to(reader, [&] { require_valid(glide); });
        return glide;
    }
    if (kind == "pursuit") return read_pursuit(reader, unit);
    if (kind == "settle") return read_settle(reader, unit);
    if (kind == "curve") return read_curve(reader);
    return read_relay(reader);
}

/// A follower is exact, unless it names a scheme.
MoverNumbers MoverReader::read_follower(TableReader& reader) {
    const Tuning tuning = tuning_in(reader);
    if (!uses(reader, {"scheme", "guard", "most_substeps"})) return tuning;
    std::vector<std::string> schemes;
    for (const SchemeFacts& each : all_schemes())
        schemes.emplace_back(each.name);
    if (!reader.has("scheme")) {
        reader.problem(
            "", fmt::format("expected a key 'scheme' beside its guard: {}", any_of(schemes)));
    }
    SteppedNumbers stepped{.tuning = tuning};
    if (const auto name = reader.choice("scheme", schemes)) {
        stepped.stepping.scheme = find_scheme(*name).value_or(stepped.stepping.scheme);
    }
    if (const auto name =
            reader.choice("guard", {"none", "exact", "substep", "soften", "refuse"})) {
        stepped.stepping.guard.guard = find_guard(*name).value_or(Guard::substep);
    }
    if (const auto most = whole_number(reader, "most_substeps", 1, 1'000'000)) {
        stepped.stepping.guard.most_substeps = static_cast<int>(*most);
    }
    return stepped;
}

/// Under the key 'tuning': a name, or a table in one of the forms.
Tuning MoverReader::tuning_in(TableReader& reader) {
    if (!reader.has("tuning")) return {};
    if (reader.is_text("tuning")) {
        const std::string name = reader.text("tuning").value_or("");
        if (const auto named = find_tuning(name)) return *named;
        std::vector<std::string> names;
        for (const NamedTuning& each : named_tunings())
            names.emplace_back(each.name);
        reader.problem("tuning", fmt::format("there is no tuning named '{}'; there is {}{}", name,
                                             any_of(names), did_you_mean(name, names)));
        return {};
    }
    const toml::table* table = reader.table("tuning");
    return table == nullptr ? Tuning{} : read_tuning(*table, reader.path() + ".tuning");
}

PursuitTuning MoverReader::read_pursuit(TableReader& reader, std::optional<std::string>& unit) {
    PursuitTuning pursuit;
    if (const auto speed = in_unit(reader, "max_speed", unit, "_per_s")) {
        pursuit.max_speed = *speed;
    } else if (!uses(reader, {"max_speed_per_s", "max_speed_m_per_s", "max_speed_deg_per_s",
                              "max_speed_rad_per_s"})) {
        reader.problem("", "expected a key 'max_speed_per_s' (max_speed_m_per_s, ...)");
    }
    if (const auto acceleration = in_unit(reader, "max_acceleration", unit, "_per_s2")) {
        pursuit.max_acceleration = *acceleration;
    }
    try_to(reader, [&] { require_valid(pursuit); });
    return pursuit;
}

SettleNumbers MoverReader::read_settle(TableReader& reader, std::optional<std::string>& unit) {
    SettleNumbers settle;
    if (const auto duration_s = reader.number("duration_s")) settle.tuning.duration_s = *duration_s;
    if (const auto percent = reader.number("overshoot_percent")) {
        settle.tuning.overshoot_percent = *percent;
    }
    if (const toml::array* heights = reader.array("swing_percent")) {
        for (std::size_t i = 0; i < heights->size(); ++i) {
            const auto percent = heights->get(i)->value<double>();
            if (!percent || i >= settle.tuning.swing_percent.size()) {
                reader.problem("swing_percent", fmt::format("expected up to {} numbers",
                                                            settle.tuning.swing_percent.size()));
                break;
            }
            settle.tuning.swing_percent[i] = *percent;
        }
    }
    if (const auto low = in_unit(reader, "low_stop", unit)) settle.stops.low = *low;
    if (const auto high = in_unit(reader, "high_stop", unit)) settle.stops.high = *high;
    if (const auto least_s = reader.number("least_duration_s")) {
        settle.stops.least_duration_s = *least_s;
    }
    settle.stops.may_shorten_travel = reader.flag("may_shorten_travel").value_or(false);
    try_to(reader, [&] {
        require_valid(settle.tuning);
        require_valid(settle.stops);
    });
    return settle;
}

CurveMoveTuning MoverReader::read_curve(TableReader& reader) {
    CurveMoveTuning curve;
    if (const auto duration_s = reader.number("duration_s")) curve.duration_s = *duration_s;
    if (reader.has("csv")) {
        read_keys(reader, curve);
        return curve;
    }
    const auto family = reader.choice("family", ease_family_names());
    const auto way = reader.choice("way", ease_way_names());
    const auto parameter = reader.number("parameter");
    try_to(reader, [&] {
        const EaseFamily shape = ease_family_of(family.value_or("sine"));
        curve.curve = Ease{shape, ease_way_of(way.value_or("in_out")),
                           parameter.value_or(default_parameter(shape))};
        require_valid(curve);
    });
    return curve;
}

/// A curve of its own, from a table of keys beside the scene.
void MoverReader::read_keys(TableReader& reader, CurveMoveTuning& curve) {
    const auto csv = reader.text("csv");
    const auto column = reader.text("column");
    const std::string time_column = reader.text("time_column").value_or("time_s");
    if (!reader.has("column")) {
        reader.problem("csv", "expected a key 'column' beside it, naming a column of the file");
    }
    if (!csv || !column) return;
    const std::filesystem::path table = std::filesystem::path{file_}.parent_path() / *csv;
    try {
        const KeyCurve keys = key_curve_from(read_csv(table), time_column, *column);
        const double first = keys.keys().front().value;
        const double last = keys.keys().back().value;
        if (first != 0 || last != 1 || !(keys.end_s() > keys.start_s())) {
            reader.problem("csv", fmt::format("expected keys that go from 0 to 1, found {} to {}",
                                              first, last));
        }
        curve.curve = keys;
        try_to(reader, [&] { require_valid(curve); });
    } catch (const InputProblems& inside) {
        problems_.insert(problems_.end(), inside.problems().begin(), inside.problems().end());
    } catch (const FileProblem& missing) {
        throw FileProblem{
            to_text({reader.position_of("csv"), reader.path() + ".csv", missing.what()})};
    }
}

RelayNumbers MoverReader::read_relay(TableReader& reader) {
    RelayNumbers relay;
    const toml::array* links = reader.array("links");
    if (links == nullptr || links->empty()) {
        reader.problem(links == nullptr ? "" : "links",
                       "expected a list 'links' of tables such as { name = \"lamp\", tuning = { "
                       "frequency_hz = 2 } }");
        relay.names.emplace_back("link");
        relay.tunings.emplace_back();
        return relay;
    }
    for (std::size_t i = 0; i < links->size(); ++i) {
        const toml::node& node = *links->get(i);
        const std::string path = fmt::format("{}.links[{}]", reader.path(), i);
        if (!node.is_table()) {
            problems_.push_back({position_of(node, file_), path,
                                 fmt::format("expected a table, found {}", kind_of(node))});
            continue;
        }
        TableReader link{*node.as_table(), path, file_, problems_};
        const auto name = link.text("name");
        if (!link.has("name")) link.problem("", "expected a key 'name'");
        if (name && contains(relay.names, *name)) {
            link.problem("name", fmt::format("another link has the name '{}' already", *name));
        }
        relay.names.push_back(name.value_or(fmt::format("link{}", i)));
        relay.tunings.push_back(tuning_in(link));
        link.finish();
    }
    return relay;
}

/// A tuning in the form that its keys belong to.
Tuning MoverReader::read_tuning(const toml::table& table, std::string path) {
    TableReader reader{table, std::move(path), file_, problems_};
    Tuning tuning;
    if (const auto form = form_of(reader)) {
        try_to(reader, [&] { tuning = tuning_in_form(*form, reader); });
        reader.finish();
    }
    return tuning;
}

}  // namespace hopcoil::scene
