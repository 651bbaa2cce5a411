#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/net_settings.hpp>
#include <hopcoil/stepping/network_stability.hpp>

#include "../base/vectors.hpp"
#include "net_solver.hpp"

namespace hopcoil {
namespace {

constexpr std::array<Dial<NetSettings>, NetSettings::dial_count> all_dials{
    field_dial<&NetSettings::stiffness_factor>(
        Dial<NetSettings>{"stiffness_factor", "", {0, 1e9}, {0.01, 100}, DialScale::logarithmic}),
    field_dial<&NetSettings::bending_factor>(
        Dial<NetSettings>{"bending_factor", "", {0, 1e9}, {0.01, 100}, DialScale::logarithmic}),
    field_dial<&NetSettings::damping_factor>(
        Dial<NetSettings>{"damping_factor", "", {0, 1e9}, {0.01, 100}, DialScale::logarithmic}),
    field_dial<&NetSettings::drag_per_s>(Dial<NetSettings>{"drag_per_s", "1/s", {0, 1e6}, {0, 5}}),
    field_dial<&NetSettings::air_density_kg_per_m3>(
        Dial<NetSettings>{"air_density_kg_per_m3", "kg/m3", {0, 1e6}, {0, 5}}),
    field_dial<&NetSettings::drag_coefficient>(
        Dial<NetSettings>{"drag_coefficient", "", {0, 1e3}, {0, 2}}),
    field_dial<&NetSettings::lift_coefficient>(
        Dial<NetSettings>{"lift_coefficient", "", {0, 1e3}, {0, 2}}),
    field_dial<&NetSettings::thickness_m>(
        Dial<NetSettings>{"thickness_m", "m", {0, 1e3}, {0, 0.05}}),
    field_dial<&NetSettings::friction>(Dial<NetSettings>{"friction", "", {0, 1e3}, {0, 1}}),
    field_dial<&NetSettings::height_error_percent>(Dial<NetSettings>{
        "height_error_percent", "%", {0.01, 100}, {0.2, 10}, DialScale::logarithmic}),
    field_dial<&NetSettings::contact_distance_m>(
        Dial<NetSettings>{"contact_distance_m", "m", {0, 1e3}, {0, 0.1}}),
    Dial<NetSettings>{"gravity_m_per_s2",
                      "m/s2",
                      {0, 1e3},
                      {0, 20},
                      DialScale::linear,
                      9.80665,
                      [](const NetSettings& s) { return -s.gravity.y; },
                      [](NetSettings& s, double value) {
                          if (!(value >= 0 && value <= 1e3)) return DialStatus::refused;
                          s.gravity.y = -value;
                          return DialStatus::set;
                      }},
};

constexpr std::size_t most_net_substeps = 10'000;
/// Of a frame: with fewer, a ball bounces off softly.
constexpr std::size_t implicit_ball_substeps = 4;
/// Fabric that hangs by points is distorted more than fabric that hangs by an edge; with so many
/// substeps it stays within 5 mm a metre.
constexpr std::size_t least_position_substeps = 14;
/// So many substeps of forces cost about as much.
constexpr std::size_t affordable_force_substeps = 24;
constexpr std::size_t most_chosen_substeps = 60;

/// The largest row sums, over mass: bounds of w^2 and 2 z w of any motion.
NetworkBounds bounds_of(const NetStructure& structure) {
    std::vector<double> stiffness(structure.points.size());
    std::vector<double> damping(structure.points.size());
    const auto add = [&](std::uint32_t point, double k, double c) {
        stiffness[point] += k;
        damping[point] += c;
    };
    double time_s = std::numeric_limits<double>::quiet_NaN();
    bool is_first = true;
    const auto note = [&](double k, double c) {
        const double own = k > 0   ? c / k
                           : c > 0 ? std::numeric_limits<double>::quiet_NaN()
                                   : time_s;
        if (is_first) time_s = own;
        is_first = false;
        if (!(std::abs(own - time_s) <= 1e-9 * std::abs(time_s)))
            time_s = std::numeric_limits<double>::quiet_NaN();
    };
    for (const NetLink& link : structure.links) {
        for (const std::uint32_t point : {link.a, link.b})
            add(point, 2 * link.stiffness_n_per_m, 2 * link.damping_n_s_per_m);
        note(link.stiffness_n_per_m, link.damping_n_s_per_m);
    }
    for (const NetBend& bend : structure.bends) {
        const double whole = 2 * (bend.weight_a + bend.weight_c);
        const auto weigh = [&](std::uint32_t point, double weight) {
            add(point, weight * whole * bend.stiffness_n_per_m,
                weight * whole * bend.damping_n_s_per_m);
        };
        weigh(bend.a, bend.weight_a);
        weigh(bend.middle, bend.weight_a + bend.weight_c);
        weigh(bend.c, bend.weight_c);
        note(bend.stiffness_n_per_m, bend.damping_n_s_per_m);
    }
    NetworkBounds bounds{.damping_time_s = time_s};
    for (std::size_t i = 0; i < structure.points.size(); ++i) {
        if (structure.points[i].is_pinned) continue;
        const double mass = structure.points[i].mass_kg;
        bounds.stiffness_per_s2 = std::max(bounds.stiffness_per_s2, stiffness[i] / mass);
        bounds.damping_per_s = std::max(bounds.damping_per_s, damping[i] / mass);
    }
    return bounds;
}

/// The median mass of the free points.
double usual_mass(const NetStructure& structure) {
    std::vector<double> masses;
    masses.reserve(structure.points.size());
    for (const NetPoint& point : structure.points) {
        if (!point.is_pinned) masses.push_back(point.mass_kg);
    }
    if (masses.empty()) return 1;
    const auto middle = masses.begin() + static_cast<std::ptrdiff_t>(masses.size() / 2);
    std::nth_element(masses.begin(), middle, masses.end());
    return *middle;
}

/// The extra sag, with positions and substeps of h seconds, as a share of the distance from the
/// pins (docs/nets.md (8)).
class PositionExcess {
  public:
    PositionExcess(const NetStructure& structure, const NetSettings& settings)
        : gravity_{norm(settings.gravity)} {
        const PinDistances distances = pin_distances(structure);
        const double usual_kg = usual_mass(structure);
        for (std::size_t i = 0; i < structure.points.size(); ++i) {
            const double metres = distances.metres[i];
            if (!(metres > 0 && metres < unbounded_length_m)) continue;
            const auto links = static_cast<double>(distances.links[i]);
            const double weight = std::max(structure.points[i].mass_kg / usual_kg - 1, 0.0);
            links_squared_per_m_ =
                std::max(links_squared_per_m_, links * (links + 2 * weight) / metres);
        }
        for (const NetLink& link : structure.links) {
            if (link.stiffness_n_per_m > 0)
                damping_s_ = std::max(damping_s_, link.damping_n_s_per_m / link.stiffness_n_per_m);
        }
    }
    [[nodiscard]] double with(double substep_s) const {
        const double damping = net::position_damping(1, damping_s_, 2 * substep_s / 3);
        return 0.2 * (1 + damping) * gravity_ * substep_s * substep_s * links_squared_per_m_;
    }

  private:
    double gravity_;
    double links_squared_per_m_ = 0;
    double damping_s_ = 0;
};

std::size_t whole_substeps(double number) {
    return static_cast<std::size_t>(
        std::clamp(std::ceil(number - 1e-6), 1.0, static_cast<double>(most_net_substeps)));
}

/// The implicit scheme factors a matrix several times a step.
bool is_affordable(Scheme scheme, const NetStructure& structure) {
    constexpr std::size_t most = 200;
    return scheme != Scheme::implicit_euler || structure.points.size() <= most;
}

bool has_balls(const NetStructure& structure) {
    return std::any_of(structure.points.begin(), structure.points.end(),
                       [](const NetPoint& point) { return point.radius_m > 0; });
}

/// Links that are satisfied one after the other do not carry a ball that is far heavier than their
/// points: it sinks in, and finally through.
bool carries_heavy_ball(const NetStructure& structure) {
    constexpr double most_ratio = 500;
    const double most_kg = most_ratio * usual_mass(structure);
    return std::any_of(structure.points.begin(), structure.points.end(), [&](const auto& point) {
        return point.radius_m > 0 && point.mass_kg > most_kg;
    });
}

}  // namespace

std::span<const Dial<NetSettings>> NetSettings::dials() noexcept {
    return all_dials;
}

const NetMethodFacts& facts_of(NetMethod method) noexcept {
    static constexpr std::array<NetMethodFacts, 4> all{{
        {NetMethod::automatic, "automatic", "chosen by the stable step", ""},
        {NetMethod::forces, "forces", "forces of all links at once, in steps small enough",
         "momentum to rounding; angular momentum to rounding and energy within a band with "
         "semi_implicit_euler and velocity_verlet, where nothing damps"},
        {NetMethod::positions, "positions", "links satisfied one after the other, in substeps",
         "momentum to about 1e-8, the rounding of places over substeps; energy does not grow"},
        {NetMethod::implicit, "implicit", "all links solved at once, at the end of the step",
         "momentum to rounding; energy does not grow, except in stiff bodies that turn fast or are "
         "damped very unevenly"},
    }};
    return all[static_cast<std::size_t>(method)];
}

void require_valid(const NetSettings& settings) {
    if (settings.substeps > most_net_substeps)
        throw InvalidValue{"substeps", static_cast<double>(settings.substeps), "0 to 10000"};
    if (settings.iterations < 1 || settings.iterations > 1000)
        throw InvalidValue{"iterations", static_cast<double>(settings.iterations), "1 to 1000"};
    require_above_zero("frame_s", settings.frame_s);
    require_above_zero("height_error_percent", settings.height_error_percent);
    for (const double number : {settings.gravity.x, settings.gravity.y, settings.gravity.z})
        require_finite("gravity", number);
    require_at_least_zero("drag_per_s", settings.drag_per_s);
    require_at_least_zero("air_density_kg_per_m3", settings.air_density_kg_per_m3);
    require_at_least_zero("drag_coefficient", settings.drag_coefficient);
    require_at_least_zero("lift_coefficient", settings.lift_coefficient);
    require_at_least_zero("thickness_m", settings.thickness_m);
    require_at_least_zero("friction", settings.friction);
    require_at_least_zero("contact_distance_m", settings.contact_distance_m);
    require_at_least_zero("stiffness_factor", settings.stiffness_factor);
    require_at_least_zero("bending_factor", settings.bending_factor);
    require_at_least_zero("damping_factor", settings.damping_factor);
}

bool is_valid(const NetSettings& settings) noexcept {
    return passes_require_valid(settings);
}

NetPlan plan_for(const NetStructure& structure, const NetSettings& settings) {
    require_valid(settings);
    const NetStructure made = net::scaled(structure, settings);
    NetPlan plan;
    plan.stable_step_s = largest_stable_step_s(bounds_of(made), settings.scheme);
    // A tenth of reserve: links that are stretched or bent are a little stiffer than at rest.
    plan.force_substeps = whole_substeps(settings.frame_s / (0.9 * plan.stable_step_s));
    const PositionExcess excess{made, settings};
    const auto excess_percent = [&](std::size_t substeps) {
        return 100 * excess.with(settings.frame_s / static_cast<double>(substeps));
    };
    plan.method = settings.method;
    if (plan.method == NetMethod::automatic) {
        const bool has_forces = plan.force_substeps <= affordable_force_substeps &&
                                is_affordable(settings.scheme, made);
        plan.method = has_forces                 ? NetMethod::forces
                      : carries_heavy_ball(made) ? NetMethod::implicit
                                                 : NetMethod::positions;
    }
    plan.substeps = settings.substeps;
    if (plan.substeps == 0) {
        plan.substeps = plan.method == NetMethod::forces ? plan.force_substeps
                        : has_balls(made)                ? implicit_ball_substeps
                                                         : 1;
        if (plan.method == NetMethod::positions) {
            plan.substeps = least_position_substeps;
            while (plan.substeps < most_chosen_substeps &&
                   excess_percent(plan.substeps) > settings.height_error_percent)
                ++plan.substeps;
        }
    }
    if (plan.method == NetMethod::positions) {
        plan.excess_percent = excess_percent(plan.substeps);
        if (settings.has_tethers)
            plan.excess_percent = std::min(plan.excess_percent, 100 * net::tether_slack);
    }
    return plan;
}

namespace net {

NetStructure scaled(NetStructure structure, const NetSettings& settings) {
    require_valid(structure);
    for (NetLink& link : structure.links) {
        link.stiffness_n_per_m *= settings.stiffness_factor;
        link.damping_n_s_per_m *= settings.damping_factor;
    }
    for (NetBend& bend : structure.bends) {
        bend.stiffness_n_per_m *= settings.bending_factor;
        bend.damping_n_s_per_m *= settings.damping_factor;
    }
    return structure;
}

std::vector<std::uint32_t> pinned_points(const NetStructure& structure) {
    std::vector<std::uint32_t> pinned;
    for (std::uint32_t i = 0; i < structure.points.size(); ++i) {
        if (structure.points[i].is_pinned) pinned.push_back(i);
    }
    return pinned;
}

std::vector<double> inverse_masses(const NetStructure& structure) {
    std::vector<double> inverse;
    inverse.reserve(structure.points.size());
    for (const NetPoint& point : structure.points)
        inverse.push_back(point.is_pinned ? 0 : 1 / point.mass_kg);
    return inverse;
}

}  // namespace net
}  // namespace hopcoil
