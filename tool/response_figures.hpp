#pragma once

#include <optional>
#include <string>
#include <vector>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "tool/commands.hpp"

/// @file
/// The figures of one mover in `hopcoil response`: the same for the table, the JSON and the
/// picture.

namespace hopcoil::tool {

struct NamedFigure {
    std::string key{};   ///< in JSON
    std::string name{};  ///< in the table
    std::string unit{};
    Figure figure{0.0};
};

struct ResponseFigures {
    std::string kind{};
    std::optional<Tuning> tuning{};  ///< of a follower
    double mass_kg = 1.0;
    std::size_t value_column = 1;  ///< in the take; its velocity is in the next one
    std::string name{};
    std::string label{};  ///< of a named tuning
    std::vector<NamedFigure> figures{};
    std::vector<Swing> swings{};
    double full_size = 1.0;      ///< what a swing of 100 percent is
    double resting_place = 0.0;  ///< after a kick
};

/// The figures of one mover; `tracking` is read off its take, for what no closed form says.
[[nodiscard]] ResponseFigures answer_of(const ResponseOptions& options,
                                        const scene::SystemSpec& spec, const Tracking& tracking);

[[nodiscard]] double initial_velocity_of(const ResponseOptions& options);

}  // namespace hopcoil::tool
