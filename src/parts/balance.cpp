#include <algorithm>
#include <cmath>
#include <utility>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/parts/balance.hpp>

#include "balance_tick.hpp"

namespace hopcoil {
namespace {

constexpr double longest_step_s = 10;

PartsStructure with_things(PartsStructure structure, std::vector<Part> things) {
    for (Part& thing : things)
        structure.parts.push_back(std::move(thing));
    return structure;
}

PartsSettings settings_of(const BalanceSettings& settings) {
    return {.substeps = settings.substeps, .friction = 0.8};
}

const BalanceSettings& checked(const BalanceSettings& settings) {
    require_valid(settings);
    return settings;
}

std::array<Channel, 8> channels_for(std::size_t count) {
    using enum ChannelKind;
    return {{{"position", vector, 3, "m", count},
             {"rotation", rotation, 4, "", count},
             {"centre_of_mass", vector, 3, "m"},
             {"capture_point", vector, 3, "m"},
             {"pressure", vector, 3, "m"},
             {"load", scalar, 1, "n", 2},
             {"planted", flag, 1, "", 2},
             {"help", scalar, 1, "nm"}}};
}

}  // namespace

Balance::Balance(const BalanceSettings& settings, const Ground& ground, const Vector3& place,
                 double yaw_rad, std::vector<Part> things)
    : settings_{checked(settings)},
      parts_{with_things(body_structure(settings.build), std::move(things)), settings_of(settings)},
      body_size_{body_structure(settings.build).parts.size()},
      channels_{channels_for(parts_.size())},
      settling_(body_size_),
      placements_(parts_.size()),
      shown_(parts_.size()),
      driven_(parts_.size()),
      impacts_(64) {
    for (const double number : {place.x, place.y, place.z, yaw_rad}) {
        if (!std::isfinite(number)) throw InvalidValue{"place", number, "a finite number"};
    }
    yaw_ = wrapped_rad(yaw_rad);
    const std::vector<Placement> at{parts_.placements().begin(), parts_.placements().end()};
    BalanceTick{*this, {}, ground, 0}.stand(place);
    for (std::size_t i = body_size_; i < parts_.size(); ++i)
        static_cast<void>(parts_.cut_part(static_cast<std::uint32_t>(i), at[i], {}));
    std::copy(at.begin() + static_cast<std::ptrdiff_t>(body_size_), at.end(),
              placements_.begin() + static_cast<std::ptrdiff_t>(body_size_));
    BalanceTick{*this, {}, ground, 0}.show();
}

StepStatus Balance::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

/// All inputs are checked before any time passes.
bool Balance::can_use(const BalanceInputs& inputs, double dt) const noexcept {
    const Vector3& v = inputs.velocity;
    if (!is_time_step(dt) || !std::isfinite(v.x + v.y + v.z) || !std::isfinite(inputs.yaw_rad))
        return false;
    if (inputs.forces.size() > most_forces) return false;
    if (!inputs.pose.empty() && inputs.pose.size() != body_size_) return false;
    const bool are_places =
        std::all_of(inputs.pose.begin(), inputs.pose.end(), parts::is_placement);
    return are_places && parts_.accepts({.shapes = inputs.shapes,
                                         .forces = inputs.forces,
                                         .grabs = inputs.grabs,
                                         .time_s = inputs.time_s},
                                        tick_s);
}

/// Springs of joints are not saved with the parts: the state determines them.
void Balance::prepare_springs(StateWriter& /*fields*/) const noexcept {}

void Balance::prepare_springs(StateReader& /*fields*/) noexcept {
    const FlatGround flat;
    BalanceTick{*this, {}, flat, 0}.set_springs_of_state();
    impact_count_ = 0;
}

StepStatus Balance::step(const BalanceInputs& inputs, double dt) noexcept {
    if (!can_use(inputs, dt)) return reject();
    const FlatGround flat;
    const Ground& ground = inputs.ground != nullptr ? *inputs.ground : flat;
    const bool is_cut = dt > longest_step_s;
    const double time_s = is_cut ? longest_step_s : dt;
    time_left_s_ += time_s;
    impact_count_ = 0;
    constexpr double nearly = 1e-9;
    while (time_left_s_ >= tick_s - nearly) {
        time_left_s_ -= tick_s;
        const double remaining_s = std::max(time_left_s_, 0.0);
        const EarlierGround then{ground, remaining_s};
        BalanceTick{*this, inputs, then, remaining_s}.run();
    }
    BalanceTick{*this, inputs, ground, 0}.show();
    return is_cut ? StepStatus::guarded : StepStatus::stepped;
}

StepStatus Balance::push(const Vector3& delta_velocity) noexcept {
    if (!std::isfinite(delta_velocity.x + delta_velocity.y + delta_velocity.z)) return reject();
    for (std::uint32_t i = 0; i < body_size_; ++i) {
        if (structure().parts[i].is_driven) continue;
        PartMotion motion = parts_.motions()[i];
        motion.velocity = motion.velocity + delta_velocity;
        static_cast<void>(parts_.set_motion(i, motion));
    }
    return StepStatus::stepped;
}

StepStatus Balance::strike(std::uint32_t part, const Vector3& place,
                           const Vector3& impulse_n_s) noexcept {
    if (part >= parts_.size()) return reject();
    const bool is_driven = structure().parts[part].is_driven;
    const std::uint32_t pelvis = parts::index_of(BodyPart::pelvis);
    // A blow on a leg that carries the body acts on the hips.
    const StepStatus status =
        is_driven ? parts_.push(pelvis, {}, impulse_n_s) : parts_.push(part, place, impulse_n_s);
    return status == StepStatus::stepped ? status : reject();
}

StepStatus Balance::become(BalanceState state) noexcept {
    if (state == BalanceState::rises && state_ != BalanceState::limp) return reject();
    has_next_state_ = state == BalanceState::stands || state == BalanceState::rises;
    next_state_ = state;
    if (has_next_state_) return StepStatus::stepped;
    const FlatGround flat{ground_};
    BalanceTick tick{*this, {}, flat, 0};
    tick.measure();
    tick.enter(state);
    tick.pose();
    tick.show();
    return StepStatus::stepped;
}

StepStatus Balance::throw_thing(std::uint32_t thing, const Placement& from,
                                const PartMotion& motion) noexcept {
    if (thing >= thing_count()) return reject();
    const auto part = static_cast<std::uint32_t>(body_size_) + thing;
    if (parts_.set_driven(part, false) != StepStatus::stepped) return reject();
    const StepStatus status = parts_.cut_part(part, from, motion);
    if (status != StepStatus::stepped) return reject();
    placements_[part] = shown_[part] = parts_.placements()[part];
    return status;
}

StepStatus Balance::hold_still(std::uint32_t thing, bool is_still) noexcept {
    const bool is_there = thing < thing_count();
    const auto part = static_cast<std::uint32_t>(body_size_) + thing;
    if (!is_there || parts_.set_driven(part, is_still) != StepStatus::stepped) return reject();
    return StepStatus::stepped;
}

StepStatus Balance::take_hold(const BalanceGrip& grip) noexcept {
    const Vector3& p = grip.place;
    const bool fits = settings_.build.arm_length_m > 0 && grip.thing < thing_count() &&
                      grip.hand < 2 && grip.most_force_n >= 0 &&
                      std::isfinite(grip.most_force_n + p.x + p.y + p.z);
    if (!fits) return reject();
    grip_ = grip;
    reaches_ = true;
    has_grip_ = false;
    return StepStatus::stepped;
}

Vector3 Balance::toward(const Vector3& place, const Vector3& velocity) const noexcept {
    // Walking, relative to where it would come to rest; standing, it does not start for a few
    // centimetres.
    const double rest_s =
        0.33 * math::sqrt(settings_.build.leg_length_m / 0.88) + 0.6 * settings_.walk_step_s;
    const Vector3 ahead{velocity.x - ground_velocity_.x, 0, velocity.z - ground_velocity_.z};
    const Vector3 coming = walks_ ? (ahead - wanted_velocity_) * rest_s : Vector3{};
    const Vector3 way = place - centre_ + coming;
    constexpr double per_s = 1.4;
    constexpr double slowest = 0.13;  // that it starts to walk for
    const double near_m = walks_ ? 0.02 : 0.1;
    const double distance = math::sqrt(way.x * way.x + way.z * way.z);
    if (distance < near_m) return ahead;
    const double closes = std::clamp(per_s * distance, slowest, settings_.most_speed_m_per_s);
    return ahead + Vector3{way.x, 0, way.z} * (closes / distance);
}

bool Balance::try_retune(const BalanceSettings& settings) noexcept {
    const bool fits = is_valid(settings) && settings.build == settings_.build &&
                      parts_.try_retune(settings_of(settings));
    if (!fits) {
        ++rejected_inputs_;
        return false;
    }
    settings_ = settings;
    return true;
}

Vector3 Balance::hip(std::size_t side) const noexcept {
    const parts::BodyMeasures at{settings_.build};
    return parts::to_world(shown_[parts::index_of(BodyPart::pelvis)], at.hip_of(side));
}

Vector3 Balance::centre_of_mass() const noexcept {
    Vector3 sum{};
    double mass_kg = 0;
    for (std::uint32_t i = 0; i < body_size_; ++i) {
        const MassProperties& mass = parts_.mass(i);
        sum = sum + parts::to_world(shown_[i], mass.centre) * mass.mass_kg;
        mass_kg += mass.mass_kg;
    }
    return sum * (1 / mass_kg);
}

Vector3 Balance::velocity() const noexcept {
    Vector3 sum{};
    double mass_kg = 0;
    for (std::uint32_t i = 0; i < body_size_; ++i) {
        sum = sum + parts_.motions()[i].velocity * parts_.mass(i).mass_kg;
        mass_kg += parts_.mass(i).mass_kg;
    }
    return sum * (1 / mass_kg);
}

double Balance::toppling_nm() const noexcept {
    const BalanceBuild& build = settings_.build;
    return build.mass_kg * parts::gravity *
           (settings_.ride_height * build.leg_length_m + 0.35 * build.torso_length_m);
}

bool Balance::still() const noexcept {
    constexpr double slow = 1e-3;
    const bool is_down = feet_[0].planted && feet_[1].planted;
    const bool rests = state_ == BalanceState::limp || (is_down && !shifts_ && !walks_);
    return rests && std::all_of(motions().begin(), motions().end(), [](const PartMotion& each) {
               return length_of(each.velocity) < slow && length_of(each.angular_velocity) < slow;
           });
}

void Balance::read(std::span<double> numbers) const noexcept {
    std::size_t at = parts::put_placements(shown_, numbers);
    for (const Vector3& each : {centre_, capture_, pressure_}) {
        for (const double number : {each.x, each.y, each.z})
            numbers[at++] = number;
    }
    for (const BalanceFoot& foot : shown_feet_)
        numbers[at++] = foot.load_n;
    for (const BalanceFoot& foot : shown_feet_)
        numbers[at++] = foot.planted ? 1 : 0;
    numbers[at++] = length_of(help_);
}

std::span<const Dial<Balance>> Balance::dials() noexcept {
    return dials_through<Balance, BalanceSettings, ReadSettings>();
}

}  // namespace hopcoil
