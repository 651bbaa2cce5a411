#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <optional>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/tune/reference.hpp>

namespace hopcoil::tune {
namespace {

/// Columns over time, whatever file they come from.
struct Columns {
    std::vector<double> times_s{};
    std::vector<std::string> names{};
    std::vector<std::vector<double>> values{};
    io::CsvTable table{};  ///< in place of values: a column that is not asked for may be text
};

Columns of_table(const std::filesystem::path& file) {
    io::CsvTable table = io::read_csv(file);
    Columns columns{.times_s = io::number_column(table, "time_s")};
    for (const std::string& name : table.header) {
        if (name != "time_s") columns.names.push_back(name);
    }
    columns.table = std::move(table);
    return columns;
}

Columns of_take(const std::filesystem::path& file) {
    const Take take = io::read_take(file.string());
    Columns columns{.times_s = take.times_s(), .names = take.column_names()};
    for (std::size_t k = 0; k < columns.names.size(); ++k)
        columns.values.push_back(take.column(k));
    return columns;
}

/// Turns as vectors from the first one, going on past half a turn.
std::array<double, 3> turn_from(const std::array<double, 4>& first,
                                const std::array<double, 4>& turn) {
    const Quaternion from{first[0], first[1], first[2], first[3]};
    const Quaternion to{turn[0], turn[1], turn[2], turn[3]};
    const Vector3 vector = rotation_vector(normalized(to) * conjugate(normalized(from)));
    return {vector.x, vector.y, vector.z};
}

/// Every node's tracks at the times of all keys of all of them.
Columns of_model(const std::filesystem::path& file) {
    const std::vector<io::ModelAnimation> animations = io::read_animations(file.string());
    Columns columns;
    for (const io::ModelAnimation& animation : animations) {
        for (const io::NodeTrack& track : animation.tracks) {
            columns.times_s.insert(columns.times_s.end(), track.times_s.begin(),
                                   track.times_s.end());
        }
    }
    if (columns.times_s.empty())
        throw std::invalid_argument{fmt::format("{}: nothing in it moves", file.string())};
    std::sort(columns.times_s.begin(), columns.times_s.end());
    columns.times_s.erase(std::unique(columns.times_s.begin(), columns.times_s.end()),
                          columns.times_s.end());
    for (const io::ModelAnimation& animation : animations) {
        for (const io::NodeTrack& track : animation.tracks) {
            const bool is_turn = track.kind == io::TrackKind::rotation;
            const std::size_t first = columns.values.size();
            for (const char* axis : {"x", "y", "z"}) {
                columns.names.push_back(
                    fmt::format("{}.{}.{}", track.node, io::name_of(track.kind), axis));
                columns.values.emplace_back();
            }
            for (const double time_s : columns.times_s) {
                const std::array<double, 4> at = track.at(time_s);
                const std::array<double, 3> numbers =
                    is_turn ? turn_from(track.values.front(), at) : std::array{at[0], at[1], at[2]};
                for (std::size_t k = 0; k < numbers.size(); ++k)
                    columns.values[first + k].push_back(numbers[k]);
            }
        }
    }
    return columns;
}

/// Angles go on past their seam.
void unwrap(std::vector<double>& angles, double turn) {
    double whole = 0;
    for (std::size_t i = 1; i < angles.size(); ++i) {
        angles[i] += whole;
        const double way = angles[i] - angles[i - 1];
        const double turns = std::round(way / turn) * turn;
        angles[i] -= turns;
        whole -= turns;
    }
}

std::string unit_of(const std::string& name) {
    std::string whole = name;
    for (const char* axis : {".x", ".y", ".z", ".w"}) {
        if (whole.ends_with(axis)) whole.resize(whole.size() - 2);
    }
    for (const char* unit : {"rad", "deg", "m"}) {
        if (whole.ends_with(fmt::format("_{}", unit))) return unit;
    }
    return "";
}

bool is_part_of(const std::string& column, const std::string& name) {
    if (!column.starts_with(name)) return false;
    const std::string rest = column.substr(name.size());
    if (rest.empty() || rest == ".x" || rest == ".y" || rest == ".z") return true;
    // "lamp" for its value, "lamp.value_m.x"; a node for where it is.
    static const std::vector<std::string> values{".value", ".position", ".translation", "_"};
    return std::any_of(values.begin(), values.end(),
                       [&](const std::string& each) { return rest.starts_with(each); }) &&
           rest.find("per_s") == std::string::npos;
}

std::vector<std::size_t> find(const Columns& columns, const std::string& name,
                              const std::filesystem::path& file) {
    std::vector<std::size_t> found;
    for (std::size_t k = 0; k < columns.names.size(); ++k) {
        if (columns.names[k] == name) return {k};
        if (is_part_of(columns.names[k], name)) found.push_back(k);
    }
    if (found.empty()) {
        const std::string near = io::did_you_mean(name, columns.names);
        throw std::invalid_argument{
            fmt::format("{}: '{}': no column has this name{}", file.string(), name,
                        near.empty() ? "; there are " + io::any_of(columns.names) : near)};
    }
    return found;
}

std::vector<std::vector<double>> rows_of(const Columns& columns,
                                         const std::vector<std::size_t>& which) {
    std::vector<std::vector<double>> rows;
    for (const std::size_t k : which) {
        rows.push_back(columns.values.empty() ? io::number_column(columns.table, columns.names[k])
                                              : columns.values[k]);
        const std::string unit = unit_of(columns.names[k]);
        constexpr double degrees = 360;
        if (unit == "rad") unwrap(rows.back(), 2 * math::pi);
        if (unit == "deg") unwrap(rows.back(), degrees);
    }
    return rows;
}

Columns columns_of(const std::filesystem::path& file) {
    const std::string ending = file.extension().string();
    if (ending == ".gltf" || ending == ".glb") return of_model(file);
    if (ending == ".json") return of_take(file);
    if (ending == ".csv") return of_table(file);
    throw std::invalid_argument{fmt::format(
        "{}: expected a table or take (.csv, .json) or a model (.gltf, .glb)", file.string())};
}

}  // namespace

void require_valid(const Reference& reference) {
    const std::size_t count = reference.times_s.size();
    constexpr std::size_t least = 8;
    if (count < least) {
        throw std::invalid_argument{
            fmt::format("a record of {} samples: at least {} are needed", count, least)};
    }
    const auto are_finite = [](const std::vector<double>& row) {
        return std::all_of(row.begin(), row.end(), [](double x) { return std::isfinite(x); });
    };
    const bool has_shape =
        !reference.motion.empty() &&
        (reference.target.empty() || reference.target.size() == reference.motion.size());
    bool is_whole = has_shape && are_finite(reference.times_s);
    for (const auto* rows : {&reference.motion, &reference.target}) {
        for (const std::vector<double>& row : *rows)
            is_whole = is_whole && row.size() == count && are_finite(row);
    }
    if (!is_whole) {
        throw std::invalid_argument{fmt::format(
            "the motion has {} components and the target {}: expected as many of each, a finite "
            "number for each time",
            reference.motion.size(), reference.target.size())};
    }
    if (!std::is_sorted(reference.times_s.begin(), reference.times_s.end()) ||
        !(reference.times_s.back() > reference.times_s.front()))
        throw std::invalid_argument{"the record's times go back, or stand still"};
    const bool moves =
        std::any_of(reference.motion.begin(), reference.motion.end(), [](const auto& row) {
            return std::any_of(row.begin(), row.end(), [&](double x) { return x != row.front(); });
        });
    if (!moves) throw std::invalid_argument{"the motion stands still: nothing can be read off it"};
}

Reference read_reference(const std::string& file_name, const std::string& motion,
                         const std::string& target) {
    const std::filesystem::path file{file_name};
    const Columns columns = columns_of(file);
    std::vector<std::size_t> of_motion;
    std::vector<std::size_t> of_target;
    if (motion.empty() && target.empty() && columns.names.size() == 2) {
        of_target = {0};
        of_motion = {1};
    } else {
        if (motion.empty()) {
            throw std::invalid_argument{
                fmt::format("{}: say which column is the motion; there are {}", file.string(),
                            io::any_of(columns.names))};
        }
        of_motion = find(columns, motion, file);
        if (!target.empty()) of_target = find(columns, target, file);
    }
    Reference reference{.times_s = columns.times_s,
                        .motion = rows_of(columns, of_motion),
                        .target = rows_of(columns, of_target),
                        .unit = unit_of(columns.names[of_motion.front()]),
                        .motion_name = motion.empty() ? columns.names[of_motion.front()] : motion,
                        .target_name = target};
    if (target.empty() && !of_target.empty())
        reference.target_name = columns.names[of_target.front()];
    return reference;
}

}  // namespace hopcoil::tune
