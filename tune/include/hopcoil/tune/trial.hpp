#pragma once

#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include <hopcoil/spring/tuning.hpp>

namespace hopcoil::scene {
struct Scene;
}

namespace hopcoil::tune {

/// One figure of a run; not finite where there is none.
struct TrialFigure {
    std::string name{};  ///< "lamp.largest_gap"
    double value = 0.0;
};

/// A function that is swept or searched: the figures for one value of each varied number.
///
/// Errors  whatever it throws is that run's failure; the others go on. It is called by several
///         threads at once.
using Trial = std::function<std::vector<TrialFigure>(std::span<const double> values)>;

/// The figures of a run of the scene: "lamp.largest_gap", "dog.stride_m". Of a follower its
/// response to a jump too: "lamp.overshoot_percent", "lamp.settling_time_s", and the regime that
/// each scheme would be in, once a frame; of a net what each method allows: "net.steps_a_frame",
/// "net.velocity_verlet.stable_below_s". Paths are those of dials; patterns as for set_matching;
/// step_hz are the scene's steps per second: its clock's, or its frames.
/// Errors  std::invalid_argument at once for a path that no dial has.
[[nodiscard]] Trial trial_of(const scene::Scene& scene, std::vector<std::string> paths);
/// Only those figures that need no run: responses to a jump, regimes, limits of methods.
[[nodiscard]] Trial trial_without_run(const scene::Scene& scene, std::vector<std::string> paths);
/// The figures of a tuning's response to a jump from 0 to 1; the paths are among frequency_hz,
/// damping_ratio, lead, and step_hz: then there is a figure for each scheme that might step it so
/// often, "semi_implicit_euler.regime": 0 stable, 1 rings, 2 unstable.
/// Errors  the same.
[[nodiscard]] Trial trial_of(const Tuning& tuning, std::vector<std::string> paths);

/// A motion to be drawn: of a vector its first number.
struct TrialCurve {
    std::vector<double> times_s{};
    std::vector<double> values{};
    std::vector<double> targets{};  ///< none where nothing is followed
    std::string unit{};
};
/// The motion of a system of the scene with these values.
/// Errors  std::invalid_argument for a name that nothing has that reports; those of a run.
[[nodiscard]] TrialCurve curve_of(const scene::Scene& scene, const std::vector<std::string>& paths,
                                  std::span<const double> values, const std::string& name);
/// A tuning's response to a jump from 0 to 1, for `seconds`.
[[nodiscard]] TrialCurve curve_of(const Tuning& tuning, const std::vector<std::string>& paths,
                                  std::span<const double> values, double seconds);

/// The scene with these values; the tuning likewise.
/// Errors  std::invalid_argument for a path that no dial has, or a number that it refuses.
[[nodiscard]] scene::Scene changed(const scene::Scene& scene, const std::vector<std::string>& paths,
                                   std::span<const double> values);
[[nodiscard]] Tuning changed(const Tuning& tuning, const std::vector<std::string>& paths,
                             std::span<const double> values);

/// The names of each path's values, as in SweepTable::names.
[[nodiscard]] std::vector<std::vector<std::string>> value_names(
    const scene::Scene& scene, const std::vector<std::string>& paths);

/// The present number that a path names; of a pattern, the first.
/// Errors  std::invalid_argument for a path that no dial has.
[[nodiscard]] double value_at(const scene::Scene& scene, const std::string& path);
[[nodiscard]] double value_at(const Tuning& tuning, const std::string& path);

/// The index of the name that is meant: one of them, or the end of just one ("rms_gap").
/// Errors  std::invalid_argument names the figures there are.
[[nodiscard]] std::size_t figure_named(std::string_view name,
                                       const std::vector<std::string>& figures);

}  // namespace hopcoil::tune
