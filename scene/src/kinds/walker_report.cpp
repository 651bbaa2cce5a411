#include "walker_report.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <string>

#include <fmt/format.h>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>

namespace hopcoil::scene {
namespace {

/// One leg in a take.
class LegRows {
  public:
    LegRows(const ReportInput& input, const Take& take, std::size_t leg, const Port& port)
        : take_{take},
          points_{take.columns_of(take.find_channel(value_channel(input.system, port)).value())},
          planted_{take.columns_of(take.find_channel(fmt::format("{}.leg{}.planted",
                                                                 input.system.name, leg + 1))
                                       .value())
                       .first} {}

    [[nodiscard]] Vector3 point(std::size_t row, std::size_t index) const {
        const auto numbers = take_.row(row).subspan(points_.first + 3 * index, 3);
        return {numbers[0], numbers[1], numbers[2]};
    }
    [[nodiscard]] bool planted(std::size_t row) const { return take_.row(row)[planted_] != 0; }

  private:
    const Take& take_;
    Take::Columns points_;
    std::size_t planted_;
};

/// Figures of all steps of a run.
struct StepFigures {
    double steps = 0;
    double down = 0;  ///< rows in which a foot was, of all feet
    double reach_m = 0;
    double fastest = 0;
    std::vector<std::size_t> up{};  ///< feet in each row

    void add(const LegRows& rows, const std::vector<double>& times_s) {
        // Feet move in ticks: between rows that are nearer they stand and leap.
        const double spacing_s =
            times_s.back() / std::max(1.0, static_cast<double>(times_s.size()) - 1);
        const std::size_t apart =
            spacing_s < Walker::tick_s
                ? static_cast<std::size_t>(std::lround(Walker::tick_s / spacing_s))
                : 1;
        for (std::size_t row = 0; row < times_s.size(); ++row) {
            reach_m = std::max(reach_m, length_of(rows.point(row, 2) - rows.point(row, 0)));
            down += rows.planted(row) ? 1 : 0;
            up[row] += rows.planted(row) ? 0 : 1;
            if (row < apart) continue;
            steps += rows.planted(row - 1) && !rows.planted(row) ? 1 : 0;
            const double dt = times_s[row] - times_s[row - apart];
            const Vector3 moved = rows.point(row, 2) - rows.point(row - apart, 2);
            if (dt > 0) fastest = std::max(fastest, length_of(moved) / dt);
        }
    }
};

/// At its own height where the foot is down, and nothing where it is not.
ComponentCurve footfalls_of(const LegRows& rows, std::size_t row_count, std::size_t leg,
                            const std::string& name) {
    ComponentCurve bar{.name = name};
    for (std::size_t row = 0; row < row_count; ++row) {
        bar.values.push_back(rows.planted(row) ? static_cast<double>(leg + 1)
                                               : std::numeric_limits<double>::quiet_NaN());
    }
    return bar;
}

/// The body's place beside what it follows.
std::vector<ComponentCurve> way_of(const ReportInput& input, const Port& body) {
    const Take& take = input.take;
    const auto columns = take.columns_of(*take.find_channel(value_channel(input.system, body)));
    const SceneTarget& target = input.scene.targets[input.system.targets[0]];
    const auto followed = take.find_channel(channel_name(target.name, "value", target.unit));
    std::vector<ComponentCurve> curves;
    for (std::size_t k = 0; k < 3; ++k) {
        ComponentCurve curve{.name = std::string(1, "xyz"[k]),
                             .values = take.column(columns.first + k)};
        if (followed && k != 1) curve.targets = take.column(take.columns_of(*followed).first + k);
        curves.push_back(std::move(curve));
    }
    return curves;
}

/// The state of its feet in every row.
class SignalRows {
  public:
    explicit SignalRows(const ReportInput& input) : take_{input.fine} {
        for (std::size_t i = 0; i < walker_signal::count; ++i) {
            const std::string name =
                fmt::format("{}.{}", input.system.name, walker_signal::names[i]);
            columns_.at(i) = take_.columns_of(take_.find_channel(name).value()).first;
        }
    }
    [[nodiscard]] double most(walker_signal::Index index) const {
        return std::ranges::max(take_.column(columns_.at(index)));
    }
    [[nodiscard]] double least(walker_signal::Index index) const {
        return std::ranges::min(take_.column(columns_.at(index)));
    }

  private:
    const Take& take_;
    std::array<std::size_t, walker_signal::count> columns_{};
};

/// Where its hops took it.
struct HopFigures {
    double hops = 0;
    double longest_s = 0;
    double off_target_m = 0;
    double off_gaze_deg = 0;
};

/// The middle of its feet.
Vector3 feet_in(const std::vector<LegRows>& legs, std::size_t row) {
    Vector3 sum{};
    for (const LegRows& leg : legs)
        sum = sum + leg.point(row, 2);
    return sum * (1 / static_cast<double>(legs.size()));
}

/// Read off a take: when it leaves the ground and comes down, how far from its target, and how far
/// it looked past its landing when it left.
HopFigures hops_in(const ReportInput& input, const Take& take, const std::vector<Port>& ports,
                   const std::vector<LegRows>& legs) {
    const auto first = [&](const std::string& channel) {
        return take.columns_of(take.find_channel(channel).value()).first;
    };
    const SceneTarget& target = input.scene.targets[input.system.targets[0]];
    const std::size_t flies = first(fmt::format("{}.flies", input.system.name));
    const std::size_t gaze = first(value_channel(input.system, ports[gaze_port]));
    const std::size_t place = first(value_channel(input.system, ports[0]));
    const auto goal = take.find_channel(channel_name(target.name, "value", target.unit));
    HopFigures all;
    double off_s = 0;
    Vector3 ahead{};
    Vector3 eye{};
    for (std::size_t row = 1; row < take.row_count(); ++row) {
        const auto now = take.row(row);
        const double time_s = take.times_s()[row];
        const bool was = take.row(row - 1)[flies] != 0;
        if (!was && now[flies] != 0) {
            off_s = time_s;
            ahead = rotated({now[gaze], now[gaze + 1], now[gaze + 2], now[gaze + 3]}, {0, 0, 1});
            eye = {now[place], now[place + 1], now[place + 2]};
        }
        if (!was || now[flies] != 0) continue;
        const Vector3 feet = feet_in(legs, row);
        all.hops += 1;
        all.longest_s = std::max(all.longest_s, time_s - off_s);
        const Vector3 way = feet - eye;
        const double off = math::atan2(length_of(cross(ahead, way)), dot(ahead, way));
        all.off_gaze_deg = std::max(all.off_gaze_deg, off * 180 / math::pi);
        if (!goal) continue;
        const std::size_t x = take.columns_of(*goal).first;
        const double beside = std::hypot(feet.x - now[x], feet.z - now[x + 2]);
        all.off_target_m = std::max(all.off_target_m, beside);
    }
    return all;
}

}  // namespace

std::vector<SystemReport> walker_report(const SystemSpec& spec, const WalkerParts& parts,
                                        const ReportInput& input) {
    const std::vector<Port> ports = spec.outputs();
    SystemReport report{.name = input.system.name,
                        .kind = spec.kind(),
                        .target = input.scene.targets[input.system.targets[0]].name,
                        .words = spec.in_words(0),
                        .value_kind = ValueKind::vector,
                        .unit = "m",
                        .components = way_of(input, ports[0])};
    SystemChart footfalls{.title = "feet down", .unit = "leg"};
    const std::vector<double>& times_s = input.fine.times_s();
    std::vector<LegRows> legs;
    StepFigures all{.up = std::vector<std::size_t>(times_s.size())};
    for (std::size_t leg = 0; leg < parts.settings.leg_count; ++leg) {
        const Port& port = ports[first_leg_port + leg];
        footfalls.curves.push_back(
            footfalls_of({input, input.take, leg, port}, input.take.row_count(), leg, port.name));
        legs.emplace_back(input, input.fine, leg, port);
        all.add(legs.back(), times_s);
    }
    const auto feet = static_cast<double>(parts.settings.leg_count);
    const auto rows = static_cast<double>(times_s.size());
    const double l = parts.settings.leg_length_m;
    const SignalRows signals{input};
    report.figures = {
        {"steps", "steps", "", all.steps},
        {"steps_per_s", "steps a second", "", all.steps / std::max(times_s.back(), 1e-9)},
        {"duty_factor", "duty factor of a foot", "", all.down / (feet * rows)},
        {"most_feet_up", "most feet up", "",
         static_cast<double>(*std::max_element(all.up.begin(), all.up.end()))},
        {"slip_m", "most slip of a planted foot", "m", signals.most(walker_signal::slip)},
        {"reach_used_percent", "most of a leg used", "%", 100 * all.reach_m / l},
        {"slowed_s", "held back for a leg's reach", "s", signals.most(walker_signal::slowed)},
        {"clearance_m", "least clearance of a swing", "m", signals.least(walker_signal::clearance)},
        {"support_m", "least margin of support", "m", signals.least(walker_signal::support)},
        {"legs_apart_m", "nearest that two legs come", "m", signals.least(walker_signal::apart)},
        {"fastest_foot_m_per_s", "fastest foot", "m/s", all.fastest},
        {"foot_acceleration_m_per_s2", "largest acceleration of a foot", "m/s2",
         signals.most(walker_signal::acceleration)}};
    if (parts.hops.over_m > 0 || !parts.hops.at.empty()) {
        const HopFigures hops = hops_in(input, input.fine, ports, legs);
        std::vector<ReportFigure> more{
            {"hops", "hops", "", hops.hops},
            {"longest_flight_s", "longest time in the air", "s", hops.longest_s},
            {"lands_beside_m", "furthest landing from its target", "m", hops.off_target_m},
            {"looks_beside_deg", "most that it looked past a landing", "deg", hops.off_gaze_deg}};
        if (parts.hops.over_m == 0) more.resize(2);  // they have targets of their own
        report.figures.insert(report.figures.end(), more.begin(), more.end());
    }
    report.charts.push_back(std::move(footfalls));
    return {std::move(report)};
}

}  // namespace hopcoil::scene
