// Nets whose links are satisfied one after the other, in small substeps: compliant position-based.

#include <algorithm>
#include <array>
#include <cmath>

#include "../base/vectors.hpp"
#include "net_kernels.hpp"
#include "net_solver.hpp"

namespace hopcoil {
namespace {

class NetPositions final : public NetSolver {
  public:
    NetPositions(const NetStructure& structure, const NetSettings& settings)
        : links_{structure, true},
          bends_{structure, true},
          link_strength_{links_.size()},
          bend_strength_{bends_.size()},
          tethers_{tethers_of(structure, settings), structure.points.size()},
          pins_{net::pinned_points(structure)},
          inverse_masses_{net::inverse_masses(structure)},
          base_{structure.points.size()},
          moved_{structure.points.size()},
          corrections_{is_visited_twice() ? links_.size() + bends_.size() : 0},
          holds_(has_ranges() ? links_.size() : 0),
          most_damped_(structure.points.size()),
          touched_base_(structure.points.size()),
          touched_moved_(structure.points.size()) {}

    [[nodiscard]] std::unique_ptr<NetSolver> clone() const override {
        return std::make_unique<NetPositions>(*this);
    }

    bool step(NetState& state, const NetSubstep& substep) noexcept override {
        const net::BackwardDifference difference{state, substep.h};
        const double h = difference.h;
        net::predict(substep.set,
                     {state.x, state.v, state.x_before, state.v_before, substep.accelerations,
                      difference.now, difference.before, h, base_, moved_});
        for (std::size_t i = 0; i < pins_.size(); ++i)
            moved_.put(pins_[i], substep.pins_to[i]);
        prepare(h);
        corrections_.clear();
        net::satisfy(substep.set,
                     {links_, bends_, link_strength_.view(), bend_strength_.view(), inverse_masses_,
                      tethers_, base_, moved_, corrections_.x.empty() ? nullptr : &corrections_});
        const bool is_good = substep.contacts.has_any() ? finish_with_contact(state, substep, h)
                                                        : finish_free(state, substep, h);
        if (!holds_.empty()) note_ranges(state, substep);
        return is_good;
    }
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }

  private:
    /// A link or a bend, in the letters of docs/nets.md (6): its stiffness, its damping, and 1 over
    /// the mass that it moves.
    struct Element {
        double k;
        double c;
        double w;
        [[nodiscard]] double own_g(double h) const noexcept {
            return net::position_damping(k, c, h);
        }
        /// Above 1, it would oscillate by more than a radian in h seconds.
        [[nodiscard]] double relative_stiffness(double h) const noexcept { return w * k * h * h; }
    };
    /// Of links or bends, in a substep that they are prepared for.
    struct Strength {
        explicit Strength(std::size_t elements)
            : damping(elements), share(elements), compliance(elements) {}
        [[nodiscard]] net::PositionPass::Strength view() const noexcept {
            return {damping, share, compliance};
        }
        void prepare(std::size_t i, const Element& element, double g, double h) noexcept {
            const double softness = 1 / (element.k * h * h);
            const bool acts = element.k > 0 && element.w > 0 && std::isfinite(softness);
            damping[i] = acts ? g : 0;
            compliance[i] = acts ? softness : 0;
            share[i] = acts ? 1 / ((1 + g) * element.w + softness) : 0;
        }

        std::vector<double> damping;
        std::vector<double> share;
        std::vector<double> compliance;
    };

    enum class Hold : std::uint8_t { unknown, is_slack, holds };
    void visit_state(auto& fields) {
        for (Hold& hold : holds_)
            fields.up_to(Hold::holds, hold);
    }

    [[nodiscard]] bool has_ranges() const noexcept {
        return std::any_of(links_.batches.begin(), links_.batches.end(),
                           [](const net::Batch& batch) { return batch.is_special; });
    }
    /// Links of very different lengths, as in a cloth whose cells are far longer than wide, or
    /// between points of very different masses.
    [[nodiscard]] bool is_uneven() const noexcept {
        constexpr double most_length_ratio = 2.5;
        constexpr double most_mass_ratio = 100;
        double shortest_m = unbounded_length_m;
        double longest_m = 0;
        for (std::size_t i = 0; i < links_.size(); ++i) {
            if (!(links_.stiffness[i] > 0)) continue;
            shortest_m = std::min(shortest_m, links_.longest_m[i]);
            longest_m = std::max(longest_m, links_.longest_m[i]);
            const double a = inverse_masses_[links_.a[i]];
            const double b = inverse_masses_[links_.b[i]];
            const double least = std::min(a, b);
            if (least > 0 && std::max(a, b) > most_mass_ratio * least) return true;
        }
        return longest_m > most_length_ratio * shortest_m;
    }
    /// One fixed order adds energy, since the effect of two links on each other then differs. In
    /// even cloth, whose links lie in rows, the least damping removes it. In other bodies it does
    /// not: 28 of 600 stiff ones sped up. Forward and then backward the effects are equal, and none
    /// did.
    [[nodiscard]] bool is_visited_twice() const noexcept {
        const auto is_loose = [](const net::Batch& batch) {
            return batch.layout == net::Layout::loose;
        };
        return has_ranges() || is_uneven() ||
               std::any_of(links_.batches.begin(), links_.batches.end(), is_loose) ||
               std::any_of(bends_.batches.begin(), bends_.batches.end(), is_loose);
    }

    /// Where a link with a range goes slack or taut, the force on its points changes at once;
    /// extrapolating from before the change adds energy: 163 of 800 stiff bodies of ropes sped up.
    /// So these points continue as if they had been in free flight.
    void note_ranges(NetState& state, const NetSubstep& substep) noexcept {
        for (const net::Batch& batch : links_.batches) {
            if (!batch.is_special) continue;
            for (std::size_t i = batch.first; i < batch.first + batch.count; ++i) {
                const Hold before = holds_[i];
                holds_[i] = corrections_.x[i] != 0 ? Hold::holds : Hold::is_slack;
                if (before == Hold::unknown || before == holds_[i]) continue;
                for (const std::uint32_t point : {links_.a[i], links_.b[i]}) {
                    if (inverse_masses_[point] > 0)
                        net::restart(state, point, substep.accelerations[point], substep.h);
                }
            }
        }
    }

    bool finish_with_contact(NetState& state, const NetSubstep& substep, double h) noexcept {
        for (std::size_t i = 0; i < touched_moved_.size(); ++i) {
            touched_base_[i] = base_.at(i);
            touched_moved_[i] = moved_.at(i);
        }
        substep.contacts.resolve(touched_moved_, state.x, touched_base_, substep.h, state.touches);
        return net::finish_step(state, {touched_base_, touched_moved_, inverse_masses_, h},
                                substep);
    }
    bool finish_free(NetState& state, const NetSubstep& substep, double h) noexcept {
        std::fill(state.touches.begin(), state.touches.end(), std::uint8_t{0});
        const bool is_finite = net::finish(substep.set, {base_, moved_, 1 / h, state.x, state.v});
        for (const std::uint32_t p : pins_)
            net::finish_pin(state, p, state.x_before[p], substep.h);
        state.dt_before = substep.h;
        return is_finite;
    }

    template <class Visit>
    void for_each_element(const Visit& visit) noexcept {
        const std::vector<double>& w = inverse_masses_;
        for (std::size_t i = 0; i < links_.size(); ++i) {
            const std::array points{links_.a[i], links_.b[i]};
            visit(link_strength_, i, points,
                  Element{links_.stiffness[i], links_.damping[i], w[points[0]] + w[points[1]]});
        }
        for (std::size_t i = 0; i < bends_.size(); ++i) {
            const std::array points{bends_.a[i], bends_.middle[i], bends_.c[i]};
            const double a = bends_.weight_a[i];
            const double c = bends_.weight_c[i];
            visit(bend_strength_, i, points,
                  Element{bends_.stiffness[i], bends_.damping[i],
                          a * a * w[points[0]] + (a + c) * (a + c) * w[points[1]] +
                              c * c * w[points[2]]});
        }
    }

    /// The g of an element. Where stiff elements of very different g share a point, satisfying them
    /// one after the other adds energy: 189 of 1,100 cloths and bodies built at random sped up. So
    /// 1 + g is at least a third of the largest at its points, unless it is too soft to matter
    /// within a substep.
    [[nodiscard]] double g_of(const auto& points, const Element& each, double h) const noexcept {
        constexpr double most_ratio = 3;
        constexpr double soft = 0.01;
        if (!(each.relative_stiffness(h) > soft)) return each.own_g(h);
        double most = 0;
        for (const std::uint32_t point : points)
            most = std::max(most, most_damped_[point]);
        return std::max(each.own_g(h), most / most_ratio - 1);
    }
    void find_most_damped(double h) noexcept {
        constexpr double stiff = 0.3;
        std::fill(most_damped_.begin(), most_damped_.end(), 0.0);
        // An element whose g is raised counts for its neighbours, too. More rounds change nothing.
        for (int round = 0; round < 2; ++round) {
            for_each_element([&](Strength&, std::size_t, const auto& points, const Element& each) {
                const double damped = 1 + g_of(points, each, h);
                if (!(each.relative_stiffness(h) * damped > stiff)) return;
                for (const std::uint32_t point : points)
                    most_damped_[point] = std::max(most_damped_[point], damped);
            });
        }
    }

    /// For substeps of h seconds.
    void prepare(double h) noexcept {
        if (h == prepared_h_) return;
        prepared_h_ = h;
        find_most_damped(h);
        for_each_element(
            [&](Strength& strength, std::size_t i, const auto& points, const Element& each) {
                strength.prepare(i, each, g_of(points, each, h), h);
            });
    }

    /// A hundredth longer than the links, plus what the net's own weight stretches them by.
    [[nodiscard]] static std::vector<net::Tether> tethers_of(const NetStructure& structure,
                                                             const NetSettings& settings) {
        std::vector<net::Tether> tethers;
        if (!settings.has_tethers) return tethers;
        const PinDistances distances = pin_distances(structure);
        double weight_n = 0;
        for (const NetPoint& point : structure.points) {
            if (!point.is_pinned) weight_n += point.mass_kg * norm(settings.gravity);
        }
        double held_n = 0;  // over relative stretch, by all links at pins
        for (const NetLink& link : structure.links) {
            const bool is_at_pin =
                structure.points[link.a].is_pinned != structure.points[link.b].is_pinned;
            if (is_at_pin && link.longest_m < unbounded_length_m)
                held_n += link.stiffness_n_per_m * link.longest_m;
        }
        const double slack = net::tether_slack + (held_n > 0 ? 2 * weight_n / held_n : 0);
        for (std::uint32_t i = 0; i < structure.points.size(); ++i) {
            const double metres = distances.metres[i];
            if (structure.points[i].is_pinned || !(metres < unbounded_length_m)) continue;
            if (distances.links[i] > 1)
                tethers.push_back({i, distances.pins[i], metres * (1 + slack)});
        }
        return tethers;
    }

    net::LinkTable links_;
    net::BendTable bends_;
    Strength link_strength_;
    Strength bend_strength_;
    net::TetherTable tethers_;
    double prepared_h_ = -1;
    std::vector<std::uint32_t> pins_;
    std::vector<double> inverse_masses_;
    net::Columns base_;         ///< the velocity at the end of a substep is (moved - base) / h
    net::Columns moved_;        ///< where the points are at its end
    net::Columns corrections_;  ///< of links and bends, where they are visited twice; else empty
    std::vector<Hold> holds_;   ///< of links, where some have a range: in the last substep
    std::vector<double> most_damped_;  ///< the largest 1 + g of the stiff elements of each point
    std::vector<Vector3> touched_base_;
    std::vector<Vector3> touched_moved_;
};

}  // namespace

std::unique_ptr<NetSolver> make_position_solver(const NetStructure& structure,
                                                const NetSettings& settings) {
    return std::make_unique<NetPositions>(structure, settings);
}

namespace net {

void restart(NetState& state, std::size_t point, const Vector3& acceleration, double dt) noexcept {
    const Vector3 gained = acceleration * dt;
    state.v_before[point] = state.v[point] - gained;
    state.x_before[point] = state.x[point] - state.v[point] * dt + gained * (0.5 * dt);
}

void finish_pin(NetState& state, std::uint32_t point, const Vector3& from, double dt) noexcept {
    state.v[point] = (state.x[point] - from) * (1 / dt);
    restart(state, point, {}, dt);
}

bool finish_step(NetState& state, const StepEnd& end, const NetSubstep& substep) noexcept {
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
        // A point that hits something, or is held, continues as if it had always moved so.
        const bool is_new = (state.touches[i] & (touching | net::touched_before)) == touching;
        if (is_new || is_pinned) restart(state, i, {}, substep.h);
    }
    state.dt_before = substep.h;
    return are_finite(substep.set, state.x) && are_finite(substep.set, state.v);
}

}  // namespace net
}  // namespace hopcoil
