#pragma once

#include <optional>
#include <string>
#include <vector>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/spring/answers.hpp>

#include "tool/commands.hpp"

/// @file
/// What `hopcoil response` has to say of one tuning: the same figures for the table, the JSON and
/// the picture.

namespace hopcoil::tool {

struct NamedFigure {
    std::string key{};   ///< in JSON
    std::string name{};  ///< in the table
    std::string unit{};
    Figure figure{0.0};
};

struct ResponseAnswer {
    Tuning tuning{};
    double mass_kg = 1.0;
    std::string name{};
    std::vector<NamedFigure> figures{};
    std::vector<Swing> swings{};
    double full_size = 1.0;  ///< what a swing of 100 percent is
};

/// The figures of one tuning; `tracking` where a recorded target was followed.
[[nodiscard]] ResponseAnswer answer_of(const ResponseOptions& options, const Tuning& tuning,
                                       const std::optional<Tracking>& tracking);

[[nodiscard]] double initial_velocity_of(const ResponseOptions& options);

}  // namespace hopcoil::tool
