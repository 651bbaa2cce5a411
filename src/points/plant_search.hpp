#pragma once

#include "plant_lanes.hpp"

/// @file
/// Conjugate gradients over the modes of plants side by side: for `wanted`, such that a product of
/// it is what was `missing`. `rate_responses` are what each mode alone would make of a unit of
/// that. As for plant_lanes.hpp.

namespace hopcoil::plant {
namespace {

/// Its state, for each plant.
template <std::size_t lanes>
struct Search {
    alignas(64) double left[lanes]{};
    bool goes_on[lanes];
};

/// From `wanted` as it is, and what is `missing` then.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void start_search(Room& room, Search<lanes>& search) {
    for (std::size_t at = 0; at < room.missing.size(); at += lanes) {
        HOPCOIL_EACH_LANE {
            room.toward[at + k] = room.rate_responses[at + k] * room.missing[at + k];
            search.left[k] += room.missing[at + k] * room.toward[at + k];
        }
    }
    for (std::size_t k = 0; k < lanes; ++k)
        search.goes_on[k] = true;
}

/// Whether any plant needs another round.
template <std::size_t lanes>
HOPCOIL_INTO_EACH bool needs_round(const Room& room, Search<lanes>& search) {
    alignas(64) double whole[lanes]{};
    for (std::size_t at = 0; at < room.wanted.size(); at += lanes) {
        HOPCOIL_EACH_LANE {
            const double wanted = room.wanted[at + k];
            whole[k] += wanted * wanted / room.rate_responses[at + k];
        }
    }
    bool is_any_left = false;
    for (std::size_t k = 0; k < lanes; ++k) {
        search.goes_on[k] = search.goes_on[k] && search.left[k] > 1e-8 * whole[k];
        is_any_left = is_any_left || search.goes_on[k];
    }
    return is_any_left;
}

/// One iteration, with the product of `toward` in `slowings`; plants that have converged keep their
/// result.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void go_round(Room& room, Search<lanes>& search) {
    const std::size_t size = room.wanted.size();
    alignas(64) double with[lanes]{};
    for (std::size_t at = 0; at < size; at += lanes) {
        HOPCOIL_EACH_LANE
        with[k] += room.toward[at + k] * room.slowings[at + k];
    }
    for (std::size_t k = 0; k < lanes; ++k) {
        search.goes_on[k] = search.goes_on[k] && with[k] > 0;
        if (!search.goes_on[k]) continue;
        const double part = search.left[k] / with[k];
        double next = 0;
        for (std::size_t at = k; at < size; at += lanes) {
            room.wanted[at] += part * room.toward[at];
            room.missing[at] -= part * room.slowings[at];
            next += room.missing[at] * room.rate_responses[at] * room.missing[at];
        }
        const double share = next / search.left[k];
        for (std::size_t at = k; at < size; at += lanes)
            room.toward[at] = room.rate_responses[at] * room.missing[at] + share * room.toward[at];
        search.left[k] = next;
    }
}

}  // namespace
}  // namespace hopcoil::plant
