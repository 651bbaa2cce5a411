#include "reading.hpp"

#include <cmath>

namespace hopcoil::scene {
namespace {

std::string unit_in_words(const std::string& unit) {
    if (unit == "rad") return "an angle (_deg or _rad)";
    return unit == "m" ? "a length (_m)" : "a number without unit";
}

}  // namespace

double required(TableReader& reader, const std::string& key) {
    if (!reader.has(key)) reader.problem("", fmt::format("expected a key '{}'", key));
    return reader.number(key).value_or(1);
}

std::optional<double> whole_number(TableReader& reader, const std::string& key, double least,
                                   double most) {
    const std::optional<double> value = reader.number(key);
    if (!value) return std::nullopt;
    if (*value >= least && *value <= most && *value == std::floor(*value)) return value;
    reader.problem(key,
                   fmt::format("expected a whole number, {} to {}, found {}", least, most, *value));
    return std::nullopt;
}

std::optional<double> in_unit(TableReader& reader, const std::string& key,
                              std::optional<std::string>& unit, const std::string& suffix) {
    const std::optional<Quantity> quantity = reader.quantity(key, suffix);
    if (!quantity) return std::nullopt;
    if (unit && *unit != quantity->unit) {
        reader.problem("", fmt::format("{} is {}, but what it goes with is {}", key,
                                       unit_in_words(quantity->unit), unit_in_words(*unit)));
    }
    if (!unit) unit = quantity->unit;
    return quantity->value;
}

}  // namespace hopcoil::scene
