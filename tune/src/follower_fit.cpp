#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>

#include <Eigen/Core>

#include <hopcoil/base/math.hpp>

#include "fit_quality.hpp"
#include "followed_record.hpp"
#include "least_squares.hpp"

namespace hopcoil::tune {
namespace {

constexpr double least_ratio = 1e-4;
constexpr double most_ratio = 100;
constexpr double most_lead = 100;

/// Which third number is wanted beside frequency and damping ratio.
enum class Third : std::uint8_t { lead, delay, none };

/// The frequencies that a record can show.
struct Band {
    double low_hz = 0.0;
    double high_hz = 0.0;
    double length_s = 0.0;
};

Band band_of(const Reference& reference) {
    const double length_s = reference.times_s.back() - reference.times_s.front();
    const auto steps = static_cast<double>(reference.times_s.size() - 1);
    return {0.1 / length_s, 2 * steps / length_s, length_s};
}

/// Numbers as the search has them: logarithms of frequency and damping ratio, and the third.
class Search {
  public:
    Search(const Reference& reference, const KnownNumbers& known, TargetPath path)
        : record_{reference, path},
          known_{known},
          third_{!known.lead      ? Third::lead
                 : !known.delay_s ? Third::delay
                                  : Third::none},
          band_{band_of(reference)} {}

    [[nodiscard]] Eigen::Index count() const { return third_ == Third::none ? 2 : 3; }
    [[nodiscard]] Third third() const { return third_; }

    [[nodiscard]] Eigen::VectorXd low() const {
        return numbers(band_.low_hz, least_ratio, third_ == Third::lead ? -most_lead : 0);
    }
    [[nodiscard]] Eigen::VectorXd high() const {
        return numbers(band_.high_hz, most_ratio,
                       third_ == Third::lead ? most_lead : 0.5 * band_.length_s);
    }

    [[nodiscard]] FollowedRecord::Outcome outcome(const Eigen::VectorXd& at) const {
        return record_.after(math::exp(at[0]), math::exp(at[1]), lead_of(at), delay_of(at));
    }
    [[nodiscard]] double lead_of(const Eigen::VectorXd& at) const {
        return third_ == Third::lead ? at[2] : *known_.lead;
    }
    [[nodiscard]] double delay_of(const Eigen::VectorXd& at) const {
        return third_ == Third::delay ? at[2] : *known_.delay_s;
    }

    [[nodiscard]] LeastSquares from(const Eigen::VectorXd& start) const {
        const Residuals residuals = [&](const Eigen::VectorXd& at, Eigen::VectorXd& left) {
            const FollowedRecord::Outcome found = outcome(at);
            if (!std::isfinite(found.cost)) return false;
            const auto rows = static_cast<Eigen::Index>(found.left.front().size());
            left.resize(rows * static_cast<Eigen::Index>(found.left.size()));
            Eigen::Index next = 0;
            for (const std::vector<double>& component : found.left) {
                left.segment(next, rows) =
                    Eigen::Map<const Eigen::VectorXd>{component.data(), rows};
                next += rows;
            }
            return true;
        };
        constexpr double step = 1e-5;
        constexpr int most_steps = 60;
        return least_squares(residuals, start, low(), high(), step, most_steps);
    }

    /// Places all over what a record can show, the best first.
    [[nodiscard]] std::vector<Eigen::VectorXd> starts(const FitSettings& settings) const {
        struct Start {
            Eigen::VectorXd at{};
            double cost = 0.0;
        };
        std::vector<Start> all;
        constexpr int frequencies = 40;
        const std::vector<double> delays = delays_to_try();
        for (int i = 0; i <= frequencies; ++i) {
            if (settings.is_cancelled && settings.is_cancelled()) break;
            const double part = static_cast<double>(i) / frequencies;
            const double hz = band_.low_hz * math::pow(band_.high_hz / band_.low_hz, part);
            for (const double ratio : {0.03, 0.1, 0.2, 0.4, 0.7, 1.2, 3.0}) {
                for (const double delay_s : delays) {
                    const FollowedRecord::Outcome found =
                        record_.after(hz, ratio, known_.lead, delay_s);
                    const double third = third_ == Third::lead ? found.lead : delay_s;
                    if (std::isfinite(found.cost))
                        all.push_back({numbers(hz, ratio, third), found.cost});
                }
            }
        }
        std::stable_sort(all.begin(), all.end(),
                         [](const Start& a, const Start& b) { return a.cost < b.cost; });
        constexpr std::size_t most = 5;
        std::vector<Eigen::VectorXd> best;
        for (const Start& each : all) {
            const bool is_far = std::all_of(best.begin(), best.end(), [&](const auto& other) {
                return (each.at - other).norm() > 0.3;
            });
            if (is_far) best.push_back(each.at);
            if (best.size() == most) break;
        }
        return best;
    }

  private:
    [[nodiscard]] Eigen::VectorXd numbers(double hz, double ratio, double third) const {
        Eigen::VectorXd at(count());
        at[0] = math::log(hz);
        at[1] = math::log(ratio);
        if (third_ != Third::none) at[2] = third;
        return at;
    }

    [[nodiscard]] std::vector<double> delays_to_try() const {
        if (third_ != Third::delay) return {*known_.delay_s};
        std::vector<double> delays;
        for (const double delay_s : {0.0, 0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.5, 0.8}) {
            if (delay_s < 0.25 * band_.length_s) delays.push_back(delay_s);
        }
        return delays;
    }

    FollowedRecord record_;
    const KnownNumbers& known_;
    Third third_;
    Band band_;
};

/// A number whose logarithm has this place and deviation.
FittedNumber by_logarithm(std::string name, double logarithm, double reach) {
    return {std::move(name), math::exp(logarithm), math::exp(logarithm - reach),
            math::exp(logarithm + reach)};
}

/// Where the numbers are not told apart, what of them is: the surest of their combinations.
void add_combination(ReferenceFit& fit, const Eigen::VectorXd& at, double lead,
                     const Eigen::MatrixXd& covariance, double deviations) {
    struct Combination {
        const char* name;
        double logarithm;
        Eigen::VectorXd along;  ///< with each number of the search
        double reach = 0.0;
    };
    const auto along = [&](double hz, double ratio, double third) {
        Eigen::VectorXd numbers = Eigen::VectorXd::Zero(at.size());
        numbers[0] = hz;
        numbers[1] = ratio;
        if (at.size() > 2) numbers[2] = third;
        return numbers;
    };
    std::vector<Combination> all{
        {"frequency_hz", at[0], along(1, 0, 0)},
        {"damping_ratio", at[1], along(0, 1, 0)},
        {"damping_ratio / frequency_hz", at[1] - at[0], along(-1, 1, 0)},
        {"damping_ratio * frequency_hz", at[1] + at[0], along(1, 1, 0)},
    };
    if (lead < 1 && fit.numbers.back().name == "lead") {
        all.push_back({"ramp_lag_s", at[1] - at[0] + math::log((1 - lead) / math::pi),
                       along(-1, 1, -1 / (1 - lead))});
    }
    for (Combination& each : all) {
        const double variance = each.along.dot(covariance * each.along);
        each.reach = deviations * std::sqrt(std::max(0.0, variance));
    }
    constexpr double open = 0.3;
    if (all[0].reach < open && all[1].reach < open) return;
    const auto best = std::min_element(
        all.begin(), all.end(), [](const auto& a, const auto& b) { return a.reach < b.reach; });
    fit.combination = by_logarithm(best->name, best->logarithm, best->reach);
}

void add_numbers(ReferenceFit& fit, const LeastSquares& found, const Search& search,
                 std::size_t components) {
    const auto parts = static_cast<Eigen::Index>(components);
    const Eigen::MatrixXd covariance = covariance_of(found, parts, 2 * parts);
    const double deviations = deviations_for_95_percent(
        static_cast<double>(found.left.size() - found.numbers.size() - 2 * parts));
    const auto reach = [&](Eigen::Index k) {
        return deviations * std::sqrt(covariance(k, k));
    };
    const Eigen::VectorXd& at = found.numbers;
    fit.numbers = {by_logarithm("frequency_hz", at[0], reach(0)),
                   by_logarithm("damping_ratio", at[1], reach(1))};
    if (search.third() != Third::none) {
        fit.numbers.push_back({search.third() == Third::lead ? "lead" : "delay_s", at[2],
                               at[2] - reach(2), at[2] + reach(2)});
    }
    const Eigen::VectorXd low = search.low();
    const Eigen::VectorXd high = search.high();
    for (std::size_t k = 0; k < fit.numbers.size(); ++k) {
        const auto i = static_cast<Eigen::Index>(k);
        const double near = 1e-6 * (high[i] - low[i]);
        fit.numbers[k].is_at_bound = at[i] < low[i] + near || at[i] > high[i] - near;
    }
    add_combination(fit, at, search.lead_of(at), covariance, deviations);
}

void require_followed(const Reference& reference, const KnownNumbers& known) {
    require_valid(reference);
    if (!known.lead && !known.delay_s) {
        throw std::invalid_argument{
            "a lead and a delay do nearly the same: give one of them, the other is found"};
    }
    if (reference.target.empty())
        throw std::invalid_argument{"the target that the motion followed is needed too"};
    const bool moves = std::any_of(
        reference.target.begin(), reference.target.end(), [](const std::vector<double>& each) {
            return std::any_of(each.begin(), each.end(), [&](double x) { return x != each[0]; });
        });
    if (!moves) throw std::invalid_argument{"the target never moves: there is nothing to follow"};
}

FollowerFit fit_from(const Search& search, const LeastSquares& found, TargetPath path,
                     const Reference& reference) {
    const Eigen::VectorXd& at = found.numbers;
    FollowerFit fit{.tuning = {math::exp(at[0]), math::exp(at[1]), search.lead_of(at)},
                    .delay_s = search.delay_of(at),
                    .path = path,
                    .fit = {.fitted = reference.motion}};
    const FollowedRecord::Outcome outcome = search.outcome(at);
    for (std::size_t c = 0; c < outcome.left.size(); ++c) {
        for (std::size_t i = 0; i < outcome.left[c].size(); ++i)
            fit.fit.fitted[c][i] -= outcome.left[c][i];
    }
    add_numbers(fit.fit, found, search, reference.motion.size());
    return fit;
}

/// Which of two ways the target went is not told: the intervals hold what both of them say.
void widen(ReferenceFit& fit, const ReferenceFit& other) {
    for (std::size_t k = 0; k < fit.numbers.size(); ++k) {
        fit.numbers[k].low = std::min(fit.numbers[k].low, other.numbers[k].low);
        fit.numbers[k].high = std::max(fit.numbers[k].high, other.numbers[k].high);
    }
}

}  // namespace

FollowerFit fit_follower(const Reference& reference, const KnownNumbers& known,
                         const FitSettings& settings) {
    require_followed(reference, known);
    const std::vector<bool> leaps = FollowedRecord::leaps_of(reference);
    const bool has_leaps = std::find(leaps.begin(), leaps.end(), true) != leaps.end();
    // A smooth target may seem to leap: a long step between two that happen to be short.
    std::vector<TargetPath> others{TargetPath::smooth};
    if (has_leaps) others.insert(others.end(), {TargetPath::leaps_early, TargetPath::leaps_late});
    // Where the search begins does not depend on how the target went within its steps.
    const Search straight{reference, known, TargetPath::straight};
    std::optional<LeastSquares> found;
    for (const Eigen::VectorXd& start : straight.starts(settings)) {
        LeastSquares each = straight.from(start);
        if (!found || each.cost() < found->cost()) found = std::move(each);
    }
    if (!found) throw std::invalid_argument{"cancelled before anything was tried"};
    FollowerFit fit = fit_from(straight, *found, TargetPath::straight, reference);
    for (const TargetPath path : others) {
        const Search search{reference, known, path};
        LeastSquares each = search.from(found->numbers);
        FollowerFit other = fit_from(search, each, path, reference);
        // Twice the logarithm of how much likelier one of them is than the other.
        const double likelier =
            static_cast<double>(each.left.size()) *
            math::log(std::max(found->cost(), 1e-300) / std::max(each.cost(), 1e-300));
        if (likelier > 0) {
            std::swap(fit, other);
            found = std::move(each);
        }
        constexpr double not_told_apart = 6;
        if (std::abs(likelier) < not_told_apart) widen(fit.fit, other.fit);
    }
    judge(fit.fit, reference.times_s, reference.motion);
    if (!fit.fit.is_explained) fit.fit.combination.reset();
    fit.fit.is_cancelled = settings.is_cancelled && settings.is_cancelled();
    return fit;
}

}  // namespace hopcoil::tune
