#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <string_view>

#include <hopcoil/spring/tuning.hpp>
#include <hopcoil/stepping/scheme.hpp>

namespace hopcoil {

/// What to do when a step is too large for its scheme.
enum class Guard : std::uint8_t {
    none,     ///< nothing: it may diverge (a divergence watch reports that)
    exact,    ///< take the exact solution for that step
    substep,  ///< divide it into equal parts that are stable
    soften,   ///< slow the spring down for that step, just enough; its damping ratio stays
    refuse,   ///< do not step: nothing changes, the step is counted as rejected
};

/// "none", "exact", "substep", "soften", "refuse".
[[nodiscard]] std::string_view name_of(Guard guard) noexcept;
[[nodiscard]] std::optional<Guard> find_guard(std::string_view name) noexcept;

struct GuardSettings {
    Guard guard = Guard::substep;
    /// 1 or more. A step that needs more parts than this is softened too, so that this many are
    /// stable; where a scheme is stable at no step, the exact solution is taken.
    int most_substeps = 32;
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const GuardSettings& settings);
[[nodiscard]] bool is_valid(const GuardSettings& settings) noexcept;

/// How a step is to be taken, and what that costs.
struct StepPlan {
    Guard used = Guard::none;  ///< none where the step is stable as it is
    int substeps = 1;
    /// Factor on the natural frequency for this step; its square is that on the stiffness.
    double frequency_factor = 1.0;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields.up_to(Guard::refuse, used);
        fields.up_to(std::numeric_limits<int>::max(), substeps);
        fields(frequency_factor);
    }
};

/// Counts of what the guard did so far.
struct GuardLog {
    std::uint64_t guarded_steps = 0;  ///< steps that were not taken as requested
    std::uint64_t substeps = 0;       ///< substeps in the steps that were divided
    std::uint64_t softened_steps = 0;
    std::uint64_t calmed_steps = 0;  ///< steps that would have gained energy, and were prevented
    std::uint64_t exact_steps = 0;
    std::uint64_t refused_steps = 0;
    double least_frequency_factor = 1.0;  ///< smallest factor of a step that was softened

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(guarded_steps, substeps, softened_steps, calmed_steps, exact_steps, refused_steps,
               least_frequency_factor);
    }
};

/// A guarded step is at most this part of the largest stable step.
inline constexpr double below_the_line = 0.9;

/// For your own system, from its largest stable step (`step_limits`, `bounds_of`). Where `exact`
/// is asked for, or no step is stable, the plan is `refuse`.
[[nodiscard]] StepPlan plan_step(double largest_stable_s, double dt,
                                 const GuardSettings& settings) noexcept;

/// For a spring, which always has its exact solution.
[[nodiscard]] StepPlan plan_spring_step(double largest_stable_s, double dt,
                                        const GuardSettings& settings) noexcept;
/// The same from its tuning: costs more than the step, so keep its `step_limits` where dt varies.
/// Errors  none; the tuning, the settings and dt must be valid.
[[nodiscard]] StepPlan plan_step(const Tuning& tuning, Scheme scheme, double dt,
                                 const GuardSettings& settings) noexcept;

}  // namespace hopcoil
