#pragma once

#include <cstddef>
#include <functional>
#include <vector>

#include <hopcoil/tune/sweep_table.hpp>
#include <hopcoil/tune/trial.hpp>

namespace hopcoil::tune {

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
[[nodiscard]] SweepTable sweep(const std::vector<SweepAxis>& axes, const Trial& trial,
                               const SweepSettings& settings = {}, SweepTable done = {});

}  // namespace hopcoil::tune
