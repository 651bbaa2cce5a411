#include <array>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/guard.hpp>
#include <hopcoil/stepping/stability.hpp>

namespace hopcoil {
namespace {

struct GuardName {
    Guard guard;
    std::string_view name;
};
constexpr std::array<GuardName, 5> guard_names{{{Guard::none, "none"},
                                                {Guard::exact, "exact"},
                                                {Guard::substep, "substep"},
                                                {Guard::soften, "soften"},
                                                {Guard::refuse, "refuse"}}};

/// Into as many parts as make each stable; what the most parts allowed cannot do, softening does.
StepPlan divided(double safe_s, double dt, int most_substeps) {
    const double wanted = std::ceil(dt / safe_s);
    if (wanted <= most_substeps) return {Guard::substep, static_cast<int>(wanted), 1.0};
    return {Guard::substep, most_substeps, safe_s * most_substeps / dt};
}

}  // namespace

std::string_view name_of(Guard guard) noexcept {
    for (const GuardName& each : guard_names) {
        if (each.guard == guard) return each.name;
    }
    return "none";
}

std::optional<Guard> find_guard(std::string_view name) noexcept {
    for (const GuardName& each : guard_names) {
        if (each.name == name) return each.guard;
    }
    return std::nullopt;
}

bool is_valid(const GuardSettings& settings) noexcept {
    return settings.most_substeps >= 1;
}

void require_valid(const GuardSettings& settings) {
    if (!is_valid(settings)) {
        throw InvalidValue{"most_substeps", static_cast<double>(settings.most_substeps),
                           "1 or more"};
    }
}

StepPlan plan_step(double largest_stable_s, double dt, const GuardSettings& settings) noexcept {
    if (dt < largest_stable_s || dt == 0 || settings.guard == Guard::none) return {};
    const double safe_s = below_the_line * largest_stable_s;
    if (!(safe_s > 0)) return {Guard::refuse, 0, 1.0};
    switch (settings.guard) {
        case Guard::substep:
            return divided(safe_s, dt, settings.most_substeps);
        case Guard::soften:
            return {Guard::soften, 1, safe_s / dt};
        default:
            return {Guard::refuse, 0, 1.0};
    }
}

StepPlan plan_spring_step(double largest_stable_s, double dt,
                          const GuardSettings& settings) noexcept {
    const StepPlan plan = plan_step(largest_stable_s, dt, settings);
    if (plan.used != Guard::refuse || settings.guard == Guard::refuse) return plan;
    return {Guard::exact, 1, 1.0};
}

StepPlan plan_step(const Tuning& tuning, Scheme scheme, double dt,
                   const GuardSettings& settings) noexcept {
    return plan_spring_step(step_limits(tuning, scheme).largest_stable_s, dt, settings);
}

}  // namespace hopcoil
