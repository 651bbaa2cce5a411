// Nets stepped as accelerations, by any scheme.

#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/stepping/any_scheme.hpp>

#include "chain_math.hpp"
#include "net_kernels.hpp"
#include "net_solver.hpp"

namespace hopcoil {
namespace {

/// Of a step of implicit Euler whose Newton's method does not converge.
constexpr int most_halvings = 10;

/// A link or bend: it acts along d, the sum of its points' positions by their weights, and pulls
/// each by the force there times minus its weight.
struct Element {
    std::array<std::uint32_t, 3> points;
    std::array<double, 3> weights;
    double stiffness;
    double damping;
};
/// How a force varies with a vector: row i is of its number i.
using Slope = std::array<std::array<double, 3>, 3>;

/// (k excess + c d'.u) u, u = d / |d|, by d and by its rate d'.
struct Slopes {
    Slopes(const Element& element, const Vector3& d, const Vector3& rate, double excess) {
        const double length = chain::length_of(d);
        const double per_length = length > 0 ? 1 / length : 0;
        const Vector3 u = d * per_length;
        const double along = dot(rate, u);
        // A straight bend has no direction, but it does not give way either.
        const double across =
            length > 0 ? (element.stiffness * excess + element.damping * along) * per_length
                       : element.stiffness;
        const Vector3 by =
            u * (element.stiffness - across) + (rate - u * along) * (element.damping * per_length);
        const std::array<double, 3> us{u.x, u.y, u.z};
        const std::array<double, 3> bys{by.x, by.y, by.z};
        for (std::size_t i = 0; i < 3; ++i) {
            for (std::size_t j = 0; j < 3; ++j) {
                by_d[i][j] = us[i] * bys[j] + (i == j ? across : 0);
                by_rate[i][j] = element.damping * us[i] * us[j];
            }
        }
    }
    Slope by_d{};
    Slope by_rate{};
};

class NetForces final : public NetSolver {
  public:
    NetForces(const NetStructure& structure, const NetSettings& settings)
        : links_{structure, false},
          bends_{structure, false},
          pins_{net::pinned_points(structure)},
          inverse_masses_{net::inverse_masses(structure)},
          scheme_{settings.scheme, 3 * structure.points.size()},
          has_damping_{net::has_damping(links_, bends_)},
          split_x_{structure.points.size()},
          split_v_{structure.points.size()},
          force_{structure.points.size()},
          moved_(structure.points.size()),
          base_(structure.points.size()) {}

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
        void jacobian(double /*time_s*/, std::span<const double> x, std::span<const double> v,
                      std::span<double> by_x, std::span<double> by_v) const noexcept {
            net.find_slopes(x, v, by_x, by_v);
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

    void find_slopes(std::span<const double> x, std::span<const double> v, std::span<double> by_x,
                     std::span<double> by_v) const noexcept {
        std::fill(by_x.begin(), by_x.end(), 0.0);
        std::fill(by_v.begin(), by_v.end(), 0.0);
        const auto add = [&](const Element& element, double shortest, double longest) {
            const Vector3 d = weighted(element, x);
            const double excess =
                net::excess_of({.shortest_m = shortest, .longest_m = longest}, chain::length_of(d));
            if (shortest < longest && excess == 0) return;
            add_slopes(element, {element, d, weighted(element, v), excess}, by_x, by_v);
        };
        for (std::size_t i = 0; i < links_.size(); ++i) {
            add({{links_.a[i], links_.b[i], links_.b[i]},
                 {-1, 1, 0},
                 links_.stiffness[i],
                 links_.damping[i]},
                links_.shortest_m[i], links_.longest_m[i]);
        }
        for (std::size_t i = 0; i < bends_.size(); ++i) {
            add({{bends_.a[i], bends_.middle[i], bends_.c[i]},
                 {bends_.weight_a[i], -(bends_.weight_a[i] + bends_.weight_c[i]),
                  bends_.weight_c[i]},
                 bends_.stiffness[i],
                 bends_.damping[i]},
                bends_.rest_m[i], bends_.rest_m[i]);
        }
    }
    static Vector3 weighted(const Element& element, std::span<const double> numbers) noexcept {
        Vector3 sum;
        for (std::size_t p = 0; p < 3; ++p) {
            const double* of = &numbers[3 * std::size_t{element.points[p]}];
            sum = sum + Vector3{of[0], of[1], of[2]} * element.weights[p];
        }
        return sum;
    }
    void add_slopes(const Element& element, const Slopes& slopes, std::span<double> by_x,
                    std::span<double> by_v) const noexcept {
        const std::size_t size = 3 * inverse_masses_.size();
        for (std::size_t p = 0; p < 3; ++p) {
            for (std::size_t q = 0; q < 3; ++q) {
                const double share =
                    -element.weights[p] * element.weights[q] * inverse_masses_[element.points[p]];
                for (std::size_t i = 0; i < 3; ++i) {
                    const std::size_t row = (3 * std::size_t{element.points[p]} + i) * size +
                                            3 * std::size_t{element.points[q]};
                    for (std::size_t j = 0; j < 3; ++j) {
                        by_x[row + j] += share * slopes.by_d[i][j];
                        by_v[row + j] += share * slopes.by_rate[i][j];
                    }
                }
            }
        }
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
    bool has_damping_;  ///< otherwise no velocity is needed
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
