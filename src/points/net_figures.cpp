// Figures of a net.

#include <algorithm>
#include <cmath>

#include <hopcoil/points/net.hpp>

#include "../base/vectors.hpp"
#include "net_contacts.hpp"
#include "net_solver.hpp"

namespace hopcoil {

namespace {

/// The effective stiffness of an element with a method: substeps too long for a stiff element hold
/// it as firmly as they can.
class HeldStiffness {
  public:
    HeldStiffness(const NetPlan& plan, const NetState& state) noexcept
        : h_{plan.method == NetMethod::positions ? 2 * state.dt_before / 3 : 0} {}
    [[nodiscard]] double of(double stiffness, double damping, double inverse_mass) const noexcept {
        if (!(h_ > 0) || !(stiffness > 0)) return stiffness;
        const double taken = 1 + net::position_damping(stiffness, damping, h_);
        return stiffness / (1 + stiffness * h_ * h_ * taken * inverse_mass);
    }

  private:
    double h_;
};

}  // namespace

double Net::energy() const noexcept {
    const HeldStiffness held{plan_, state_};
    const auto inverse_mass = [&](std::uint32_t i) {
        return structure_.points[i].is_pinned ? 0 : 1 / structure_.points[i].mass_kg;
    };
    double energy = 0;
    for (std::size_t i = 0; i < size(); ++i) {
        const double mass = structure_.points[i].mass_kg;
        if (structure_.points[i].is_pinned) continue;
        energy +=
            mass * (0.5 * dot(state_.v[i], state_.v[i]) - dot(settings_.gravity, state_.x[i]));
    }
    for (const NetLink& link : structure_.links) {
        const double excess = net::excess_of(link, norm(state_.x[link.b] - state_.x[link.a]));
        const double k = held.of(settings_.stiffness_factor * link.stiffness_n_per_m,
                                 settings_.damping_factor * link.damping_n_s_per_m,
                                 inverse_mass(link.a) + inverse_mass(link.b));
        energy += 0.5 * k * excess * excess;
    }
    for (const NetBend& bend : structure_.bends) {
        const Vector3 b = state_.x[bend.a] * bend.weight_a + state_.x[bend.c] * bend.weight_c -
                          state_.x[bend.middle] * (bend.weight_a + bend.weight_c);
        const double excess = norm(b) - bend.rest_m;
        const double middle = bend.weight_a + bend.weight_c;
        const double w = bend.weight_a * bend.weight_a * inverse_mass(bend.a) +
                         middle * middle * inverse_mass(bend.middle) +
                         bend.weight_c * bend.weight_c * inverse_mass(bend.c);
        const double k = held.of(settings_.bending_factor * bend.stiffness_n_per_m,
                                 settings_.damping_factor * bend.damping_n_s_per_m, w);
        energy += 0.5 * k * excess * excess;
    }
    return energy;
}

Vector3 Net::momentum() const noexcept {
    Vector3 sum{};
    for (std::size_t i = 0; i < size(); ++i)
        sum = sum + state_.v[i] * structure_.points[i].mass_kg;
    return sum;
}

Vector3 Net::angular_momentum() const noexcept {
    Vector3 sum{};
    for (std::size_t i = 0; i < size(); ++i)
        sum = sum + cross(state_.x[i], state_.v[i]) * structure_.points[i].mass_kg;
    return sum;
}

double Net::largest_stretch() const noexcept {
    double largest = 0;
    for (const NetLink& link : structure_.links) {
        const double length = norm(state_.x[link.b] - state_.x[link.a]);
        if (link.longest_m > 0) largest = std::max(largest, length / link.longest_m - 1);
    }
    return largest;
}

std::size_t Net::contact_count() const noexcept {
    return static_cast<std::size_t>(
        std::count_if(state_.touches.begin(), state_.touches.end(),
                      [](std::uint8_t touch) { return (touch & net::touching) != 0; }));
}

bool Net::still() const noexcept {
    constexpr double visible_m_per_s = 1e-5;
    return std::all_of(state_.v.begin(), state_.v.end(), [](const Vector3& v) {
        return dot(v, v) < visible_m_per_s * visible_m_per_s;
    });
}

std::uint32_t Net::nearest_point(const Vector3& place) const noexcept {
    std::uint32_t nearest = 0;
    double least = unbounded_length_m;
    for (std::uint32_t i = 0; i < size(); ++i) {
        const Vector3 way = state_.x[i] - place;
        if (dot(way, way) < least) {
            least = dot(way, way);
            nearest = i;
        }
    }
    return nearest;
}

}  // namespace hopcoil
