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

/// A link and a bend as substeps of one length have them: how much of what is asked for is done.
struct LinkRow {
    std::uint32_t a = 0;
    std::uint32_t b = 0;
    double shortest_m = 0;
    double longest_m = 0;
    double damping = 0;
    double share = 0;
};
struct BendRow {
    double damping = 0;
    double share = 0;
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
        link_rows_.resize(links_.size());
        bend_rows_.resize(bends_.size());
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
        prepare(h);
        satisfy_links();
        satisfy_bends();
        for (const Tether& tether : tethers_)
            satisfy(tether);
        substep.contacts.resolve(moved_, state.x, base_, substep.h, state.touches);
        net::finish_step(state, {base_, moved_, inverse_masses_, h}, substep);
        return true;
    }

  private:
    /// What a substep of h seconds makes of each link and bend.
    void prepare(double h) noexcept {
        if (h == prepared_h_) return;
        prepared_h_ = h;
        for (std::size_t i = 0; i < links_.size(); ++i) {
            const NetLink& link = links_[i];
            LinkRow& row = link_rows_[i];
            const double w = inverse_masses_[link.a] + inverse_masses_[link.b];
            const double k = link.stiffness_n_per_m;
            row.a = link.a;
            row.b = link.b;
            row.shortest_m = link.shortest_m;
            row.longest_m = link.longest_m;
            row.damping = k > 0 ? net::position_damping(k, link.damping_n_s_per_m, h) : 0;
            row.share = k > 0 && w > 0 ? 1 / ((1 + row.damping) * w + 1 / (k * h * h)) : 0;
        }
        for (std::size_t i = 0; i < bends_.size(); ++i) {
            const NetBend& bend = bends_[i];
            const double k = bend.stiffness_n_per_m;
            const double middle = bend.weight_a + bend.weight_c;
            const double w = bend.weight_a * bend.weight_a * inverse_masses_[bend.a] +
                             middle * middle * inverse_masses_[bend.middle] +
                             bend.weight_c * bend.weight_c * inverse_masses_[bend.c];
            const double damping = k > 0 ? net::position_damping(k, bend.damping_n_s_per_m, h) : 0;
            const double share = k > 0 && w > 0 ? 1 / ((1 + damping) * w + 1 / (k * h * h)) : 0;
            bend_rows_[i] = {damping, share};
        }
    }

    void satisfy_links() noexcept {
        Vector3* const x = moved_.data();
        const Vector3* const base = base_.data();
        const double* const w = inverse_masses_.data();
        for (const LinkRow& row : link_rows_) {
            const Vector3 a = x[row.a];
            const Vector3 b = x[row.b];
            const Vector3 way = b - a;
            const double length = chain::length_of(way);
            const double excess = length > row.longest_m    ? length - row.longest_m
                                  : length < row.shortest_m ? length - row.shortest_m
                                                            : 0;
            const bool is_range = row.shortest_m < row.longest_m;
            if ((excess == 0 && is_range) || !(length > 0)) continue;
            const double per_m = 1 / length;
            const double moved = dot(way - (base[row.b] - base[row.a]), way) * per_m;
            double size = (excess + row.damping * moved) * row.share;
            // Damping slows a pull; it does not turn it into a push.
            if (is_range) size = excess > 0 ? std::max(0.0, size) : std::min(0.0, size);
            const Vector3 by = way * (size * per_m);
            x[row.a] = a + by * w[row.a];
            x[row.b] = b - by * w[row.b];
        }
    }

    void satisfy_bends() noexcept {
        Vector3* const x = moved_.data();
        const Vector3* const base = base_.data();
        const double* const w = inverse_masses_.data();
        for (std::size_t i = 0; i < bends_.size(); ++i) {
            const NetBend& bend = bends_[i];
            const BendRow& row = bend_rows_[i];
            const double middle = bend.weight_a + bend.weight_c;
            const Vector3 xa = x[bend.a];
            const Vector3 xm = x[bend.middle];
            const Vector3 xc = x[bend.c];
            const Vector3 b = xa * bend.weight_a + xc * bend.weight_c - xm * middle;
            const Vector3 before = base[bend.a] * bend.weight_a + base[bend.c] * bend.weight_c -
                                   base[bend.middle] * middle;
            const Vector3 moved = b - before;
            Vector3 by = (b + moved * row.damping) * row.share;
            if (bend.rest_m > 0) {
                const double length = chain::length_of(b);
                if (!(length > 0)) continue;
                const Vector3 n = b * (1 / length);
                by = n * (((length - bend.rest_m) + row.damping * dot(moved, n)) * row.share);
            }
            x[bend.a] = xa - by * (bend.weight_a * w[bend.a]);
            x[bend.middle] = xm + by * (middle * w[bend.middle]);
            x[bend.c] = xc - by * (bend.weight_c * w[bend.c]);
        }
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
    std::vector<LinkRow> link_rows_;
    std::vector<BendRow> bend_rows_;
    double prepared_h_ = -1;
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
