#pragma once

#include <cstddef>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/spring/tuning.hpp>
#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::scene {
struct Scene;
}

namespace hopcoil::tune {

/// What is tried: the figures for one value of each axis, in the order of the axes.
///
/// Errors  whatever it throws is that run's failure; the others go on. It is called by several
///         threads at once.
using SweepTrial = std::function<std::vector<SweepFigure>(std::span<const double> values)>;

struct SweepSettings {
    /// Of `shards` parts, which one: every shards-th combination. From 1.
    std::size_t shard = 1;
    std::size_t shards = 1;
    /// Ends the sweep early, once it answers true: what is done is in the table. Several threads
    /// ask at once, before every run.
    std::function<bool()> is_cancelled{};
    /// How far it is; now and then, by the thread that has called `sweep`.
    std::function<void(const SweepTable& so_far, std::size_t done, std::size_t wanted)> progress{};
};

/// All combinations in parallel. `done` is what an earlier call has left: it is not run again.
///
/// Model   the result does not depend on the number of threads, on the split, or on where an
///         earlier call was cancelled.
/// Errors  std::invalid_argument for no axis, an axis without values, more than 10 million
///         combinations, a shard that is not there, or rows that are of another sweep.
[[nodiscard]] SweepTable sweep(const std::vector<SweepAxis>& axes, const SweepTrial& trial,
                               const SweepSettings& settings = {}, SweepTable done = {});

/// The figures of a run of the scene: "lamp.largest_gap", "dog.stride_m". Of a follower its
/// response to a jump too: "lamp.overshoot_percent", "lamp.settling_time_s".
/// Errors  std::invalid_argument at once for a path that no dial has.
[[nodiscard]] SweepTrial trial_of(const scene::Scene& scene, const std::vector<SweepAxis>& axes);
/// The figures of a tuning's response to a jump; the axes are among frequency_hz, damping_ratio
/// and lead.
/// Errors  the same.
[[nodiscard]] SweepTrial trial_of(const Tuning& tuning, const std::vector<SweepAxis>& axes);

/// A motion, to be looked at: of a vector its first number.
struct SweepCurve {
    std::vector<double> times_s{};
    std::vector<double> values{};
    std::vector<double> targets{};  ///< none where nothing is followed
    std::string unit{};
};
/// Of a system of the scene with these values of the axes.
/// Errors  std::invalid_argument for a name that nothing has that reports; those of a run.
[[nodiscard]] SweepCurve curve_of(const scene::Scene& scene, const std::vector<SweepAxis>& axes,
                                  std::span<const double> values, const std::string& name);
/// A tuning's response to a jump from 0 to 1, for `seconds`.
[[nodiscard]] SweepCurve curve_of(const Tuning& tuning, const std::vector<SweepAxis>& axes,
                                  std::span<const double> values, double seconds);

}  // namespace hopcoil::tune
