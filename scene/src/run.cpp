#include <cmath>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/run.hpp>

#include "running_scene.hpp"

namespace hopcoil::scene {
namespace {

std::vector<RecordedChannel> channels_of(const Scene& scene) {
    std::vector<RecordedChannel> channels;
    const auto add = [&](const std::string& owner, const std::string& quantity,
                         const std::string& unit) {
        channels.push_back({.name = channel_name(owner, quantity, unit), .unit = unit});
    };
    for (const SceneTarget& target : scene.targets)
        add(target.name, "value", target.unit);
    for (const SceneMover& mover : scene.movers) {
        const std::string& unit = scene.targets[mover.target].unit;
        for (std::size_t part = 0; part < part_count(mover.numbers); ++part) {
            const std::string name = mover.name + part_suffix(mover.numbers, part);
            add(name, "value", unit);
            add(name, "velocity", unit.empty() ? "per_s" : unit + "_per_s");
        }
    }

    return channels;
}

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
std::vector<std::string> warnings_of(const SceneMover& item, const RunningMover& runner,
                                     double rate_hz) {
    const auto* stepped = std::get_if<SteppedNumbers>(&item.numbers);
    if (stepped == nullptr) return {};
    std::vector<std::string> warnings;
    const auto scheme = facts_of(stepped->stepping.scheme).in_words;
    const GuardLog log = runner.guard_log();
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

RunLog run(const Scene& scene, TakeSink& sink) {
    require_valid_clock(scene.duration_s, scene.rate_hz);
    RunningScene running{scene};
    sink.begin(channels_of(scene));
    std::vector<double> numbers;
    const auto frames = static_cast<std::size_t>(
        std::floor(scene.duration_s * scene.rate_hz + same_time_s * scene.rate_hz));
    for (std::size_t frame = 0; frame <= frames; ++frame) {
        const double time_s = static_cast<double>(frame) / scene.rate_hz;
        running.advance(time_s);
        numbers.clear();
        for (std::size_t i = 0; i < scene.targets.size(); ++i)
            numbers.push_back(running.target_shown(i, time_s));
        for (std::size_t i = 0; i < scene.movers.size(); ++i) {
            for (std::size_t part = 0; part < part_count(scene.movers[i].numbers); ++part) {
                numbers.push_back(running.mover(i).value(part));
                numbers.push_back(running.mover(i).velocity(part));
            }
        }

        sink.row(time_s, numbers);
    }
    RunLog log;
    for (std::size_t i = 0; i < scene.movers.size(); ++i) {
        for (std::string& warning : warnings_of(scene.movers[i], running.mover(i), scene.rate_hz))
            log.warnings.push_back(std::move(warning));
    }
    return log;
}

}  // namespace hopcoil::scene
