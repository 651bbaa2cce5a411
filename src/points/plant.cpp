#include <algorithm>
#include <cmath>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/follow/motion.hpp>
#include <hopcoil/points/plant.hpp>

#include "chain_math.hpp"
#include "plant_step.hpp"

namespace hopcoil {

using chain::is_finite_vector;
using chain::length_of;

namespace {

constexpr double longest_substep_s = 1.0 / 60;
constexpr std::size_t most_substeps = 64;

}  // namespace

Plant::Plant(std::shared_ptr<const PlantStructure> structure, const PlantSettings& settings,
             const Vector3& base, const Quaternion& facing)
    : structure_{std::move(structure)}, settings_{settings} {
    if (structure_ == nullptr) throw InvalidValue{"structure", 0, "one"};
    require_valid(settings);
    const std::size_t size = structure_->size();
    swings_.resize(structure_->mode_count());
    kept_ = swings_;
    next_loads_.resize(swings_.size());
    gains_.resize(swings_.size());
    rows_drag_.resize(swings_.size());
    responses_.resize(swings_.size());
    for (std::vector<double>* each : {&slowings_, &wanted_, &missing_, &toward_})
        each->resize(swings_.size());
    rows_.resize(swings_.size());
    angles_.resize(2 * size);
    rates_.resize(2 * size);
    turns_.resize(size);
    ends_.resize(size);
    end_velocities_.resize(size);
    spins_.resize(size);
    end_gains_.resize(size);
    spin_gains_.resize(size);
    bends_.resize(size);
    loads_.resize(size);
    drags_.resize(2 * size);
    streams_.resize(structure_->wind_points().size());
    positions_.resize(size + 1);
    velocities_.resize(size + 1);
    rotations_.resize(size + 1);
    channels_ = {{"position", ChannelKind::vector, 3, "m", size + 1},
                 {"velocity", ChannelKind::vector, 3, "m_per_s", size + 1},
                 {"rotation", ChannelKind::rotation, 4, "", size + 1}};
    if (reset(base, facing) == StepStatus::rejected)
        throw InvalidValue{"base", length_of(base), "a finite place and a rotation"};
}

StepStatus Plant::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

StepStatus Plant::reset(const Vector3& base, const Quaternion& facing) noexcept {
    const Quaternion turn = normalized(facing);
    if (!is_finite_vector(base) || !(turn.w == turn.w)) return reject();
    base_ = base;
    facing_ = turn;
    base_velocity_ = base_slope_ = spin_ = spin_slope_ = {};
    has_history_ = false;
    load_rate_ = 0;
    std::fill(swings_.begin(), swings_.end(), Swing{});
    is_resting_ = true;
    find_outputs();
    return StepStatus::stepped;
}

StepStatus Plant::cut(const Vector3& base, const Quaternion& facing) noexcept {
    const Quaternion to = normalized(facing);
    if (!is_finite_vector(base) || !(to.w == to.w)) return reject();
    const Quaternion turn = to * conjugate(facing_);
    base_ = base;
    facing_ = to;
    for (Vector3* each : {&base_velocity_, &base_slope_, &spin_, &spin_slope_})
        *each = rotated(turn, *each);
    find_outputs();
    return StepStatus::stepped;
}

StepStatus Plant::push(std::size_t branch, const Vector3& impulse_n_s) noexcept {
    if (branch >= structure_->size() || !is_finite_vector(impulse_n_s)) return reject();
    const auto rods = structure_->rods();
    const Vector3 impulse = rotated(conjugate(facing_), impulse_n_s);
    const Vector3 place = ends_[branch];
    std::copy(swings_.begin(), swings_.end(), kept_.begin());
    for (std::size_t i = branch; i != plant_base; i = rods[i].parent) {
        const std::size_t parent = rods[i].parent;
        const Vector3 foot = parent == plant_base ? Vector3{} : ends_[parent];
        const Quaternion turn = parent == plant_base ? Quaternion{} : turns_[parent];
        const Vector3 torque = rotated(conjugate(turn), cross(place - foot, impulse));
        for (std::size_t k = 0; k < swings_.size(); ++k) {
            const auto& turns = structure_->modes()[k].turns;
            swings_[k].rate += (turns[2 * i] * dot(rods[i].bends[0], torque) +
                                turns[2 * i + 1] * dot(rods[i].bends[1], torque)) /
                               density();
        }
    }
    const bool is_finite = std::all_of(swings_.begin(), swings_.end(), [](const Swing& swing) {
        return std::abs(swing.rate) < 1e100;
    });
    if (!is_finite) {
        std::copy(kept_.begin(), kept_.end(), swings_.begin());
        return reject();
    }
    is_resting_ = false;
    find_outputs();
    return StepStatus::stepped;
}

void Plant::retune(const PlantSettings& settings) {
    require_valid(settings);
    settings_ = settings;
    rows_dt_ = -1;
}

bool Plant::try_retune(const PlantSettings& settings) noexcept {
    if (!is_valid(settings)) {
        reject();
        return false;
    }
    settings_ = settings;
    rows_dt_ = -1;
    return true;
}

/// With the added mass of the fluid that is moved along: as much as the branches displace.
double Plant::density() const noexcept {
    return settings_.density_kg_per_m3 + settings_.fluid_density_kg_per_m3;
}

double Plant::radians_per_s(std::size_t mode) const noexcept {
    return 2 * math::pi * settings_.frequency_hz * structure_->modes()[mode].ratio;
}

void Plant::find_rows(double h) noexcept {
    for (std::size_t k = 0; k < rows_.size(); ++k) {
        const double drag = swings_[k].drag;
        if (h == rows_dt_ && drag == rows_drag_[k]) continue;
        const double damping_ratio = settings_.damping_ratio + drag / (2 * radians_per_s(k));
        rows_[k] = cubic_rows(
            {settings_.frequency_hz * structure_->modes()[k].ratio, damping_ratio, 1}, h / 2);
        rows_drag_[k] = drag;
    }
    rows_dt_ = h;
}

/// Short enough for loads that change with the bend, and with the wind.
std::size_t Plant::substeps(double dt) const noexcept {
    constexpr double rounding = 1e-9;
    const double wanted = std::max(dt / longest_substep_s - rounding,
                                   dt * math::sqrt(std::max(0.0, load_rate_)) / 0.7);
    if (!(wanted < static_cast<double>(most_substeps))) return most_substeps;
    return static_cast<std::size_t>(std::max(1.0, std::ceil(wanted)));
}

StepStatus Plant::step(const PlantInputs& inputs, double dt) noexcept {
    const Quaternion turn = normalized(inputs.facing);
    const bool can_be = is_time_step(dt) && is_finite_vector(inputs.base) && turn.w == turn.w &&
                        (!inputs.base_velocity || is_finite_vector(*inputs.base_velocity)) &&
                        std::isfinite(inputs.time_s);
    if (!can_be) return reject();
    const bool has_moved = !(inputs.base == base_) || !(turn == facing_);
    if (dt == 0) {
        if (has_moved) return cut(inputs.base, turn);
        if (inputs.base_velocity) base_velocity_ = *inputs.base_velocity;
        return StepStatus::stepped;
    }
    if (is_resting_ && inputs.wind == nullptr && inputs.pulls.empty() && !has_moved)
        return StepStatus::stepped;

    // Where it is not known, the velocity at the end is that of the parabola through three moments.
    const auto at_end = [&](const Vector3& slope, const Vector3& slope_before) {
        if (!has_history_) return slope;
        return slope + (slope - slope_before) * (dt / (dt + last_dt_));
    };
    const Vector3 slope = (inputs.base - base_) * (1 / dt);
    const Vector3 turned = rotation_vector(turn * conjugate(facing_));
    const Vector3 spin_slope = turned * (1 / dt);
    const Vector3 velocity = inputs.base_velocity   ? *inputs.base_velocity
                             : inputs.base == base_ ? Vector3{}
                                                    : at_end(slope, base_slope_);
    const Vector3 spin = turn == facing_ ? Vector3{} : at_end(spin_slope, spin_slope_);
    const BasePath path{{base_, base_velocity_, inputs.base, velocity, dt},
                        {Vector3{}, spin_, turned, spin, dt},
                        facing_};
    std::copy(swings_.begin(), swings_.end(), kept_.begin());
    const std::size_t count = substeps(dt);
    const double h = dt / static_cast<double>(count);
    find_rows(h);
    is_windy_ = false;
    const double load_rate = load_rate_;
    for (std::size_t i = 0; i < count; ++i)
        substep(path, inputs, h * static_cast<double>(i), h);
    const bool is_finite = std::all_of(swings_.begin(), swings_.end(), [](const Swing& swing) {
        return std::abs(swing.bend) < 1e100 && std::abs(swing.rate) < 1e100 &&
               std::abs(swing.load) < 1e100;
    });
    if (!is_finite) {
        std::copy(kept_.begin(), kept_.end(), swings_.begin());
        load_rate_ = load_rate;
        find_outputs();
        return reject();
    }
    const bool base_rests = !has_moved && velocity == Vector3{};
    base_ = inputs.base;
    facing_ = turn;
    base_velocity_ = velocity;
    base_slope_ = slope;
    spin_ = spin;
    spin_slope_ = spin_slope;
    last_dt_ = dt;
    has_history_ = true;
    is_resting_ = base_rests && !is_windy_ && inputs.pulls.empty() && is_about_to_rest();
    if (is_resting_) std::fill(swings_.begin(), swings_.end(), Swing{});
    find_outputs();
    return StepStatus::stepped;
}

void Plant::substep(const BasePath& path, const PlantInputs& inputs, double from_s,
                    double h) noexcept {
    const double times[3] = {from_s, from_s + h / 2, from_s + h};
    const Quaternion facing = path.facing_at(times[1]);
    const Quaternion back = conjugate(facing);
    Moment moment;
    for (std::size_t i = 0; i < 3; ++i) {
        moment.velocity[i] = rotated(back, path.way.velocity(times[i]));
        moment.spin[i] = rotated(back, path.turn.velocity(times[i]));
    }
    for (std::size_t i = 0; i < 2; ++i) {
        moment.travel[i] = rotated(back, path.way.place(times[i + 1]) - path.way.place(times[i]));
        moment.turned[i] = rotated(back, path.turn.place(times[i + 1]) - path.turn.place(times[i]));
    }
    moment.pull = (moment.velocity[2] - moment.velocity[0]) * (1 / h);
    moment.twist = (moment.spin[2] - moment.spin[0]) * (1 / h);
    const double time_s = inputs.time_s - path.way.duration_s + times[1];
    const Vector3 base = path.way.place(times[1]);
    for (std::size_t i = 0; i < streams_.size(); ++i) {
        streams_[i] = {};
        if (inputs.wind == nullptr) continue;
        const Vector3 place = base + rotated(facing, structure_->wind_points()[i]);
        const Vector3 stream = inputs.wind->at(place, time_s).velocity * settings_.wind_share;
        is_windy_ = is_windy_ || !(stream == Vector3{});
        streams_[i] = rotated(back, stream);
    }
    predict(moment);
    pose();
    move();
    find_inertia(moment);
    add_stream_loads(moment);
    for (const PlantPull& pull : inputs.pulls) {
        if (pull.branch < ends_.size()) add_pull(pull.branch, rotated(back, pull.force_n));
    }
    find_modal_loads(moment);
    find_rows(h);
    swing_on(moment, 0);
    swing_on(moment, 1);
    if (settings_.fluid_density_kg_per_m3 > 0) solve_drag();
}

/// Angles and rates in the middle of the substep, under the last load.
void Plant::predict(const Moment& moment) noexcept {
    std::fill(angles_.begin(), angles_.end(), 0);
    std::fill(rates_.begin(), rates_.end(), 0);
    for (std::size_t k = 0; k < swings_.size(); ++k) {
        const Swing there = after_half(k, swings_[k].load, moment, 0);
        add_mode(k, there);
        const PlantStructure::Mode& mode = structure_->modes()[k];
        const double w = radians_per_s(k);
        const double damping = 2 * settings_.damping_ratio * w + there.drag;
        gains_[k] = w * w * (there.load - there.bend) - damping * there.rate -
                    dot(mode.base_way, moment.pull) - dot(mode.base_turn, moment.twist);
    }
}

void Plant::add_mode(std::size_t mode, const Swing& swing) noexcept {
    const std::vector<double>& turns = structure_->modes()[mode].turns;
    for (std::size_t i = 0; i < turns.size(); ++i) {
        angles_[i] += turns[i] * swing.bend;
        rates_[i] += turns[i] * swing.rate;
    }
}

/// A mode after one half of the substep, exactly: the load holds, the base goes along its cubic.
Plant::Swing Plant::after_half(std::size_t mode, double load, const Moment& moment,
                               std::size_t half) const noexcept {
    const PlantStructure::Mode& share = structure_->modes()[mode];
    const auto share_of = [&](const Vector3& way, const Vector3& turn) {
        return dot(share.base_way, way) + dot(share.base_turn, turn);
    };
    const double first = share_of(moment.velocity[half], moment.spin[half]);
    const double last = share_of(moment.velocity[half + 1], moment.spin[half + 1]);
    const Swing& swing = swings_[mode];
    const Motion<double> motion{0, swing.bend - load, swing.rate + first};
    const Motion<double> now = after(motion, share_of(moment.travel[half], moment.turned[half]),
                                     &first, last, rows_[mode]);
    return {now.gap + load, now.velocity - last, load, swing.drag};
}

void Plant::swing_on(const Moment& moment, std::size_t half) noexcept {
    for (std::size_t k = 0; k < swings_.size(); ++k)
        swings_[k] = after_half(k, next_loads_[k], moment, half);
}

void Plant::find_outputs() noexcept {
    std::fill(angles_.begin(), angles_.end(), 0);
    std::fill(rates_.begin(), rates_.end(), 0);
    for (std::size_t k = 0; k < swings_.size(); ++k)
        add_mode(k, swings_[k]);
    pose();
    move();
    positions_[0] = base_;
    velocities_[0] = base_velocity_;
    rotations_[0] = facing_;
    for (std::size_t i = 0; i < turns_.size(); ++i) {
        const Vector3 arm = rotated(facing_, ends_[i]);
        positions_[i + 1] = base_ + arm;
        velocities_[i + 1] =
            base_velocity_ + cross(spin_, arm) + rotated(facing_, end_velocities_[i]);
        rotations_[i + 1] = facing_ * turns_[i];
    }
}

Vector3 Plant::spin(std::size_t point) const {
    return point == 0 ? spin_ : spin_ + rotated(facing_, spins_.at(point - 1));
}

double Plant::energy() const noexcept {
    double sum = 0;
    for (std::size_t k = 0; k < swings_.size(); ++k) {
        const double w = radians_per_s(k);
        const double stretch = w * swings_[k].bend;
        sum += swings_[k].rate * swings_[k].rate + stretch * stretch;
    }
    return 0.5 * density() * sum;
}

/// No point is a millionth of the plant's size from rest, or would go so far.
bool Plant::is_about_to_rest() const noexcept {
    const double near = 1e-6 * structure_->reach_m();
    for (std::size_t k = 0; k < swings_.size(); ++k) {
        const double reach = structure_->modes()[k].reach_m;
        const double way = std::abs(swings_[k].bend) + std::abs(swings_[k].rate) / radians_per_s(k);
        if (!(way * reach < near)) return false;
    }
    return true;
}

void Plant::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    const auto put = [&](double number) {
        if (at < numbers.size()) numbers[at++] = number;
    };
    for (const auto* vectors : {&positions_, &velocities_}) {
        for (const Vector3& v : *vectors) {
            put(v.x);
            put(v.y);
            put(v.z);
        }
    }
    for (const Quaternion& q : rotations_) {
        put(q.w);
        put(q.x);
        put(q.y);
        put(q.z);
    }
}

std::span<const Dial<Plant>> Plant::dials() noexcept {
    return dials_through<Plant, PlantSettings, ReadSettings>();
}

}  // namespace hopcoil
