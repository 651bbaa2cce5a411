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
};

}  // namespace hopcoil
