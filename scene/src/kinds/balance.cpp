// [balance.NAME]: a body of parts that keeps its balance.

#include "balance.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>

#include "balancing.hpp"
#include "joint_limits.hpp"
#include "jointed.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {

std::span<const char* const> body_part_names(bool has_arms) {
    static constexpr std::array names{
        "pelvis",          "torso",        "head",         "left_thigh", "right_thigh",
        "left_shin",       "right_shin",   "left_foot",    "right_foot", "left_upper_arm",
        "right_upper_arm", "left_forearm", "right_forearm"};
    constexpr std::size_t without_arms = 9;
    return std::span{names}.first(has_arms ? names.size() : without_arms);
}

BalanceSpec::BalanceSpec(BalancingBody body)
    : body_{std::move(body)}, structure_{body_structure(body_.settings.build)} {
    const FlatGround flat;
    static_cast<void>(Balance{body_.settings, flat, body_.at.value_or(Vector3{}),
                              body_.yaw_rad.value_or(0), body_.parts_of_things()});
    for (const BalanceThing& thing : body_.things)
        structure_.parts.push_back(thing.part);
    for (const MountedShape& each : body_.shapes)
        require_valid(each.shape);
    if (body_.shows_limits) limited_ = limited_joints(structure_);
}

std::string BalanceSpec::in_words(std::size_t port) const {
    if (port > 0) return "";
    const BalanceBuild& build = body_.settings.build;
    const double height_m = build.leg_length_m + build.torso_length_m + build.head_length_m;
    std::string words = fmt::format("{:.3g} m tall, {:.3g} kg, ", height_m, build.mass_kg);
    return words + (body_.settings.help > 0
                        ? fmt::format("helped by up to {:.3g} m g h", body_.settings.help)
                        : std::string{"no help from outside"});
}

std::vector<Port> BalanceSpec::outputs() const {
    const auto place = [](std::string name) {
        return Port{.name = std::move(name),
                    .quantity = "position",
                    .unit = "m",
                    .kind = ValueKind::vector,
                    .components = 3};
    };
    const auto turn = [](std::string name) {
        return Port{.name = std::move(name), .kind = ValueKind::rotation, .components = 4};
    };
    std::vector<Port> ports{place(""), turn("facing")};
    for (const char* name : {"foot1", "foot2", "pressure", "capture"}) {
        ports.push_back(place(name));
        ports.back().has_velocity = false;
    }
    for (const std::string& name : body_.part_names()) {
        ports.push_back(place(name));
        ports.push_back(turn(name + ".facing"));
    }
    const auto add = [&ports](Port port, std::size_t count) {
        port.count = count;
        port.has_velocity = false;
        ports.push_back(std::move(port));
    };
    if (body_.rig != nullptr) {
        add(place("joints"), body_.rig->joint_count());
        add(turn("joints"), body_.rig->joint_count());
        ports.back().quantity = "rotation";
    }
    if (!limited_.empty()) add(place("limits"), limit_points * limited_.size());
    return ports;
}

std::vector<RecordedChannel> BalanceSpec::signals() const {
    std::vector<RecordedChannel> all;
    for (const char* name : balance_signal::names)
        all.push_back({.name = name});
    all[balance_signal::planted1].kind = ChannelKind::flag;
    all[balance_signal::planted2].kind = ChannelKind::flag;
    return all;
}

std::vector<View> BalanceSpec::views() const {
    std::vector<View> views;
    const std::vector<Port> ports = outputs();
    const std::size_t body_size = body_part_names(body_.settings.build.arm_length_m > 0).size();
    const auto colour_of = [&](std::size_t part) -> std::optional<Colour> {
        if (part >= body_size) return body_.things[part - body_size].colour;
        // Trunk, head, legs, arms: as many as there are.
        constexpr std::array<std::size_t, 13> groups{0, 0, 1, 2, 2, 2, 2, 2, 2, 3, 3, 3, 3};
        return body_.colours[std::min(groups[part], body_.colours.size() - 1)];
    };
    for (std::size_t i = 0; i < structure_.parts.size(); ++i) {
        const std::size_t port = balance_port::first_part + 2 * i;
        View view = view_of(structure_.parts[i], ports[port].name, port);
        view.look.colour = colour_of(i);
        view.look.order = body_.order;
        views.push_back(std::move(view));
    }
    for (const std::size_t side : {std::size_t{0}, std::size_t{1}}) {
        View print{.type = View::Type::footprint,
                   .name = ports[balance_port::foot1 + side].name,
                   .position = balance_port::foot1 + side,
                   .radius_m = {0.35 * body_.settings.build.foot_length_m},
                   .alive = balance_signal::names[balance_signal::planted1 + side]};
        views.push_back(std::move(print));
    }
    struct Spot {
        std::size_t port;
        const char* name;
        Colour colour;
    };
    for (const auto& [port, name, colour] :
         {Spot{balance_port::pressure, "pressure", {0.1, 0.5, 0.75}},
          Spot{balance_port::capture, "capture", {0.85, 0.45, 0.1}},
          Spot{balance_port::body, "centre", {0.75, 0.2, 0.15}}}) {
        View spot{.type = View::Type::points, .name = name, .position = port};
        spot.radius_m = {0.09 * body_.settings.build.foot_length_m};
        spot.colours = {colour};
        spot.look.order = body_.order + 1;
        views.push_back(std::move(spot));
    }
    if (!limited_.empty()) {
        views.push_back(view_of_limits(structure_, limited_, body_.limits_port(), body_.order + 1));
    }
    if (body_.rig == nullptr) return views;
    View joints{.type = View::Type::skeleton,
                .name = "joints",
                .position = body_.joints_port(),
                .rotation = body_.joints_port() + 1,
                .colours = body_.colours};
    for (const Joint& joint : body_.rig->rig.skeleton().joints) {
        joints.parents.push_back(joint.parent);
        joints.joints.push_back(joint.name);
    }
    views.push_back(std::move(joints));
    return views;
}

std::vector<SpecDial> BalanceSpec::dials() const {
    std::vector<SpecDial> all;
    append_dials<BalanceSettings>(all, "", "");
    return all;
}

double BalanceSpec::dial(std::size_t index) const {
    return BalanceSettings::dials()[index].get(body_.settings);
}

DialStatus BalanceSpec::set_dial(std::size_t index, double value) {
    return BalanceSettings::dials()[index].set(body_.settings, value);
}

double BalanceSpec::last_event_s() const {
    double last = 0;
    for (const BalanceEvent& event : body_.events)
        last = std::max(last, event.at_s);
    return last;
}

namespace {

std::vector<double> signal_of(const Take& take, const std::string& name,
                              balance_signal::Index signal) {
    const std::string channel = fmt::format("{}.{}", name, balance_signal::names[signal]);
    return take.column(take.columns_of(take.find_channel(channel).value()).first);
}

/// The part of the time in which it is in a state.
double share_of(const std::vector<double>& states, BalanceState state) {
    const auto count = std::count(states.begin(), states.end(), static_cast<double>(state));
    return static_cast<double>(count) / static_cast<double>(states.size());
}

ComponentCurve bar_of(std::vector<double> flags, double height, const char* name) {
    for (double& row : flags)
        row = row != 0 ? height : std::numeric_limits<double>::quiet_NaN();
    return {.name = name, .values = std::move(flags)};
}

}  // namespace

std::vector<SystemReport> BalanceSpec::report(const ReportInput& input) const {
    using namespace balance_signal;
    const std::string& name = input.system.name;
    SystemReport report{.name = name,
                        .kind = kind(),
                        .words = in_words(0),
                        .value_kind = ValueKind::vector,
                        .unit = "m"};
    const auto columns =
        input.take.columns_of(*input.take.find_channel(value_channel(input.system, outputs()[0])));
    for (std::size_t k = 0; k < 3; ++k) {
        report.components.push_back(
            {.name = std::string(1, "xyz"[k]), .values = input.take.column(columns.first + k)});
    }
    const auto of = [&](const Take& take, balance_signal::Index signal) {
        return signal_of(take, name, signal);
    };
    // A body does not fall the same way at two rates: the figures are of the motion that is shown.
    const std::vector<double> states = of(input.take, state);
    const std::vector<double> helps = of(input.take, help);
    const std::vector<double> tilts = of(input.take, tilt);
    double helped = 0;
    double standing = 0;
    double most = 0;
    double tilted = 0;
    for (std::size_t i = 0; i < states.size(); ++i) {
        if (states[i] != static_cast<double>(BalanceState::stands)) continue;
        ++standing;
        helped += helps[i];
        most = std::max(most, helps[i]);
        tilted = std::max(tilted, tilts[i]);
    }
    report.figures = {
        {"falls", "falls", "", of(input.take, falls).back()},
        {"steps", "steps", "", of(input.take, steps).back()},
        {"catches", "steps that caught it", "", of(input.take, catches).back()},
        {"standing_percent", "time on its feet", "%", 100 * share_of(states, BalanceState::stands)},
        {"most_tilt_deg", "highest tilt on its feet", "deg", tilted * 180 / math::pi},
        {"most_help", "most help while it stands", "m g h", most},
        {"mean_help", "mean help while it stands", "m g h", standing > 0 ? helped / standing : 0}};
    SystemChart footfalls{.title = "feet down"};
    footfalls.curves = {bar_of(of(input.take, planted1), 2, "left"),
                        bar_of(of(input.take, planted2), 1, "right")};
    SystemChart loads{.title = "foot load", .unit = "N"};
    loads.curves = {{.name = "left", .values = of(input.take, load1)},
                    {.name = "right", .values = of(input.take, load2)}};
    SystemChart margins{.title = "capture margin", .unit = "m"};
    margins.curves = {{.values = of(input.take, margin)}};
    SystemChart helped_by{.title = "help", .unit = "m g h"};
    helped_by.curves = {{.values = of(input.take, help)}};
    const std::vector<double>& rows = helped_by.curves[0].values;
    const bool is_helped =
        std::any_of(rows.begin(), rows.end(), [](double row) { return row > 0; });
    report.charts = {std::move(footfalls), std::move(loads), std::move(margins)};
    if (is_helped) report.charts.push_back(std::move(helped_by));
    return {std::move(report)};
}

bool RunningBalance::retune(const SystemSpec& spec) {
    const BalancingBody& body = dynamic_cast<const BalanceSpec&>(spec).body();
    const bool is_set_up_alike = body.events.size() == body_.events.size() &&
                                 body.things.size() == body_.things.size() &&
                                 body.shapes == body_.shapes;
    if (!is_set_up_alike || !running_.try_retune(body.settings)) return false;
    body_.settings = body.settings;
    return true;
}

}  // namespace hopcoil::scene
