#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/spring/wish.hpp>

namespace hopcoil {
namespace {

constexpr double least_settling_s = 0.02;
constexpr double most_settling_s = 20;

/// A jump of 1 in units in which w = 1: its shape depends on the damping ratio, the lead and the
/// initial velocity over w.
struct UnitJump {
    double lead = 0.0;
    double velocity = 0.0;

    [[nodiscard]] FreeMotion motion(double damping_ratio) const {
        const Tuning tuning{.frequency_hz = 1 / (2 * math::pi), .damping_ratio = damping_ratio};
        return {tuning, {-1, velocity + 2 * damping_ratio * lead}};
    }

    /// Furthest past the target, in percent.
    [[nodiscard]] double overshoot(double damping_ratio) const {
        const FreeMotion jump = motion(damping_ratio);
        double past = 0;
        for (const double time : {jump.turning_time_s(0), jump.turning_time_s(1)}) {
            if (std::isfinite(time)) past = std::max(past, 100 * jump.at(time).gap);
        }
        return past;
    }

    /// Furthest the other way, in percent.
    [[nodiscard]] double anticipation(double damping_ratio) const {
        const FreeMotion jump = motion(damping_ratio);
        const double time = jump.turning_time_s(0);
        return std::isfinite(time) ? std::max(0.0, -100 * (jump.at(time).gap + 1)) : 0.0;
    }

    /// Time until within 2 % for good, in units of 1 / w.
    [[nodiscard]] double settling(double damping_ratio) const {
        return motion(damping_ratio)
            .settling_time_s(0.01 * settling_band_percent)
            .value_or(std::numeric_limits<double>::infinity());
    }
};

/// Damping ratios from the largest wished down to nearly none, close enough together that the
/// overshoot has no turn of its own between two of them that matters.
const std::vector<double>& damping_ratios_downward() {
    static const std::vector<double> ratios = [] {
        std::vector<double> all;
        constexpr int count = 240;
        for (int i = 0; i <= count; ++i) {
            const double part = static_cast<double>(i) / count;
            all.push_back(most_wished_damping_ratio *
                          math::pow(1e-5 / most_wished_damping_ratio, part));
        }
        return all;
    }();
    return ratios;
}

/// The most damped ratio whose overshoot is `percent`, if there is one.
std::optional<double> ratio_for(const UnitJump& jump, double percent) {
    double above = damping_ratios_downward().front();
    const bool starts_past = jump.overshoot(above) > percent;
    for (const double below : damping_ratios_downward()) {
        if ((jump.overshoot(below) > percent) == starts_past) {
            above = below;
            continue;
        }
        double high = above;
        double low = below;
        while (true) {
            const double middle = low + 0.5 * (high - low);
            if (!(middle > low && middle < high)) break;
            ((jump.overshoot(middle) > percent) == starts_past ? high : low) = middle;
        }
        return starts_past ? low : high;
    }
    return std::nullopt;
}

[[noreturn]] void refuse_overshoot(const Wish& wish) {
    const OvershootRange range = reachable_overshoot(wish.lead);
    throw InvalidValue{"overshoot_percent", wish.overshoot_percent,
                       shortest(std::ceil(range.least_percent * 100) / 100) + " to " +
                           shortest(std::floor(range.most_percent * 100) / 100) +
                           ", what a lead of " + shortest(wish.lead) + " can reach"};
}

Tuning with_frequency(double w, double damping_ratio, double lead) {
    return {.frequency_hz = w / (2 * math::pi), .damping_ratio = damping_ratio, .lead = lead};
}

/// The least damping ratio at which a jump from rest has no overshoot: critical, or where the zero
/// that the lead makes is no slower than the slow decay. None from lead 1 on.
std::optional<double> least_ratio_without_overshoot(double lead) {
    if (lead >= 1) return std::nullopt;
    if (lead <= 0.5) return 1.0;
    return std::max(1.0, 1 / (2 * math::sqrt(lead * (1 - lead))));
}

Tuning tuning_from_rest(const Wish& wish) {
    const UnitJump jump{.lead = wish.lead};
    const std::optional<double> ratio = wish.overshoot_percent == 0
                                            ? least_ratio_without_overshoot(wish.lead)
                                            : ratio_for(jump, wish.overshoot_percent);
    if (!ratio) refuse_overshoot(wish);
    return with_frequency(jump.settling(*ratio) / wish.settling_time_s, *ratio, wish.lead);
}

/// With a velocity to start from the shape depends on the frequency too: look for the settling time
/// along the curve of tunings that have the overshoot. It leaps where a swing's peak leaves the
/// band.
Tuning tuning_in_flight(const Wish& wish) {
    struct Candidate {
        double w = 0.0;
        double ratio = 0.0;
        double settling_s = 0.0;
    };
    const auto candidate_at = [&](double w) -> std::optional<Candidate> {
        const UnitJump jump{.lead = wish.lead, .velocity = wish.initial_velocity / w};
        const std::optional<double> ratio = ratio_for(jump, wish.overshoot_percent);
        if (!ratio) return std::nullopt;
        return Candidate{w, *ratio, jump.settling(*ratio) / w};
    };
    const auto too_slow = [&](const Candidate& c) {
        return c.settling_s > wish.settling_time_s;
    };
    std::optional<Candidate> nearest;
    const auto keep_nearest = [&](const Candidate& c) {
        const auto miss = [&](const Candidate& x) {
            return std::abs(math::log(x.settling_s / wish.settling_time_s));
        };
        if (!nearest || miss(c) < miss(*nearest)) nearest = c;
    };
    constexpr int count = 80;
    std::optional<Candidate> before;
    for (int i = 0; i <= count; ++i) {
        // From the quickest down, so that the tighter of two solutions is found first.
        const double w = 1e4 / wish.settling_time_s * math::pow(1e-6, i / double{count});
        const std::optional<Candidate> here = candidate_at(w);
        if (here) keep_nearest(*here);
        if (before && here && too_slow(*before) != too_slow(*here)) {
            Candidate low = *here;
            Candidate high = *before;
            for (int halving = 0; halving < 60; ++halving) {
                const std::optional<Candidate> middle = candidate_at(0.5 * (low.w + high.w));
                if (!middle) break;
                (too_slow(*middle) == too_slow(high) ? high : low) = *middle;
            }
            keep_nearest(low);
            keep_nearest(high);
            if (std::abs(nearest->settling_s / wish.settling_time_s - 1) < 1e-3) {
                return with_frequency(nearest->w, nearest->ratio, wish.lead);
            }
        }
        before = here;
    }
    if (!nearest) refuse_overshoot(wish);
    throw InvalidValue{"settling_time_s", wish.settling_time_s,
                       "a time in reach of this overshoot and initial velocity; the nearest is " +
                           shortest(std::round(nearest->settling_s * 1e4) / 1e4) + " s"};
}

Tuning answer_to(const Wish& wish) {
    return wish.initial_velocity == 0 ? tuning_from_rest(wish) : tuning_in_flight(wish);
}

double anticipation_of(const Wish& wish, const Tuning& tuning) {
    const double w = angular_frequency_rad_per_s(tuning);
    return UnitJump{.lead = tuning.lead, .velocity = wish.initial_velocity / w}.anticipation(
        tuning.damping_ratio);
}

/// The lowest lead, from the wished one up to 0, that keeps the anticipation.
Tuning with_capped_anticipation(Wish wish) {
    const double most = *wish.most_anticipation_percent;
    Tuning tuning = answer_to(wish);
    if (anticipation_of(wish, tuning) <= most) return tuning;
    double low = wish.lead;
    double high = 0;
    wish.lead = high;
    if (low < 0) tuning = answer_to(wish);
    if (low >= 0 || anticipation_of(wish, tuning) > most) {
        throw InvalidValue{"most_anticipation_percent", most,
                           "at least " + shortest(anticipation_of(wish, tuning)) +
                               ": with this velocity away from the target it goes that far"};
    }
    for (int halving = 0; halving < 50; ++halving) {
        wish.lead = 0.5 * (low + high);
        const Tuning between = answer_to(wish);
        const bool keeps = anticipation_of(wish, between) <= most;
        if (keeps) tuning = between;
        (keeps ? high : low) = wish.lead;
    }
    return tuning;
}

}  // namespace

OvershootRange reachable_overshoot(double lead) {
    require_finite("lead", lead);
    const UnitJump jump{.lead = lead};
    const std::vector<double>& ratios = damping_ratios_downward();
    OvershootRange range{.least_percent = 1e300, .most_percent = 0};
    std::size_t least = 0;
    for (std::size_t i = 0; i < ratios.size(); ++i) {
        const double percent = jump.overshoot(ratios[i]);
        range.most_percent = std::max(range.most_percent, percent);
        if (percent < range.least_percent) {
            range.least_percent = percent;
            least = i;
        }
    }
    // Between its neighbours there may be a lower one still.
    double low = ratios[std::min(least + 1, ratios.size() - 1)];
    double high = ratios[least == 0 ? 0 : least - 1];
    for (int i = 0; i < 80; ++i) {
        const double left = low + (high - low) / 3;
        const double right = high - (high - low) / 3;
        (jump.overshoot(left) < jump.overshoot(right) ? high : low) =
            jump.overshoot(left) < jump.overshoot(right) ? right : left;
    }
    range.least_percent = std::min(range.least_percent, jump.overshoot(0.5 * (low + high)));
    return range;
}

Tuning tuning_from(const Wish& wish) {
    require_at_least_zero("overshoot_percent", wish.overshoot_percent);
    require_finite("lead", wish.lead);
    require_finite("initial_velocity", wish.initial_velocity);
    if (!(wish.settling_time_s >= least_settling_s && wish.settling_time_s <= most_settling_s)) {
        throw InvalidValue{"settling_time_s", wish.settling_time_s,
                           shortest(least_settling_s) + " to " + shortest(most_settling_s)};
    }
    if (!wish.most_anticipation_percent) return answer_to(wish);
    require_at_least_zero("most_anticipation_percent", *wish.most_anticipation_percent);
    return with_capped_anticipation(wish);
}

Wish wish_from(const Tuning& tuning) {
    require_valid(tuning);
    require_above_zero("frequency_hz", tuning.frequency_hz);
    require_above_zero("damping_ratio", tuning.damping_ratio);
    const JumpResponse answer = jump_response(tuning);
    return {.overshoot_percent = answer.overshoot_percent.value().value_or(0),
            .settling_time_s = answer.settling_time_s.value().value_or(0),
            .lead = tuning.lead};
}

}  // namespace hopcoil
