#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <utility>

#include <Eigen/Core>
#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/tune/reference_fit.hpp>
#include <hopcoil/tune/trial.hpp>

#include "fit_quality.hpp"
#include "least_squares.hpp"
#include "search.hpp"

namespace hopcoil::tune {
namespace {

/// The rate of even samples from 0 on; none where they are not.
std::optional<double> even_rate_hz(const std::vector<double>& times_s) {
    const double step_s = times_s.back() / static_cast<double>(times_s.size() - 1);
    for (std::size_t i = 0; i < times_s.size(); ++i) {
        if (std::abs(times_s[i] - step_s * static_cast<double>(i)) > 1e-6) return {};
    }
    return 1 / step_s;
}

double between(const std::vector<double>& times_s, const std::vector<double>& values,
               double time_s) {
    const auto after = std::upper_bound(times_s.begin(), times_s.end(), time_s);
    if (after == times_s.begin()) return values.front();
    if (after == times_s.end()) return values.back();
    const auto k = static_cast<std::size_t>(after - times_s.begin());
    const double part = (time_s - times_s[k - 1]) / (times_s[k] - times_s[k - 1]);
    return values[k - 1] + (values[k] - values[k - 1]) * part;
}

class SceneRuns {
  public:
    SceneRuns(scene::Scene scene, const std::vector<FitRange>& ranges,
              const std::vector<double>& times_s, const std::vector<Match>& matches)
        : scene_{std::move(scene)},
          ranges_{ranges},
          paths_{paths_of(ranges)},
          times_s_{times_s},
          matches_{matches} {
        // A moment longer, so that rounding does not cut the last sample off.
        scene_.duration_s = times_s.back() * (1 + 1e-9);
        scene_.record.clear();
        rate_hz_ = even_rate_hz(times_s);
        if (rate_hz_) scene_.rate_hz = *rate_hz_;
        for (const Match& match : matches)
            scales_.push_back(deviation_of(match.motion));
    }

    [[nodiscard]] const std::vector<double>& scales() const { return scales_; }

    /// Each matched column at the reference's times. Errors: those of a run.
    [[nodiscard]] std::vector<std::vector<double>> motions(std::span<const double> values) const {
        const scene::Scene tried = changed(scene_, paths_, values);
        const Take take = run_of(rate_hz_ ? tried : finely_recorded(tried));
        std::vector<std::vector<double>> motions;
        for (const Match& match : matches_) {
            const std::optional<std::size_t> column = take.find_column(match.column);
            if (!column) {
                throw std::invalid_argument{
                    fmt::format("'{}': the scene's take has no such column{}", match.column,
                                io::did_you_mean(match.column, take.column_names()))};
            }
            const std::vector<double> all = take.column(*column);
            std::vector<double>& motion = motions.emplace_back();
            for (const double time_s : times_s_)
                motion.push_back(between(take.times_s(), all, time_s));
        }
        return motions;
    }

    /// What is left of all columns, each over its own deviation.
    [[nodiscard]] bool residuals(const Eigen::VectorXd& unit, Eigen::VectorXd& left) const {
        const auto rows = static_cast<Eigen::Index>(times_s_.size());
        left.resize(rows * static_cast<Eigen::Index>(matches_.size()));
        try {
            const auto found =
                motions(values_in(ranges_, {unit.data(), static_cast<std::size_t>(unit.size())}));
            Eigen::Index next = 0;
            for (std::size_t c = 0; c < found.size(); ++c) {
                for (std::size_t i = 0; i < times_s_.size(); ++i)
                    left[next++] = (matches_[c].motion[i] - found[c][i]) / scales_[c];
            }
            return left.allFinite();
        } catch (const std::exception&) {
            return false;
        }
    }

  private:
    /// With every channel: any may be matched.
    static scene::Scene finely_recorded(const scene::Scene& scene) {
        scene::Scene fine = scene::finely_recorded(scene);
        fine.is_for_figures = false;
        return fine;
    }
    static Take run_of(const scene::Scene& scene) {
        Take take;
        scene::run(scene, take);
        return take;
    }

    static double deviation_of(const std::vector<double>& motion) {
        const Eigen::Map<const Eigen::VectorXd> all{motion.data(),
                                                    static_cast<Eigen::Index>(motion.size())};
        const double deviation =
            std::sqrt((all.array() - all.mean()).square().sum() / static_cast<double>(all.size()));
        return deviation > 0 ? deviation : 1;
    }

    scene::Scene scene_;
    const std::vector<FitRange>& ranges_;
    std::vector<std::string> paths_;
    const std::vector<double>& times_s_;
    const std::vector<Match>& matches_;
    std::optional<double> rate_hz_{};
    std::vector<double> scales_{};
};

void require_matches(const std::vector<double>& times_s, const std::vector<Match>& matches) {
    if (matches.empty()) throw std::invalid_argument{"a fit matches at least one column"};
    for (const Match& match : matches)
        require_valid(Reference{.times_s = times_s, .motion = {match.motion}});
    if (!(times_s.front() >= 0 && times_s.back() > 0))
        throw std::invalid_argument{"a scene begins at 0 s: the record's times must not be before"};
}

/// The numbers where the search ended, with what their deviations in the unit cube are in units.
std::vector<FittedNumber> numbers_of(const LeastSquares& found, const std::vector<FitRange>& ranges,
                                     std::size_t columns) {
    const Eigen::MatrixXd covariance = covariance_of(found, static_cast<Eigen::Index>(columns), 0);
    const double deviations =
        deviations_for_95_percent(static_cast<double>(found.left.size() - found.numbers.size()));
    std::vector<FittedNumber> numbers;
    for (std::size_t k = 0; k < ranges.size(); ++k) {
        const auto i = static_cast<Eigen::Index>(k);
        const double at = found.numbers[i];
        const double reach = deviations * std::sqrt(covariance(i, i));
        constexpr double near = 1e-6;
        numbers.push_back({.name = ranges[k].path,
                           .value = value_in(ranges[k], at),
                           .low = value_in(ranges[k], at - reach),
                           .high = value_in(ranges[k], at + reach),
                           .is_at_bound = at < near || at > 1 - near});
    }
    return numbers;
}

}  // namespace

ReferenceFit fit_scene(const scene::Scene& scene, const std::vector<FitRange>& ranges,
                       const std::vector<double>& times_s, const std::vector<Match>& matches,
                       const FitSettings& settings) {
    require_valid(ranges);
    require_within_dials(scene, ranges);
    require_matches(times_s, matches);
    const SceneRuns runs{scene, ranges, times_s, matches};
    const std::vector<double> middle(ranges.size(), 0.5);
    static_cast<void>(runs.motions(values_in(ranges, middle)));
    const Cost cost = [&](std::span<const double> unit) {
        Eigen::VectorXd left;
        const Eigen::Map<const Eigen::VectorXd> at{unit.data(),
                                                   static_cast<Eigen::Index>(unit.size())};
        constexpr double failed = 1e12;
        return runs.residuals(at, left) ? left.squaredNorm() : failed;
    };
    std::vector<Place> places =
        survey(cost, ranges.size(), settings.most_runs / 3 + 1, 0, settings);
    // The scene's own numbers are as good a start as any.
    Place as_it_is;
    for (const FitRange& range : ranges)
        as_it_is.unit.push_back(unit_in(range, value_at(scene, range.path)));
    constexpr std::size_t most_starts = 3;
    places.resize(std::min(places.size(), most_starts));
    places.push_back(std::move(as_it_is));
    const auto dimensions = static_cast<Eigen::Index>(ranges.size());
    const int most_steps = static_cast<int>(
        settings.most_runs * 2 / 3 / (places.size() * (2 * ranges.size() + 1)) + 4);
    std::optional<LeastSquares> found;
    for (const Place& place : places) {
        if (found && settings.is_cancelled && settings.is_cancelled()) break;
        constexpr double step = 1e-4;
        const Residuals residuals = [&](const Eigen::VectorXd& unit, Eigen::VectorXd& left) {
            return runs.residuals(unit, left);
        };
        const Eigen::VectorXd start =
            Eigen::Map<const Eigen::VectorXd>{place.unit.data(), dimensions};
        LeastSquares each = least_squares(residuals, start, Eigen::VectorXd::Zero(dimensions),
                                          Eigen::VectorXd::Ones(dimensions), step, most_steps);
        if (!found || each.cost() < found->cost()) found = std::move(each);
    }
    ReferenceFit fit{.numbers = numbers_of(*found, ranges, matches.size())};
    std::vector<double> values;
    values.reserve(fit.numbers.size());
    for (const FittedNumber& number : fit.numbers)
        values.push_back(number.value);
    fit.fitted = runs.motions(values);
    std::vector<std::vector<double>> motions;
    motions.reserve(matches.size());
    for (const Match& match : matches)
        motions.push_back(match.motion);
    judge(fit, times_s, motions, matches.size() > 1 ? runs.scales() : std::vector<double>{});
    fit.is_cancelled = settings.is_cancelled && settings.is_cancelled();
    return fit;
}

}  // namespace hopcoil::tune
