// The dials of ropes, cloths and soft balls.

#include <array>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/net_builders.hpp>

namespace hopcoil {
namespace {

constexpr auto by_factors = DialScale::logarithmic;

}  // namespace

bool is_valid(const RopeSettings& settings) noexcept {
    return passes_require_valid(settings);
}
bool is_valid(const ClothSettings& settings) noexcept {
    return passes_require_valid(settings);
}
bool is_valid(const SoftBallSettings& settings) noexcept {
    return passes_require_valid(settings);
}

std::span<const Dial<RopeSettings>> RopeSettings::dials() noexcept {
    using S = RopeSettings;
    static constexpr std::array<Dial<S>, S::dial_count> all{
        field_dial<&S::mass_kg_per_m>(
            Dial<S>{"mass_kg_per_m", "kg/m", {1e-9, 1e9}, {0.01, 5}, by_factors}),
        field_dial<&S::stretch_n>(Dial<S>{"stretch_n", "N", {0, 1e12}, {10, 1e5}, by_factors}),
        field_dial<&S::stretch_damping_n_s>(
            Dial<S>{"stretch_damping_n_s", "N s", {0, 1e9}, {0, 100}}),
        field_dial<&S::bending_n_m2>(Dial<S>{"bending_n_m2", "N m2", {0, 1e9}, {0, 0.1}}),
        field_dial<&S::diameter_m>(Dial<S>{"diameter_m", "m", {0, 1e3}, {0, 0.05}}),
    };
    return all;
}

std::span<const Dial<ClothSettings>> ClothSettings::dials() noexcept {
    using S = ClothSettings;
    static constexpr std::array<Dial<S>, S::dial_count> all{
        field_dial<&S::mass_kg_per_m2>(
            Dial<S>{"mass_kg_per_m2", "kg/m2", {1e-9, 1e9}, {0.02, 2}, by_factors}),
        field_dial<&S::stretch_n_per_m>(
            Dial<S>{"stretch_n_per_m", "N/m", {0, 1e12}, {10, 1e5}, by_factors}),
        field_dial<&S::shear_n_per_m>(
            Dial<S>{"shear_n_per_m", "N/m", {0, 1e12}, {1, 1e4}, by_factors}),
        field_dial<&S::bending_n_m>(
            Dial<S>{"bending_n_m", "N m", {0, 1e9}, {1e-6, 1e-1}, by_factors}),
        field_dial<&S::stretch_damping_n_s_per_m>(
            Dial<S>{"stretch_damping_n_s_per_m", "N s/m", {0, 1e9}, {0, 5}}),
    };
    return all;
}

std::span<const Dial<SoftBallSettings>> SoftBallSettings::dials() noexcept {
    using S = SoftBallSettings;
    static constexpr std::array<Dial<S>, S::dial_count> all{
        field_dial<&S::mass_kg>(Dial<S>{"mass_kg", "kg", {1e-9, 1e9}, {0.05, 20}, by_factors}),
        field_dial<&S::stiffness_n_per_m>(
            Dial<S>{"stiffness_n_per_m", "N/m", {1e-9, 1e12}, {50, 1e5}, by_factors}),
        field_dial<&S::damping_n_s_per_m>(Dial<S>{"damping_n_s_per_m", "N s/m", {0, 1e9}, {0, 50}}),
    };
    return all;
}

}  // namespace hopcoil
