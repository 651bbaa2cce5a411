#include "watching_sink.hpp"

#include <algorithm>
#include <cmath>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/take/take.hpp>

#include "recording.hpp"

namespace hopcoil::scene {
namespace {

/// What is smaller than this, of how far or how fast it was, cannot be seen.
constexpr double visible = 1e-3;

std::size_t column_named(const std::vector<std::string>& columns, const std::string& name) {
    return static_cast<std::size_t>(std::find(columns.begin(), columns.end(), name) -
                                    columns.begin());
}

bool changes_sign(double before, double after) {
    return (before < 0 && after > 0) || (before > 0 && after < 0);
}

}  // namespace

bool WatchingSink::is_needed(const Scene& scene) {
    return std::any_of(scene.movers.begin(), scene.movers.end(),
                       [](const SceneMover& mover) { return mover.watch; });
}

void WatchingSink::begin(std::span<const RecordedChannel> channels) {
    channels_.assign(channels.begin(), channels.end());
    const std::vector<std::string> columns = column_names_of(channels);
    for (const SceneMover& mover : scene_.movers) {
        if (mover.watch) add_watches(mover, columns);
    }
    std::vector<RecordedChannel> kept;
    std::size_t column = 0;
    for (const RecordedChannel& channel : channels_) {
        const bool keeps = is_kept(scene_.record, channel.name);
        if (keeps) kept.push_back(channel);
        for (std::size_t k = 0; k < channel.components; ++k, ++column) {
            if (keeps) kept_.push_back(column);
        }
    }
    row_.resize(kept_.size());
    inner_.begin(kept);
}

void WatchingSink::add_watches(const SceneMover& mover, const std::vector<std::string>& columns) {
    const SceneTarget& target = scene_.targets[mover.target];
    const std::string per_s = target.unit.empty() ? "per_s" : target.unit + "_per_s";
    std::size_t ahead = column_named(columns, channel_name(target.name, "value", target.unit));
    for (std::size_t part = 0; part < part_count(mover.numbers); ++part) {
        const std::string name = mover.name + part_suffix(mover.numbers, part);
        Watch watch{.value = column_named(columns, channel_name(name, "value", target.unit)),
                    .velocity = column_named(columns, channel_name(name, "velocity", per_s)),
                    .target = ahead,
                    .angle = target.is_angle()};
        ahead = watch.value;
        watches_.push_back(watch);
        channels_.push_back({.name = name + ".at_rest", .kind = ChannelKind::flag});
        for (const char* event : {".reached", ".turned", ".settled"})
            channels_.push_back({.name = name + event, .kind = ChannelKind::event});
    }
}

void WatchingSink::look(Watch& watch, std::span<const double> numbers) {
    const double apart = numbers[watch.value] - numbers[watch.target];
    const double gap = watch.angle ? wrapped_rad(apart) : apart;
    const double velocity = numbers[watch.velocity];
    const bool rested = watch.rests;
    watch.furthest = std::max(watch.furthest, std::abs(gap));
    watch.fastest = std::max(watch.fastest, std::abs(velocity));
    watch.rests =
        std::abs(gap) <= visible * watch.furthest && std::abs(velocity) <= visible * watch.fastest;
    const bool is_seen = !rested || !watch.rests;
    // An angle that is half a turn off has not come by its target.
    const bool is_near = std::abs(gap - watch.last_gap) < 3;
    const bool reached = is_seen && changes_sign(watch.last_gap, gap) && (!watch.angle || is_near);
    const bool turned = is_seen && changes_sign(watch.last_velocity, velocity);
    all_.push_back(watch.rests ? 1 : 0);
    all_.push_back(reached ? 1 : 0);
    all_.push_back(turned ? 1 : 0);
    all_.push_back(watch.rests && !rested ? 1 : 0);
    if (rested && !watch.rests) {  // a new motion, however small beside the last
        watch.furthest = std::abs(gap);
        watch.fastest = std::abs(velocity);
    }
    if (gap != 0) watch.last_gap = gap;
    if (velocity != 0) watch.last_velocity = velocity;
}

void WatchingSink::row(double time_s, std::span<const double> numbers) {
    all_.assign(numbers.begin(), numbers.end());
    for (Watch& watch : watches_)
        look(watch, numbers);
    for (std::size_t i = 0; i < kept_.size(); ++i)
        row_[i] = all_[kept_[i]];
    inner_.row(time_s, row_);
}

}  // namespace hopcoil::scene
