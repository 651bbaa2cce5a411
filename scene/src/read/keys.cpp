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
         {{"step_hz", number, "steps a second", "everything goes from frame to frame"},
          {"most_steps", whole_number, "in a frame; time beyond that is dropped, and said", "8"},
          {"long_frames", tables, "lag spikes", "none", {}, {"long frame"}}}},
        {"long frame",
         "A long frame",
         "",
         {{"at_s", number, "when it begins", "required"},
          {"lasts_s", number, "how long it takes", "required"}}}};
}

TableFacts scene_table() {
    Keys keys{
        {"title", text, "stands above the figure and the summary", "the file's name"},
        {"duration_s", number, "how long it runs",
         "until the last thing has happened, 3 s more if there are moves"},
        {"rate_hz", number, "frames per second of the take; the motion does not depend on it",
         "60"},
        {"seed", whole_number,
         "of everything random in it; `--seed` on the command line stands in for it", "0"},
        {"record", texts,
         "which channels the take keeps: patterns in which `*` stands for any letters, as in "
         "`lamp.*`",
         "all"},
        {"include", texts,
         "other scene files, relative to this one: their targets, systems, bodies and tunings are "
         "taken in; their title, clock and seed are not",
         "none"},
        {"tunings", texts, "tuning files, relative to this one, whose names may be used here",
         "none"},
        {"clock", table, "how frames become steps", "from frame to frame", {}, {"clock"}},
        {"target",
         named_tables,
         "what is followed",
         "only throws, which need none",
         {},
         {"target of moves", "target from a table", "target from a model", "target that is driven",
          "target a step behind", "target of layers"}}};
    for (const SystemKind& kind : built_in_kinds()) {
        const std::string_view name = kind.tables.front().name;
        keys.push_back(
            {name, named_tables, "what moves", "at least one of these is there", {}, {name}});
    }
    keys.push_back({"body", named_tables, "parts that belong together", "none", {}, {"body"}});
    keys.push_back(
        {"picture", named_tables, "a picture that `run` makes", "none", {}, {"picture"}});
    keys.push_back({"tuning",
                    named_tables,
                    "numbers with a name, for this file",
                    "none",
                    {},
                    {"named tuning"}});
    keys.push_back({"settings",
                    named_tables,
                    "numbers of a whole system with a name, for this file",
                    "none",
                    {},
                    {"named settings"}});
    return {"scene", "The scene", "", std::move(keys)};
}

const KeyFacts angle_key{"angle", flag,
                         "`true`: a direction, shown in (-180, 180] degrees, as is what follows it",
                         "`false`"};
const KeyFacts rotation_key{"rotation", flag,
                            "`true`: a turn in space, given as turns about x, y and z (pitch, "
                            "heading, roll: first it rolls, "
                            "then it pitches, then it heads elsewhere)",
                            "`false`"};

/// Targets made of moves, and the moves that take over from one another.
std::vector<TableFacts> move_tables() {
    return {
        {"target of moves",
         "`[target.NAME]`, made of moves",
         "Jumps, ramps and paths stand in order of time; each takes over from the one before. "
         "Waves "
         "are added to them. Each random thing has numbers of its own, drawn from the seed and its "
         "place in the file, so that a change elsewhere changes nothing here.",
         {{"start", place, "where it is before the first move", "0"},
          angle_key,
          rotation_key,
          {"moves",
           tables,
           "what it does",
           "required",
           {},
           {"jump", "ramp", "path", "sine", "pulses", "noise", "random steps"}}}},
        {"jump",
         "A jump",
         "",
         {{"at_s", number, "when", "required"},
          {"jump_to", place, "where it is from then on", "required"}}},
        {"ramp",
         "A ramp",
         "Straight from wherever it is.",
         {{"at_s", number, "when it begins", "required"},
          {"ramp_to", place, "where it ends", "required"},
          {"over_s", number, "how long it takes", "required"}}},
        {"path",
         "A path",
         "Smoothly from wherever it is, at the speed it has, to a rest at the last point.",
         {{"at_s", number, "when it begins", "required"},
          {"through", trajectory, "`[time, place]` or `[time, x, y, z]`, times rising",
           "required"}}},
    };
}

/// What is added to moves.
std::vector<TableFacts> wave_tables() {
    return {
        {"sine",
         "A sine",
         "Added to the moves.",
         {{"sine_amplitude", place, "how far it goes either way", "required"},
          {"frequency_hz", number, "how often", "required"},
          {"from_s", number, "when it begins", "0"},
          {"until_s", number, "when it ends", "never"}}},
        {"pulses",
         "Pulses",
         "Added to the moves: up at once, down at once, again and again.",
         {{"pulse", place, "how high", "required"},
          {"over_s", number, "how long each lasts", "required"},
          {"every_s", number, "from one to the next", "once"},
          {"from_s", number, "the first", "0"},
          {"until_s", number, "when they end", "never"}}},
        {"noise",
         "Noise",
         "Added to the moves: wanders without leaps, almost always within the amplitude.",
         {{"noise_amplitude", place, "how far it goes", "required"},
          {"frequency_hz", number, "how often the slowest part turns", "0.5"},
          {"octaves", whole_number, "how many parts, each twice as quick as the one before", "3"},
          {"roughness", number, "each part's size, of the one before", "0.5"},
          {"from_s", number, "when it begins", "0"},
          {"until_s", number, "when it ends", "never"}}},
        {"random steps",
         "Random steps",
         "Added to the moves: elsewhere between the two each time.",
         {{"random_from", place, "the one end", "required"},
          {"random_to", place, "the other", "required"},
          {"every_s", number, "from one step to the next", "required"},
          {"from_s", number, "the first", "0"},
          {"until_s", number, "when they end", "never"}}},
    };
}

std::vector<TableFacts> sample_tables() {
    return {
        {"target from a table",
         "`[target.NAME]`, from a table of samples",
         "",
         {{"csv", text, "a file, relative to the scene; two rows at one time are a jump",
           "required"},
          {"column", text, "its column; `_deg` is converted, `_m` and `_rad` are understood",
           "required, unless `columns` is there"},
          {"columns", texts,
           "the columns of a vector, x first; of a rotation the parts w, x, y, z, or three turns",
           "one `column`"},
          {"time_column", text, "the column of times, in seconds, never going back", "`time_s`"},
          {"angle", flag,
           "`true`: a direction: taken the shorter way from sample to sample, shown in (-180, 180] "
           "degrees",
           "`false`"},
          rotation_key,
          {"unwrap", flag,
           "`true`: an angle that leaps by more than half a turn has crossed the seam", "`false`"},
          {"after_end",
           choice,
           "past the last sample: stay, begin again, go back and forth, or go on at its last "
           "velocity",
           "`hold`",
           {"hold", "loop", "mirror", "continue"}}}},
        {"target from a model",
         "`[target.NAME]`, from the animation of a model",
         "A node's track in a glTF 2.0 file: a place (metres), a turn, or sizes along its axes.",
         {{"gltf", text, "a `.gltf` or `.glb` file, relative to the scene", "required"},
          {"node", text, "the name of its node", "required"},
          {"track",
           choice,
           "what of the node",
           "`translation`",
           {"translation", "rotation", "scale"}},
          {"animation", text, "the name of its animation", "the first"},
          {"after_end",
           choice,
           "past the last key, as above",
           "`hold`",
           {"hold", "loop", "mirror", "continue"}}}},
    };
}

std::vector<TableFacts> driven_tables() {
    return {
        {"target that is driven",
         "`[target.NAME]`, driven by what moves",
         "",
         {{"follows", source,
           "what moves: the name of a system; `string.tassel` for one of its outputs (its main "
           "one, "
           "without); `line.4` for one of several values (the last, without); `skiff.x` for one "
           "number of a vector",
           "required"},
          {"scale", numbers, "of what it does: a number, or one for each axis", "1"},
          {"offset", place, "added then", "0"},
          {"low", place, "the least it may be", "none"},
          {"high", place, "the most it may be", "none"}}},
        {"target a step behind",
         "`[target.NAME]`, driven by the previous step",
         "What follows one another in a loop needs one that uses the previous step.",
         {{"previous_step", flag,
           "`true`: what it follows, as it was one step ago (1/480 s, or less where something is "
           "quick)",
           "required"},
          {"follows", source, "as above, read or not", "required"},
          {"start", place, "where it begins: its unit and how many numbers it has", "required"},
          {"angle", flag, "`true`: it is a direction", "`false`"},
          {"rotation", flag, "`true`: it is a turn in space", "`false`"},
          {"scale", numbers, "as above", "1"},
          {"offset", place, "as above", "0"},
          {"low", place, "as above", "none"},
          {"high", place, "as above", "none"}}},
        {"target of layers",
         "`[target.NAME]`, made of layers",
         "Several motions on one property at once: the target's own moves, and what its layers do, "
         "each as much as its weight says.",
         {{"start", place, "where it is before the first move", "0"},
          {"moves",
           tables,
           "what it does by itself",
           "nothing",
           {},
           {"jump", "ramp", "path", "sine", "pulses", "noise", "random steps"}},
          {"layers", tables, "what is added", "required", {}, {"layer"}}}},
        {"layer",
         "A layer",
         "",
         {{"name", text, "its own", "that of what it follows"},
          {"follows", source, "as above", "required"},
          {"scale", numbers, "as above", "1"},
          {"offset", place, "as above", "0"},
          {"low", place, "as above", "none"},
          {"high", place, "as above", "none"},
          {"weight", number, "how much of it counts at first", "1, or 0 when there are fades"},
          {"fades",
           tables,
           "to other weights, without a leap in their rate",
           "none",
           {},
           {"fade"}}}},
        {"fade",
         "A fade",
         "",
         {{"at_s", number, "when it begins", "required"},
          {"to", number, "the weight then", "required"},
          {"over_s", number, "how long it takes", "required"}}},
    };
}

std::vector<TableFacts> other_tables() {
    const KeyFacts lead{"lead", number, "what the damper holds on to: 0 the world, 1 the target",
                        "0"};
    const KeyFacts mass{"mass_kg", number, "what hangs on the spring", "1"};
    const KeyFacts stiffness{"stiffness_n_per_m", number, "of the spring", "required"};
    return {
        {"tuning by feel",
         "By feel",
         "",
         {{"frequency_hz", number, "how quick", "2"},
          {"damping_ratio", number, "how calm: 1 does not swing", "0.5"},
          lead}},
        {"tuning by wish",
         "By wish",
         "",
         {{"overshoot_percent", number, "how far past a jump goes", "required"},
          {"settling_time_s", number, "until it stays within 2 %", "required"},
          lead,
          {"most_anticipation_percent", number, "how far the other way it may go first",
           "no cap"}}},
        {"tuning as a spring",
         "As a spring",
         "",
         {stiffness, mass, {"damping_n_s_per_m", number, "of the damper", "0"}, lead}},
        {"tuning as a damped spring",
         "As a spring with a damping ratio",
         "",
         {stiffness, mass, {"damping_ratio", number, "how calm", "required"}, lead}},
        {"tuning by half-life",
         "By half-life",
         "",
         {{"half_life_s", number, "until half of a gap is gone for good", "required"},
          {"damping_ratio", number, "how calm", "1"},
          lead}},
        {"tuning by coefficients",
         "By coefficients, y + a y' + b y'' = x + c x'",
         "",
         {{"y_rate_s", number, "a", "required"},
          {"y_acceleration_s2", number, "b", "required"},
          {"x_rate_s", number, "c", "0"}}},
        {"named tuning",
         "`[tuning.NAME]`, in a tuning file or a scene",
         "Beside its numbers in one of the forms below, or a tuning for each part of a pose, a "
         "line "
         "about it.",
         {{"about", text, "what it feels like", "nothing"},
          {"position", tuning, "of a pose", "not covered"},
          {"rotation", tuning, "of a pose", "not covered"},
          {"scale", tuning, "of a pose", "not covered"}}},
        {"named settings",
         "`[settings.NAME]`, in a tuning file or a scene",
         "Numbers and choices of a system of any kind, by the paths of its dials (`hopcoil check "
         "--dials` lists them): `numbers = { nodes = 24, tip.frequency_hz = 3 }`.",
         {{"about", text, "what it is like", "nothing"},
          {"kind", text, "of the systems that it is for", "any that have these dials"},
          {"numbers", dials, "its numbers, and the names of what is chosen", "required"}}},
        {"pose tuning",
         "A tuning for each part of a pose",
         "",
         {{"position", tuning, "of its place", "2 Hz, damping ratio 0.5, lead 0"},
          {"rotation", tuning, "of its turn", "2 Hz, damping ratio 1, lead 0"},
          {"scale", tuning, "of its size", "2 Hz, damping ratio 1, lead 0"}}},
        {"tuning file",
         "A tuning file",
         "",
         {{"tuning", named_tables, "numbers with a name", "none", {}, {"named tuning"}},
          {"settings",
           named_tables,
           "numbers of a whole system with a name",
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
        "settings", text,
        "the name of settings, or of a tuning; numbers in this table win over them", "none"};
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
