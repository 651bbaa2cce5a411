#include "read_moves.hpp"

#include <algorithm>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>

#include "reading.hpp"

namespace hopcoil::scene {
namespace {

/// What tells a move by its key.
const std::vector<std::string>& move_kinds() {
    static const std::vector<std::string> kinds{"jump_to", "ramp_to", "through"};
    return kinds;
}
const std::vector<std::string>& wave_kinds() {
    static const std::vector<std::string> kinds{"sine_amplitude", "pulse", "noise_amplitude",
                                                "random_from"};
    return kinds;
}

constexpr const char* endings[]{"", "_m", "_rad", "_deg"};

std::string given_key(const TableReader& move, const std::string& kind) {
    for (const char* ending : endings) {
        if (move.has(kind + ending)) return kind + ending;
    }
    return {};
}

/// The one kind that a table's keys name; nothing, and noted, when it is none or several.
std::optional<std::string> kind_of_move(TableReader& move) {
    std::vector<std::string> all = move_kinds();
    all.insert(all.end(), wave_kinds().begin(), wave_kinds().end());
    std::vector<std::string> given;
    std::copy_if(all.begin(), all.end(), std::back_inserter(given),
                 [&](const std::string& kind) { return !given_key(move, kind).empty(); });
    if (given.size() == 1) return given.front();
    move.problem("", fmt::format("expected one of {}", any_of(all)));
    return std::nullopt;
}

}  // namespace

std::optional<MovesTarget> MovesReader::read(TableReader& reader, std::optional<std::string>& unit,
                                             bool& angle) {
    const double start = in_unit(reader, "start", unit).value_or(0);
    angle = reader.flag("angle").value_or(false);
    read_list(reader, start, unit);
    if (angle && unit.value_or("") != "rad") {
        reader.problem("angle", "expected its places in _deg or _rad");
    }
    std::optional<MovesTarget> made;
    try_to(reader, [&] { made = MovesTarget{start, moves_, waves_}; });
    return made;
}

void MovesReader::read_list(TableReader& reader, double start, std::optional<std::string>& unit) {
    const toml::array* list = reader.array("moves");
    if (list == nullptr && !reader.has("moves")) {
        reader.problem(
            "",
            "expected a key 'moves' (a list of jumps, ramps and sines), 'csv' (a file of "
            "samples) or 'follows' (what moves)");
    }
    for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
        const toml::node& node = *list->get(i);
        const std::string path = fmt::format("{}.moves[{}]", reader.path(), i);
        if (!node.is_table()) {
            problems_.push_back({position_of(node, file_), path,
                                 fmt::format("expected a table such as {{ at_s = 1, jump_to = "
                                             "2 }}, found {}",
                                             kind_of(node))});
            continue;
        }
        TableReader move{*node.as_table(), path, file_, problems_};
        auto moves_before = moves_;
        auto waves_before = waves_;
        read_one(move, unit);
        move.finish();
        if (!try_to(move, [&] { MovesTarget{start, moves_, waves_}; })) {
            moves_ = std::move(moves_before);  // so that the next ones are judged by themselves
            waves_ = std::move(waves_before);
        }
    }
}

void MovesReader::read_one(TableReader& move, std::optional<std::string>& unit) {
    const std::optional<std::string> kind = kind_of_move(move);
    if (!kind) {
        for (const std::string& each : move_kinds())
            static_cast<void>(move.quantity(each));
        for (const std::string& each : wave_kinds())
            static_cast<void>(move.quantity(each));
        return;
    }
    const bool is_move =
        std::find(move_kinds().begin(), move_kinds().end(), *kind) != move_kinds().end();
    is_move ? read_move(*kind, move, unit) : read_wave(*kind, move, unit);
}

void MovesReader::read_move(const std::string& kind, TableReader& move,
                            std::optional<std::string>& unit) {
    if (kind == "through") {
        moves_.emplace_back(read_path(move, unit));
        return;
    }
    const double to = in_unit(move, kind, unit).value_or(0);
    const double at_s = required(move, "at_s");
    if (kind == "jump_to") {
        moves_.emplace_back(Jump{at_s, to});
    } else {
        moves_.emplace_back(Ramp{at_s, to, required(move, "over_s")});
    }
}

Path MovesReader::read_path(TableReader& move, std::optional<std::string>& unit) {
    const std::string key = given_key(move, "through");
    const std::string own_unit = key.ends_with("_deg") || key.ends_with("_rad") ? "rad"
                                 : key.ends_with("_m")                          ? "m"
                                                                                : "";
    const double factor = key.ends_with("_deg") ? math::pi / 180 : 1;
    if (unit && *unit != own_unit) {
        move.problem(key, "its unit is another than that of what it goes with");
    }
    if (!unit) unit = own_unit;
    Path path{.at_s = required(move, "at_s")};
    const toml::array* points = move.array(key);
    for (std::size_t i = 0; points != nullptr && i < points->size(); ++i) {
        const toml::array* point = points->get_as<toml::array>(i);
        const bool is_pair = point != nullptr && point->size() == 2 && point->get(0)->is_number() &&
                             point->get(1)->is_number();
        const std::optional<double> time_s =
            is_pair ? point->get(0)->value<double>() : std::nullopt;
        const std::optional<double> place = is_pair ? point->get(1)->value<double>() : std::nullopt;
        if (!time_s || !place) {
            move.problem(key, "expected a list of [time, place], such as [[1, 0.5], [1.8, 2.0]]");
            break;
        }
        path.times_s.push_back(*time_s);
        path.values.push_back(*place * factor);
    }
    return path;
}

void MovesReader::read_wave(const std::string& kind, TableReader& move,
                            std::optional<std::string>& unit) {
    const double size = in_unit(move, kind, unit).value_or(1);
    const double from_s = move.number("from_s").value_or(0);
    const double until_s = move.number("until_s").value_or(std::numeric_limits<double>::infinity());
    if (kind == "sine_amplitude") {
        waves_.emplace_back(Sine{from_s, until_s, size, required(move, "frequency_hz")});
    } else if (kind == "pulse") {
        waves_.emplace_back(Pulses{from_s, until_s, size, required(move, "over_s"),
                                   move.number("every_s").value_or(0)});
    } else if (kind == "noise_amplitude") {
        NoiseSettings settings;
        settings.frequency_hz = move.number("frequency_hz").value_or(settings.frequency_hz);
        settings.octaves =
            static_cast<int>(whole_number(move, "octaves", 1, 12).value_or(settings.octaves));
        settings.roughness = move.number("roughness").value_or(settings.roughness);
        waves_.emplace_back(NoiseWave{from_s, until_s, size, settings, stream(move)});
    } else {
        const std::optional<double> to = in_unit(move, "random_to", unit);
        if (!to) move.problem("", "expected a key 'random_to' beside random_from");
        waves_.emplace_back(RandomSteps{from_s, until_s, size, to.value_or(size),
                                        required(move, "every_s"), stream(move)});
    }
}

std::uint64_t MovesReader::stream(const TableReader& move) {
    is_random_ = true;
    return stream_of(seed_, move.path());
}

}  // namespace hopcoil::scene
