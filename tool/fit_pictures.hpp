#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include <hopcoil/tune/reference_fit.hpp>
#include <hopcoil/tune/trial.hpp>

namespace hopcoil::tool {

/// One component of what was to be explained.
struct Explained {
    std::string name{};
    std::string unit{};
    const std::vector<double>* motion = nullptr;
    const std::vector<double>* target = nullptr;  ///< or none
};

/// The motion, what explains it, and what is left, for each component; the numbers beside them.
void draw_reference_fit(const std::filesystem::path& file, const tune::ReferenceFit& fit,
                        const std::vector<double>& times_s, const std::vector<Explained>& parts,
                        const std::string& title);

/// The motion with the numbers that were found, and the goals beside it.
void draw_goal_fit(const std::filesystem::path& file, const tune::TrialCurve& curve,
                   const std::string& title, const std::vector<std::string>& notes);

}  // namespace hopcoil::tool
