#include <algorithm>
#include <bit>
#include <vector>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/points/particles.hpp>

namespace hopcoil {
namespace {

/// Linear between the entries of a profile over the life.
template <class T>
T along(const std::vector<T>& profile, double age, const T& otherwise) noexcept {
    if (profile.empty()) return otherwise;
    const double at = std::clamp(age, 0.0, 1.0) * static_cast<double>(profile.size() - 1);
    const auto below = std::min(static_cast<std::size_t>(at), profile.size() - 1);
    const std::size_t above = std::min(below + 1, profile.size() - 1);
    const double part = at - static_cast<double>(below);
    return profile[below] + (profile[above] - profile[below]) * part;
}

}  // namespace

double Particles::age(std::size_t slot) const noexcept {
    if (slot >= capacity() || alive_[slot] == 0) return 0;
    const double life = dies_s_[slot] - born_s_[slot];
    return life > 0 ? std::clamp((time_s_ - born_s_[slot]) / life, 0.0, 1.0) : 1;
}

double Particles::radius(std::size_t slot) const noexcept {
    return settings_.radius_m * along(settings_.size_over_life, age(slot), 1.0);
}

Vector3 Particles::colour(std::size_t slot) const noexcept {
    return along(settings_.colour_over_life, age(slot), Vector3{1, 1, 1});
}

double Particles::turned_rad(std::size_t slot) const noexcept {
    if (slot >= capacity() || alive_[slot] == 0 || spins_[slot] == 0) return 0;
    const std::uint64_t own = mixed_bits(std::bit_cast<std::uint64_t>(born_s_[slot]) + slot);
    return 2 * math::pi * unit_number(own, 0) + spins_[slot] * (time_s_ - born_s_[slot]);
}

}  // namespace hopcoil
