#include <algorithm>
#include <cmath>
#include <string>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/run.hpp>

#include "running_scene.hpp"

namespace hopcoil::scene {
namespace {

/// What is recorded: for each channel whether it is kept, all of them in the scene's order.
struct Recording {
    std::vector<RecordedChannel> channels{};
    std::vector<bool> keeps_target{};
    struct Part {
        bool value = true;
        bool velocity = true;
    };
    std::vector<std::vector<Part>> keeps_part{};  ///< of each mover
};

ChannelKind channel_kind(ValueKind kind) {
    if (kind == ValueKind::rotation) return ChannelKind::rotation;
    return kind == ValueKind::vector ? ChannelKind::vector : ChannelKind::scalar;
}

bool is_kept(const std::vector<std::string>& patterns, const std::string& name) {
    return patterns.empty() ||
           std::any_of(patterns.begin(), patterns.end(),
                       [&](const std::string& pattern) { return matches(pattern, name); });
}

class RecordingMaker {
  public:
    explicit RecordingMaker(const Scene& scene) : scene_{scene} {}

    Recording make() {
        for (const SceneTarget& target : scene_.targets) {
            recording_.keeps_target.push_back(add(target.name, "value", target.unit,
                                                  channel_kind(target.kind()), target.path.size()));
        }
        for (const SceneMover& mover : scene_.movers)
            add(mover);
        return std::move(recording_);
    }

  private:
    void add(const SceneMover& mover) {
        const SceneTarget& target = scene_.targets[mover.target];
        const std::size_t numbers = target.path.size();
        const bool turns = target.kind() == ValueKind::rotation;
        const std::string unit = turns ? "rad" : target.unit;
        std::vector<Recording::Part> parts;
        for (std::size_t part = 0; part < part_count(mover.numbers); ++part) {
            const std::string name = mover.name + part_suffix(mover.numbers, part);
            const bool value =
                add(name, "value", target.unit, channel_kind(target.kind()), numbers);
            const bool velocity = add(name, "velocity", unit.empty() ? "per_s" : unit + "_per_s",
                                      numbers == 1 ? ChannelKind::scalar : ChannelKind::vector,
                                      velocity_size(target.kind(), numbers));
            parts.push_back({value, velocity});
        }
        recording_.keeps_part.push_back(std::move(parts));
    }

    bool add(const std::string& owner, const std::string& quantity, const std::string& unit,
             ChannelKind kind, std::size_t numbers) {
        const std::string name = channel_name(owner, quantity, unit);
        const bool kept = is_kept(scene_.record, name);
        if (kept) {
            recording_.channels.push_back(
                {.name = name, .kind = kind, .components = numbers, .unit = unit});
        }
        return kept;
    }

    const Scene& scene_;
    Recording recording_;
};

void append(std::vector<double>& numbers, const Place& place, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i)
        numbers.push_back(place[i]);
}

/// A row as it is at a time.
void fill_row(std::vector<double>& numbers, const Scene& scene, const RunningScene& running,
              const Recording& recording, double time_s) {
    numbers.clear();
    for (std::size_t i = 0; i < scene.targets.size(); ++i) {
        if (!recording.keeps_target[i]) continue;
        append(numbers, running.target_shown(i, time_s), scene.targets[i].path.size());
    }
    for (std::size_t i = 0; i < scene.movers.size(); ++i) {
        const SceneTarget& target = scene.targets[scene.movers[i].target];
        for (std::size_t part = 0; part < recording.keeps_part[i].size(); ++part) {
            const auto& keeps = recording.keeps_part[i][part];
            if (!keeps.value && !keeps.velocity) continue;
            const CoursePoint point = running.mover(i).shown(part);
            const std::size_t count = target.path.size();
            if (keeps.value) append(numbers, point.value, count);
            if (keeps.velocity)
                append(numbers, point.velocity, velocity_size(target.kind(), count));
        }
    }
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

RunLog run(const Scene& scene, TakeSink& sink) {
    require_valid_clock(scene.duration_s, scene.rate_hz);
    RunningScene running{scene};
    const Recording recording = RecordingMaker{scene}.make();
    sink.begin(recording.channels);
    std::vector<double> numbers;
    const auto frames = static_cast<std::size_t>(
        std::floor(scene.duration_s * scene.rate_hz + same_time_s * scene.rate_hz));
    for (std::size_t frame = 0; frame <= frames; ++frame) {
        const double time_s = static_cast<double>(frame) / scene.rate_hz;
        running.advance(time_s);
        fill_row(numbers, scene, running, recording, time_s);
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
