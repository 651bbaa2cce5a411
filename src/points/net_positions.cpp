// Nets whose links are satisfied one after the other, in small substeps: compliant position-based.

#include <algorithm>
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
    /// Of links or bends, in a substep that they are prepared for.
    struct Strength {
        explicit Strength(std::size_t elements)
            : damping(elements), share(elements), compliance(elements) {}
        [[nodiscard]] net::PositionPass::Strength view() const noexcept {
            return {damping, share, compliance};
        }
        /// Stiffness, damping, and the inverse mass that an element moves.
        void prepare(std::size_t i, double k, double c, double w, double h) noexcept {
            const double softness = 1 / (k * h * h);
            const bool acts = k > 0 && w > 0 && std::isfinite(softness);
            damping[i] = acts ? net::position_damping(k, c, h) : 0;
            compliance[i] = acts ? softness : 0;
            share[i] = acts ? 1 / ((1 + damping[i]) * w + softness) : 0;
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
    /// One fixed order adds energy, since the effect of two links on each other then differs. In
    /// cloth, whose links lie in rows, the least damping removes it. In other bodies it does not:
    /// 28 of 600 stiff ones sped up. Forward and then backward the effects are equal; none did.
    [[nodiscard]] bool is_visited_twice() const noexcept {
        const auto is_loose = [](const net::Batch& batch) {
            return batch.layout == net::Layout::loose;
        };
        return has_ranges() ||
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

    /// For substeps of h seconds.
    void prepare(double h) noexcept {
        if (h == prepared_h_) return;
        prepared_h_ = h;
        const std::vector<double>& w = inverse_masses_;
        for (std::size_t i = 0; i < links_.size(); ++i) {
            link_strength_.prepare(i, links_.stiffness[i], links_.damping[i],
                                   w[links_.a[i]] + w[links_.b[i]], h);
        }
        for (std::size_t i = 0; i < bends_.size(); ++i) {
            const double a = bends_.weight_a[i];
            const double c = bends_.weight_c[i];
            bend_strength_.prepare(i, bends_.stiffness[i], bends_.damping[i],
                                   a * a * w[bends_.a[i]] +
                                       (a + c) * (a + c) * w[bends_.middle[i]] +
                                       c * c * w[bends_.c[i]],
                                   h);
        }
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
