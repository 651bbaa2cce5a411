#include <algorithm>

#include <hopcoil/stepping/scheme.hpp>

namespace hopcoil {

const std::array<SchemeFacts, scheme_count>& all_schemes() noexcept {
    static constexpr std::array<SchemeFacts, scheme_count> all{{
        {.scheme = Scheme::explicit_euler,
         .name = "explicit_euler",
         .in_words = "explicit Euler",
         .order = 1,
         .evaluations_per_step = 1,
         .keeps_energy = false,
         .description = "goes on as things are now; gains energy, and explodes without damping"},
        {.scheme = Scheme::semi_implicit_euler,
         .name = "semi_implicit_euler",
         .in_words = "semi-implicit Euler",
         .order = 1,
         .evaluations_per_step = 1,
         .keeps_energy = true,
         .description = "velocity first, then position with it; the cheapest that holds"},
        {.scheme = Scheme::implicit_euler,
         .name = "implicit_euler",
         .in_words = "implicit Euler",
         .order = 1,
         .evaluations_per_step = 2,
         .keeps_energy = false,
         .description = "solves for the step's end; holds at any step, and damps every swing"},
        {.scheme = Scheme::midpoint,
         .name = "midpoint",
         .in_words = "midpoint",
         .order = 2,
         .evaluations_per_step = 2,
         .keeps_energy = false,
         .description = "looks at the step's middle; second order, gains energy slowly"},
        {.scheme = Scheme::velocity_verlet,
         .name = "velocity_verlet",
         .in_words = "velocity Verlet",
         .order = 2,
         .evaluations_per_step = 2,
         .keeps_energy = true,
         .description = "second order, with damping too, and keeps energy"},
        {.scheme = Scheme::position_verlet,
         .name = "position_verlet",
         .in_words = "position Verlet",
         .order = 1,
         .evaluations_per_step = 1,
         .keeps_energy = true,
         .description = "remembers its last place; second order, with damping first"},
        {.scheme = Scheme::runge_kutta_4,
         .name = "runge_kutta_4",
         .in_words = "classical Runge-Kutta",
         .order = 4,
         .evaluations_per_step = 4,
         .keeps_energy = false,
         .description = "four looks; fourth order, loses a little energy"},
    }};
    return all;
}

const SchemeFacts& facts_of(Scheme scheme) noexcept {
    const auto& all = all_schemes();
    return *std::find_if(all.begin(), all.end(),
                         [scheme](const SchemeFacts& each) { return each.scheme == scheme; });
}

std::optional<Scheme> find_scheme(std::string_view name) noexcept {
    for (const SchemeFacts& each : all_schemes()) {
        if (each.name == name) return each.scheme;
    }
    return std::nullopt;
}

}  // namespace hopcoil
