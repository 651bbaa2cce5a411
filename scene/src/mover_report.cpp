#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/scene/mover_report.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/target.hpp>

namespace hopcoil::scene {
namespace {

constexpr double full_turn_deg = 360;
constexpr std::array<const char*, 4> axis_names{"x", "y", "z", "w"};

using Columns = std::vector<std::vector<double>>;

Columns columns_of(const Take& take, const std::string& channel) {
    const Take::Columns place = take.columns_of(take.find_channel(channel).value());
    Columns columns;
    for (std::size_t k = 0; k < place.count; ++k)
        columns.push_back(take.column(place.first + k));
    return columns;
}

std::vector<double> scaled(std::vector<double> column, double factor) {
    for (double& number : column)
        number *= factor;
    return column;
}

Quaternion turn_at(const Columns& parts, std::size_t row) {
    return {parts[0][row], parts[1][row], parts[2][row], parts[3][row]};
}

/// Turns as rotation vectors, each as near as it can be to the one before.
Columns turns_in_degrees(const Columns& parts) {
    Columns lanes(3);
    Vector3 last{};
    for (std::size_t row = 0; row < parts[0].size(); ++row) {
        last = rotation_vector_near(turn_at(parts, row), last);
        lanes[0].push_back(last.x * 180 / math::pi);
        lanes[1].push_back(last.y * 180 / math::pi);
        lanes[2].push_back(last.z * 180 / math::pi);
    }
    return lanes;
}

/// The length of rows of numbers.
std::vector<double> lengths_of(const Columns& columns) {
    std::vector<double> lengths(columns[0].size());
    for (std::size_t row = 0; row < lengths.size(); ++row) {
        double sum = 0;
        for (const auto& column : columns)
            sum += column[row] * column[row];
        lengths[row] = std::sqrt(sum);
    }
    return lengths;
}

std::vector<double> gaps_of(ValueKind kind, const Columns& values, const Columns& targets) {
    if (kind == ValueKind::rotation) {
        std::vector<double> angles(values[0].size());
        for (std::size_t row = 0; row < angles.size(); ++row) {
            const Vector3 way =
                rotation_vector(turn_at(values, row) * conjugate(turn_at(targets, row)));
            angles[row] = std::sqrt(dot(way, way));
        }
        return angles;
    }
    Columns apart = values;
    for (std::size_t k = 0; k < apart.size(); ++k) {
        for (std::size_t row = 0; row < apart[k].size(); ++row)
            apart[k][row] -= targets[k][row];
    }
    return lengths_of(apart);
}

/// Reports on the parts of one mover.
class MoverReporter {
  public:
    MoverReporter(const Scene& scene, const Take& take, const SceneMover& mover)
        : scene_{scene}, take_{take}, mover_{mover}, target_{scene.targets[mover.target]} {}

    std::vector<MoverReport> make() {
        std::vector<MoverReport> reports;
        std::string ahead = target_name();
        std::string ahead_channel = channel_name(target_.name, "value", target_.unit);
        for (std::size_t part = 0; part < part_count(mover_.numbers); ++part) {
            reports.push_back(report_part(part, ahead, ahead_channel));
            // Each link goes after the one ahead of it.
            ahead = reports.back().name;
            ahead_channel = channel_name(ahead, "value", target_.unit);
        }
        return reports;
    }

  private:
    /// What it goes after, as people would say.
    [[nodiscard]] std::string target_name() const {
        if (target_.is_where_it_ends) return "where it will come to rest";
        if (!target_.leader || target_.name != mover_.name + ".target") return target_.name;
        const SceneMover& ahead = scene_.movers[target_.leader->mover];
        return ahead.name + part_suffix(ahead.numbers, target_.leader->part);
    }

    [[nodiscard]] MoverReport report_part(std::size_t part, const std::string& ahead,
                                          const std::string& ahead_channel) const {
        const bool turns = target_.kind() == ValueKind::rotation;
        const bool in_degrees = turns || target_.unit == "rad";
        MoverReport report{.name = mover_.name + part_suffix(mover_.numbers, part),
                           .kind = kind_of(mover_.numbers),
                           .target = ahead,
                           .words = in_words(mover_.numbers, part),
                           .value_kind = target_.kind(),
                           .unit = in_degrees ? "deg" : target_.unit,
                           .per_unit = in_degrees ? 180 / math::pi : 1};
        if (const Tuning* tuning = tuning_of(mover_.numbers, part)) report.tuning = *tuning;
        const std::string speed = in_degrees ? "rad" : target_.unit;
        const Columns values = columns_of(take_, channel_name(report.name, "value", target_.unit));
        const Columns velocities = columns_of(
            take_,
            channel_name(report.name, "velocity", speed.empty() ? "per_s" : speed + "_per_s"));
        const Columns targets = columns_of(take_, ahead_channel);
        add_lanes(report, values, targets);
        measure(report, values, velocities, targets);
        add_stops(report, values[0]);
        return report;
    }

    static void add_lanes(MoverReport& report, const Columns& values, const Columns& targets) {
        const bool turns = report.value_kind == ValueKind::rotation;
        const Columns shown = turns ? turns_in_degrees(values) : values;
        const Columns followed = turns ? turns_in_degrees(targets) : targets;
        for (std::size_t k = 0; k < shown.size(); ++k) {
            Lane lane{.values = shown[k], .targets = followed[k]};
            if (shown.size() > 1) lane.name = axis_names.at(k);
            if (!turns) {
                lane.values = scaled(std::move(lane.values), report.per_unit);
                lane.targets = scaled(std::move(lane.targets), report.per_unit);
            }
            if (report.value_kind == ValueKind::angle) {
                lane.values = unwrapped(std::move(lane.values), full_turn_deg);
                lane.targets = unwrapped(std::move(lane.targets), full_turn_deg);
            }
            report.lanes.push_back(std::move(lane));
        }
    }

    void measure(MoverReport& report, const Columns& values, const Columns& velocities,
                 const Columns& targets) const {
        const std::vector<double>& times_s = take_.times_s();
        if (values.size() == 1) {
            report.tracking = measure_tracking(times_s, values[0], velocities[0], targets[0],
                                               report.value_kind == ValueKind::angle);
        } else {
            const std::vector<double> nothing(times_s.size());
            report.tracking = measure_tracking(times_s, gaps_of(report.value_kind, values, targets),
                                               lengths_of(velocities), nothing);
        }
        if (target_.is_where_it_ends) return;
        // A lane that moves most speaks for a vector.
        const auto widest = std::max_element(
            report.lanes.begin(), report.lanes.end(), [](const Lane& a, const Lane& b) {
                const auto width = [](const Lane& lane) {
                    const auto [low, high] =
                        std::minmax_element(lane.targets.begin(), lane.targets.end());
                    return *high - *low;
                };
                return width(a) < width(b);
            });
        const JumpsMet jumps = measure_jumps(times_s, widest->values, widest->targets);
        if (jumps.jumps > 0) report.jumps = jumps;
        report.lag_s = measure_lag_s(times_s, widest->values, widest->targets);
    }

    void add_stops(MoverReport& report, const std::vector<double>& values) const {
        const auto* settle = std::get_if<SettleParameters>(&mover_.numbers);
        const auto* coast = std::get_if<CoastParameters>(&mover_.numbers);
        if (report.lanes.size() > 1 || (settle == nullptr && coast == nullptr)) return;
        const double low = settle != nullptr ? settle->stops[0].low : coast->low[0];
        const double high = settle != nullptr ? settle->stops[0].high : coast->high[0];
        for (const double stop : {low, high}) {
            if (std::isfinite(stop)) report.stops.push_back(stop);
        }
        report.nearest_stop = std::numeric_limits<double>::infinity();
        for (const double value : values) {
            for (const double stop : report.stops)
                report.nearest_stop = std::min(report.nearest_stop, std::abs(value - stop));
        }
    }

    const Scene& scene_;
    const Take& take_;
    const SceneMover& mover_;
    const SceneTarget& target_;
};

}  // namespace

std::vector<MoverReport> report_on(const Scene& scene, const Take& take) {
    std::vector<MoverReport> reports;
    for (const SceneMover& mover : scene.movers) {
        for (MoverReport& report : MoverReporter{scene, take, mover}.make())
            reports.push_back(std::move(report));
    }
    return reports;
}

}  // namespace hopcoil::scene
