// [parts.NAME]: rigid parts with joints, links, springs and contact.

#include <algorithm>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>

#include "joint_limits.hpp"
#include "jointed.hpp"
#include "signal_columns.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr const char* contacts_signal = "contacts.touch";

}  // namespace

PartsStructure JointedParts::built() const {
    PartsStructure made = structure;
    for (const PartsGroup& group : groups) {
        for (const std::size_t joint : group.joints) {
            made.joints[joint].spring = group.spring;
            if (made.joints[joint].type == PartJoint::Type::ball)
                made.joints[joint].spring.wanted_rad = {group.spring.wanted, 0, 0};
        }
        for (const std::size_t link : group.links) {
            made.links[link].stiffness_n_per_m = group.spring.stiffness;
            made.links[link].damping_n_s_per_m = group.spring.damping;
        }
    }
    return made;
}

PartsPorts::PartsPorts(const JointedParts& parts) {
    std::size_t next = 2 * parts.names.size();
    if (!parts.structure.joints.empty()) joints = next++;
    if (!parts.structure.links.empty()) links = next++;
    if (joints || links) centre = next++;
    limited = limited_joints(parts.structure);
    if (!limited.empty()) limits = next++;
    if (parts.contact_points > 0) contacts = next++;
}

Vector3 joint_place(const PartsStructure& structure, std::span<const Placement> places,
                    std::size_t joint) {
    const PartJoint& one = structure.joints[joint];
    const Part& part = structure.parts[one.b];
    const Vector3 own = rotated(conjugate(normalized(part.placement.rotation)),
                                one.frame.position - part.placement.position);
    return places[one.b].position + rotated(places[one.b].rotation, own);
}

Vector3 link_end(const PartsStructure& structure, std::span<const Placement> places,
                 std::size_t index) {
    const PartLink& link = structure.links[index / 2];
    const std::uint32_t part = index % 2 == 0 ? link.a : link.b;
    const Vector3& point = index % 2 == 0 ? link.point_a : link.point_b;
    if (part == no_part) return point;
    return places[part].position + rotated(places[part].rotation, point);
}

PartsSpec::PartsSpec(JointedParts parts)
    : parts_{std::move(parts)}, plan_{plan_for(parts_.built(), parts_.settings)} {
    for (const MountedShape& each : parts_.shapes)
        require_valid(each.shape);
}

std::string PartsSpec::in_words(std::size_t port) const {
    if (port != main_output()) return "";
    const auto many = [](std::size_t count, const char* one) {
        return fmt::format("{} {}{}", count, one, count == 1 ? "" : "s");
    };
    std::string words = many(parts_.names.size(), "part");
    if (!parts_.joint_names.empty()) words += ", " + many(parts_.joint_names.size(), "joint");
    if (!parts_.structure.links.empty())
        words += ", " + many(parts_.structure.links.size(), "link");
    words += fmt::format(", substeps of {:.3g} ms", 1e3 * plan_.substep_s);
    if (plan_.stiffest > 1) {
        words +=
            fmt::format(" (springs have their stated stiffness from {} on)", plan_.exact_substeps);
    }
    return words;
}

std::vector<Port> PartsSpec::outputs() const {
    std::vector<Port> ports;
    for (const std::string& name : parts_.names) {
        ports.push_back({.name = name,
                         .quantity = "position",
                         .unit = "m",
                         .kind = ValueKind::vector,
                         .components = 3});
        ports.push_back({.name = name + ".facing", .kind = ValueKind::rotation, .components = 4});
    }
    const PartsPorts own{parts_};
    const auto places = [&](const std::optional<std::size_t>& port, const char* name,
                            std::size_t count) {
        if (!port) return;
        ports.push_back({.name = name,
                         .quantity = "position",
                         .unit = "m",
                         .kind = ValueKind::vector,
                         .components = 3,
                         .count = count,
                         .has_velocity = false});
    };
    places(own.joints, "joints", parts_.structure.joints.size());
    places(own.links, "links", 2 * parts_.structure.links.size());
    places(own.centre, "centre_of_mass", 1);
    places(own.limits, "limits", limit_points * own.limited.size());
    places(own.contacts, "contacts", parts_.contact_points);
    if (own.contacts) ports.back().alive = contacts_signal;
    return ports;
}

/// The last part.
std::size_t PartsSpec::main_output() const {
    return 2 * (parts_.names.size() - 1);
}

std::vector<RecordedChannel> PartsSpec::signals() const {
    std::vector<RecordedChannel> all{{.name = "energy_j", .unit = "J"},
                                     {.name = "joint_gap_m", .unit = "m"},
                                     {.name = "contacts"},
                                     {.name = "contact_depth_m", .unit = "m"}};
    for (std::size_t i = 0; i < parts_.joint_names.size(); ++i) {
        const bool slides = parts_.structure.joints[i].type == PartJoint::Type::slide;
        all.push_back({.name = parts_.joint_names[i] + (slides ? ".moved_m" : ".turned_rad"),
                       .unit = slides ? "m" : "rad"});
    }
    if (parts_.contact_points > 0) {
        all.push_back(
            {.name = contacts_signal, .kind = ChannelKind::flag, .count = parts_.contact_points});
    }
    return all;
}

std::vector<View> PartsSpec::views() const {
    std::vector<View> views;
    auto driven = parts_.driven.begin();
    for (std::size_t i = 0; i < parts_.names.size(); ++i) {
        View view = view_of(parts_.structure.parts[i], parts_.names[i], 2 * i);
        view.look.colour = parts_.colours[i];
        if (parts_.structure.parts[i].is_driven) {
            view.source_position = driven->mount.position;
            view.source_rotation = driven->mount.rotation;
            ++driven;
        }
        view.look.order = parts_.order;
        views.push_back(std::move(view));
    }
    const PartsPorts own{parts_};
    const auto add = [&](View::Type type, const char* name, std::size_t port, double radius_m,
                         const Colour& colour) {
        View view{.type = type,
                  .name = name,
                  .position = port,
                  .radius_m = {radius_m},
                  .colours = {colour}};
        view.look.order = parts_.order + 1;
        view.is_aid = true;
        views.push_back(std::move(view));
        return &views.back();
    };
    if (own.links) {
        View& ties = *add(View::Type::branches, "links", *own.links, 0.004, {0.2, 0.24, 0.28});
        for (std::size_t i = 0; i < 2 * parts_.structure.links.size(); ++i)
            ties.parents.push_back(i - i % 2);
        ties.radius_m.resize(ties.parents.size(), 0.004);
    }
    if (own.limits) {
        views.push_back(
            view_of_limits(parts_.structure, own.limited, *own.limits, parts_.order + 1));
    }
    if (own.joints) add(View::Type::points, "joints", *own.joints, 0.012, {0.95, 0.92, 0.8});
    if (own.centre) add(View::Type::points, "centre_of_mass", *own.centre, 0.02, {0.75, 0.2, 0.15});
    if (own.contacts) {
        add(View::Type::points, "contacts", *own.contacts, 0.015, {0.1, 0.5, 0.75})->alive =
            contacts_signal;
    }
    return views;
}

std::vector<SpecDial> PartsSpec::dials() const {
    std::vector<SpecDial> all;
    append_dials<PartsSettings>(all, "", "");
    for (std::size_t i = 0; i < parts_.groups.size(); ++i) {
        append_dials<JointSpring>(all, parts_.groups[i].name + '.', fmt::format("groups.{}.", i));
    }
    return all;
}

double PartsSpec::dial(std::size_t index) const {
    if (index < PartsSettings::dial_count)
        return PartsSettings::dials()[index].get(parts_.settings);
    const std::size_t of_groups = index - PartsSettings::dial_count;
    const PartsGroup& group = parts_.groups.at(of_groups / JointSpring::dial_count);
    return JointSpring::dials()[of_groups % JointSpring::dial_count].get(group.spring);
}

DialStatus PartsSpec::set_dial(std::size_t index, double value) {
    JointedParts changed = parts_;
    DialStatus status = DialStatus::refused;
    if (index < PartsSettings::dial_count) {
        status = PartsSettings::dials()[index].set(changed.settings, value);
    } else {
        const std::size_t of_groups = index - PartsSettings::dial_count;
        if (of_groups / JointSpring::dial_count >= changed.groups.size()) return status;
        PartsGroup& group = changed.groups[of_groups / JointSpring::dial_count];
        status = JointSpring::dials()[of_groups % JointSpring::dial_count].set(group.spring, value);
    }
    if (status == DialStatus::set) *this = PartsSpec{std::move(changed)};
    return status;
}

double PartsSpec::last_event_s() const {
    double last = 0;
    for (const PartBlow& blow : parts_.blows)
        last = std::max(last, blow.at_s);
    return last;
}

std::vector<StepLimit> PartsSpec::step_limits() const {
    std::vector<StepLimit> limits;
    for (const std::size_t substeps : {std::size_t{6}, std::size_t{12}, std::size_t{24},
                                       std::size_t{48}, parts_.settings.substeps}) {
        const bool is_chosen = substeps == parts_.settings.substeps;
        PartsSettings settings = parts_.settings;
        settings.substeps = substeps;
        const PartsPlan plan = plan_for(parts_.built(), settings);
        StepLimit limit{.method = fmt::format("{} substeps", substeps),
                        .stable_below_s = std::numeric_limits<double>::infinity(),
                        .steps = substeps,
                        .is_chosen = is_chosen};
        limit.note = plan.stiffest <= 1
                         ? "springs and links have their stated stiffness"
                         : fmt::format("the stiffest spring swings too slowly; exact from {} on",
                                       plan.exact_substeps);
        const auto same = std::find_if(limits.begin(), limits.end(), [&](const StepLimit& each) {
            return each.steps == substeps;
        });
        if (same != limits.end()) {
            same->is_chosen = true;
        } else {
            limits.push_back(std::move(limit));
        }
    }
    std::sort(limits.begin(), limits.end(),
              [](const StepLimit& a, const StepLimit& b) { return a.steps < b.steps; });
    return limits;
}

std::vector<SystemReport> PartsSpec::report(const ReportInput& input) const {
    const std::string& name = input.system.name;
    const Port last = outputs()[main_output()];
    const auto columns =
        input.take.columns_of(input.take.find_channel(value_channel(input.system, last)).value());
    SystemReport report{.name = name,
                        .kind = kind(),
                        .words = in_words(main_output()),
                        .value_kind = ValueKind::vector,
                        .unit = "m"};
    for (std::size_t k = 0; k < 3; ++k) {
        report.components.push_back(
            {.name = std::string(1, "xyz"[k]), .values = input.take.column(columns.first + k)});
    }
    const auto fine =
        input.fine.columns_of(input.fine.find_channel(value_channel(input.system, last)).value());
    const std::vector<double> across = input.fine.column(fine.first);
    const auto [least, most] = std::minmax_element(across.begin(), across.end());
    report.figures = {
        {"parts", "parts", "", static_cast<double>(parts_.names.size())},
        {"last_swing_m", "last part's travel along x", "m", *most - *least},
        {"largest_gap_m", "largest joint gap", "m",
         largest_of(signal_in(input.fine, name + ".joint_gap_m"))},
        {"contacts", "contacts at most", "", largest_of(signal_in(input.fine, name + ".contacts"))},
        {"deepest_contact_m", "deepest contact", "m",
         largest_of(signal_in(input.fine, name + ".contact_depth_m"))},
        {"substeps", "substeps of 1/60 s", "", static_cast<double>(parts_.settings.substeps)}};
    SystemChart turns{.title = "joints turned", .unit = "deg"};
    double most_turned = 0;
    for (const std::string& joint : parts_.joint_names) {
        const std::string signal = fmt::format("{}.{}.turned_rad", name, joint);
        std::vector<double> values = signal_in(input.take, signal);
        if (values.empty()) continue;
        most_turned = std::max(most_turned, largest_of(signal_in(input.fine, signal)));
        for (double& value : values)
            value *= 180 / math::pi;
        turns.curves.push_back({.name = joint, .values = std::move(values)});
    }
    if (!turns.curves.empty()) {
        report.figures.push_back(
            {"most_turned_deg", "a joint turned at most", "deg", most_turned * 180 / math::pi});
        report.charts.push_back(std::move(turns));
    }
    report.charts.push_back({.title = "energy",
                             .unit = "J",
                             .curves = {{.values = signal_in(input.take, name + ".energy_j")}}});
    return {std::move(report)};
}

}  // namespace hopcoil::scene
