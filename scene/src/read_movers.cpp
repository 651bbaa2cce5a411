#include "read_movers.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/quaternion.hpp>

#include "read_moves.hpp"
#include "read_pictures.hpp"

namespace hopcoil::scene {
namespace {

bool contains(const std::vector<std::string>& names, const std::string& name) {
    return std::find(names.begin(), names.end(), name) != names.end();
}

ValueArray quaternion_place(const ValueArray& turns) {
    const Quaternion q = turned_in_order({turns[0], turns[1], turns[2]});
    return ValueArray{{q.w, q.x, q.y, q.z}};
}

/// "x" is 0, "w" is 3; as columns are named.
std::optional<std::size_t> component_named(const std::string& name) {
    static const std::string axes = "xyzw";
    if (name.size() != 1 || axes.find(name) == std::string::npos) return std::nullopt;
    return axes.find(name);
}

bool can_turn(const MoverParameters& numbers) {
    return std::holds_alternative<Tuning>(numbers) ||
           std::holds_alternative<GlideTuning>(numbers) ||
           std::holds_alternative<PursuitTuning>(numbers) ||
           std::holds_alternative<CurveMoveTuning>(numbers);
}

/// Some numbers make no sense for some kinds of values.
void check_kind(TableReader& reader, const SceneMover& mover, const Shape& shape) {
    const ValueKind kind = kind_of(shape);
    const bool is_size = std::holds_alternative<SizeParameters>(mover.numbers);
    if (kind == ValueKind::rotation && !can_turn(mover.numbers)) {
        reader.problem("",
                       "it cannot turn: a rotation takes a follower (exact and without a range), "
                       "a glide, a pursuit or a curve");
    }
    if (kind == ValueKind::angle &&
        (is_size || std::holds_alternative<BoundedParameters>(mover.numbers))) {
        reader.problem("", "an angle goes round: it has no range and no size");
    }
    for (std::size_t i = 0; is_size && i < shape.count.value_or(1); ++i) {
        if (mover.start[i] > 0) continue;
        reader.problem("size", fmt::format("a size starts above 0, found {}", mover.start[i]));
    }
}

}  // namespace

void MoverReader::read(const std::string& kind, TableReader& reader, const std::string& name,
                       std::size_t place_in_files) {
    refuse_taken(reader, name);
    if (kind == "coast") return read_coast(reader, name, place_in_files);
    if (kind == "pose") return read_pose(reader, name, place_in_files);
    SceneMover mover{.name = name};
    Shape shape;
    const auto target = find_target(reader, "target", name);
    if (target) take_up_target(mover, shape, *target);
    if (!reader.has("target")) {
        reader.problem("", fmt::format("expected a key 'target': {}", any_of(declared_.targets)));
    }
    read_start(reader, mover, shape, kind != "glide" && kind != "curve");
    read_watch(reader, mover, shape);
    mover.numbers = read_numbers(kind, reader, shape);
    if (!target) return;  // nothing can go after it
    check_kind(reader, mover, shape);
    add(std::move(mover), place_in_files);
}

void MoverReader::add(SceneMover mover, std::size_t place_in_files) {
    places_.push_back(place_in_files);
    scene_.movers.push_back(std::move(mover));
}

void MoverReader::read_start(TableReader& reader, SceneMover& mover, Shape& shape,
                             bool has_velocity) const {
    if (const auto start = in_shape(reader, "start", shape)) {
        mover.start = shape.kind == ValueKind::rotation ? quaternion_place(*start) : *start;
    }
    if (!has_velocity) return;
    mover.initial_velocity = in_shape(reader, "initial_velocity", shape).value_or(ValueArray{});
    reader.each_table(
        "kicks", [](TableReader&) { return &table_facts("kick"); },
        [&](TableReader& kick) {
            if (!kick.has_any("velocity")) {
                kick.problem("", "expected a key 'velocity_per_s' (velocity_m_per_s, ...)");
            }
            const double at_s = required(kick, "at_s");
            if (at_s < 0) kick.problem("at_s", fmt::format("expected 0 or more, found {}", at_s));
            mover.kicks.push_back({at_s, in_shape(kick, "velocity", shape).value_or(ValueArray{})});
        });
    std::stable_sort(mover.kicks.begin(), mover.kicks.end(),
                     [](const Kick& a, const Kick& b) { return a.at_s < b.at_s; });
}

void MoverReader::read_watch(TableReader& reader, SceneMover& mover, const Shape& shape) {
    mover.watch = reader.flag("watch").value_or(false);
    const ValueKind kind = kind_of(shape);
    if (mover.watch && kind != ValueKind::number && kind != ValueKind::angle) {
        reader.problem("watch", "expected a number or an angle to watch");
    }
}

void MoverReader::put_in_order() {
    std::vector<std::size_t> order(places_.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return places_[a] < places_[b]; });
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
        for (Layer& layer : target.layers)
            layer.leader.mover = new_place[layer.leader.mover];
    }
    for (Body& body : scene_.bodies) {
        for (auto* part : {&body.position, &body.rotation, &body.scale}) {
            if (*part) (*part)->mover = new_place[(*part)->mover];
        }
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
    const std::size_t dot = name.rfind('.');
    if (dot == std::string::npos) return std::nullopt;
    const auto component = component_named(name.substr(dot + 1));
    auto whole = component ? find_leader(name.substr(0, dot)) : std::nullopt;
    if (!whole || whole->component) return std::nullopt;
    const Trajectory& path = scene_.targets[scene_.movers[whole->mover].target].path;
    if (path.kind() != ValueKind::vector || *component >= path.size()) return std::nullopt;
    whole->component = component;
    return whole;
}

SceneTarget MoverReader::led_target(const std::string& name, const Leader& leader) const {
    const SceneMover& ahead = scene_.movers[leader.mover];
    const SceneTarget& its_target = scene_.targets[ahead.target];
    const std::size_t count = leader.component ? 1 : its_target.path.size();
    const ValueArray start = leader.seen({ahead.start, {}}, count).value;
    std::vector<Target> lanes;
    for (std::size_t i = 0; i < count; ++i)
        lanes.emplace_back(MovesTarget{start[i], {}, {}});
    return {.name = name,
            .unit = its_target.unit,
            .path = Trajectory{leader.component ? ValueKind::number : its_target.kind(), lanes},
            .is_made_of_moves = its_target.is_made_of_moves,
            .leader = leader};
}

/// Whether a name is that of a mover, or of a part of one, that was found wrong itself.
bool MoverReader::is_unread(const std::string& name) const {
    for (const std::string& declared : declared_.movers) {
        if (name != declared && !name.starts_with(declared + ".")) continue;
        const bool is_read =
            std::any_of(scene_.movers.begin(), scene_.movers.end(),
                        [&](const SceneMover& mover) { return mover.name == declared; });
        if (!is_read) return true;
    }
    return false;
}

void MoverReader::complain_of_leader(TableReader& reader, const std::string& name) const {
    if (is_unread(name)) return;
    reader.problem("follows",
                   fmt::format("nothing that moves is named '{}'; there is {}{}", name,
                               any_of(declared_.movers), did_you_mean(name, declared_.movers)));
}

void MoverReader::refuse_taken(TableReader& reader, const std::string& name) {
    if (contains(declared_.targets, name)) {
        reader.problem("", fmt::format("a target has the name '{}' already", name));
    }
    if (contains(names_, name)) {
        reader.problem("", fmt::format("another mover has the name '{}' already", name));
    }
    names_.push_back(name);
}

/// The target that a key names, made from what another mover does where that is named; nothing, and
/// noted, when there is none.
std::optional<std::size_t> MoverReader::find_target(TableReader& reader, const std::string& key,
                                                    const std::string& mover) {
    const auto name = reader.text(key);
    if (!name) return std::nullopt;
    const auto found = std::find_if(scene_.targets.begin(), scene_.targets.end(),
                                    [&](const SceneTarget& each) { return each.name == *name; });
    if (found != scene_.targets.end()) {
        return static_cast<std::size_t>(found - scene_.targets.begin());
    }
    if (contains(declared_.targets, *name)) return std::nullopt;  // it could not be read
    if (const auto leader = find_leader(*name)) {
        // What another mover does is a target too; the take shows it beside this one.
        scene_.targets.push_back(led_target(mover + ".target", *leader));
        return scene_.targets.size() - 1;
    }
    if (is_unread(*name)) return std::nullopt;
    std::vector<std::string> known = declared_.targets;
    known.insert(known.end(), declared_.movers.begin(), declared_.movers.end());
    std::erase(known, mover);
    reader.problem(key, fmt::format("there is no target '{}'; there is {}{}", *name, any_of(known),
                                    did_you_mean(*name, known)));
    return std::nullopt;
}

void MoverReader::take_up_target(SceneMover& mover, Shape& shape, std::size_t target) const {
    const SceneTarget& goes_after = scene_.targets[target];
    const bool turns = goes_after.kind() == ValueKind::rotation;
    mover.target = target;
    mover.start = goes_after.path.before(0).value;
    shape = {.unit = turns ? "rad" : goes_after.unit,
             .count = turns ? 3 : goes_after.path.size(),
             .kind = goes_after.kind()};
}

MoverParameters MoverReader::read_numbers(const std::string& kind, TableReader& reader,
                                          Shape& shape) const {
    if (kind == "follower") return read_follower(reader, shape);
    if (kind == "glide") return read_glide(reader);
    if (kind == "pursuit") return read_pursuit(reader, shape);
    if (kind == "settle") return read_settle(reader, shape);
    if (kind == "curve") return read_curve(reader);
    return read_cascade(reader);
}

MoverParameters MoverReader::read_glide(TableReader& reader) const {
    GlideTuning glide;
    if (reader.has("fraction") || reader.has("at_rate_hz")) {
        if (reader.has("half_life_s")) {
            reader.problem("half_life_s", "expected a half-life or a fraction, found both");
        }
        try_to(reader, [&] {
            glide = tuning_from(FractionPerFrame{.fraction = required(reader, "fraction"),
                                                 .rate_hz = required(reader, "at_rate_hz")});
        });
    } else {
        glide.half_life_s = reader.number("half_life_s").value_or(glide.half_life_s);
    }
    try_to(reader, [&] { require_valid(glide); });
    return glide;
}

/// A follower is exact, unless it names a scheme; free, unless it has a range or is a size.
MoverParameters MoverReader::read_follower(TableReader& reader, Shape& shape) const {
    const bool is_size = reader.flag("size").value_or(false);
    const Tuning tuning =
        tunings_.read(reader, "tuning", is_size ? SizeParameters{}.tuning : Tuning{});
    const bool is_bounded = reader.has_any("low") || reader.has_any("high") || reader.has("margin");
    const bool is_stepped =
        reader.has("scheme") || reader.has("guard") || reader.has("most_substeps");
    if (is_size + is_bounded + is_stepped > 1) {
        reader.problem("", "expected one of size, low and high, or scheme");
    }
    if (is_size) return SizeParameters{tuning};
    if (is_bounded) return read_bounded(reader, tuning, shape);
    if (!is_stepped) return tuning;
    if (!reader.has("scheme")) {
        std::vector<std::string> schemes;
        for (const SchemeFacts& each : all_schemes())
            schemes.emplace_back(each.name);
        reader.problem(
            "", fmt::format("expected a key 'scheme' beside its guard: {}", any_of(schemes)));
    }
    SteppedParameters stepped{.tuning = tuning};
    if (const auto name = reader.choice("scheme")) {
        stepped.stepping.scheme = find_scheme(*name).value_or(stepped.stepping.scheme);
    }
    if (const auto name = reader.choice("guard")) {
        stepped.stepping.guard.guard = find_guard(*name).value_or(Guard::substep);
    }
    if (const auto most = whole_number(reader, "most_substeps", 1, 1'000'000)) {
        stepped.stepping.guard.most_substeps = static_cast<int>(*most);
    }
    return stepped;
}

MoverParameters MoverReader::read_bounded(TableReader& reader, const Tuning& tuning,
                                          Shape& shape) const {
    BoundedParameters bounded{.tuning = tuning};
    const auto low = in_shape(reader, "low", shape, OneForAll::yes);
    const auto high = in_shape(reader, "high", shape, OneForAll::yes);
    bounded.margin = reader.number("margin").value_or(bounded.margin);
    if (!low || !high) {
        if (!reader.has_any("low") || !reader.has_any("high")) {
            reader.problem("", "expected both ends of its range, low and high");
        }
        return bounded;
    }
    bounded.low = *low;
    bounded.high = *high;
    try_to(reader, [&] {
        for (std::size_t i = 0; i < shape.count.value_or(1); ++i) {
            const double width = bounded.high[i] - bounded.low[i];
            if (!(width > 0)) {
                throw InvalidValue{"high", bounded.high[i], "a number above low"};
            }
            if (!(bounded.margin > 0 && bounded.margin <= 0.5)) {
                throw InvalidValue{"margin", bounded.margin, "a number above 0, at most 0.5"};
            }
        }
    });
    return bounded;
}

CascadeParameters MoverReader::read_cascade(TableReader& reader) const {
    CascadeParameters cascade;
    reader.each_table(
        "links", [](TableReader&) { return &table_facts("link"); },
        [&](TableReader& link) {
            const auto name = link.text("name");
            if (!link.has("name")) link.problem("", "expected a key 'name'");
            if (name && contains(cascade.names, *name)) {
                link.problem("name", fmt::format("another link has the name '{}' already", *name));
            }
            cascade.names.push_back(name.value_or(fmt::format("link{}", cascade.names.size())));
            cascade.tunings.push_back(tunings_.read(link, "tuning"));
        });
    if (cascade.names.empty()) {
        reader.problem(reader.has("links") ? "links" : "",
                       "expected a list 'links' of tables such as { name = \"lamp\", tuning = { "
                       "frequency_hz = 2 } }");
        cascade.names.emplace_back("link");
        cascade.tunings.emplace_back();
    }
    return cascade;
}

void MoverReader::read_coast(TableReader& reader, const std::string& name,
                             std::size_t place_in_files) {
    SceneMover mover{.name = name};
    Shape shape;
    read_start(reader, mover, shape, true);
    read_watch(reader, mover, shape);
    CoastParameters coast;
    CoastTuning& tuning = coast.tuning;
    tuning.slowing_half_life_s =
        reader.number("slowing_half_life_s").value_or(tuning.slowing_half_life_s);
    tuning.resting_speed = in_unit(reader, "resting_speed", shape).value_or(tuning.resting_speed);
    tuning.restitution = reader.number("restitution").value_or(tuning.restitution);
    const std::string at_bound = reader.choice("at_bound").value_or("stop");
    tuning.at_bound = at_bound == "bounce"   ? AtBound::bounce
                      : at_bound == "spring" ? AtBound::spring
                                             : AtBound::stop;
    tuning.spring = tunings_.read(reader, "spring", tuning.spring);
    coast.low = in_shape(reader, "low", shape, OneForAll::yes).value_or(coast.low);
    coast.high = in_shape(reader, "high", shape, OneForAll::yes).value_or(coast.high);
    for (const Quantity& point : reader.quantities("snap_points")) {
        if (const auto place = in_shape(reader, point, shape)) coast.snap_points.push_back(*place);
    }
    const std::size_t count = shape.count.value_or(1);
    try_to(reader, [&] {
        require_valid(tuning);
        for (std::size_t i = 0; i < count; ++i)
            require_bounds(coast.low[i], coast.high[i]);
    });
    mover.numbers = coast;
    // It has no target: the take shows where it will come to rest.
    std::vector<Target> lanes;
    const double last_throw_s = mover.kicks.empty() ? 0 : std::max(0.0, mover.kicks.back().at_s);
    for (std::size_t i = 0; i < count; ++i) {
        lanes.emplace_back(MovesTarget{mover.start[i], {Jump{last_throw_s, mover.start[i]}}, {}});
    }
    mover.target = scene_.targets.size();
    scene_.targets.push_back({.name = name + ".target",
                              .unit = shape.unit.value_or(""),
                              .path = Trajectory{kind_of(shape), std::move(lanes)},
                              .is_made_of_moves = true,
                              .is_where_it_ends = true});
    add(std::move(mover), place_in_files);
}

/// A follower for each part that has a target, and a body of them.
void MoverReader::read_pose(TableReader& reader, const std::string& name,
                            std::size_t place_in_files) {
    const PoseTuning tuning = tunings_.read_pose(reader, "tuning");
    Body body{.name = name};
    const auto read_part = [&](const std::string& part, MoverParameters numbers,
                               std::optional<MoverPart>& place) {
        const std::string full = name + '.' + part;
        const auto target = find_target(reader, part, full);
        if (!target) return;
        SceneMover mover{.name = full, .numbers = std::move(numbers)};
        Shape shape;
        take_up_target(mover, shape, *target);
        const bool turns = kind_of(shape) == ValueKind::rotation;
        if (turns != (part == "rotation")) {
            reader.problem(part, turns ? "expected a number or a vector, found a rotation"
                                       : "expected a rotation");
        }
        check_kind(reader, mover, shape);
        place = MoverPart{scene_.movers.size(), 0};
        add(std::move(mover), place_in_files);
    };
    read_part("position", tuning.position, body.position);
    read_part("rotation", tuning.rotation, body.rotation);
    read_part("scale", SizeParameters{tuning.scale}, body.scale);
    if (!reader.has("position") && !reader.has("rotation") && !reader.has("scale")) {
        reader.problem("", "expected a target for one of position, rotation and scale");
    }
    read_look(reader, body, declared_);
    scene_.bodies.push_back(std::move(body));
}

}  // namespace hopcoil::scene
