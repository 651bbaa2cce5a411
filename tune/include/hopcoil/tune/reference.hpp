#pragma once

#include <string>
#include <vector>

namespace hopcoil::tune {

/// A motion that numbers are wanted for, and the target it followed.
///
/// Shapes  for each component a row of numbers, one for each time; as many components of the target
///         as of the motion, or none where the target is not known. Times never go back.
struct Reference {
    std::vector<double> times_s{};
    std::vector<std::vector<double>> motion{};
    std::vector<std::vector<double>> target{};
    std::string unit{};         ///< "m", "rad", "deg", or empty
    std::string motion_name{};  ///< of the column, the channel or the track
    std::string target_name{};
};

/// Errors  std::invalid_argument for rows of unequal length, numbers that are not finite, times
///         that go back, fewer than 8 samples, and a motion that stands still.
void require_valid(const Reference& reference);

/// From a table (CSV), a take (CSV, JSON) or an animation (glTF). A name is a column, or a channel
/// or node with all its components: "lamp.value_m", "lamp". Where a table has just two columns
/// beside time_s, the first is the target, if no names are given. Angles go on past their seam; the
/// turns of a node are its rotation vector from its first pose.
///
/// Errors  FileProblem; InputProblems; std::invalid_argument for a name that is not there (the
///         nearest is named).
[[nodiscard]] Reference read_reference(const std::string& file_name, const std::string& motion,
                                       const std::string& target);

}  // namespace hopcoil::tune
