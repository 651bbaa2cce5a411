#include <array>
#include <charconv>
#include <cmath>

#include <hopcoil/base/problems.hpp>

namespace hopcoil {
namespace {

std::string invalid_value_message(std::string_view field, double value, std::string_view expected) {
    std::string message{field};
    message += " = ";
    message += shortest(value);
    message += ": expected ";
    message += expected;
    return message;
}

/// A limit that was computed, to six digits: 0.352, not 0.35200000000000004.
std::string limit(double value) {
    std::array<char, 32> text{};
    const auto result =
        std::to_chars(text.data(), text.data() + text.size(), value, std::chars_format::general, 6);
    return {text.data(), result.ptr};
}

}  // namespace

std::string shortest(double value) {
    std::array<char, 32> text{};
    const auto result = std::to_chars(text.data(), text.data() + text.size(), value);
    return {text.data(), result.ptr};
}

InvalidValue::InvalidValue(std::string_view field, double value, std::string_view expected)
    : std::invalid_argument{invalid_value_message(field, value, expected)},
      field_{field},
      expected_{expected},
      value_{value} {}

void require_finite(std::string_view field, double value) {
    if (!std::isfinite(value)) throw InvalidValue{field, value, "a finite number"};
}

void require_at_least_zero(std::string_view field, double value) {
    if (!(std::isfinite(value) && value >= 0)) {
        throw InvalidValue{field, value, "a finite number, 0 or more"};
    }
}

void require_above_zero(std::string_view field, double value) {
    if (!(std::isfinite(value) && value > 0)) {
        throw InvalidValue{field, value, "a finite number above 0"};
    }
}

void require_between(std::string_view field, double value, double least, double most) {
    if (value >= least && value <= most) return;
    throw InvalidValue{field, value, "a number from " + limit(least) + " to " + limit(most)};
}

}  // namespace hopcoil
