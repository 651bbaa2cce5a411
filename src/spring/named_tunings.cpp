#include <algorithm>
#include <array>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/named_tunings.hpp>

namespace hopcoil {
namespace {

constexpr std::array<NamedTuning, 13> shipped{{
    {"brisk", "quick, with a trace of a swing: panels, menus, small tools", {4, 0.7, 0}},
    {"dreamy", "slow and floating, rolls past and comes back: balloons, kelp", {0.4, 0.3, 0}},
    {"drowsy", "slow, arrives without passing: a heavy lid, a tired head", {0.5, 1, 0}},
    {"eager", "runs ahead of what it follows and corrects itself: a young dog", {2, 0.6, 1.3}},
    {"faithful", "does not lag behind steady motion: a hand on a rail, a camera", {2, 0.7, 1}},
    {"lively", "clearly swings past, settles in a few swings: a lamp on a hook", {2, 0.4, 0}},
    {"loose", "swings long after: jelly, a sprung sign", {3, 0.15, 0}},
    {"nervous", "fast and trembling: antennae, whiskers, a compass", {6, 0.25, 0}},
    {"steady", "straight there without passing: doors, dials, cranes", {2, 1, 0}},
    {"stubborn", "gives way slowly and creeps home: a rusted hinge", {1, 2.5, 0}},
    {"taut", "all but rigid, takes only the edge off: aim, grips", {8, 1, 0}},
    {"wary", "first shrinks back, then goes: a startled crab", {1.5, 0.6, -1}},
    {"weighty", "slow to start, slow to stop: a laden boom, a hull", {0.8, 0.5, 0}},
}};

}  // namespace

std::span<const NamedTuning> named_tunings() noexcept {
    return shipped;
}

std::optional<Tuning> find_tuning(std::string_view name) noexcept {
    const auto* const found = std::find_if(
        shipped.begin(), shipped.end(), [&](const NamedTuning& each) { return each.name == name; });
    return found == shipped.end() ? std::nullopt : std::optional{found->tuning};
}

Tuning blend(const Tuning& calm, const Tuning& alarmed, double amount) {
    require_valid(calm);
    require_valid(alarmed);
    require_above_zero("calm.frequency_hz", calm.frequency_hz);
    require_above_zero("alarmed.frequency_hz", alarmed.frequency_hz);
    if (!(amount >= 0 && amount <= 1)) throw InvalidValue{"amount", amount, "0 to 1"};
    if (amount == 0) return calm;
    if (amount == 1) return alarmed;
    const auto between = [amount](double a, double b) {
        return a + amount * (b - a);
    };
    return {.frequency_hz =
                math::exp(between(math::log(calm.frequency_hz), math::log(alarmed.frequency_hz))),
            .damping_ratio = between(calm.damping_ratio, alarmed.damping_ratio),
            .lead = between(calm.lead, alarmed.lead)};
}

}  // namespace hopcoil
