#include "search.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <execution>
#include <limits>
#include <memory>
#include <nlopt.h>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/scene/scene.hpp>

namespace hopcoil::tune {
namespace {

bool is_by_factors(const FitRange& range) {
    return range.low > 0;
}

constexpr std::array<std::size_t, 12> primes{2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37};

/// The digits of a number mirrored at the point.
double mirrored(std::size_t number, std::size_t base) {
    double value = 0;
    double place = 1;
    for (; number > 0; number /= base) {
        place /= static_cast<double>(base);
        value += place * static_cast<double>(number % base);
    }
    return value;
}

bool is_cancelled(const FitSettings& settings) {
    return settings.is_cancelled && settings.is_cancelled();
}

void put_cheapest_first(std::vector<Place>& places) {
    std::stable_sort(places.begin(), places.end(),
                     [](const Place& a, const Place& b) { return a.cost < b.cost; });
}

/// What NLopt calls.
struct Descent {
    const Cost& cost;
    const FitSettings& settings;
    nlopt_opt search = nullptr;
    Place best;

    static double at(unsigned count, const double* unit, double*, void* data) {
        Descent& descent = *static_cast<Descent*>(data);
        if (is_cancelled(descent.settings)) nlopt_force_stop(descent.search);
        const double cost = descent.cost({unit, count});
        if (cost < descent.best.cost) descent.best = {{unit, unit + count}, cost};
        return cost;
    }
};

Place downhill(const Cost& cost, const Place& from, std::size_t most_runs, double good_enough,
               const FitSettings& settings) {
    const auto dimensions = static_cast<unsigned>(from.unit.size());
    const std::unique_ptr<std::remove_pointer_t<nlopt_opt>, decltype(&nlopt_destroy)> search{
        nlopt_create(NLOPT_LN_SBPLX, dimensions), &nlopt_destroy};
    Descent descent{cost, settings, search.get(), from};
    nlopt_set_min_objective(search.get(), &Descent::at, &descent);
    nlopt_set_lower_bounds1(search.get(), 0);
    nlopt_set_upper_bounds1(search.get(), 1);
    nlopt_set_initial_step1(search.get(), 0.05);
    nlopt_set_maxeval(search.get(), static_cast<int>(most_runs));
    nlopt_set_stopval(search.get(), good_enough);
    nlopt_set_xtol_abs1(search.get(), 1e-9);
    std::vector<double> unit = from.unit;
    double found = 0;
    nlopt_optimize(search.get(), unit.data(), &found);  // `best` has what it found
    return descent.best;
}

}  // namespace

double value_in(const FitRange& range, double unit) {
    if (unit <= 0) return range.low;
    if (unit >= 1) return range.high;
    if (!is_by_factors(range)) return range.low + (range.high - range.low) * unit;
    return range.low * math::pow(range.high / range.low, unit);
}

double unit_in(const FitRange& range, double value) {
    const double unit = !is_by_factors(range) ? (value - range.low) / (range.high - range.low)
                        : value > 0
                            ? math::log(value / range.low) / math::log(range.high / range.low)
                            : 0;
    return std::clamp(unit, 0.0, 1.0);
}

std::vector<double> values_in(const std::vector<FitRange>& ranges, std::span<const double> unit) {
    std::vector<double> values;
    values.reserve(ranges.size());
    for (std::size_t k = 0; k < ranges.size(); ++k)
        values.push_back(value_in(ranges[k], unit[k]));
    return values;
}

void require_valid(const std::vector<FitRange>& ranges) {
    if (ranges.empty()) throw std::invalid_argument{"a fit finds at least one number"};
    if (ranges.size() > primes.size()) {
        throw std::invalid_argument{
            fmt::format("{} numbers: at most {} at once", ranges.size(), primes.size())};
    }
    for (const FitRange& range : ranges) {
        if (std::isfinite(range.low) && std::isfinite(range.high) && range.low < range.high)
            continue;
        throw std::invalid_argument{fmt::format("{}={}:{}: expected a range from low to high",
                                                range.path, range.low, range.high)};
    }
}

void require_within_dials(const scene::Scene& scene, const std::vector<FitRange>& ranges) {
    for (const FitRange& range : ranges) {
        static_cast<void>(changed(scene, {range.path}, std::array{range.low}));
        static_cast<void>(changed(scene, {range.path}, std::array{range.high}));
    }
}

std::vector<Place> survey(const Cost& cost, std::size_t dimensions, std::size_t count,
                          double good_enough, const FitSettings& settings) {
    std::vector<Place> places(count);
    const std::uint64_t stream = stream_of(settings.seed, "fit");
    // What can be reached is often found at the ends of ranges.
    constexpr std::size_t most_with_corners = 3;
    const std::size_t corners =
        dimensions <= most_with_corners ? std::min(count, std::size_t{1} << dimensions) : 0;
    for (std::size_t i = 0; i < count; ++i) {
        for (std::size_t k = 0; k < dimensions; ++k) {
            if (i < corners) {
                places[i].unit.push_back(static_cast<double>((i >> k) & 1U));
                continue;
            }
            const double shift = unit_number(stream, static_cast<std::int64_t>(k));
            const double unit = mirrored(i + 1, primes[k]) + shift;
            places[i].unit.push_back(unit - std::floor(unit));
        }
        places[i].cost = std::numeric_limits<double>::infinity();
    }
    // In batches, so that progress can be shown.
    constexpr std::size_t batch = 16;
    for (std::size_t from = 0; from < count && !is_cancelled(settings); from += batch) {
        const auto first = places.begin() + static_cast<std::ptrdiff_t>(from);
        const auto last =
            places.begin() + static_cast<std::ptrdiff_t>(std::min(count, from + batch));
        std::for_each(std::execution::par, first, last, [&](Place& place) {
            if (!is_cancelled(settings)) place.cost = cost(place.unit);
        });
        if (settings.progress) settings.progress(from, settings.most_runs);
        const bool is_found =
            std::any_of(first, last, [&](const Place& place) { return place.cost <= good_enough; });
        if (is_found) break;
    }
    put_cheapest_first(places);
    return places;
}

std::vector<Place> refined(const Cost& cost, const std::vector<Place>& places,
                           std::size_t runs_each, double good_enough, const FitSettings& settings) {
    std::vector<Place> found;
    // How many go together does not depend on the threads, nor does the result.
    constexpr std::size_t together = 2;
    for (std::size_t from = 0; from < places.size(); from += together) {
        const std::size_t count = std::min(together, places.size() - from);
        std::vector<Place> some(count);
        std::array<std::size_t, together> order{0, 1};
        std::for_each(std::execution::par, order.begin(),
                      order.begin() + static_cast<std::ptrdiff_t>(count), [&](std::size_t i) {
                          some[i] =
                              downhill(cost, places[from + i], runs_each, good_enough, settings);
                      });
        found.insert(found.end(), some.begin(), some.end());
        put_cheapest_first(found);
        if (found.front().cost <= good_enough || is_cancelled(settings)) break;
    }
    return found;
}

}  // namespace hopcoil::tune
