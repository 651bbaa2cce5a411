#include <algorithm>
#include <cmath>
#include <utility>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/scene/trajectory.hpp>

namespace hopcoil::scene {
namespace {

/// Between two samples this far apart a straight line, made unit, is within 1e-6 of an even turn.
constexpr double largest_turn_rad = 0.02;

Quaternion turn_of(const std::array<double, 4>& parts) {
    return {parts[0], parts[1], parts[2], parts[3]};
}

double along(const std::array<double, 4>& a, const std::array<double, 4>& b) {
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3];
}

std::array<double, 4> negated(const std::array<double, 4>& parts) {
    return {-parts[0], -parts[1], -parts[2], -parts[3]};
}

void add(TurnSamples& samples, double time_s, const std::array<double, 4>& parts) {
    samples.times_s.push_back(time_s);
    for (std::size_t k = 0; k < parts.size(); ++k)
        samples.parts[k].push_back(parts[k]);
}

/// What lies between two samples of one sign.
void add_between(TurnSamples& samples, double from_s, double to_s,
                 const std::array<double, 4>& from, const std::array<double, 4>& to) {
    const Quaternion first = normalized(turn_of(from));
    const Vector3 way = rotation_vector(normalized(turn_of(to)) * conjugate(first));
    const double angle = std::sqrt(dot(way, way));
    if (!(to_s > from_s) || !(angle > largest_turn_rad)) return;
    const int pieces = static_cast<int>(std::ceil(angle / largest_turn_rad));
    for (int i = 1; i < pieces; ++i) {
        const double part = static_cast<double>(i) / pieces;
        const Quaternion q = turned_by(way * part) * first;
        add(samples, from_s + (to_s - from_s) * part, {q.w, q.x, q.y, q.z});
    }
}

/// A jump at every key.
std::pair<std::vector<double>, std::vector<std::array<double, 4>>> stepped(
    const io::NodeTrack& track) {
    std::vector<double> times_s;
    std::vector<std::array<double, 4>> values;
    for (std::size_t i = 0; i < track.times_s.size(); ++i) {
        if (i > 0) {
            times_s.push_back(track.times_s[i]);
            values.push_back(track.values[i - 1]);
        }
        times_s.push_back(track.times_s[i]);
        values.push_back(track.values[i]);
    }
    return {std::move(times_s), std::move(values)};
}

std::vector<Target> cubic_components(const io::NodeTrack& track, AfterEnd after_end) {
    std::vector<Target> components;
    for (std::size_t k = 0; k < size_of(track.kind); ++k) {
        std::vector<CurveKey> keys;
        for (std::size_t i = 0; i < track.times_s.size(); ++i) {
            keys.push_back({track.times_s[i], track.values[i][k], track.slopes_before[i][k],
                            track.slopes_after[i][k]});
        }
        components.emplace_back(RecordTarget{keys, after_end});
    }
    return components;
}

std::vector<Target> straight_components(const io::NodeTrack& track, AfterEnd after_end) {
    const bool steps = track.between == io::NodeTrack::Between::step;
    auto [times_s, values] = steps ? stepped(track) : std::pair{track.times_s, track.values};
    std::vector<Target> components;
    if (track.kind == io::TrackKind::rotation) {
        TurnSamples samples = evenly_turning(times_s, values);
        for (auto& part : samples.parts)
            components.emplace_back(RecordTarget{samples.times_s, std::move(part), after_end});
        return components;
    }
    for (std::size_t k = 0; k < size_of(track.kind); ++k) {
        std::vector<double> component;
        component.reserve(values.size());
        for (const auto& value : values)
            component.push_back(value[k]);
        components.emplace_back(RecordTarget{times_s, std::move(component), after_end});
    }
    return components;
}

}  // namespace

TurnSamples evenly_turning(const std::vector<double>& times_s,
                           const std::vector<std::array<double, 4>>& turns) {
    TurnSamples samples;
    std::array<double, 4> last{};
    for (std::size_t i = 0; i < times_s.size(); ++i) {
        const std::array<double, 4> next =
            i > 0 && along(turns[i], last) < 0 ? negated(turns[i]) : turns[i];
        if (i > 0) add_between(samples, times_s[i - 1], times_s[i], last, next);
        add(samples, times_s[i], next);
        last = next;
    }
    return samples;
}

Trajectory trajectory_from(const io::NodeTrack& track, AfterEnd after_end) {
    const bool cubic = track.between == io::NodeTrack::Between::cubic;
    return {track.kind == io::TrackKind::rotation ? ValueKind::rotation : ValueKind::vector,
            cubic ? cubic_components(track, after_end) : straight_components(track, after_end)};
}

}  // namespace hopcoil::scene
