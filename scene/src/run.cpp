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

void run(const Scene& scene, TakeSink& sink) {
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
                throw Diverged{fmt::format(
                    "{}.{} left the range of numbers before {} s; its numbers are {}: damp it, or "
                    "keep its target within reach",
                    kind_of(scene.movers[i].numbers), scene.movers[i].name, time_s,
                    in_words(scene.movers[i].numbers))};
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
}

}  // namespace hopcoil::scene
