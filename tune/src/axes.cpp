#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::tune {
namespace {

constexpr std::size_t most_values = 100'000;

[[noreturn]] void refuse(std::string_view text, const std::string& why) {
    throw std::invalid_argument{fmt::format(
        "{}: {}; expected PATH=LOW:HIGH:COUNT, PATH=LOW:HIGH:COUNT:log or PATH=A,B,C", text, why)};
}

std::vector<std::string_view> split(std::string_view text, char mark) {
    std::vector<std::string_view> parts;
    while (true) {
        const std::size_t at = text.find(mark);
        parts.push_back(text.substr(0, at));
        if (at == std::string_view::npos) return parts;
        text.remove_prefix(at + 1);
    }
}

double number_in(std::string_view whole, std::string_view text) {
    double value = 0;
    if (!io::parse_number(text, value)) refuse(whole, fmt::format("'{}' is not a number", text));
    return value;
}

std::vector<double> range(std::string_view whole, const std::vector<std::string_view>& parts) {
    const bool by_factors = parts.size() == 4;
    if (by_factors && parts[3] != "log") refuse(whole, fmt::format("'{}'", parts[3]));
    const double low = number_in(whole, parts[0]);
    const double high = number_in(whole, parts[1]);
    const double wanted = number_in(whole, parts[2]);
    if (!(wanted >= 1) || wanted != std::floor(wanted) ||
        wanted > static_cast<double>(most_values)) {
        refuse(whole, fmt::format("'{}' is no count from 1 to {}", parts[2], most_values));
    }
    if (by_factors && !(low > 0 && high > 0)) refuse(whole, "factors need numbers above 0");
    const auto count = static_cast<std::size_t>(wanted);
    std::vector<double> values;
    for (std::size_t i = 0; i < count; ++i) {
        const double part =
            count == 1 ? 0 : static_cast<double>(i) / static_cast<double>(count - 1);
        const double even = low + (high - low) * part;
        values.push_back(i + 1 == count && count > 1 ? high
                         : by_factors                ? low * math::pow(high / low, part)
                                                     : even);
    }
    return values;
}

}  // namespace

SweepAxis axis_from(std::string_view text, const scene::Scene* scene) {
    const std::size_t equals = text.find('=');
    if (equals == std::string_view::npos || equals == 0) refuse(text, "no path");
    SweepAxis axis{.path = std::string{text.substr(0, equals)}};
    const std::string_view values = text.substr(equals + 1);
    const std::vector<std::string_view> parts = split(values, ':');
    if (parts.size() == 3 || parts.size() == 4) {
        axis.values = range(text, parts);
        return axis;
    }
    if (parts.size() != 1) refuse(text, "two or three numbers between colons");
    for (const std::string_view each : split(values, ',')) {
        const auto named = scene == nullptr
                               ? std::nullopt
                               : scene::value_from(*scene, axis.path, std::string{each});
        axis.values.push_back(named ? *named : number_in(text, each));
    }
    return axis;
}

std::string SweepTable::value_in_words(std::size_t path, double value) const {
    const bool has_names =
        is_choice(path) && value >= 0 && value < static_cast<double>(names[path].size());
    return has_names ? names[path][static_cast<std::size_t>(value)] : fmt::format("{:.4g}", value);
}

std::vector<std::string> paths_of(const std::vector<SweepAxis>& axes) {
    std::vector<std::string> paths;
    paths.reserve(axes.size());
    for (const SweepAxis& axis : axes)
        paths.push_back(axis.path);
    return paths;
}

}  // namespace hopcoil::tune
