#include <algorithm>
#include <cmath>
#include <execution>
#include <limits>
#include <stdexcept>

#include <hopcoil/base/math.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/tune/measured_frequencies.hpp>

namespace hopcoil::tune {
namespace {

constexpr std::size_t samples_a_period = 96;
constexpr std::size_t periods = 2;

scene::Scene sine_scene(const scene::SystemSpec& mover, double frequency_hz, double amplitude) {
    scene::Scene scene;
    constexpr double for_ever = std::numeric_limits<double>::infinity();
    scene.targets.push_back({.name = "target",
                             .path = scene::Target{scene::MovesTarget{
                                 0, {}, {scene::Sine{0, for_ever, amplitude, frequency_hz}}}}});
    scene.systems.push_back({"mover", mover.clone(), {0}});
    scene.rate_hz = static_cast<double>(samples_a_period) * frequency_hz;
    // Long enough to forget the start, within reason: an undamped one never does.
    constexpr double most_samples = 400'000;
    const double forgotten_s = 1.5 * mover.step_responder()->observation_time_s(amplitude);
    const double longest_s = most_samples / scene.rate_hz;
    scene.duration_s =
        (std::floor(std::min(forgotten_s, longest_s) * frequency_hz) + periods + 1.0) /
        frequency_hz;
    return scene;
}

FrequencyPoint measured(const scene::SystemSpec& mover, double frequency_hz, double amplitude) {
    Take take;
    scene::run(sine_scene(mover, frequency_hz, amplitude), take);
    // Its last output: value, then velocity.
    const std::vector<double> values = take.column(take.column_names().size() - 2);
    double along = 0;
    double across = 0;
    constexpr std::size_t count = samples_a_period * periods;
    for (std::size_t i = values.size() - count; i < values.size(); ++i) {
        const double phase = 2 * math::pi * frequency_hz * take.times_s()[i];
        along += values[i] * math::sin(phase);
        across += values[i] * math::cos(phase);
    }
    const double gain = 2 * std::sqrt(along * along + across * across) /
                        (static_cast<double>(count) * std::abs(amplitude));
    const double sign = amplitude < 0 ? -1 : 1;
    return {frequency_hz, gain, -math::atan2(sign * across, sign * along)};
}

}  // namespace

std::vector<FrequencyPoint> measured_frequencies(const scene::SystemSpec& mover,
                                                 const std::vector<double>& frequencies_hz,
                                                 double amplitude) {
    const bool rise = std::is_sorted(frequencies_hz.begin(), frequencies_hz.end());
    if (!rise || (!frequencies_hz.empty() && !(frequencies_hz.front() > 0)))
        throw std::invalid_argument{"expected frequencies that rise from above 0"};
    std::vector<FrequencyPoint> points(frequencies_hz.size());
    std::transform(std::execution::par, frequencies_hz.begin(), frequencies_hz.end(),
                   points.begin(), [&](double hz) { return measured(mover, hz, amplitude); });
    // The phase goes on past half a turn.
    for (std::size_t i = 1; i < points.size(); ++i) {
        const double way = points[i].phase_lag_rad - points[i - 1].phase_lag_rad;
        points[i].phase_lag_rad -= 2 * math::pi * std::round(way / (2 * math::pi));
    }
    return points;
}

}  // namespace hopcoil::tune
