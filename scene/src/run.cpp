#include <algorithm>
#include <cmath>
#include <string>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/run.hpp>

#include "frames.hpp"
#include "recording.hpp"
#include "running_scene.hpp"
#include "watching_sink.hpp"

namespace hopcoil::scene {
namespace {

std::string what_the_guard_did(const GuardLog& log) {
    std::string text;
    const auto add = [&](std::uint64_t count, const std::string& what) {
        if (count > 0) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", count, what);
    };
    if (log.substeps > 0) text = fmt::format("divided into {} parts in all", log.substeps);
    add(log.softened_steps,
        fmt::format("softened, at most to {:.3g} of the frequency", log.least_frequency_factor));
    add(log.calmed_steps, "kept from gaining energy");
    add(log.exact_steps, "solved exactly");
    add(log.refused_steps, "not taken");
    return text;
}

/// Of a follower stepped by a scheme: what its guard did, and whether it rings or is beyond the
/// rate.
std::vector<std::string> warnings_of(const SceneMover& item, const GuardLog& log, double rate_hz) {
    const auto* stepped = std::get_if<SteppedParameters>(&item.numbers);
    if (stepped == nullptr) return {};
    std::vector<std::string> warnings;
    const auto scheme = facts_of(stepped->stepping.scheme).in_words;
    if (log.guarded_steps > 0) {
        warnings.push_back(fmt::format("{}: {} steps were too large for {}: {}", item.name,
                                       log.guarded_steps, scheme, what_the_guard_did(log)));
    }
    const StepReport report = step_report(stepped->tuning, stepped->stepping.scheme, 1 / rate_hz);
    const StepLimits limits = step_limits(stepped->tuning, stepped->stepping.scheme);
    const double part = 1 / (rate_hz * limits.largest_stable_s);
    constexpr double near = 0.8;
    if (part > near && part < 1) {
        warnings.push_back(
            fmt::format("{}: its steps are {:.0f} % of the largest that holds under {}", item.name,
                        100 * part, scheme));
    }
    if (report.verdict == StepVerdict::rings) {
        warnings.push_back(fmt::format(
            "{}: at {:.4g} frames per second {} jitters from frame to frame, as it does "
            "from steps of {:.4g} s on",
            item.name, rate_hz, scheme, limits.ringing_from_s));
    }
    if (report.beyond_half_rate) {
        warnings.push_back(
            fmt::format("{}: its frequency is above half the frame rate; no frame "
                        "can show it",
                        item.name));
    }
    return warnings;
}

}  // namespace

Take recorded_part(const Take& take, const std::vector<std::string>& patterns) {
    if (patterns.empty()) return take;
    std::vector<RecordedChannel> channels;
    std::vector<std::size_t> columns;
    for (std::size_t i = 0; i < take.channels().size(); ++i) {
        if (!is_kept(patterns, take.channels()[i].name)) continue;
        channels.push_back(take.channels()[i]);
        const Take::Columns place = take.columns_of(i);
        for (std::size_t k = 0; k < place.count; ++k)
            columns.push_back(place.first + k);
    }
    Take part;
    part.begin(channels);
    part.reserve(take.row_count());
    part.set_made_by(take.made_by());
    std::vector<double> numbers(columns.size());
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        for (std::size_t k = 0; k < columns.size(); ++k)
            numbers[k] = take.row(row)[columns[k]];
        part.row(take.times_s()[row], numbers);
    }
    return part;
}

std::string channel_name(const std::string& owner, const std::string& quantity,
                         const std::string& unit) {
    return unit.empty() || unit == "per_s" ? owner + '.' + quantity
                                           : owner + '.' + quantity + '_' + unit;
}

void require_valid_clock(double duration_s, double rate_hz) {
    require_above_zero("duration_s", duration_s);
    require_above_zero("rate_hz", rate_hz);
    if (duration_s * rate_hz > most_frames) {
        throw InvalidValue{"duration_s", duration_s,
                           fmt::format("at most {} frames; at {} Hz that is {} s", most_frames,
                                       rate_hz, most_frames / rate_hz)};
    }
}

namespace {

/// All frames into a sink. What the clock gave up, in seconds.
double run_frames(const Scene& scene, RunningScene& running, TakeSink& sink) {
    Recording recording{scene, running};
    Frames frames{scene, running, recording};
    sink.begin(recording.channels());
    sink.expect(frames.count());
    while (frames.next())
        sink.row(frames.time_s(), frames.row());
    return frames.dropped_s();
}

double run_watched(const Scene& scene, RunningScene& running, TakeSink& sink) {
    Scene whole = scene;
    whole.record.clear();  // what is watched is read off rows, whether they keep it or not
    WatchingSink watching{scene, sink};
    return run_frames(whole, running, watching);
}

}  // namespace

RunLog run(const Scene& scene, TakeSink& sink) {
    require_valid_clock(scene.duration_s, scene.rate_hz);
    RunningScene running{scene};
    const double dropped_s = WatchingSink::is_needed(scene) ? run_watched(scene, running, sink)
                                                            : run_frames(scene, running, sink);
    RunLog log;
    if (dropped_s > 0) {
        log.warnings.push_back(
            fmt::format("the clock dropped {:.4g} s: some frames had more than {} steps to take",
                        dropped_s, scene.clock.most_steps));
    }
    for (std::size_t i = 0; i < scene.movers.size(); ++i) {
        for (std::string& warning :
             warnings_of(scene.movers[i], running.guard_log(i), scene.rate_hz))
            log.warnings.push_back(std::move(warning));
    }
    return log;
}

}  // namespace hopcoil::scene
