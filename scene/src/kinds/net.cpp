// [net.NAME]: cloth, rope, a soft ball, or points and links of one's own, stepped as physics.

#include "net.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "net_body.hpp"
#include "net_spec.hpp"
#include "running_net.hpp"
#include "signal_columns.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// What it is made of has dials under this name; its own net has none.
template <class Visit>
void visit_dialled(const NetParts& parts, const Visit& visit) {
    if (const auto* cloth = std::get_if<ClothSettings>(&parts.made_of)) visit(*cloth, "cloth.");
    if (const auto* rope = std::get_if<RopeSettings>(&parts.made_of)) visit(*rope, "rope.");
    if (const auto* ball = std::get_if<SoftBallSettings>(&parts.made_of))
        visit(*ball, "soft_ball.");
}

std::size_t dialled_count(const NetParts& parts) {
    std::size_t count = 0;
    visit_dialled(parts, [&](const auto& made, const char*) { count = made.dials().size(); });
    return count;
}

}  // namespace

std::size_t NetParts::point_count() const {
    if (const auto* cloth = std::get_if<ClothSettings>(&made_of))
        return cloth->columns * cloth->rows;
    if (const auto* rope = std::get_if<RopeSettings>(&made_of)) return rope->segments + 1;
    if (const auto* own = std::get_if<OwnNet>(&made_of)) return own->structure.points.size();
    if (body() != nullptr) return body()->point_count();
    return hopcoil::point_count(std::get<SoftBallSettings>(made_of));
}

NetStructure NetParts::build() const {
    NetStructure made;
    if (const auto* cloth = std::get_if<ClothSettings>(&made_of))
        made = hopcoil::cloth(*cloth, placement);
    if (const auto* rope = std::get_if<RopeSettings>(&made_of)) {
        made = far_end ? rope_between(*rope, placement.position, *far_end)
                       : hopcoil::rope(*rope, placement);
        for (NetPoint& point : made.points)
            point.is_pinned = false;
    }
    if (const auto* ball = std::get_if<SoftBallSettings>(&made_of))
        made = hopcoil::soft_ball(*ball, placement);
    if (const auto* own = std::get_if<OwnNet>(&made_of)) {
        made = own->structure;
        for (NetPoint& point : made.points) {
            point.position =
                placement.position + rotated(normalized(placement.rotation), point.position);
        }
    }
    if (body() != nullptr) made = body()->build(placement);
    for (const NetPin& each : pins)
        pin(made, each.points);
    for (const NetBall& ball : balls)
        made.points.push_back({ball.place, ball.mass_kg, ball.radius_m, ball.until_s > 0});
    return made;
}

NetSpec::NetSpec(NetParts parts)
    : parts_{std::move(parts)},
      structure_{parts_.build()},
      plan_{plan_for(structure_, parts_.settings)} {
    for (const MountedShape& each : parts_.shapes)
        require_valid(each.shape);
}

std::string stable_step_in_words(const NetPlan& plan) {
    if (std::isinf(plan.stable_step_s)) return "stable at any step";
    if (plan.stable_step_s == 0) return "no step is stable without damping";
    return fmt::format("stable below {:.3g} ms", 1e3 * plan.stable_step_s);
}

std::string NetSpec::in_words(std::size_t port) const {
    if (port > 0) return "";
    std::string made = fmt::format("{} points", parts_.point_count());
    if (const auto* cloth = std::get_if<ClothSettings>(&parts_.made_of)) {
        made = fmt::format("cloth of {:.3g} x {:.3g} m, {} x {} points", cloth->width_m,
                           cloth->height_m, cloth->columns, cloth->rows);
    }
    if (const auto* rope = std::get_if<RopeSettings>(&parts_.made_of))
        made = fmt::format("rope of {:.3g} m, {} segments", rope->length_m, rope->segments);
    if (const auto* ball = std::get_if<SoftBallSettings>(&parts_.made_of)) {
        made =
            fmt::format("soft ball of {:.3g} m, {} points", ball->radius_m, parts_.point_count());
    }
    if (const BodyOfPoints* body = parts_.body())
        made = fmt::format("body of {:.3g} kg, {} limbs", body->body.mass_kg, body->limbs.size());
    std::string how =
        fmt::format("{}, {} {} of {:.3g} ms", facts_of(plan_.method).name, plan_.substeps,
                    plan_.substeps == 1 ? "step" : "substeps",
                    1e3 * parts_.settings.frame_s / static_cast<double>(plan_.substeps));
    if (plan_.method == NetMethod::forces) how += fmt::format(" ({})", stable_step_in_words(plan_));
    if (plan_.method == NetMethod::positions)
        how += fmt::format(" (forces would take {})", plan_.force_substeps);
    return made + ", " + how;
}

std::vector<Port> NetSpec::outputs() const {
    std::vector<Port> ports{{.quantity = "position",
                             .unit = "m",
                             .kind = ValueKind::vector,
                             .components = 3,
                             .count = parts_.point_count()}};
    for (const NetBall& ball : parts_.balls) {
        ports.push_back({.name = ball.name,
                         .quantity = "position",
                         .unit = "m",
                         .kind = ValueKind::vector,
                         .components = 3});
    }
    if (parts_.body() == nullptr) return ports;
    ports.push_back({.name = "middle",
                     .quantity = "position",
                     .unit = "m",
                     .kind = ValueKind::vector,
                     .components = 3});
    ports.push_back({.name = "facing", .kind = ValueKind::rotation, .components = 4});
    return ports;
}

std::vector<RecordedChannel> NetSpec::signals() const {
    return {{.name = "largest_stretch"},
            {.name = "energy_j", .unit = "J"},
            {.name = "contacts"},
            {.name = "contact_depth_m", .unit = "m"},
            {.name = "lowest_m", .unit = "m"}};
}

bool NetSpec::is_measured(const std::string& channel) const {
    return has_signal(*this, channel);
}

std::vector<View> NetSpec::views() const {
    View net{.type = View::Type::points,
             .position = 0,
             .radius_m = parts_.look.radius_m,
             .colours = parts_.look.colours};
    net.look.order = parts_.look.order;
    for (const auto& [a, b, c] : structure_.triangles)
        net.triangles.push_back({a, b, c});
    for (const auto& [u, v] : structure_.texture)
        net.texture.push_back({static_cast<double>(u), static_cast<double>(v)});
    if (!net.triangles.empty()) net.type = View::Type::mesh;
    if (std::holds_alternative<RopeSettings>(parts_.made_of)) {
        net.type = net.radius_m.empty() ? View::Type::line : View::Type::tube;
        net.is_smooth = true;
    }
    std::vector<View> views{std::move(net)};
    if (parts_.body() != nullptr)
        views = views_of(*parts_.body(), parts_.middle_port(), parts_.look);
    for (std::size_t i = 0; i < parts_.balls.size(); ++i) {
        View ball{.name = parts_.balls[i].name, .position = i + 1};
        ball.radius_m = {parts_.balls[i].radius_m};
        ball.look.order = parts_.look.order + 1;
        views.push_back(std::move(ball));
    }
    return views;
}

std::vector<SpecDial> NetSpec::dials() const {
    std::vector<SpecDial> all;
    visit_dialled(parts_, [&]<class Made>(const Made&, const char* prefix) {
        append_dials<Made>(all, prefix, prefix);
    });
    append_dials<NetSettings>(all, "", "");
    return all;
}

double NetSpec::dial(std::size_t index) const {
    const std::size_t count = dialled_count(parts_);
    if (index >= count) return NetSettings::dials()[index - count].get(parts_.settings);
    double value = 0;
    visit_dialled(parts_,
                  [&](const auto& made, const char*) { value = made.dials()[index].get(made); });
    return value;
}

DialStatus NetSpec::set_dial(std::size_t index, double value) {
    NetParts changed = parts_;
    const std::size_t count = dialled_count(parts_);
    DialStatus status = DialStatus::refused;
    if (index >= count) {
        status = NetSettings::dials()[index - count].set(changed.settings, value);
    } else {
        visit_dialled(changed, [&]<class Made>(const Made& made, const char*) {
            Made numbers = made;
            status = Made::dials()[index].set(numbers, value);
            if (status == DialStatus::set) changed.made_of = numbers;
        });
    }
    if (status == DialStatus::set) *this = NetSpec{std::move(changed)};
    return status;
}

std::unique_ptr<RunningSystem> NetSpec::start_running(const SystemInputs& inputs) const {
    return std::make_unique<RunningNet>(parts_, inputs);
}

std::vector<StepLimit> NetSpec::step_limits() const {
    std::vector<StepLimit> limits;
    const bool is_own = parts_.settings.method != NetMethod::automatic;
    const auto add = [&](StepLimit limit, NetMethod method, Scheme scheme) {
        NetSettings settings = parts_.settings;
        settings.method = method;
        settings.scheme = scheme;
        settings.substeps = is_own && method == plan_.method ? parts_.settings.substeps : 0;
        limit.stable_below_s = std::numeric_limits<double>::infinity();
        try {
            const NetPlan plan = plan_for(structure_, settings);
            const bool is_forces = method == NetMethod::forces;
            if (is_forces) limit.stable_below_s = plan.stable_step_s;
            limit.steps = is_forces ? plan.force_substeps : plan.substeps;
            if (method == NetMethod::positions)
                limit.note = fmt::format("hangs up to {:.2g} % too low", plan.excess_percent);
            if (limit.stable_below_s == 0) limit.note = "unstable at any step";
        } catch (const InvalidValue& problem) {
            limit.note = "not here: " + problem.expected();
        }
        limit.is_chosen = method == plan_.method &&
                          (method != NetMethod::forces || scheme == parts_.settings.scheme);
        limits.push_back(std::move(limit));
    };
    for (const SchemeFacts& facts : all_schemes())
        add({.method = fmt::format("forces, {}", facts.name)}, NetMethod::forces, facts.scheme);
    add({.method = "positions"}, NetMethod::positions, parts_.settings.scheme);
    add({.method = "implicit",
         .note = fmt::format("{} iterations a step", parts_.settings.iterations)},
        NetMethod::implicit, parts_.settings.scheme);
    return limits;
}

namespace {

/// Heights of the lowest and the highest point, row after row.
struct Heights {
    std::vector<double> lowest{};
    std::vector<double> highest{};
};
Heights heights_in(const Take& take, std::size_t channel) {
    const Take::Columns columns = take.columns_of(channel);
    Heights heights;
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const auto numbers = take.row(row).subspan(columns.first, columns.count);
        double least = numbers[1];
        double most = numbers[1];
        for (std::size_t i = 1; i < numbers.size(); i += 3) {
            least = std::min(least, numbers[i]);
            most = std::max(most, numbers[i]);
        }
        heights.lowest.push_back(least);
        heights.highest.push_back(most);
    }
    return heights;
}

}  // namespace

std::vector<SystemReport> NetSpec::report(const ReportInput& input) const {
    const std::string& name = input.system.name;
    const std::string positions = value_channel(input.system, outputs().front());
    SystemReport report{.name = name,
                        .kind = kind(),
                        .words = in_words(0),
                        .value_kind = ValueKind::vector,
                        .unit = "m"};
    // Not in a take for figures alone.
    if (const auto channel = input.take.find_channel(positions)) {
        Heights shown = heights_in(input.take, *channel);
        report.components = {{.name = "lowest point", .values = std::move(shown.lowest)},
                             {.name = "highest point", .values = std::move(shown.highest)}};
    }
    const auto percent = [](std::vector<double> numbers) {
        for (double& each : numbers)
            each *= 100;
        return numbers;
    };
    const std::vector<double> stretch = percent(signal_in(input.fine, name + ".largest_stretch"));
    const std::vector<double> energy = signal_in(input.fine, name + ".energy_j");
    report.figures = {
        {"largest_stretch_percent", "largest stretch of a link", "%", largest_of(stretch)},
        {"stretch_at_end_percent", "at the end", "%", stretch.empty() ? 0 : stretch.back()},
        {"lowest_m", "lowest point", "m", lowest_of(signal_in(input.fine, name + ".lowest_m"))},
        {"energy_at_start_j", "energy at the start", "J", energy.empty() ? 0 : energy.front()},
        {"energy_at_end_j", "at the end", "J", energy.empty() ? 0 : energy.back()},
        {"contacts", "points in contact at most", "",
         largest_of(signal_in(input.fine, name + ".contacts"))},
        {"deepest_contact_m", "deepest contact", "m",
         largest_of(signal_in(input.fine, name + ".contact_depth_m"))},
        {"substeps", "substeps of a frame", "", static_cast<double>(plan_.substeps)}};
    if (plan_.method == NetMethod::positions) {
        report.figures.push_back(
            {"excess_percent", "hangs too low by up to", "%", plan_.excess_percent});
    }
    report.charts.push_back(
        {.title = "largest stretch",
         .unit = "%",
         .curves = {{.values = percent(signal_in(input.take, name + ".largest_stretch"))}}});
    report.charts.push_back({.title = "energy",
                             .unit = "J",
                             .curves = {{.values = signal_in(input.take, name + ".energy_j")}}});
    return {std::move(report)};
}

}  // namespace hopcoil::scene
