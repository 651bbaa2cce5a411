// Nets stepped as accelerations, by any scheme.

#include <algorithm>
#include <cmath>
#include <optional>

#include <hopcoil/stepping/any_scheme.hpp>

#include "../base/vectors.hpp"
#include "net_kernels.hpp"
#include "net_solver.hpp"
#include "net_tangent.hpp"

namespace hopcoil {
namespace {

/// Of a step of implicit Euler whose Newton's method does not converge.
constexpr int most_halvings = 10;

class NetForces final : public NetSolver {
  public:
    NetForces(const NetStructure& structure, const NetSettings& settings)
        : links_{structure, false},
          bends_{structure, false},
          pins_{net::pinned_points(structure)},
          inverse_masses_{net::inverse_masses(structure)},
          scheme_{settings.scheme, 3 * structure.points.size(), SystemOf::accelerations},
          has_damping_{net::has_damping(links_, bends_)},
          split_x_{structure.points.size()},
          split_v_{structure.points.size()},
          force_{structure.points.size()},
          moved_(structure.points.size()),
          base_(structure.points.size()) {
        if (settings.scheme == Scheme::implicit_euler)
            tangent_.emplace(links_, bends_, inverse_masses_);
    }

    [[nodiscard]] std::unique_ptr<NetSolver> clone() const override {
        return std::make_unique<NetForces>(*this);
    }

    bool step(NetState& state, const NetSubstep& substep) noexcept override {
        for (std::size_t i = 0; i < pins_.size(); ++i) {
            const std::uint32_t p = pins_[i];
            state.v[p] = (substep.pins_to[i] - state.x[p]) * (1 / substep.h);
        }
        if (!advance(state, substep)) return false;
        if (substep.contacts.has_any()) {
            take_out_of_contact(state, substep);
        } else {
            std::fill(state.touches.begin(), state.touches.end(), std::uint8_t{0});
        }
        for (std::size_t i = 0; i < pins_.size(); ++i)
            state.x[pins_[i]] = substep.pins_to[i];
        state.dt_before = substep.h;
        return true;
    }
    void save(StateWriter& out) override { scheme_.visit_state(out); }
    void load(StateReader& in) override { scheme_.visit_state(in); }

  private:
    bool advance(NetState& state, const NetSubstep& substep) noexcept {
        if (scheme_.scheme() == Scheme::semi_implicit_euler) {  // as the scheme does, at one go
            find_forces(net::numbers_of(std::span{state.x}), net::numbers_of(std::span{state.v}),
                        substep);
            return net::advance(substep.set,
                                {force_, inverse_masses_, substep.accelerations, substep.h, state.x,
                                 state.v, state.x_before, state.v_before});
        }
        std::copy(state.x.begin(), state.x.end(), state.x_before.begin());
        std::copy(state.v.begin(), state.v.end(), state.v_before.begin());
        return step_by_scheme(Accelerations{*this, substep}, substep.h, state, most_halvings);
    }
    /// What the scheme steps.
    struct Accelerations {
        void operator()(double /*time_s*/, std::span<const double> x, std::span<const double> v,
                        std::span<double> a) const noexcept {
            net.find_forces(x, v, substep);
            net::find_accelerations(substep.set,
                                    {net.force_, net.inverse_masses_, substep.accelerations, a});
        }
        [[nodiscard]] bool solve(const StepEnd<double>& end, std::span<double> b) const noexcept {
            return net.tangent_->solve(substep.set, net::vectors_of(end.x), net::vectors_of(end.v),
                                       end.h, net::vectors_of(b));
        }
        NetForces& net;
        const NetSubstep& substep;
    };
    /// Where a link buckles or becomes slack within a step, Newton's method may not converge: then
    /// two steps of half the length are taken, each of which may be halved in turn.
    bool step_by_scheme(const Accelerations& accelerations, double h, NetState& state,
                        int halvings) noexcept {
        if (scheme_.step(accelerations, 0, h, net::numbers_of(std::span{state.x}),
                         net::numbers_of(std::span{state.v})) == StepStatus::stepped)
            return true;
        if (scheme_.scheme() != Scheme::implicit_euler || halvings == 0) return false;
        return step_by_scheme(accelerations, 0.5 * h, state, halvings - 1) &&
               step_by_scheme(accelerations, 0.5 * h, state, halvings - 1);
    }
    /// From the old state alone, so that the order of links does not matter.
    void find_forces(std::span<const double> x, std::span<const double> v,
                     const NetSubstep& substep) noexcept {
        net::split(substep.set, x, split_x_);
        if (has_damping_) net::split(substep.set, v, split_v_);
        for (std::vector<double>* axis : {&force_.x, &force_.y, &force_.z})
            std::fill(axis->begin(), axis->end(), 0.0);
        net::add_forces(substep.set, {links_, bends_, split_x_, split_v_, has_damping_, force_});
    }

    void take_out_of_contact(NetState& state, const NetSubstep& substep) noexcept {
        std::copy(state.x.begin(), state.x.end(), moved_.begin());
        std::copy(state.x.begin(), state.x.end(), base_.begin());
        substep.contacts.resolve(moved_, state.x_before, base_, substep.h, state.touches);
        for (std::size_t i = 0; i < state.x.size(); ++i) {
            if (moved_[i] == state.x[i]) continue;
            state.x[i] = moved_[i];
            state.v[i] = state.v[i] + (moved_[i] - base_[i]) * (1 / substep.h);
            state.v[i] = substep.contacts.without_inward(i, state.v[i]);
        }
    }

    net::LinkTable links_;
    net::BendTable bends_;
    std::vector<std::uint32_t> pins_;
    std::vector<double> inverse_masses_;
    AnyScheme<double> scheme_;
    std::optional<net::Tangent> tangent_;  ///< where the scheme needs it
    bool has_damping_;                     ///< otherwise no velocity is needed
    net::Columns split_x_;
    net::Columns split_v_;
    net::Columns force_;
    std::vector<Vector3> moved_;
    std::vector<Vector3> base_;
};

}  // namespace

std::unique_ptr<NetSolver> make_force_solver(const NetStructure& structure,
                                             const NetSettings& settings) {
    return std::make_unique<NetForces>(structure, settings);
}

}  // namespace hopcoil
