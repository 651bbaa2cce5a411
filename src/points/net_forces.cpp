// Nets stepped as accelerations, by any scheme.

#include <cmath>

#include <hopcoil/stepping/any_scheme.hpp>

#include "chain_math.hpp"
#include "net_solver.hpp"

namespace hopcoil {
namespace {

Vector3 vector_at(std::span<const double> numbers, std::size_t i) noexcept {
    return {numbers[3 * i], numbers[3 * i + 1], numbers[3 * i + 2]};
}

void add_at(std::span<double> numbers, std::size_t i, const Vector3& v) noexcept {
    numbers[3 * i] += v.x;
    numbers[3 * i + 1] += v.y;
    numbers[3 * i + 2] += v.z;
}

void put_at(std::span<double> numbers, std::size_t i, const Vector3& v) noexcept {
    numbers[3 * i] = v.x;
    numbers[3 * i + 1] = v.y;
    numbers[3 * i + 2] = v.z;
}

class NetForces final : public NetSolver {
  public:
    NetForces(const NetStructure& structure, const NetSettings& settings)
        : links_{structure.links},
          bends_{structure.bends},
          pins_{net::pinned_points(structure)},
          inverse_masses_{net::inverse_masses(structure)},
          scheme_{settings.scheme, 3 * structure.points.size()},
          x_(3 * structure.points.size()),
          v_(x_.size()),
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
        for (std::size_t i = 0; i < state.x.size(); ++i) {
            put_at(x_, i, state.x[i]);
            put_at(v_, i, state.v[i]);
        }
        const auto accelerations = [&](double /*time_s*/, std::span<const double> x,
                                       std::span<const double> v, std::span<double> a) {
            find(x, v, substep.accelerations, a);
        };
        if (scheme_.step(accelerations, 0, substep.h, std::span<double>{x_},
                         std::span<double>{v_}) != StepStatus::stepped)
            return false;
        take_over(state, substep);
        return true;
    }
    void save(StateWriter& out) override { scheme_.visit_state(out); }
    void load(StateReader& in) override { scheme_.visit_state(in); }

  private:
    /// From the old state alone, so that the order of links does not matter.
    void find(std::span<const double> x, std::span<const double> v, std::span<const Vector3> others,
              std::span<double> a) const noexcept {
        for (double& each : a)
            each = 0;
        for (const NetLink& link : links_)
            add_link(link, x, v, a);
        for (const NetBend& bend : bends_)
            add_bend(bend, x, v, a);
        for (std::size_t i = 0; i < inverse_masses_.size(); ++i) {
            const double w = inverse_masses_[i];
            put_at(a, i, w > 0 ? vector_at(a, i) * w + others[i] : Vector3{});
        }
    }
    static void add_link(const NetLink& link, std::span<const double> x, std::span<const double> v,
                         std::span<double> a) noexcept {
        const Vector3 way = vector_at(x, link.b) - vector_at(x, link.a);
        const double length = chain::length_of(way);
        const double excess = net::excess_of(link, length);
        const bool acts = excess != 0 || link.shortest_m == link.longest_m;
        if (!acts || !(length > 0)) return;
        const Vector3 n = way * (1 / length);
        const double rate = dot(vector_at(v, link.b) - vector_at(v, link.a), n);
        const Vector3 force = n * (link.stiffness_n_per_m * excess + link.damping_n_s_per_m * rate);
        add_at(a, link.a, force);
        add_at(a, link.b, force * -1);
    }
    static void add_bend(const NetBend& bend, std::span<const double> x, std::span<const double> v,
                         std::span<double> a) noexcept {
        const double middle = bend.weight_a + bend.weight_c;
        const auto of = [&](std::span<const double> numbers) {
            return vector_at(numbers, bend.a) * bend.weight_a +
                   vector_at(numbers, bend.c) * bend.weight_c -
                   vector_at(numbers, bend.middle) * middle;
        };
        const Vector3 b = of(x);
        const double length = chain::length_of(b);
        if (!(length > 0)) return;
        const Vector3 n = b * (1 / length);
        const Vector3 force = n * (bend.stiffness_n_per_m * (length - bend.rest_m) +
                                   bend.damping_n_s_per_m * dot(of(v), n));
        add_at(a, bend.a, force * -bend.weight_a);
        add_at(a, bend.middle, force * middle);
        add_at(a, bend.c, force * -bend.weight_c);
    }

    void take_over(NetState& state, const NetSubstep& substep) noexcept {
        for (std::size_t i = 0; i < state.x.size(); ++i) {
            moved_[i] = vector_at(x_, i);
            base_[i] = moved_[i];
        }
        substep.contacts.resolve(moved_, state.x, base_, substep.h, state.touches);
        for (std::size_t i = 0; i < state.x.size(); ++i) {
            state.x_before[i] = state.x[i];
            state.v_before[i] = state.v[i];
            state.v[i] = vector_at(v_, i);
            if (!(moved_[i] == vector_at(x_, i))) {
                state.v[i] = state.v[i] + (moved_[i] - base_[i]) * (1 / substep.h);
                state.v[i] = substep.contacts.without_inward(i, state.v[i]);
            }
            state.x[i] = moved_[i];
        }
        for (std::size_t i = 0; i < pins_.size(); ++i)
            state.x[pins_[i]] = substep.pins_to[i];
        state.dt_before = substep.h;
    }

    std::vector<NetLink> links_;
    std::vector<NetBend> bends_;
    std::vector<std::uint32_t> pins_;
    std::vector<double> inverse_masses_;
    AnyScheme<double> scheme_;
    std::vector<double> x_;
    std::vector<double> v_;
    std::vector<Vector3> moved_;
    std::vector<Vector3> base_;
};

}  // namespace

std::unique_ptr<NetSolver> make_force_solver(const NetStructure& structure,
                                             const NetSettings& settings) {
    return std::make_unique<NetForces>(structure, settings);
}

}  // namespace hopcoil
