#include <array>
#include <cmath>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/balance_settings.hpp>

namespace hopcoil {
namespace {

template <auto field>
constexpr Dial<BalanceSettings> dial(std::string_view path, std::string_view unit, DialRange hard,
                                     DialRange slider) {
    return field_dial<field>(Dial<BalanceSettings>{path, unit, hard, slider});
}

constexpr std::array<Dial<BalanceSettings>, BalanceSettings::dial_count> all_dials{
    dial<&BalanceSettings::ride_height>("ride_height", "", {0.6, 0.97}, {0.7, 0.97}),
    dial<&BalanceSettings::ride_hz>("ride_hz", "Hz", {0.5, 6}, {1, 4}),
    dial<&BalanceSettings::ride_damping>("ride_damping", "", {0, 3}, {0.2, 1.5}),
    dial<&BalanceSettings::upright_hz>("upright_hz", "Hz", {0, 5}, {0.3, 3}),
    dial<&BalanceSettings::upright_damping>("upright_damping", "", {0, 3}, {0.2, 1.5}),
    dial<&BalanceSettings::posture_hz>("posture_hz", "Hz", {0, 20}, {1, 10}),
    dial<&BalanceSettings::help>("help", "m g h", {0, 0.2}, {0, 0.2}),
    dial<&BalanceSettings::rise_help>("rise_help", "m g h", {0, 0.5}, {0, 0.5}),
    dial<&BalanceSettings::stance_width_m>("stance_width_m", "m", {0.02, 1}, {0.1, 0.5}),
    dial<&BalanceSettings::step_time_s>("step_time_s", "s", {0.12, 1}, {0.18, 0.6}),
    dial<&BalanceSettings::walk_step_s>("walk_step_s", "s", {0.2, 1.5}, {0.3, 0.8}),
    dial<&BalanceSettings::reaction_s>("reaction_s", "s", {0, 1}, {0, 0.4}),
    dial<&BalanceSettings::foot_speed_m_per_s>("foot_speed_m_per_s", "m/s", {0.5, 20}, {1, 8}),
    dial<&BalanceSettings::step_reach>("step_reach", "", {0.1, 0.9}, {0.3, 0.8}),
    dial<&BalanceSettings::lift_m>("lift_m", "m", {0.005, 0.5}, {0.02, 0.2}),
    dial<&BalanceSettings::most_speed_m_per_s>("most_speed_m_per_s", "m/s", {0, 2.5}, {0, 2}),
    dial<&BalanceSettings::most_turn_rate_rad_per_s>("most_turn_rate_rad_per_s", "rad/s", {0, 10},
                                                     {0.5, 5}),
    dial<&BalanceSettings::fall_tilt_rad>("fall_tilt_rad", "rad", {0.1, 2}, {0.3, 1.5}),
    dial<&BalanceSettings::fall_lean_rad>("fall_lean_rad", "rad", {0.1, 1.4}, {0.2, 1.2}),
    dial<&BalanceSettings::lies_s>("lies_s", "s", {-1, 1e6}, {-1, 5}),
    dial<&BalanceSettings::rise_s>("rise_s", "s", {0.3, 20}, {0.6, 4}),
    Dial<BalanceSettings>{"substeps",
                          "",
                          {4, 200},
                          {4, 40},
                          DialScale::logarithmic,
                          8,
                          [](const BalanceSettings& s) { return static_cast<double>(s.substeps); },
                          [](BalanceSettings& s, double value) {
                              if (!(value >= 4 && value <= 200)) return DialStatus::refused;
                              s.substeps = static_cast<std::size_t>(std::lround(value));
                              return DialStatus::set;
                          }}};

}  // namespace

std::span<const Dial<BalanceSettings>> BalanceSettings::dials() noexcept {
    return all_dials;
}

BalanceBuild body_of_height(double height_m, double mass_kg) {
    require_above_zero("height_m", height_m);
    const BalanceBuild usual;
    const double scale =
        height_m / (usual.leg_length_m + usual.torso_length_m + usual.head_length_m);
    BalanceBuild build;
    for (double BalanceBuild::*size :
         {&BalanceBuild::leg_length_m, &BalanceBuild::ankle_height_m, &BalanceBuild::hip_width_m,
          &BalanceBuild::torso_length_m, &BalanceBuild::head_length_m,
          &BalanceBuild::shoulder_width_m, &BalanceBuild::arm_length_m,
          &BalanceBuild::foot_length_m, &BalanceBuild::foot_width_m})
        build.*size *= scale;
    build.mass_kg = mass_kg;
    require_valid(build);
    return build;
}

void require_valid(const BalanceBuild& build) {
    require_between("leg_length_m", build.leg_length_m, 0.01, 100);
    const double leg = build.leg_length_m;
    require_between("thigh_part", build.thigh_part, 0.2, 0.8);
    require_between("ankle_height_m", build.ankle_height_m, 0.01 * leg, 0.4 * leg);
    require_between("hip_width_m", build.hip_width_m, 0.02 * leg, 2 * leg);
    require_between("torso_length_m", build.torso_length_m, 0.1 * leg, 3 * leg);
    require_between("head_length_m", build.head_length_m, 0.05 * leg, 2 * leg);
    require_between("shoulder_width_m", build.shoulder_width_m, 0.02 * leg, 3 * leg);
    if (build.arm_length_m != 0)
        require_between("arm_length_m", build.arm_length_m, 0.1 * leg, 3 * leg);
    require_between("foot_length_m", build.foot_length_m, 0.02 * leg, leg);
    require_between("foot_width_m", build.foot_width_m, 0.02 * leg, leg);
    require_between("mass_kg", build.mass_kg, 1e-3, 1e6);
}

void require_valid(const BalanceSettings& settings) {
    require_valid(settings.build);
    for (const Dial<BalanceSettings>& each : BalanceSettings::dials())
        require_between(each.path, each.get(settings), each.hard.least, each.hard.most);
    // Thigh and shin reach a foot that stands so far out.
    require_between("stance_width_m", settings.stance_width_m, 0.02,
                    settings.build.hip_width_m + 0.4 * settings.build.leg_length_m);
}

bool is_valid(const BalanceSettings& settings) noexcept {
    return passes_require_valid(settings);
}

}  // namespace hopcoil
