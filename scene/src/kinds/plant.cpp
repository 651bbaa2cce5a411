// [plant.NAME]: branches that sway in a wind or current.

#include "plant.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/wind.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_pictures.hpp"
#include "plant_parts.hpp"
#include "read_mover.hpp"
#include "signal_columns.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::size_t most_plants = 1000;

std::size_t shape_dials(const PlantParts& parts) {
    return parts.shape ? PlantShape::dial_count : 0;
}

}  // namespace

std::string PlantSpec::in_words(std::size_t port) const {
    if (port > 0) return "";
    const std::string many = parts_.places.size() > 1
                                 ? fmt::format("{} plants of ", parts_.places.size())
                                 : std::string{};
    return fmt::format("{}{} branches, {:.3g} m, slowest sway {:.3g} Hz", many,
                       parts_.structure->size(), parts_.structure->reach_m(),
                       parts_.settings.frequency_hz);
}

std::vector<Port> PlantSpec::outputs() const {
    std::vector<Port> ports{{.quantity = "position",
                             .unit = "m",
                             .kind = ValueKind::vector,
                             .components = 3,
                             .count = parts_.point_count()}};
    for (const PlantSpot& spot : parts_.spots) {
        ports.push_back({.name = spot.name,
                         .quantity = "position",
                         .unit = "m",
                         .kind = ValueKind::vector,
                         .components = 3});
        ports.push_back(
            {.name = spot.name + ".facing", .kind = ValueKind::rotation, .components = 4});
    }
    return ports;
}

std::vector<RecordedChannel> PlantSpec::signals() const {
    return {{.name = "energy_j", .unit = "J"},
            {.name = "largest_lean_m", .unit = "m"},
            {.name = "mean_lean_m", .unit = "m"},
            {.name = "tip_speed_m_per_s", .unit = "m/s"}};
}

bool PlantSpec::is_measured(const std::string& channel) const {
    return has_signal(*this, channel);
}

std::vector<View> PlantSpec::views() const {
    View view{.type = View::Type::branches, .position = 0, .colours = parts_.colours};
    const std::vector<std::size_t> parents = parts_.structure->parents();
    for (std::size_t plant = 0; plant < parts_.places.size(); ++plant) {
        const std::size_t first = plant * parents.size();
        for (const std::size_t parent : parents)
            view.parents.push_back(first + parent);
        view.radius_m.push_back(parts_.structure->branches().front().radius_m);
        for (const PlantBranch& branch : parts_.structure->branches())
            view.radius_m.push_back(branch.radius_m);
    }
    view.look.order = parts_.order;
    return {std::move(view)};
}

std::vector<SpecDial> PlantSpec::dials() const {
    std::vector<SpecDial> all;
    append_dials<PlantSettings>(all, "", "");
    if (parts_.shape) append_dials<PlantShape>(all, "", "");
    return all;
}

double PlantSpec::dial(std::size_t index) const {
    if (index < PlantSettings::dial_count)
        return PlantSettings::dials()[index].get(parts_.settings);
    return PlantShape::dials()[index - PlantSettings::dial_count].get(parts_.shape.value());
}

DialStatus PlantSpec::set_dial(std::size_t index, double value) {
    if (index < PlantSettings::dial_count)
        return PlantSettings::dials()[index].set(parts_.settings, value);
    if (index >= PlantSettings::dial_count + shape_dials(parts_)) return DialStatus::refused;
    PlantShape shape = parts_.shape.value();
    const Dial<PlantShape>& dial = PlantShape::dials()[index - PlantSettings::dial_count];
    if (dial.set(shape, value) == DialStatus::refused) return DialStatus::refused;
    if (shape == *parts_.shape) return DialStatus::set;
    // With another shape there are as many branches as before, or none of this would fit.
    const std::size_t count = count_branches(shape, parts_.stream, parts_.structure->size());
    if (count != parts_.structure->size()) return DialStatus::refused;
    parts_.structure = std::make_shared<const PlantStructure>(shape, parts_.stream, parts_.modes);
    parts_.shape = shape;
    return DialStatus::set;
}

double PlantSpec::last_event_s() const {
    double last = 0;
    for (const PlantPush& push : parts_.pushes)
        last = std::max(last, push.at_s + push.for_s);
    return last;
}

double PlantSpec::highest_hz() const {
    const std::size_t some = std::min<std::size_t>(parts_.structure->mode_count(), 6) - 1;
    return parts_.settings.frequency_hz * parts_.structure->frequency_ratio(some);
}

std::vector<SystemReport> PlantSpec::report(const ReportInput& input) const {
    const Port own = outputs().front();
    const std::string channel = value_channel(input.system, own);
    SystemReport report{.name = input.system.name,
                        .kind = kind(),
                        .words = in_words(0),
                        .value_kind = ValueKind::vector,
                        .unit = "m"};
    // Not in a take for figures alone.
    if (const auto found = input.take.find_channel(channel)) {
        const Take::Columns columns = input.take.columns_of(*found);
        for (std::size_t k = 0; k < 3; ++k) {
            report.components.push_back(
                {.name = std::string(1, "xyz"[k]),
                 .values = input.take.column(columns.first + columns.count - 3 + k)});
        }
    }
    const std::string& name = input.system.name;
    const std::vector<double> leans = signal_in(input.fine, name + ".mean_lean_m");
    double mean_lean_m = 0;
    for (const double each : leans)
        mean_lean_m += each / static_cast<double>(leans.size());
    report.figures = {{"branches", "branches", "", static_cast<double>(parts_.structure->size())},
                      {"largest_lean_m", "largest tip displacement", "m",
                       largest_of(signal_in(input.fine, name + ".largest_lean_m"))},
                      {"mean_lean_m", "mean tip displacement", "m", mean_lean_m},
                      {"tip_peak_speed_m_per_s", "peak tip speed", "m/s",
                       largest_of(signal_in(input.fine, name + ".tip_speed_m_per_s"))}};
    report.charts.push_back({.title = "energy",
                             .unit = "J",
                             .curves = {{.values = signal_in(input.take, name + ".energy_j")}}});
    return {std::move(report)};
}

namespace {

void read_shape(KindReader& reader, PlantParts& parts) {
    PlantShape shape;
    shape.levels = reader.whole_number("levels", 1, 24).value_or(shape.levels);
    shape.children = reader.whole_number("children", 1, 64).value_or(shape.children);
    shape.pieces = reader.whole_number("pieces", 1, 8).value_or(shape.pieces);
    shape.is_fan = reader.flag("fan").value_or(shape.is_fan);
    reader.dials(shape);
    parts.stream = reader.random_stream("growth");
    if (!reader.has("branches")) parts.shape = shape;
}

/// The names that listed branches have.
using BranchNames = std::vector<std::string>;

std::optional<std::size_t> branch_named(KindReader& reader, const std::string& key,
                                        const BranchNames& names) {
    const std::optional<std::string> name = reader.text(key);
    if (!name) return std::nullopt;
    const auto found = std::find(names.begin(), names.end(), *name);
    if (found != names.end()) return static_cast<std::size_t>(found - names.begin());
    reader.problem(key, "expected the name of a branch before this one");
    return std::nullopt;
}

std::vector<PlantBranch> read_branches(KindReader& reader, BranchNames& names) {
    std::vector<PlantBranch> branches;
    reader.each_table("branches", "plant branch", [&](KindReader& one) {
        PlantBranch branch;
        branch.parent = branch_named(one, "from", names).value_or(plant_base);
        branch.end = three(one, "end_m").value_or(branch.end);
        branch.radius_m = one.number("radius_m").value_or(branch.radius_m);
        branch.continues = one.flag("continues").value_or(false);
        if (!one.has("end_m")) one.problem("", "expected a key 'end_m'");
        if (branch.continues && !one.has("from"))
            one.problem("continues", "expected a key 'from' beside it: what it continues");
        branch.continues = branch.continues && branch.parent != plant_base;
        names.push_back(one.has("name") ? one.own_name(names) : "");
        branches.push_back(branch);
    });
    return branches;
}

/// Which branch a push or something carried is at: a listed one by its name, any tip by its number.
std::size_t read_branch_at(KindReader& one, const PlantParts& parts, const BranchNames& names) {
    const std::vector<std::size_t> tips = parts.structure->tips();
    const auto tip = one.whole_number("tip", 0, tips.size() - 1);
    const auto named = branch_named(one, "branch", names);
    return named ? *named : tips[tip.value_or(0)];
}

void read_bed(KindReader& reader, PlantParts& parts, const Placement& own) {
    parts.places = {own};
    RandomNumbers numbers{reader.random_stream("bed")};
    reader.one_table("bed", "plant bed", [&](KindReader& bed) {
        const std::size_t count = bed.whole_number("count", 1, most_plants).value_or(10);
        const Vector3 half = three(bed, "half_size_m").value_or(Vector3{1, 0, 1});
        const double turn = bed.number("turn_rad").value_or(math::pi);
        parts.places.clear();
        for (std::size_t i = 0; i < count; ++i) {
            const Vector3 off{half.x * numbers.between(-1, 1), half.y * numbers.between(-1, 1),
                              half.z * numbers.between(-1, 1)};
            const Quaternion turned = turned_by({0, turn * numbers.between(-1, 1), 0});
            parts.places.push_back(own * Placement{off, turned});
        }
    });
}

void read_pushes(KindReader& reader, PlantParts& parts, const BranchNames& names) {
    reader.each_table("pushes", "plant push", [&](KindReader& one) {
        PlantPush push;
        push.at_s = one.number("at_s").value_or(0);
        push.for_s = one.number("for_s").value_or(push.for_s);
        push.branch = read_branch_at(one, parts, names);
        if (!one.has("newtons")) one.problem("", "expected a key 'newtons'");
        push.force_n = three(one, "newtons").value_or(Vector3{});
        if (!(push.at_s >= 0)) one.problem("at_s", "expected 0 or more");
        if (!(push.for_s > 0)) one.problem("for_s", "expected a number above 0");
        parts.pushes.push_back(push);
    });
}

void read_spots(KindReader& reader, PlantParts& parts, const BranchNames& names) {
    reader.each_table("carried", "plant spot", [&](KindReader& one) {
        PlantSpot spot{.name = one.own_name(KindReader::names_in(parts.spots)),
                       .branch = read_branch_at(one, parts, names)};
        parts.spots.push_back(std::move(spot));
    });
}

/// Whether there is a structure: what grows is counted first.
bool make_structure(KindReader& reader, PlantParts& parts, std::vector<PlantBranch> branches) {
    return reader.try_to([&] {
        if (parts.shape) {
            branches = grown_branches(*parts.shape, parts.stream, most_plant_points);
        }
        parts.structure = std::make_shared<const PlantStructure>(std::move(branches), parts.modes);
    });
}

void read_plant(KindReader& reader) {
    PlantParts parts;
    Mounts mounts;
    BranchNames names;
    read_shape(reader, parts);
    std::vector<PlantBranch> branches = read_branches(reader, names);
    parts.modes.count = reader.whole_number("modes", 1, 32).value_or(parts.modes.count);
    parts.modes.wind_points = reader.whole_number("wind_points", 1, 32).value_or(4);
    parts.modes.is_flat = reader.flag("flat").value_or(false);
    reader.dials(parts.settings);
    const Placement own{three(reader, "at_m").value_or(Vector3{}), turn_at(reader)};
    parts.mount = mounts.read(reader);
    parts.carrier = placement_at_start(reader, parts.mount, mounts.targets());
    read_bed(reader, parts, own);
    parts.colours = read_colours(reader.table(), "colours");
    parts.order = reader.number("order").value_or(0);
    const std::size_t wind = reader.field<Wind>("wind");
    if (!make_structure(reader, parts, std::move(branches))) return;
    read_pushes(reader, parts, names);
    read_spots(reader, parts, names);
    if (parts.point_count() > most_plant_points) {
        reader.problem("bed", fmt::format("expected at most {} branches in all, found {}",
                                          most_plant_points, parts.point_count()));
        return;
    }
    reader.try_to([&] {
        reader.add(std::make_unique<PlantSpec>(std::move(parts)), std::move(mounts.targets()),
                   {wind});
    });
}

std::vector<KeyFacts> plant_keys() {
    using enum KeyType;
    std::vector<KeyFacts> keys{
        {"at_m", vector, "place of its base, in the frame of what carries it", "[0, 0, 0]"},
        {"turned_deg", vector, "its rotation: an axis times degrees", "[0, 0, 0]"},
        {"levels", whole_number, "levels of branching; 1 is a trunk alone", "4"},
        {"children", whole_number, "number of branches that every branch splits into", "3"},
        {"pieces", whole_number, "straight pieces in a row that a branch is made of", "2"},
        dial_key({"trunk_length_m", number, "length of the trunk", "0.5"}),
        dial_key({"trunk_radius_m", number, "radius of the trunk", "0.012"}),
        dial_key({"length_ratio", number, "length of a branch over that of the one it grows from",
                  "0.75"}),
        dial_key({"radius_ratio", number, "radius of a branch over that of the one it grows from",
                  "0.6"}),
        dial_key({"angle_rad", number, "angle between a branch and what grows from it", "0.5"}),
        dial_key({"twist_rad", number, "turn about the branch from one level to the next", "2.4"}),
        dial_key({"variation", number, "random variation of lengths and angles, as a part of each",
                  "0.2"}),
        dial_key({"least_length_m", number, "length below which a branch does not grow", "0.01"}),
        {"fan", flag, "`true`: it grows in the XY plane", "`false`"},
        {"branches",
         tables,
         "list of branches, instead of growing them",
         "it grows",
         {},
         {"plant branch"}},
        {"modes", whole_number,
         "number of modes that are computed, 1 to 32; pushes on single tips need more of them",
         "20"},
        {"wind_points", whole_number, "number of places where the wind is sampled, 1 to 32", "4"},
        {"flat", flag, "`true`: it bends in the XY plane only", "`false`"},
        dial_key({"frequency_hz", number,
                  "frequency of its slowest mode; the others keep their ratio to it", "0.8"}),
        dial_key({"damping_ratio", number, "damping ratio of every mode, in addition to the drag",
                  "0.06"}),
        dial_key({"drag_coefficient", number,
                  "drag coefficient of a branch; higher for one with leaves", "1.1"}),
        dial_key({"density_kg_per_m3", number, "density of the branches", "700"}),
        dial_key({"fluid_density_kg_per_m3", number,
                  "density of what flows: air 1.225, sea water 1025", "1.225"}),
        dial_key({"wind_share", number, "part of the wind's or current's velocity that acts on it",
                  "1"}),
        {"wind", field, "wind or current that it stands in", "none"},
        {"bed", table, "many copies, at random places", "one", {}, {"plant bed"}},
        {"pushes", tables, "forces on ends of branches", "none", {}, {"plant push"}},
        {"carried",
         tables,
         "ends of branches at which other things are carried",
         "none",
         {},
         {"plant spot"}},
        {"colours", texts, "colours as in \"#c86432\", from thick to thin branches",
         "the next of the palette"},
        order_key()};
    for (const KeyFacts& each : mount_keys())
        keys.push_back(each);
    return keys;
}

}  // namespace

SystemKind plant_kind() {
    using enum KeyType;
    const KeyFacts tip{"tip", whole_number, "number of the tip, counted from 0", "0"};
    const KeyFacts branch{"branch", text, "name of a listed branch, instead of a tip", "none"};
    return {
        "plant",
        {{"plant", "`[plant.NAME]`",
          "Branches that sway in a wind or current, stiff trunk to soft tips. `NAME` is its last "
          "tip, `NAME.3` the end of its third branch, `NAME.0` its base; `NAME.SPOT` and "
          "`NAME.SPOT.facing` what it carries.",
          plant_keys()},
         {"plant branch",
          "A branch of a plant",
          "",
          {{"name", text, "its name, for branches that grow from it", "none"},
           {"from", text, "earlier branch that it grows from", "the base"},
           {"end_m", vector, "place of its end, from the base", "required"},
           {"radius_m", number, "its radius", "0.01"},
           {"continues", flag, "`true`: it continues the branch that it grows from, as one branch",
            "`false`"}}},
         {"plant bed",
          "A bed of plants",
          "",
          {{"count", whole_number, "number", "10"},
           {"half_size_m", vector, "half of the size of the box that they stand in", "[1, 0, 1]"},
           {"turn_rad", number, "largest angle that each is turned by at random, either way",
            "pi"}}},
         {"plant push",
          "A push on a branch",
          "",
          {{"at_s", number, "time at which it begins", "0"},
           {"for_s", number, "duration", "0.2"},
           {"newtons", vector, "force: x, y, z", "required"},
           tip,
           branch}},
         {"plant spot",
          "A branch end that carries something",
          "",
          {{"name", text, "its name", "required"}, tip, branch}}},
        {},
        read_plant};
}

}  // namespace hopcoil::scene
