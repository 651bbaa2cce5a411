#pragma once

#include <functional>
#include <string>
#include <vector>

#include <hopcoil/tune/fit_settings.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/progress.hpp"

namespace hopcoil::tool {

/// What `fit` refuses, with its name before it.
[[noreturn]] void refuse_fit(const std::string& why);

/// The ranges of --vary. Errors  UsageProblem.
[[nodiscard]] std::vector<tune::FitRange> ranges_of(const FitOptions& options);

/// Runs a fit behind a progress bar; what it refuses is wrong usage.
template <class Fit>
auto run_fit_with(const FitOptions& options, Fit&& fit) {
    ProgressBar bar{"fitting", options.most_runs};
    const tune::FitSettings settings{.seed = options.seed.value_or(0),
                                     .most_runs = options.most_runs,
                                     .is_cancelled = [] { return is_interrupted(); },
                                     .progress =
                                         [&](std::size_t runs, std::size_t) {
                                             bar.show(runs);
                                         }};
    try {
        return fit(settings);
    } catch (const std::invalid_argument& problem) {
        refuse_fit(problem.what());
    }
}

/// How to run the scene with what was found: "hopcoil run SCENE --set a=1 --set b=2".
[[nodiscard]] std::string run_line(const FitOptions& options, const std::vector<std::string>& paths,
                                   const std::vector<double>& values);

/// What was found, as JSON or as `print` prints it, and what was written besides.
void show_fit(const FitOptions& options, Json json, const std::string& kept,
              const std::function<void()>& print);

/// Finds the numbers that explain a recorded motion, and prints them.
ExitCode fit_reference(const FitOptions& options);

}  // namespace hopcoil::tool
