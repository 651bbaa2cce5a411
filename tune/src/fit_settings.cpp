#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/tune/fit_settings.hpp>

namespace hopcoil::tune {

FitRange range_from(std::string_view text) {
    const std::size_t equals = text.find('=');
    const std::size_t colon = text.find(':', equals == std::string_view::npos ? 0 : equals);
    FitRange range;
    const bool is_range =
        equals != std::string_view::npos && equals > 0 && colon != std::string_view::npos &&
        io::parse_number(text.substr(equals + 1, colon - equals - 1), range.low) &&
        io::parse_number(text.substr(colon + 1), range.high);
    if (!is_range || !(range.low < range.high)) {
        throw std::invalid_argument{
            fmt::format("{}: expected PATH=LOW:HIGH, such as lamp.frequency_hz=0.5:8", text)};
    }
    range.path = text.substr(0, equals);
    return range;
}

std::vector<std::string> paths_of(const std::vector<FitRange>& ranges) {
    std::vector<std::string> paths;
    paths.reserve(ranges.size());
    for (const FitRange& range : ranges)
        paths.push_back(range.path);
    return paths;
}

}  // namespace hopcoil::tune
