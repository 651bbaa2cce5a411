#pragma once

#include <cstddef>
#include <functional>
#include <vector>

#include <hopcoil/tune/sweep_table.hpp>
#include <hopcoil/tune/trial.hpp>

namespace hopcoil::tune {

struct SweepSettings {
    /// Which of `shards` parts to run, from 1: every shards-th combination.
    std::size_t shard = 1;
    std::size_t shards = 1;
    /// Once it returns true, the sweep ends: finished runs are in the table. Several threads call
    /// it at once, before every run.
    std::function<bool()> is_cancelled{};
    /// Called now and then with the progress, by the thread that called `sweep`.
    std::function<void(const SweepTable& so_far, std::size_t done, std::size_t wanted)> progress{};
};

/// Runs all combinations in parallel, but for those in `done`, which an earlier call has run.
///
/// Model   the result does not depend on the number of threads, on the split, or on where an
///         earlier call was cancelled.
/// Errors  std::invalid_argument for no axis, an axis without values, more than 10 million
///         combinations, a shard that is not there, or rows that are of another sweep.
[[nodiscard]] SweepTable sweep(const std::vector<SweepAxis>& axes, const Trial& trial,
                               const SweepSettings& settings = {}, SweepTable done = {});

}  // namespace hopcoil::tune
