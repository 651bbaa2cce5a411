#include <algorithm>
#include <iterator>
#include <stdexcept>

#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/kind.hpp>

#include "picture_keys.hpp"

namespace hopcoil::scene {
namespace {

using Keys = std::vector<KeyFacts>;
using enum KeyType;

std::vector<TableFacts> clock_tables() {
    return {
        {"clock",
         "`[clock]`",
         "Fixed steps under frames that may vary, as a game has them. Each frame shows what lies "
         "between the last two steps, so it is up to a step late.",
         {{"step_hz", number, "fixed steps per second", "stepped from frame to frame"},
          {"most_steps", whole_number,
           "most steps in one frame; time beyond them is dropped and reported", "8"},
          {"long_frames",
           tables,
           "frames that take longer than the others (lag spikes)",
           "none",
           {},
           {"long frame"}}}},
        {"long frame",
         "A long frame",
         "",
         {{"at_s", number, "time at which it begins", "required"},
          {"lasts_s", number, "duration", "required"}}}};
}

TableFacts scene_table() {
    Keys keys{
        {"title", text, "title of the figure and of the summary", "the file's name"},
        {"duration_s", number, "length of the run",
         "until the last event, and 3 s more if there are moves"},
        {"rate_hz", number, "frames per second of the take; the motion does not depend on it",
         "60"},
        {"seed", whole_number,
         "seed of everything random in the scene; `--seed` on the command line replaces it", "0"},
        {"record", texts,
         "channels that the take keeps, as patterns: `*` stands for any characters, as in `lamp.*`",
         "all"},
        {"include", texts,
         "other scene files, relative to this one: their targets, systems, bodies and tunings are "
         "added; their title, clock and seed are not",
         "none"},
        {"tunings", texts,
         "tuning files, relative to this one, whose tunings and settings can be used by name",
         "none"},
        {"clock",
         table,
         "fixed steps under frames of any length",
         "stepped from frame to frame",
         {},
         {"clock"}},
        {"target",
         named_tables,
         "targets: what systems follow",
         "none, which only coasts can do without",
         {},
         {"target of moves", "target from a table", "target from a model", "target that is driven",
          "target a step behind", "target of layers"}}};
    for (const SystemKind& kind : built_in_kinds()) {
        const std::string_view name = kind.tables.front().name;
        keys.push_back({name,
                        named_tables,
                        "systems of this kind",
                        "at least one system of some kind is required",
                        {},
                        {name}});
    }
    keys.push_back({"body",
                    named_tables,
                    "what moves, turns and scales one thing in models and pictures",
                    "none",
                    {},
                    {"body"}});
    keys.push_back({"picture", named_tables, "pictures that `run` makes", "none", {}, {"picture"}});
    keys.push_back(
        {"tuning", named_tables, "named tunings, for this file", "none", {}, {"named tuning"}});
    keys.push_back({"settings",
                    named_tables,
                    "named settings of whole systems, for this file",
                    "none",
                    {},
                    {"named settings"}});
    return {"scene", "The scene", "", std::move(keys)};
}

const KeyFacts angle_key{
    "angle", flag,
    "`true`: an angle that wraps; it and what follows it are shown in (-180, 180] degrees",
    "`false`"};
const KeyFacts rotation_key{"rotation", flag,
                            "`true`: a rotation in space, given as angles about x, y and z (pitch, "
                            "heading, roll; applied in the order roll, pitch, heading)",
                            "`false`"};

/// Targets made of moves, and the moves that take over from one another.
std::vector<TableFacts> move_tables() {
    return {
        {"target of moves",
         "`[target.NAME]`, made of moves",
         "Jumps, ramps and paths are listed in order of time; each takes over from the one before. "
         "Waves are added to them. Every random item has numbers of its own, set by the seed and "
         "its place in the file, so that a change elsewhere does not affect it.",
         {{"start", place, "value before the first move", "0"},
          angle_key,
          rotation_key,
          {"moves",
           tables,
           "jumps, ramps, paths and waves",
           "required",
           {},
           {"jump", "ramp", "path", "sine", "pulses", "noise", "random steps"}}}},
        {"jump",
         "A jump",
         "",
         {{"at_s", number, "time at which it happens", "required"},
          {"jump_to", place, "value from then on", "required"}}},
        {"ramp",
         "A ramp",
         "From wherever it is, at a constant velocity.",
         {{"at_s", number, "time at which it begins", "required"},
          {"ramp_to", place, "value at its end", "required"},
          {"over_s", number, "duration", "required"}}},
        {"path",
         "A path",
         "A smooth curve from wherever it is, at the velocity it has, to rest at the last point.",
         {{"at_s", number, "time at which it begins", "required"},
          {"through", trajectory, "points `[time, value]` or `[time, x, y, z]`, times increasing",
           "required"}}},
    };
}

/// What is added to moves.
std::vector<TableFacts> wave_tables() {
    return {
        {"sine",
         "A sine",
         "Added to the moves.",
         {{"sine_amplitude", place, "amplitude: the largest distance from the middle", "required"},
          {"frequency_hz", number, "oscillations per second", "required"},
          {"from_s", number, "time at which it begins", "0"},
          {"until_s", number, "time at which it ends", "never"}}},
        {"pulses",
         "Pulses",
         "Rectangular pulses that are added to the moves.",
         {{"pulse", place, "height of each pulse", "required"},
          {"over_s", number, "duration of each pulse", "required"},
          {"every_s", number, "time from the start of one pulse to the start of the next", "once"},
          {"from_s", number, "start of the first one", "0"},
          {"until_s", number, "time after which there are no more", "never"}}},
        {"noise",
         "Noise",
         "Coherent noise that is added to the moves: it never leaps.",
         {{"noise_amplitude", place, "amplitude, which is hardly ever exceeded", "required"},
          {"frequency_hz", number, "frequency of the lowest octave", "0.5"},
          {"octaves", whole_number,
           "number of octaves, each at twice the frequency of the one before", "3"},
          {"roughness", number, "amplitude of each octave over that of the one before", "0.5"},
          {"from_s", number, "time at which it begins", "0"},
          {"until_s", number, "time at which it ends", "never"}}},
        {"random steps",
         "Random steps",
         "Steps to random values of a range; they are added to the moves.",
         {{"random_from", place, "one end of the range", "required"},
          {"random_to", place, "other end of the range", "required"},
          {"every_s", number, "time from one step to the next", "required"},
          {"from_s", number, "start of the first one", "0"},
          {"until_s", number, "time after which there are no more", "never"}}},
    };
}

std::vector<TableFacts> sample_tables() {
    return {
        {"target from a table",
         "`[target.NAME]`, from a table of samples",
         "",
         {{"csv", text, "CSV file, relative to the scene; two rows with the same time are a jump",
           "required"},
          {"column", text,
           "name of the column; its ending gives the unit: `_m`, `_rad` or `_deg` (converted to "
           "radians)",
           "required, unless `columns` is there"},
          {"columns", texts,
           "columns of a vector, x first; of a rotation its quaternion w, x, y, z or its angles "
           "about x, y, z",
           "one `column`"},
          {"time_column", text, "column of times in seconds, which never decrease", "`time_s`"},
          {"angle", flag,
           "`true`: an angle that wraps: interpolated the shorter way, shown in (-180, 180] "
           "degrees",
           "`false`"},
          rotation_key,
          {"unwrap", flag,
           "`true`: a change of more than half a turn between two samples is a crossing of the "
           "seam at 180 degrees",
           "`false`"},
          {"after_end",
           choice,
           "after the last sample: stay there, start again, play back and forth, or continue at "
           "the last velocity",
           "`hold`",
           {"hold", "loop", "mirror", "continue"}}}},
        {"target from a model",
         "`[target.NAME]`, from the animation of a model",
         "A node's track in a glTF 2.0 file: translation (metres), rotation, or scale along its "
         "axes.",
         {{"gltf", text, "`.gltf` or `.glb` file, relative to the scene", "required"},
          {"node", text, "name of the node", "required"},
          {"track",
           choice,
           "which of the node's tracks",
           "`translation`",
           {"translation", "rotation", "scale"}},
          {"animation", text, "name of the animation", "the first"},
          {"after_end",
           choice,
           "after the last key: stay there, start again, play back and forth, or continue at the "
           "last velocity",
           "`hold`",
           {"hold", "loop", "mirror", "continue"}}}},
    };
}

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<TableFacts> driven_tables() {
    return {
        {"target that is driven",
         "`[target.NAME]`, driven by what moves",
         "",
         {{"follows", source,
           "a system (its main output), one of its outputs (`string.tassel`), one of several "
           "values (`line.4`; without a number the last one) or one component of a vector "
           "(`skiff.x`)",
           "required"},
          {"scale", numbers, "factor: a number, or one for each axis", "1"},
          {"offset", place, "added after scaling", "0"},
          {"low", place, "lower bound of the result", "none"},
          {"high", place, "upper bound of the result", "none"}}},
        {"target a step behind",
         "`[target.NAME]`, driven by the previous step",
         "Where systems follow each other in a loop, one target of the loop has to use the "
         "previous step.",
         {{"previous_step", flag,
           "`true`: the value of one step ago is followed (1/480 s, or less where something moves "
           "quickly)",
           "required"},
          {"follows", source,
           "what it follows, anywhere in the file: a system, one of its outputs, one of several "
           "values, or one component of a vector",
           "required"},
          {"start", place, "value at the start; it also sets the unit and the number of components",
           "required"},
          {"angle", flag, "`true`: it is an angle that wraps", "`false`"},
          {"rotation", flag, "`true`: it is a rotation in space", "`false`"},
          {"scale", numbers, "factor: a number, or one for each axis", "1"},
          {"offset", place, "added after scaling", "0"},
          {"low", place, "lower bound of the result", "none"},
          {"high", place, "upper bound of the result", "none"}}},
        {"target of layers",
         "`[target.NAME]`, made of layers",
         "Several motions added up: the target's own moves, and each layer times its weight.",
         {{"start", place, "value before the first move", "0"},
          {"moves",
           tables,
           "the target's own jumps, ramps, paths and waves",
           "nothing",
           {},
           {"jump", "ramp", "path", "sine", "pulses", "noise", "random steps"}},
          {"layers", tables, "motions that are added", "required", {}, {"layer"}}}},
        {"layer",
         "A layer",
         "",
         {{"name", text, "its name", "that of what it follows"},
          {"follows", source,
           "a system (its main output), one of its outputs, one of several values, or one "
           "component of a vector",
           "required"},
          {"scale", numbers, "factor: a number, or one for each axis", "1"},
          {"offset", place, "added after scaling", "0"},
          {"low", place, "lower bound of the result", "none"},
          {"high", place, "upper bound of the result", "none"},
          {"weight", number, "weight at the start", "1, or 0 when there are fades"},
          {"fades", tables, "smooth changes of the weight", "none", {}, {"fade"}}}},
        {"fade",
         "A fade",
         "",
         {{"at_s", number, "time at which it begins", "required"},
          {"to", number, "weight at its end", "required"},
          {"over_s", number, "duration", "required"}}},
    };
}

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<TableFacts> other_tables() {
    const KeyFacts lead{"lead", number, "lead: 0 lags behind a moving target, 1 keeps up with it",
                        "0"};
    const KeyFacts mass{"mass_kg", number, "mass on the spring", "1"};
    const KeyFacts stiffness{"stiffness_n_per_m", number, "stiffness of the spring", "required"};
    return {
        {"tuning by feel",
         "By feel",
         "",
         {{"frequency_hz", number, "natural frequency: how quickly it responds", "2"},
          {"damping_ratio", number, "damping ratio: 0 swings for ever, 1 does not overshoot",
           "0.5"},
          lead}},
        {"tuning by wish",
         "By wish",
         "",
         {{"overshoot_percent", number, "overshoot of a jump, in percent", "required"},
          {"settling_time_s", number, "time until it stays within 2 % of a jump", "required"},
          lead,
          {"most_anticipation_percent", number,
           "largest motion the other way at first, in percent of a jump", "no cap"}}},
        {"tuning as a spring",
         "As a spring",
         "",
         {stiffness, mass, {"damping_n_s_per_m", number, "damping of the damper", "0"}, lead}},
        {"tuning as a damped spring",
         "As a spring with a damping ratio",
         "",
         {stiffness,
          mass,
          {"damping_ratio", number, "damping ratio: 0 swings for ever, 1 does not overshoot",
           "required"},
          lead}},
        {"tuning by half-life",
         "By half-life",
         "",
         {{"half_life_s", number, "half-life of the decay", "required"},
          {"damping_ratio", number, "damping ratio: 0 swings for ever, 1 does not overshoot", "1"},
          lead}},
        {"tuning by coefficients",
         "By coefficients, y + a y' + b y'' = x + c x'",
         "",
         {{"y_rate_s", number, "coefficient a", "required"},
          {"y_acceleration_s2", number, "coefficient b", "required"},
          {"x_rate_s", number, "coefficient c", "0"}}},
        {"named tuning",
         "`[tuning.NAME]`, in a tuning file or a scene",
         "A tuning in one of the forms below, or one for each part of a pose, and a line about it.",
         {{"about", text, "description", "nothing"},
          {"position", tuning, "tuning of a pose's position", "not covered"},
          {"rotation", tuning, "tuning of a pose's rotation", "not covered"},
          {"scale", tuning, "tuning of a pose's scale", "not covered"}}},
        {"named settings",
         "`[settings.NAME]`, in a tuning file or a scene",
         "Values of any dials of a system, by their paths (`hopcoil check --dials` lists them): "
         "`numbers = { nodes = 24, tip.frequency_hz = 3 }`.",
         {{"about", text, "description", "nothing"},
          {"kind", text, "kind of system that it is for", "any that have these dials"},
          {"numbers", dials, "values of dials by their paths; of choices, names", "required"}}},
        {"pose tuning",
         "A tuning for each part of a pose",
         "",
         {{"position", tuning, "tuning of its position", "2 Hz, damping ratio 0.5, lead 0"},
          {"rotation", tuning, "tuning of its rotation", "2 Hz, damping ratio 1, lead 0"},
          {"scale", tuning, "tuning of its scale", "2 Hz, damping ratio 1, lead 0"}}},
        {"tuning file",
         "A tuning file",
         "",
         {{"tuning", named_tables, "named tunings", "none", {}, {"named tuning"}},
          {"settings",
           named_tables,
           "named settings of whole systems",
           "none",
           {},
           {"named settings"}}}},
    };
}

std::vector<TableFacts> kind_tables() {
    std::vector<TableFacts> tables;
    for (const SystemKind& kind : built_in_kinds()) {
        const auto own = tables.insert(tables.end(), kind.tables.begin(), kind.tables.end());
        own->keys.push_back(settings_key());
    }
    return tables;
}

std::vector<TableFacts> make_tables() {
    std::vector<TableFacts> tables{scene_table()};
    for (const auto& more : {clock_tables(), move_tables(), wave_tables(), sample_tables(),
                             driven_tables(), kind_tables(), picture_tables(), other_tables()})
        std::copy(more.begin(), more.end(), std::back_inserter(tables));
    return tables;
}

std::vector<std::string> with_units(std::string_view key, std::string_view suffix) {
    std::vector<std::string> spellings;
    for (const char* unit : {"", "_m", "_rad", "_deg"})
        spellings.push_back(std::string{key} + unit + std::string{suffix});
    return spellings;
}

}  // namespace

const KeyFacts& settings_key() {
    static const KeyFacts key{
        "settings", text, "named settings, or a named tuning; numbers in this table override them",
        "none"};
    return key;
}

const std::vector<TableFacts>& all_tables() {
    static const std::vector<TableFacts> tables = make_tables();
    return tables;
}

const TableFacts& table_facts(std::string_view name) {
    const auto& tables = all_tables();
    const auto found = std::find_if(tables.begin(), tables.end(),
                                    [&](const TableFacts& each) { return each.name == name; });
    if (found == tables.end()) throw std::out_of_range{"no table is named " + std::string{name}};
    return *found;
}

namespace {

/// With one unit in place of another, at its end or before "_per_s".
std::string with_unit(std::string_view key, std::string_view from, std::string_view to) {
    for (const std::string_view rest : {"", "_per_s"}) {
        const std::string ending = std::string{from} + std::string{rest};
        if (!key.ends_with(ending)) continue;
        const std::string_view name = key.substr(0, key.size() - ending.size());
        if (name.ends_with("_per")) break;  // newton metres per radian
        return std::string{name} + std::string{to} + std::string{rest};
    }
    return {};
}

}  // namespace

std::string in_degrees(std::string_view key) {
    return with_unit(key, "_rad", "_deg");
}

std::string in_radians(std::string_view key) {
    const std::string changed = with_unit(key, "_deg", "_rad");
    return changed.empty() ? std::string{key} : changed;
}

std::vector<std::string> spellings_of(const KeyFacts& key) {
    switch (key.type) {
        case number: {
            const std::string degrees = in_degrees(key.name);
            if (degrees.empty()) return {std::string{key.name}};
            return {std::string{key.name}, degrees};
        }
        case place:
        case places:
        case trajectory:
            return with_units(key.name, "");
        case speed:
        case top_speed:
            return with_units(key.name, "_per_s");
        case acceleration:
            return with_units(key.name, "_per_s2");
        default:
            return {std::string{key.name}};
    }
}

}  // namespace hopcoil::scene
