#pragma once

#include <string>
#include <string_view>

#include <hopcoil/spring/tuning.hpp>
#include <hopcoil/stepping/scheme.hpp>

namespace hopcoil {

/// Compares a system's energy with the work done on it, step by step: energy beyond that means
/// that the step is too large.
///
///     DivergenceWatch watch;
///     watch.begin(energy);
///     ... take a step into a copy ...
///     if (!watch.accepts(energy_after, work_put_in)) ... keep the state from before ...
///
/// Model   energy <= most_growth (first energy + sum of the work put in). Under a stable step
///         energy swings within a band, which widens as the step nears its limit; 100 is ten times
///         the amplitude.
/// Units   joules, or per kilogram, as the caller has them.
class DivergenceWatch {
  public:
    /// Errors  InvalidValue unless most_growth is finite and above 1.
    explicit DivergenceWatch(double most_growth = 100.0);

    /// Starts anew from this energy.
    void begin(double energy) noexcept;

    /// Energy put in by other means than a step: a push, new numbers, a jump of the target.
    void add_work(double work) noexcept;

    /// Whether a step may have led to this energy, with this work done on the system during it
    /// (work taken out counts as none). NaN and infinity never may.
    [[nodiscard]] bool accepts(double energy_after, double work) noexcept;

    [[nodiscard]] double most_allowed() const noexcept { return most_growth_ * put_in_; }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(put_in_);
    }

  private:
    double most_growth_;
    double put_in_ = 0.0;
};

/// A motion that diverged, at the step it was noticed.
struct Divergence {
    double time_s = 0.0;  ///< at the end of that step
    double step_s = 0.0;
    double largest_stable_s = 0.0;  ///< what the step would have had to be shorter than
    double energy = 0.0;            ///< after the step; NaN or infinite when the state was
    double most_allowed = 0.0;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s, step_s);
        for (double* each : {&largest_stable_s, &energy, &most_allowed})
            fields.unbounded(*each);
    }
};

/// "vane diverged at 0.35 s: steps of 0.033 s under explicit Euler, ...", with what to
/// change.
[[nodiscard]] std::string in_words(std::string_view item, const Divergence& divergence,
                                   const Tuning& tuning, Scheme scheme);

}  // namespace hopcoil
