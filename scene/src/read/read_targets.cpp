#include "read_targets.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/gltf.hpp>

#include "read_moves.hpp"

namespace hopcoil::scene {
namespace {

AfterEnd after_end_from(const std::string& text) {
    if (text == "loop") return AfterEnd::loop;
    if (text == "mirror") return AfterEnd::mirror;
    return text == "continue" ? AfterEnd::carry_on : AfterEnd::hold;
}

std::string unit_of_column(const std::string& column) {
    if (column.ends_with("_deg") || column.ends_with("_rad")) return "rad";
    return column.ends_with("_m") ? "m" : "";
}

void require_times_in_order(const io::CsvTable& table, const std::vector<double>& times_s,
                            const std::string& time_column) {
    const auto column = static_cast<std::size_t>(
        std::find(table.header.begin(), table.header.end(), time_column) - table.header.begin());
    for (std::size_t i = 1; i < times_s.size(); ++i) {
        if (times_s[i] >= times_s[i - 1]) continue;
        throw io::InputProblems{
            {{table.positions[i + 1][column], time_column,
              fmt::format("expected a time no earlier than the row before, {}, found {}",
                          times_s[i - 1], times_s[i])}}};
    }
}

/// The parts w, x, y, z of a rotation, in columns, as samples that may be joined straight.
void make_evenly_turning(std::vector<double>& times_s,
                         std::vector<std::vector<double>>& components) {
    std::vector<std::array<double, 4>> turns;
    for (std::size_t i = 0; i < times_s.size(); ++i)
        turns.push_back({components[0][i], components[1][i], components[2][i], components[3][i]});
    TurnSamples samples = evenly_turning(times_s, turns);
    times_s = std::move(samples.times_s);
    for (std::size_t k = 0; k < samples.parts.size(); ++k)
        components[k] = std::move(samples.parts[k]);
}

const io::NodeTrack* find_track(const io::ModelAnimation& animation, const std::string& node,
                                const std::string& kind) {
    for (const io::NodeTrack& track : animation.tracks) {
        if (track.node == node && name_of(track.kind) == kind) return &track;
    }
    return nullptr;
}

}  // namespace

const TableFacts& TargetReader::facts_of(const toml::table& table) {
    if (table.contains("layers")) return table_facts("target of layers");
    if (table.contains("previous_step")) return table_facts("target a step behind");
    if (table.contains("follows")) return table_facts("target that is driven");
    if (table.contains("csv")) return table_facts("target from a table");
    if (table.contains("gltf")) return table_facts("target from a model");
    return table_facts("target of moves");
}

void TargetReader::read(TableReader& reader, const std::string& name) {
    const std::string_view made_of = reader.facts().name;
    if (made_of == "target of layers") return read_layers(reader, name);
    if (made_of == "target a step behind") return read_previous_step(reader, name);
    if (made_of == "target that is driven") return read_driven(reader, name);
    if (made_of == "target from a table") return read_record(reader, name);
    if (made_of == "target from a model") return read_model(reader, name);
    read_moves(reader, name);
}

void TargetReader::read_moves(TableReader& reader, const std::string& name) {
    Shape shape;
    read_kind(reader, shape);
    MovesReader moves{scene_.seed};
    std::optional<Trajectory> path = moves.read(reader, shape, true);
    check_kind(reader, shape);
    scene_.is_random = scene_.is_random || moves.is_random();
    if (!path) return;
    const bool turns = path->kind() == ValueKind::rotation;
    scene_.targets.push_back({.name = name,
                              .unit = turns ? "" : shape.unit.value_or(""),
                              .path = *std::move(path),
                              .is_made_of_moves = true});
}

/// How an output is scaled, offset and bounded.
void TargetReader::read_bends(TableReader& reader, Source& source, Shape& shape) const {
    source.scale = factors(reader, "scale", shape);
    source.offset = in_shape(reader, "offset", shape).value_or(source.offset);
    source.low = in_shape(reader, "low", shape, OneForAll::yes).value_or(source.low);
    source.high = in_shape(reader, "high", shape, OneForAll::yes).value_or(source.high);
    for (std::size_t i = 0; i < shape.count.value_or(1); ++i) {
        if (source.low[i] <= source.high[i]) continue;
        reader.problem("", "expected low no higher than high");
        break;
    }
    const bool bent = reader.has("scale") || reader.has_any("low") || reader.has_any("high");
    if (shape.kind == ValueKind::angle && bent) {
        reader.problem("", "an angle goes round: it may be offset, but not scaled or bounded");
    }
    if (shape.kind == ValueKind::rotation && (bent || reader.has_any("offset"))) {
        reader.problem("", "a rotation is followed as it is: not scaled, offset or bounded");
    }
}

/// What drives a target or a layer, if there is such a thing.
std::optional<Source> TargetReader::read_source(TableReader& reader, Shape& shape) {
    const auto follows = reader.text("follows");
    const auto found = follows ? builder_.find_output(*follows) : std::nullopt;
    if (follows && !found) builder_.complain_of_output(reader, "follows", *follows);
    if (!reader.has("follows")) reader.problem("", "expected a key 'follows'");
    Shape own;
    if (found) {
        const SceneTarget seen = builder_.driven_target("", *found);
        own = {.unit = seen.unit, .count = seen.path.size(), .kind = seen.kind()};
    }
    Source source = found.value_or(Source{});
    read_bends(reader, source, own);
    if (!found) return std::nullopt;
    shape = own;
    return source;
}

/// Whatever it follows may itself go after this target: so its start has to be given.
void TargetReader::read_previous_step(TableReader& reader, const std::string& name) {
    Shape shape;
    read_kind(reader, shape);
    const auto start = in_shape(reader, "start", shape);
    check_kind(reader, shape);
    Source source{.previous_step = true};
    read_bends(reader, source, shape);
    const auto follows = reader.text("follows");
    const auto looks_back = reader.flag("previous_step");
    if (looks_back && !*looks_back)
        reader.problem("previous_step", "expected true, or no such key");
    if (!reader.has("follows")) reader.problem("", "expected a key 'follows'");
    if (!reader.has_any("start"))
        reader.problem("previous_step", "expected a key 'start' beside it: where it begins");
    if (!start) return;
    std::vector<Target> components;
    for (std::size_t i = 0; i < shape.count.value_or(1); ++i)
        components.emplace_back(MovesTarget{(*start)[i], {}, {}});
    const bool turns = shape.kind == ValueKind::rotation;
    scene_.targets.push_back({.name = name,
                              .unit = turns ? "" : shape.unit.value_or(""),
                              .path = Trajectory{kind_of(shape), std::move(components)},
                              .is_made_of_moves = true});
    if (follows)
        builder_.drive_by_previous_step(scene_.targets.size() - 1, reader, *follows, source);
}

void TargetReader::read_driven(TableReader& reader, const std::string& name) {
    Shape shape;
    if (const auto source = read_source(reader, shape))
        scene_.targets.push_back(builder_.driven_target(name, *source));
}

void TargetReader::read_layers(TableReader& reader, const std::string& name) {
    Shape shape;
    MovesReader moves{scene_.seed};
    std::vector<Layer> layers;
    reader.each_table(
        "layers", [](TableReader&) { return &table_facts("layer"); },
        [&](TableReader& one) {
            Shape own;
            const auto source = read_source(one, own);
            Layer layer{.name = one.text("name").value_or(one.text("follows").value_or(""))};
            std::vector<Move> fades;
            const double first = one.number("weight").value_or(one.has("fades") ? 0 : 1);
            one.each_table(
                "fades", [](TableReader&) { return &table_facts("fade"); },
                [&](TableReader& fade) {
                    const double at_s = required(fade, "at_s");
                    const double to = required(fade, "to");
                    const double over_s = required(fade, "over_s");
                    fades.emplace_back(Path{at_s, {at_s + over_s}, {to}});
                });
            if (!try_to(one, [&] { layer.weight = Target{MovesTarget{first, fades, {}}}; })) return;
            if (!source) return;
            layer.source = *source;
            if (!shape.count) shape = own;
            if (own.count != shape.count || own.unit != shape.unit) {
                one.problem("follows",
                            "it has another unit, or as many numbers, than the layer "
                            "before it");
            }
            if (own.kind == ValueKind::rotation || own.kind == ValueKind::angle) {
                one.problem("follows", "layers add up: expected numbers or vectors, not turns");
            }
            layers.push_back(std::move(layer));
        });
    if (layers.empty() && reader.array("layers") != nullptr && reader.array("layers")->empty()) {
        reader.problem("layers", "expected at least one layer, such as { follows = \"breath\" }");
    }
    std::optional<Trajectory> path = moves.read(reader, shape, false);
    scene_.is_random = scene_.is_random || moves.is_random();
    if (!path || layers.empty()) return;
    scene_.targets.push_back({.name = name,
                              .unit = shape.unit.value_or(""),
                              .path = *std::move(path),
                              .is_made_of_moves = true,
                              .layers = std::move(layers)});
}

namespace {

/// The columns of a record in SI units, without leaps where angles are to be unwrapped. Turns
/// (`in_turns`) have to be angles.
std::vector<std::vector<double>> read_lanes(TableReader& reader, const io::CsvTable& table,
                                            const std::vector<std::string>& columns, bool unwrap,
                                            bool in_turns, Shape& shape) {
    const bool turns =
        shape.kind == ValueKind::angle || (shape.kind == ValueKind::rotation && in_turns);
    std::vector<std::vector<double>> components;
    components.reserve(columns.size());
    for (const std::string& column : columns) {
        std::vector<double> values = io::number_column(table, column);
        const std::string unit = unit_of_column(column);
        const bool degrees = column.ends_with("_deg");
        if (turns && unit != "rad") {
            reader.problem(shape.kind == ValueKind::angle ? "angle" : "rotation",
                           "expected a column in _deg or _rad beside it");
        }
        if (shape.unit && *shape.unit != unit) {
            reader.problem("columns", "expected columns of one unit");
        }
        shape.unit = unit;
        if (unwrap) values = unwrapped(std::move(values), degrees ? 360 : 2 * math::pi);
        if (degrees) {
            for (double& value : values)
                value *= math::pi / 180;
        }
        components.push_back(std::move(values));
    }
    return components;
}

}  // namespace

void TargetReader::read_record(TableReader& reader, const std::string& name) {
    const auto csv = reader.text("csv");
    std::vector<std::string> columns = reader.texts("columns");
    if (const auto column = reader.text("column")) columns.push_back(*column);
    const std::string time_column = reader.text("time_column").value_or("time_s");
    const auto after_end = reader.choice("after_end");
    Shape shape;
    read_kind(reader, shape);
    const bool angle = shape.kind == ValueKind::angle;
    const bool rotation = shape.kind == ValueKind::rotation;
    const bool unwrap = reader.flag("unwrap").value_or(false) || angle;
    if (reader.has("column") == reader.has("columns")) {
        reader.problem("csv",
                       "expected a key 'column' beside it, naming a column of the file (or "
                       "'columns', for those of a vector)");
        return;
    }
    const std::size_t most = angle ? 1 : most_numbers;
    const std::size_t least = rotation ? 3 : 1;
    if (columns.size() < least || columns.size() > most) {
        reader.problem(reader.has("columns") ? "columns" : "column",
                       fmt::format("expected {} to {} columns", least, most));
        return;
    }
    if (!csv) return;
    read_beside(reader, "csv", [&] {
        const std::filesystem::path record = reader.folder() / *csv;
        scene_.files.push_back(record.string());
        const io::CsvTable table = io::read_csv(record);
        if (table.rows.empty()) {
            reader.problem("csv", fmt::format("{} has no samples", record.string()));
            return;
        }
        std::vector<double> times_s = io::number_column(table, time_column);
        const bool has_parts = rotation && columns.size() == most_numbers;
        std::vector<std::vector<double>> components =
            read_lanes(reader, table, columns, unwrap, !has_parts, shape);
        require_times_in_order(table, times_s, time_column);
        if (has_parts) make_evenly_turning(times_s, components);
        std::vector<Target> targets;
        targets.reserve(components.size());
        for (auto& component : components) {
            targets.emplace_back(RecordTarget{times_s, std::move(component),
                                              after_end_from(after_end.value_or("hold"))});
        }
        const ValueKind kind = angle || rotation       ? shape.kind
                               : components.size() > 1 ? ValueKind::vector
                                                       : ValueKind::number;
        scene_.targets.push_back({.name = name,
                                  .unit = rotation ? "" : shape.unit.value_or(""),
                                  .path = Trajectory{kind, std::move(targets)}});
    });
}

void TargetReader::read_model(TableReader& reader, const std::string& name) {
    const auto gltf = reader.text("gltf");
    const auto node = reader.text("node");
    const std::string kind = reader.choice("track").value_or("translation");
    const auto animation = reader.text("animation");
    const AfterEnd after_end = after_end_from(reader.choice("after_end").value_or("hold"));
    if (!reader.has("node")) reader.problem("gltf", "expected a key 'node' beside it");
    if (!gltf || !node) return;
    read_beside(reader, "gltf", [&] {
        const std::filesystem::path model = reader.folder() / *gltf;
        scene_.files.push_back(model.string());
        const std::vector<io::ModelAnimation> all = io::read_animations(model);
        std::vector<std::string> animations;
        std::vector<std::string> tracks;
        for (const io::ModelAnimation& each : all) {
            animations.push_back(each.name);
            if (animation && each.name != *animation) continue;
            if (const io::NodeTrack* track = find_track(each, *node, kind)) {
                try_to(reader, [&] {
                    scene_.targets.push_back(
                        {.name = name,
                         .unit = track->kind == io::TrackKind::translation ? "m" : "",
                         .path = trajectory_from(*track, after_end)});
                });
                return;
            }
            for (const io::NodeTrack& other : each.tracks)
                tracks.push_back(fmt::format("{} of {}", name_of(other.kind), other.node));
            if (!animation) break;
        }
        const bool unknown = animation && tracks.empty();
        reader.problem(
            unknown ? "animation" : "node",
            unknown ? fmt::format("there is no animation '{}'; there is {}", *animation,
                                  io::any_of(animations))
                    : fmt::format("there is no {} of '{}'; there is {}", kind, *node,
                                  tracks.empty() ? "no animation at all" : io::any_of(tracks)));
    });
}

}  // namespace hopcoil::scene
