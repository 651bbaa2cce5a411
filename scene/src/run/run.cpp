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

namespace hopcoil::scene {
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

/// All frames into a sink. Returns the time that the clock gave up.
double run_frames(const Scene& scene, RunningScene& running, TakeSink& sink) {
    Recording recording{scene, running};
    Frames frames{scene, running, recording};
    sink.begin(recording.channels());
    sink.expect(frames.count());
    std::vector<double> before;
    std::vector<double> row;
    while (frames.next()) {
        const std::span<const double> shown = frames.row();
        before.swap(row);
        row.assign(shown.begin(), shown.end());
        recording.match_signs(before, row);
        sink.row(frames.time_s(), row);
    }
    return frames.dropped_s();
}

}  // namespace

RunLog run(const Scene& scene, TakeSink& sink) {
    require_valid_clock(scene.duration_s, scene.rate_hz);
    RunningScene running{scene};
    const double dropped_s = run_frames(scene, running, sink);
    RunLog log;
    if (dropped_s > 0) {
        log.warnings.push_back(
            fmt::format("the clock dropped {:.4g} s: some frames had more than {} steps to take",
                        dropped_s, scene.clock.most_steps));
    }
    for (std::size_t i = 0; i < scene.systems.size(); ++i) {
        for (std::string& warning :
             running.system(i).warnings(scene.systems[i].name, scene.rate_hz))
            log.warnings.push_back(std::move(warning));
    }
    return log;
}

Scene finely_recorded(Scene scene) {
    constexpr double rows_per_s = 480;
    constexpr double most_rows = 500'000;
    scene.record.clear();
    scene.is_for_figures = true;
    scene.rate_hz = std::min(rows_per_s, most_rows / scene.duration_s);
    return scene;
}

Take fine_take(const Scene& scene) {
    Take take;
    run(finely_recorded(scene), take);
    return take;
}

}  // namespace hopcoil::scene
