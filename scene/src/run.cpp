#include <cmath>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/run.hpp>

#include "running_mover.hpp"

namespace hopcoil::scene {
namespace {

/// After the events of this time, as the movers have seen them.
double value_shown(const SceneTarget& target, double time_s) {
    const double knot_s = target.path.next_knot_s(time_s);
    const double value = target.path.after(knot_s <= time_s + same_time_s ? knot_s : time_s).value;
    return target.is_angle ? wrapped_rad(value) : value;
}

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

std::string why_it_left(const SceneMover& item, const RunningMover& runner, double time_s) {
    const std::string name = fmt::format("{}.{}", kind_of(item.numbers), item.name);
    if (const auto* stepped = std::get_if<SteppedNumbers>(&item.numbers)) {
        if (const auto divergence = runner.divergence()) {
            return in_words(name, *divergence, stepped->tuning, stepped->stepping.scheme);
        }
    }
    return fmt::format(
        "{} left the range of numbers before {} s; its numbers are {}: damp it, or keep its target "
        "within reach",
        name, time_s, in_words(item.numbers));
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
    std::vector<RunningMover> runners;
    runners.reserve(scene.movers.size());
    for (const SceneMover& item : scene.movers)
        runners.emplace_back(item, scene.targets.at(item.target));

    sink.begin(channels_of(scene));
    std::vector<double> numbers;
    const auto frames = static_cast<std::size_t>(
        std::floor(scene.duration_s * scene.rate_hz + same_time_s * scene.rate_hz));
    for (std::size_t frame = 0; frame <= frames; ++frame) {
        const double time_s = static_cast<double>(frame) / scene.rate_hz;
        for (std::size_t i = 0; i < runners.size(); ++i) {
            if (!runners[i].advance(time_s)) {
                throw Diverged{why_it_left(scene.movers[i], runners[i], time_s)};
            }
        }
        numbers.clear();
        for (const SceneTarget& target : scene.targets) {
            numbers.push_back(value_shown(target, time_s));
        }
        for (std::size_t i = 0; i < runners.size(); ++i) {
            for (std::size_t part = 0; part < part_count(scene.movers[i].numbers); ++part) {
                numbers.push_back(runners[i].value(part));
                numbers.push_back(runners[i].velocity(part));
            }
        }

        sink.row(time_s, numbers);
    }
    RunLog log;
    for (std::size_t i = 0; i < runners.size(); ++i) {
        for (std::string& warning : warnings_of(scene.movers[i], runners[i], scene.rate_hz))
            log.warnings.push_back(std::move(warning));
    }
    return log;
}

}  // namespace hopcoil::scene
