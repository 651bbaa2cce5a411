#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/scene/target.hpp>

#include "mover_spec.hpp"

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
    Columns turns(3);
    Vector3 last{};
    for (std::size_t row = 0; row < parts[0].size(); ++row) {
        last = rotation_vector_near(turn_at(parts, row), last);
        turns[0].push_back(last.x * 180 / math::pi);
        turns[1].push_back(last.y * 180 / math::pi);
        turns[2].push_back(last.z * 180 / math::pi);
    }
    return turns;
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
    MoverReporter(const ReportInput& input, const MoverSpecBase& spec, std::vector<double> stops)
        : input_{input},
          spec_{spec},
          stops_{std::move(stops)},
          target_{input.scene.targets[input.system.targets[0]]} {}

    std::vector<SystemReport> make() {
        std::vector<SystemReport> reports;
        std::string ahead = target_name();
        std::string ahead_channel = channel_name(target_.name, "value", target_.unit);
        const std::vector<Port> ports = spec_.outputs();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            reports.push_back(report_part(i, ports[i], ahead, ahead_channel));
            // Each link follows the one ahead of it.
            ahead = reports.back().name;
            ahead_channel = value_channel(input_.system, ports[i]);
        }
        return reports;
    }

  private:
    /// What it follows, as people would say.
    [[nodiscard]] std::string target_name() const {
        if (target_.is_where_it_ends) return "where it will come to rest";
        if (!target_.source || target_.name != input_.system.name + ".target") return target_.name;
        const SceneSystem& ahead = input_.scene.systems[target_.source->output.system];
        return output_name(ahead, ahead.spec->outputs().at(target_.source->output.port));
    }

    [[nodiscard]] SystemReport report_part(std::size_t port, const Port& output,
                                           const std::string& ahead,
                                           const std::string& ahead_channel) const {
        const bool turns = target_.kind() == ValueKind::rotation;
        const bool in_degrees = turns || target_.unit == "rad";
        SystemReport report{.name = output_name(input_.system, output),
                            .kind = spec_.kind(),
                            .target = ahead,
                            .words = spec_.in_words(port),
                            .tuning = spec_.tuning(port),
                            .value_kind = target_.kind(),
                            .unit = in_degrees ? "deg" : target_.unit,
                            .per_unit = in_degrees ? 180 / math::pi : 1};
        const std::string value = value_channel(input_.system, output);
        report.components = curves_of(report, columns_of(input_.take, value),
                                      columns_of(input_.take, ahead_channel));
        const Columns values = columns_of(input_.fine, value);
        measure(report, values, columns_of(input_.fine, velocity_channel(input_.system, output)),
                columns_of(input_.fine, ahead_channel));
        add_stops(report, values[0]);
        return report;
    }

    /// Each component as people are shown it.
    static std::vector<ComponentCurve> curves_of(const SystemReport& report, const Columns& values,
                                                 const Columns& targets) {
        std::vector<ComponentCurve> curves;
        const bool turns = report.value_kind == ValueKind::rotation;
        const Columns shown = turns ? turns_in_degrees(values) : values;
        const Columns followed = turns ? turns_in_degrees(targets) : targets;
        for (std::size_t k = 0; k < shown.size(); ++k) {
            ComponentCurve curve{.values = shown[k], .targets = followed[k]};
            if (shown.size() > 1) curve.name = axis_names.at(k);
            if (!turns) {
                curve.values = scaled(std::move(curve.values), report.per_unit);
                curve.targets = scaled(std::move(curve.targets), report.per_unit);
            }
            if (report.value_kind == ValueKind::angle) {
                curve.values = unwrapped(std::move(curve.values), full_turn_deg);
                curve.targets = unwrapped(std::move(curve.targets), full_turn_deg);
            }
            curves.push_back(std::move(curve));
        }
        return curves;
    }

    void measure(SystemReport& report, const Columns& values, const Columns& velocities,
                 const Columns& targets) const {
        const std::vector<double>& times_s = input_.fine.times_s();
        if (values.size() == 1) {
            report.tracking = measure_tracking(times_s, values[0], velocities[0], targets[0],
                                               report.value_kind == ValueKind::angle);
        } else {
            const std::vector<double> nothing(times_s.size());
            report.tracking = measure_tracking(times_s, gaps_of(report.value_kind, values, targets),
                                               lengths_of(velocities), nothing);
        }
        if (target_.is_where_it_ends) {
            add_landing(report);
            return;
        }
        Columns shown;
        Columns followed;
        for (ComponentCurve& curve : curves_of(report, values, targets)) {
            shown.push_back(std::move(curve.values));
            followed.push_back(std::move(curve.targets));
        }
        const JumpsMet jumps = measure_jumps(times_s, shown, followed);
        if (jumps.jumps > 0) report.jumps = jumps;
        report.lag_s = measure_lag_s(times_s, shown, followed);
    }

    /// Where it is in the end.
    static void add_landing(SystemReport& report) {
        constexpr double visible = 1e-3;
        for (const ComponentCurve& curve : report.components) {
            const double rest = curve.targets.back();
            const double to_go = std::abs(rest - curve.values.back());
            const bool landed = to_go <= visible * report.tracking->largest_gap * report.per_unit;
            std::string key = landed ? "landed" : "last_place";
            for (const std::string& more : {curve.name, report.unit})
                key += more.empty() ? "" : "_" + more;
            report.figures.push_back({key,
                                      (landed ? "landed at" : "not yet at rest, at") +
                                          (curve.name.empty() ? "" : " " + curve.name),
                                      report.unit, landed ? rest : curve.values.back()});
        }
    }

    void add_stops(SystemReport& report, const std::vector<double>& values) const {
        if (stops_.empty()) return;
        for (const double stop : stops_) {
            if (std::isfinite(stop)) report.stops.push_back(stop);
        }
        report.nearest_stop = std::numeric_limits<double>::infinity();
        for (const double value : values) {
            for (const double stop : report.stops)
                report.nearest_stop = std::min(report.nearest_stop, std::abs(value - stop));
        }
    }

    const ReportInput& input_;
    const MoverSpecBase& spec_;
    std::vector<double> stops_;
    const SceneTarget& target_;
};

}  // namespace

std::vector<SystemReport> MoverSpecBase::report(const ReportInput& input) const {
    return MoverReporter{input, *this, stops()}.make();
}

}  // namespace hopcoil::scene
