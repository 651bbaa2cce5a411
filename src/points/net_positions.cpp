// Nets whose links are satisfied one after the other, in small substeps: compliant position-based.

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "chain_math.hpp"
#include "net_solver.hpp"

namespace hopcoil {
namespace {

/// Groups of elements that share no point: the order within a group does not matter, so it can be
/// worked off on any number of threads with the same result. Elements are sorted by group.
template <class Element, class Points>
void sort_by_colour(std::vector<Element>& elements, std::size_t points, const Points& points_of) {
    std::vector<std::uint64_t> used(points);
    std::vector<std::pair<std::uint32_t, std::uint32_t>> colours;
    for (std::uint32_t i = 0; i < elements.size(); ++i) {
        std::uint64_t taken = 0;
        for (const std::uint32_t p : points_of(elements[i]))
            taken |= used[p];
        std::uint32_t colour = 0;
        while (colour < 63 && (taken >> colour & 1U) != 0)
            ++colour;
        for (const std::uint32_t p : points_of(elements[i]))
            used[p] |= std::uint64_t{1} << colour;
        colours.emplace_back(colour, i);
    }
    std::sort(colours.begin(), colours.end());
    std::vector<Element> sorted;
    sorted.reserve(elements.size());
    for (const auto& [colour, i] : colours)
        sorted.push_back(elements[i]);
    elements = std::move(sorted);
}

/// A point that is kept within reach of its nearest pin.
struct Tether {
    std::uint32_t point;
    std::uint32_t pin;
    double longest_m;
};

class NetPositions final : public NetSolver {
  public:
    NetPositions(const NetStructure& structure, const NetSettings& settings)
        : links_{structure.links},
          bends_{structure.bends},
          pins_{net::pinned_points(structure)},
          inverse_masses_{net::inverse_masses(structure)},
          base_(structure.points.size()),
          moved_(structure.points.size()) {
        const auto of_link = [](const NetLink& link) {
            return std::array{link.a, link.b};
        };
        const auto of_bend = [](const NetBend& bend) {
            return std::array{bend.a, bend.middle, bend.c};
        };
        sort_by_colour(links_, base_.size(), of_link);
        sort_by_colour(bends_, base_.size(), of_bend);
        if (settings.has_tethers) find_tethers(structure, settings);
    }

    [[nodiscard]] std::unique_ptr<NetSolver> clone() const override {
        return std::make_unique<NetPositions>(*this);
    }

    bool step(NetState& state, const NetSubstep& substep) noexcept override {
        const net::BackwardDifference difference{state, substep.h};
        const double h = difference.h;
        for (std::size_t i = 0; i < base_.size(); ++i) {
            base_[i] = difference.at(state.x[i], state.x_before[i]);
            const Vector3 v = difference.at(state.v[i], state.v_before[i]);
            moved_[i] = base_[i] + v * h + substep.accelerations[i] * (h * h);
        }
        for (std::size_t i = 0; i < pins_.size(); ++i)
            moved_[pins_[i]] = substep.pins_to[i];
        for (const NetLink& link : links_)
            satisfy(link, h);
        for (const NetBend& bend : bends_)
            satisfy(bend, h);
        for (const Tether& tether : tethers_)
            satisfy(tether);
        substep.contacts.resolve(moved_, state.x, base_, substep.h, state.touches);
        net::finish_step(state, {base_, moved_, inverse_masses_, h}, substep);
        return true;
    }

  private:
    void satisfy(const NetLink& link, double h) noexcept {
        const double wa = inverse_masses_[link.a];
        const double wb = inverse_masses_[link.b];
        const Vector3 way = moved_[link.b] - moved_[link.a];
        const double length = chain::length_of(way);
        const double excess = net::excess_of(link, length);
        const bool acts = excess != 0 || link.shortest_m == link.longest_m;
        if (!acts || !(length > 0) || !(wa + wb > 0) || !(link.stiffness_n_per_m > 0)) return;
        const Vector3 n = way * (1 / length);
        const double compliance = 1 / (link.stiffness_n_per_m * h * h);
        const double damping =
            net::position_damping(link.stiffness_n_per_m, link.damping_n_s_per_m, h);
        const double moved = dot(way - (base_[link.b] - base_[link.a]), n);
        double size = (excess + damping * moved) / ((1 + damping) * (wa + wb) + compliance);
        // Damping slows a pull; it does not turn it into a push.
        if (excess > 0 && link.shortest_m < link.longest_m) size = std::max(0.0, size);
        if (excess < 0 && link.shortest_m < link.longest_m) size = std::min(0.0, size);
        moved_[link.a] = moved_[link.a] + n * (wa * size);
        moved_[link.b] = moved_[link.b] - n * (wb * size);
    }

    void satisfy(const NetBend& bend, double h) noexcept {
        if (!(bend.stiffness_n_per_m > 0)) return;
        const double middle = bend.weight_a + bend.weight_c;
        const auto of = [&](const std::vector<Vector3>& x) {
            return x[bend.a] * bend.weight_a + x[bend.c] * bend.weight_c - x[bend.middle] * middle;
        };
        const double w = bend.weight_a * bend.weight_a * inverse_masses_[bend.a] +
                         middle * middle * inverse_masses_[bend.middle] +
                         bend.weight_c * bend.weight_c * inverse_masses_[bend.c];
        const Vector3 b = of(moved_);
        const double length = chain::length_of(b);
        if (!(w > 0) || !(length > 0)) return;
        const double compliance = 1 / (bend.stiffness_n_per_m * h * h);
        const double damping =
            net::position_damping(bend.stiffness_n_per_m, bend.damping_n_s_per_m, h);
        const Vector3 n = b * (1 / length);
        const double moved = dot(b - of(base_), n);
        const Vector3 by =
            n * (((length - bend.rest_m) + damping * moved) / ((1 + damping) * w + compliance));
        const auto move = [&](std::uint32_t point, double weight) {
            moved_[point] = moved_[point] - by * (weight * inverse_masses_[point]);
        };
        move(bend.a, bend.weight_a);
        move(bend.middle, -middle);
        move(bend.c, bend.weight_c);
    }

    void satisfy(const Tether& tether) noexcept {
        const Vector3 way = moved_[tether.point] - moved_[tether.pin];
        const double square = dot(way, way);
        if (square <= tether.longest_m * tether.longest_m) return;
        moved_[tether.point] = moved_[tether.pin] + way * (tether.longest_m / std::sqrt(square));
    }

    /// A hundredth beyond where the links lead, and what the net's own weight stretches them by.
    void find_tethers(const NetStructure& structure, const NetSettings& settings) {
        const PinDistances distances = pin_distances(structure);
        double weight_n = 0;
        for (const NetPoint& point : structure.points) {
            if (!point.is_pinned) weight_n += point.mass_kg * chain::length_of(settings.gravity);
        }
        double held_n = 0;  // over relative stretch, by all links at pins
        for (const NetLink& link : structure.links) {
            const bool is_at_pin =
                structure.points[link.a].is_pinned != structure.points[link.b].is_pinned;
            if (is_at_pin && link.longest_m < unbounded_length_m)
                held_n += link.stiffness_n_per_m * link.longest_m;
        }
        const double slack = 0.01 + (held_n > 0 ? 2 * weight_n / held_n : 0);
        for (std::uint32_t i = 0; i < structure.points.size(); ++i) {
            const double metres = distances.metres[i];
            if (structure.points[i].is_pinned || !(metres < unbounded_length_m)) continue;
            if (distances.links[i] > 1)
                tethers_.push_back({i, distances.pins[i], metres * (1 + slack)});
        }
    }

    std::vector<NetLink> links_;
    std::vector<NetBend> bends_;
    std::vector<Tether> tethers_;
    std::vector<std::uint32_t> pins_;
    std::vector<double> inverse_masses_;
    std::vector<Vector3> base_;   ///< the velocity at the end of a substep is (moved - base) / h
    std::vector<Vector3> moved_;  ///< where the points are at its end
};

}  // namespace

std::unique_ptr<NetSolver> make_position_solver(const NetStructure& structure,
                                                const NetSettings& settings) {
    return std::make_unique<NetPositions>(structure, settings);
}

namespace net {

void finish_step(NetState& state, const StepEnd& end, const NetSubstep& substep) noexcept {
    const double per_h = 1 / end.h;
    for (std::size_t i = 0; i < state.x.size(); ++i) {
        const Vector3 from = state.x[i];
        Vector3 v = (end.moved[i] - end.base[i]) * per_h;
        const bool is_pinned = !(end.inverse_masses[i] > 0);
        if (is_pinned) v = (end.moved[i] - from) * (1 / substep.h);
        const bool touches = (state.touches[i] & touching) != 0;
        if (touches) v = substep.contacts.without_inward(i, v);
        state.x[i] = end.moved[i];
        state.x_before[i] = from;
        state.v_before[i] = state.v[i];
        state.v[i] = v;
        // What hits something, or is held, goes on from there as if it had always moved so.
        if (state.touches[i] != touching && !is_pinned) continue;
        state.x_before[i] = state.x[i] - v * substep.h;
        state.v_before[i] = v;
    }
    state.dt_before = substep.h;
}

}  // namespace net
}  // namespace hopcoil
