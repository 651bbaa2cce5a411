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
    none,     ///< nothing: let it blow up (a divergence watch will say so)
    exact,    ///< take the exact solution for that step
    substep,  ///< divide it into equal parts that hold
    soften,   ///< slow the spring down for that step, just enough; its damping ratio stays
    refuse,   ///< do not step: nothing changes, the step is counted as rejected
};

/// "none", "exact", "substep", "soften", "refuse".
[[nodiscard]] std::string_view name_of(Guard guard) noexcept;
[[nodiscard]] std::optional<Guard> find_guard(std::string_view name) noexcept;

struct GuardSettings {
    Guard guard = Guard::substep;
    /// 1 or more. A step that needs more parts than this is softened too, so that this many hold;
    /// where a scheme holds at no step, the exact solution is taken.
    int most_substeps = 32;
};

/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const GuardSettings& settings);
[[nodiscard]] bool is_valid(const GuardSettings& settings) noexcept;

/// How a step is to be taken, and what that costs.
struct StepPlan {
    Guard used = Guard::none;  ///< none where the step holds as it is
    int substeps = 1;
    /// By which the natural frequency is multiplied for this step: stiffness by its square, damping
    /// by itself.
    double frequency_factor = 1.0;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields.up_to(Guard::refuse, used);
        fields.up_to(std::numeric_limits<int>::max(), substeps);
        fields(frequency_factor);
    }
};

/// What the guard did so far.
struct GuardLog {
    std::uint64_t guarded_steps = 0;  ///< that were not taken as they were asked for
    std::uint64_t substeps = 0;       ///< in those of them that were divided
    std::uint64_t softened_steps = 0;
    std::uint64_t calmed_steps = 0;  ///< that would have gained energy, and were kept from it
    std::uint64_t exact_steps = 0;
    std::uint64_t refused_steps = 0;
    double least_frequency_factor = 1.0;  ///< of those that were softened

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(guarded_steps, substeps, softened_steps, calmed_steps, exact_steps, refused_steps,
               least_frequency_factor);
    }
};

/// A guarded step is taken so far below the line that blows up, as a part of it.
inline constexpr double below_the_line = 0.9;

/// For a system of one's own, from the largest step that holds (`step_limits`, `bounds_of`).
/// `exact` and whatever no step can do are answered with `refuse`.
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
