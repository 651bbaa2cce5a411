#include "read_moves.hpp"

#include <algorithm>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>

namespace hopcoil::scene {
namespace {

/// The key that tells what a move is, and whose facts are its own.
struct MoveKind {
    const char* key;
    const char* table;
};
constexpr MoveKind move_kinds[]{{"jump_to", "jump"},
                                {"ramp_to", "ramp"},
                                {"through", "path"},
                                {"sine_amplitude", "sine"},
                                {"pulse", "pulses"},
                                {"noise_amplitude", "noise"},
                                {"random_from", "random steps"}};

bool is_given(const TableReader& move, const MoveKind& kind) {
    for (const char* ending : {"", "_m", "_rad", "_deg"}) {
        if (move.has(std::string{kind.key} + ending)) return true;
    }
    return false;
}

/// The one kind that a table's keys name; nothing, and noted, when it is none or several.
const TableFacts* facts_of_move(TableReader& move) {
    const MoveKind* found = nullptr;
    std::size_t count = 0;
    std::vector<std::string> keys;
    for (const MoveKind& kind : move_kinds) {
        keys.emplace_back(kind.key);
        if (!is_given(move, kind)) continue;
        found = &kind;
        ++count;
    }
    if (count == 1) return &table_facts(found->table);
    std::string mistyped;
    for (const auto& [key, node] : move.raw()) {
        if (mistyped.empty()) mistyped = io::did_you_mean(key.str(), keys);
    }
    move.problem("", fmt::format("expected one of {}{}", io::any_of(keys), mistyped));
    return nullptr;
}

struct Span {
    double from_s = 0;
    double until_s = std::numeric_limits<double>::infinity();
};

Span read_span(TableReader& move) {
    Span span;
    span.from_s = move.number("from_s").value_or(span.from_s);
    span.until_s = move.number("until_s").value_or(span.until_s);
    return span;
}

NoiseSettings read_noise(TableReader& move) {
    NoiseSettings settings;
    settings.frequency_hz = move.number("frequency_hz").value_or(settings.frequency_hz);
    settings.octaves =
        static_cast<int>(whole_number(move, "octaves", 1, 12).value_or(settings.octaves));
    settings.roughness = move.number("roughness").value_or(settings.roughness);
    return settings;
}

}  // namespace

ValueKind kind_of(const Shape& shape) {
    if (shape.kind != ValueKind::number) return shape.kind;
    return shape.count.value_or(1) > 1 ? ValueKind::vector : ValueKind::number;
}

void read_kind(TableReader& reader, Shape& shape) {
    const bool angle = reader.flag("angle").value_or(false);
    const bool rotation = reader.flag("rotation").value_or(false);
    if (angle && rotation) {
        reader.problem("rotation", "expected an angle or a rotation, found both");
    }
    if (angle) shape = {.unit = {}, .count = 1, .kind = ValueKind::angle};
    if (rotation) shape = {.unit = {}, .count = 3, .kind = ValueKind::rotation};
}

void check_kind(TableReader& reader, const Shape& shape) {
    if (shape.unit.value_or("") == "rad") return;
    if (shape.kind == ValueKind::angle) {
        reader.problem("angle", "expected its places in _deg or _rad");
    } else if (shape.kind == ValueKind::rotation && shape.unit) {
        reader.problem("rotation", "expected its turns in _deg or _rad");
    }
}

std::optional<Trajectory> MovesReader::read(TableReader& reader, Shape& shape, bool required) {
    const ValueArray start = in_shape(reader, "start", shape).value_or(ValueArray{});
    if (required && !reader.has("moves")) {
        reader.problem("",
                       "expected a key 'moves' (a list of jumps, ramps and sines), 'csv' or 'gltf' "
                       "(files), 'follows' (what moves) or 'layers'");
    }
    read_list(reader, start, shape);
    std::optional<Trajectory> made;
    try_to(reader, [&] {
        made = Trajectory{kind_of(shape), targets(start, shape.count.value_or(1))};
    });
    return made;
}

std::vector<Target> MovesReader::targets(const ValueArray& start, std::size_t count) const {
    std::vector<Target> made;
    for (std::size_t i = 0; i < count; ++i)
        made.emplace_back(MovesTarget{start[i], components_[i].moves, components_[i].waves});
    return made;
}

void MovesReader::read_list(TableReader& reader, const ValueArray& start, Shape& shape) {
    reader.each_table("moves", facts_of_move, [&](TableReader& move) {
        const Lanes before = components_;
        read_one(move, shape);
        const bool right =
            try_to(move, [&] { static_cast<void>(targets(start, shape.count.value_or(1))); });
        if (!right) components_ = before;  // so that the next ones are judged by themselves
    });
}

void MovesReader::read_one(TableReader& move, Shape& shape) {
    const std::string_view kind = move.facts().name;
    if (kind == "jump" || kind == "ramp") read_straight(move, shape);
    if (kind == "path") read_path(move, shape);
    if (kind == "sine" || kind == "pulses" || kind == "noise") read_wave(move, shape);
    if (kind == "random steps") read_random_steps(move, shape);
}

void MovesReader::read_straight(TableReader& move, Shape& shape) {
    const bool is_jump = move.facts().name == "jump";
    const auto to = in_shape(move, is_jump ? "jump_to" : "ramp_to", shape);
    const double at_s = required(move, "at_s");
    const double over_s = is_jump ? 0 : required(move, "over_s");
    for (std::size_t i = 0; to && i < *shape.count; ++i) {
        if (is_jump) {
            components_[i].moves.emplace_back(Jump{at_s, (*to)[i]});
        } else {
            components_[i].moves.emplace_back(Ramp{at_s, (*to)[i], over_s});
        }
    }
}

void MovesReader::read_path(TableReader& move, Shape& shape) {
    const double at_s = required(move, "at_s");
    std::array<Path, most_numbers> paths;
    paths.fill(Path{.at_s = at_s});
    for (const TimedQuantity& point : move.points("through")) {
        const auto to = in_shape(move, point.place, shape);
        for (std::size_t i = 0; to && i < *shape.count; ++i) {
            paths[i].times_s.push_back(point.time_s);
            paths[i].values.push_back((*to)[i]);
        }
    }
    for (std::size_t i = 0; i < shape.count.value_or(1); ++i)
        components_[i].moves.emplace_back(paths[i]);
}

/// Of a size on each axis, all at once.
void MovesReader::read_wave(TableReader& move, Shape& shape) {
    const std::string_view kind = move.facts().name;
    const bool is_sine = kind == "sine";
    const bool is_noise = kind == "noise";
    const auto size = in_shape(move,
                               is_sine    ? "sine_amplitude"
                               : is_noise ? "noise_amplitude"
                                          : "pulse",
                               shape);
    const Span span = read_span(move);
    const double frequency_hz = is_sine ? required(move, "frequency_hz") : 0;
    const double over_s = is_sine || is_noise ? 0 : required(move, "over_s");
    const double every_s = is_sine || is_noise ? 0 : move.number("every_s").value_or(0);
    const NoiseSettings noise = is_noise ? read_noise(move) : NoiseSettings{};
    for (std::size_t i = 0; size && i < *shape.count; ++i) {
        std::vector<Wave>& waves = components_[i].waves;
        if (is_sine) {
            waves.emplace_back(Sine{span.from_s, span.until_s, (*size)[i], frequency_hz});
        } else if (is_noise) {
            waves.emplace_back(
                NoiseWave{span.from_s, span.until_s, (*size)[i], noise, stream(move, i)});
        } else {
            waves.emplace_back(Pulses{span.from_s, span.until_s, (*size)[i], over_s, every_s});
        }
    }
}

void MovesReader::read_random_steps(TableReader& move, Shape& shape) {
    const auto from = in_shape(move, "random_from", shape);
    const auto to = in_shape(move, "random_to", shape);
    if (!move.has_any("random_to")) {
        move.problem("", "expected a key 'random_to' beside random_from");
    }
    const double every_s = required(move, "every_s");
    const Span span = read_span(move);
    for (std::size_t i = 0; from && to && i < *shape.count; ++i) {
        components_[i].waves.emplace_back(
            RandomSteps{span.from_s, span.until_s, (*from)[i], (*to)[i], every_s, stream(move, i)});
    }
}

/// Random numbers of its own for every component.
std::uint64_t MovesReader::stream(const TableReader& move, std::size_t component) {
    is_random_ = true;
    constexpr const char* axes[]{"", ".y", ".z", ".w"};
    return stream_of(seed_, move.path() + axes[component]);
}

}  // namespace hopcoil::scene
