#pragma once

#include <cstdint>
#include <string_view>

namespace hopcoil {

struct DialRange {
    double least = 0.0;
    double most = 0.0;
};

enum class DialScale : std::uint8_t { linear, logarithmic };

enum class DialStatus : std::uint8_t { set, refused };

/// A number of S that a person may tune: everything a file reader, a search or a slider needs to
/// know of it. A dial is a constant of its type; it holds no object.
///
///     for (const Dial<Tuning>& dial : Tuning::dials()) dial.set(tuning, dial.default_value);
///
/// Errors  `set` refuses what the type refuses, changes nothing then, and never throws.
template <class S>
struct Dial {
    std::string_view path{};
    std::string_view unit{};
    DialRange hard;    ///< what is accepted
    DialRange slider;  ///< what is useful to sweep
    DialScale scale = DialScale::linear;
    double default_value = 0.0;
    double (*get)(const S&) = nullptr;
    DialStatus (*set)(S&, double) = nullptr;
    /// Of a choice: a name for each of the whole numbers from 0 to `hard.most`.
    const std::string_view* names = nullptr;
};

/// A dial that is one number of a plain struct S for which `is_valid(S)` is declared.
///
///     constexpr auto dial = field_dial<&Tuning::lead>({.path = "lead", .slider = {-1, 2}});
template <auto field, class S>
[[nodiscard]] constexpr Dial<S> field_dial(const Dial<S>& description) {
    Dial<S> dial = description;
    dial.default_value = S{}.*field;
    dial.get = [](const S& numbers) -> double {
        return numbers.*field;
    };
    dial.set = [](S& numbers, double value) {
        S changed = numbers;
        changed.*field = value;
        if (!is_valid(changed)) return DialStatus::refused;
        numbers = changed;
        return DialStatus::set;
    };
    return dial;
}

/// The largest double, as the end of a range that has none.
inline constexpr double unbounded = 0x1.fffffffffffffp+1023;

}  // namespace hopcoil
