#pragma once

#include <charconv>
#include <cmath>
#include <string>
#include <vector>

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>

/// @file
/// Checks of options: each says what was expected, in what unit. For arguments.cpp alone, as the
/// library of options takes long to compile.

namespace hopcoil::tool {

using Accepts = bool (*)(double);

/// A check of one number, saying what was expected in what unit.
inline CLI::Validator number(Accepts accepts, const std::string& expected) {
    const auto problem = [accepts, expected](const std::string& text) -> std::string {
        double value = 0;
        const char* const begin = text.data() + (text.starts_with('+') ? 1 : 0);
        const char* const end = text.data() + text.size();
        const auto result = std::from_chars(begin, end, value);
        const bool is_number = result.ec == std::errc{} && result.ptr == end;
        if (is_number && std::isfinite(value) && accepts(value)) return {};
        return fmt::format("expected {}, found '{}'", expected, text);
    };
    return {problem, ""};
}

inline CLI::Validator any_number(const std::string& of_what) {
    return number([](double) { return true; }, "a finite number" + of_what);
}
inline CLI::Validator at_least_zero(const std::string& of_what) {
    return number([](double value) { return value >= 0; }, "a finite number, 0 or more" + of_what);
}
inline CLI::Validator above_zero(const std::string& of_what) {
    return number([](double value) { return value > 0; }, "a finite number above 0" + of_what);
}
inline CLI::Validator not_zero(const std::string& of_what) {
    return number([](double value) { return value != 0; },
                  "a finite number other than 0" + of_what);
}

inline CLI::Validator whole_number() {
    return number(
        [](double value) { return value >= 0 && value <= 0x1p53 && value == std::floor(value); },
        "a whole number, 0 or more");
}

inline CLI::Validator not_empty(const std::string& what) {
    const auto problem = [what](const std::string& text) -> std::string {
        return text.empty() ? fmt::format("expected {}, found nothing", what) : "";
    };
    return {problem, ""};
}

inline CLI::Validator one_of(const std::vector<std::string>& names) {
    const auto problem = [names](const std::string& text) -> std::string {
        for (const std::string& name : names) {
            if (text == name) return {};
        }
        return fmt::format("expected {}, found '{}'{}", io::any_of(names), text,
                           io::did_you_mean(text, names));
    };
    return {problem, ""};
}

/// "--frequency: expected a value", where one is missing.
inline std::string in_words(const CLI::ParseError& problem) {
    const std::string text = problem.what();
    const bool is_missing = dynamic_cast<const CLI::ArgumentMismatch*>(&problem) != nullptr;
    return is_missing ? text.substr(0, text.find(':')) + ": expected a value" : text;
}

}  // namespace hopcoil::tool
