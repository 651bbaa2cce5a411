#pragma once

#include <cstddef>
#include <functional>
#include <span>
#include <vector>

#include <hopcoil/tune/fit_settings.hpp>
#include <hopcoil/tune/trial.hpp>

namespace hopcoil::tune {

/// Where a search is: a place in the unit cube, and what it costs there.
struct Place {
    std::vector<double> unit{};
    double cost = 0.0;
};

/// Called by several threads at once.
using Cost = std::function<double(std::span<const double> unit)>;

/// From the unit cube to a range and back, by factors where it is above 0.
[[nodiscard]] double value_in(const FitRange& range, double unit);
[[nodiscard]] double unit_in(const FitRange& range, double value);
[[nodiscard]] std::vector<double> values_in(const std::vector<FitRange>& ranges,
                                            std::span<const double> unit);

/// Errors  std::invalid_argument for no range, or one that is empty or not finite.
void require_valid(const std::vector<FitRange>& ranges);

/// Errors  std::invalid_argument for an end of a range that its dial refuses, or a path that no
///         dial has.
void require_within_dials(const scene::Scene& scene, const std::vector<FitRange>& ranges);

/// Places spread evenly over the cube, with its corners if it has few, in parallel, until one costs
/// no more than `good_enough`; the cheapest first.
/// Source  J. H. Halton: On the efficiency of certain quasi-random sequences (1960), shifted by
///         the seed.
[[nodiscard]] std::vector<Place> survey(const Cost& cost, std::size_t dimensions, std::size_t count,
                                        double good_enough, const FitSettings& settings);

/// Downhill from each of several places, two at a time, until one of them costs no more than
/// `good_enough`; the cheapest first.
/// Source  T. Rowan: Functional stability analysis of numerical algorithms (1990), as in NLopt.
[[nodiscard]] std::vector<Place> refined(const Cost& cost, const std::vector<Place>& places,
                                         std::size_t runs_each, double good_enough,
                                         const FitSettings& settings);

}  // namespace hopcoil::tune
