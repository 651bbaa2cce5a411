#include <algorithm>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/stepping/divergence_watch.hpp>
#include <hopcoil/stepping/stability.hpp>

namespace hopcoil {
namespace {

/// Four digits are enough for a message.
std::string short_number(double value) {
    if (value == 0 || !std::isfinite(value)) return shortest(value);
    const double digits = std::pow(10.0, 3 - std::floor(std::log10(std::abs(value))));
    return shortest(std::round(value * digits) / digits);
}

std::string what_else_holds(const Tuning& tuning, Scheme scheme, double step_s) {
    std::string names;
    for (const SchemeFacts& each : all_schemes()) {
        const bool holds = step_s < step_limits(tuning, each.scheme).largest_stable_s;
        if (each.scheme != scheme && holds) {
            names += (names.empty() ? "" : ", ") + std::string{each.name};
        }
    }
    return names;
}

}  // namespace

DivergenceWatch::DivergenceWatch(double most_growth) : most_growth_{most_growth} {
    if (!(most_growth > 1) || !std::isfinite(most_growth)) {
        throw InvalidValue{"most_growth", most_growth, "a finite number above 1"};
    }
}

void DivergenceWatch::begin(double energy) noexcept {
    put_in_ = 0;
    add_work(energy);
}

void DivergenceWatch::add_work(double work) noexcept {
    if (std::isfinite(work)) put_in_ += std::max(0.0, work);
}

bool DivergenceWatch::accepts(double energy_after, double work) noexcept {
    add_work(work);
    // Rounding is not growth: changes below the rounding of earlier energies are ignored.
    constexpr double rounding = 1e-300;
    return energy_after <= std::max(most_allowed(), rounding);
}

std::string in_words(std::string_view item, const Divergence& divergence, const Tuning& tuning,
                     Scheme scheme) {
    const SchemeFacts& facts = facts_of(scheme);
    std::string text{item};
    text += " diverged at " + short_number(divergence.time_s) + " s: it took steps of " +
            short_number(divergence.step_s) + " s under " + std::string{facts.in_words};
    if (divergence.largest_stable_s > 0) {
        text += ", which holds " + short_number(tuning.frequency_hz) + " Hz at damping ratio " +
                short_number(tuning.damping_ratio) + " below " +
                short_number(divergence.largest_stable_s) + " s; take steps shorter than that";
    } else {
        text += ", which holds a spring without damping at no step; give it damping";
    }
    const std::string others = what_else_holds(tuning, scheme, divergence.step_s);
    if (!others.empty()) text += ", or a scheme that holds at this step (" + others + ")";
    return text + ", or a guard (exact, substep, soften)";
}

}  // namespace hopcoil
