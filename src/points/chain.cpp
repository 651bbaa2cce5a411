#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/follow/detail/cubic_way.hpp>
#include <hopcoil/points/chain.hpp>

#include "../spring/short_steps.hpp"
#include "chain_math.hpp"

namespace hopcoil {

using namespace chain;  // NOLINT: its own helpers

namespace {

constexpr std::size_t most_substeps = 64;

/// 1/cosh m, which does not overflow for a long way, and tanh m.
struct Hyperbolic {
    double cosh_inverse;
    double tanh;
};
Hyperbolic hyperbolic_of(double m) noexcept {
    if (m <= ShortSeries::longest_phase) {
        const double x = m * m;
        const double inverse = 1 / (1 + x * short_steps::polynomial(x, ShortSeries::cosh));
        const double sinh = m * (1 + x * short_steps::polynomial(x, ShortSeries::sinh));
        return {inverse, sinh * inverse};
    }
    const double two_m = math::exp(-2 * m);
    return {2 * math::exp(-m) / (1 + two_m), -math::expm1(-2 * m) / (1 + two_m)};
}

/// The direction of a stick of length s whose head moves by `way` while its tail is dragged: the
/// closed form for a straight way (docs/math/chain.md (6)).
Vector3 dragged(const Vector3& g, const Vector3& way, double s) noexcept {
    const double m = norm(way) / s;
    if (!(m > 1e-300)) return g;
    const Vector3 e = way * (1 / (m * s));
    const double c = dot(g, e);
    const auto [cosh_inverse, tanh] = hyperbolic_of(m);
    const double below = 1 + c * tanh;
    if (!(below > 1e-12)) return g;  // pushed straight back, it stays straight
    const Vector3 turned = (g * cosh_inverse + e * (tanh + c * (1 - cosh_inverse))) * (1 / below);
    return unit(turned, g);
}

}  // namespace

/// The root during a step: the cubic between its ends.
struct Chain::RootPath {
    Vector3 from{};
    Vector3 from_velocity{};
    Vector3 to{};
    Vector3 to_velocity{};
    double dt = 0;

    [[nodiscard]] CubicWay<Vector3> way() const noexcept {
        return {from, from_velocity, to, to_velocity, dt};
    }
    [[nodiscard]] Vector3 at(double part) const noexcept {
        return part >= 1 ? to : way().place(part * dt);
    }
    [[nodiscard]] Vector3 velocity_at(double part) const noexcept {
        return part >= 1 ? to_velocity : way().velocity(part * dt);
    }
};

Chain::Chain(const ChainSettings& settings, const Vector3& root, const Quaternion& facing)
    : settings_{settings} {
    require_valid(settings);
    tunings_ = tunings_of(settings);
    rows_.resize(settings.nodes);
    links_.resize(settings.nodes);
    kept_ = links_;
    positions_.resize(settings.nodes + 1);
    velocities_.resize(settings.nodes + 1);
    before_ = positions_;
    kept_velocities_ = velocities_;
    channels_ = {{"position", ChannelKind::vector, 3, "m", positions_.size()},
                 {"velocity", ChannelKind::vector, 3, "m_per_s", positions_.size()}};
    if (reset(root, facing) == StepStatus::rejected)
        throw InvalidValue{"root", norm(root), "a finite place and a rotation"};
}

StepStatus Chain::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

StepStatus Chain::reset(const Vector3& root, const Quaternion& facing) noexcept {
    const Quaternion turn = normalized(facing);
    const double far = static_cast<double>(size()) * settings_.spacing_m + norm(root);
    if (!std::isfinite(far) || !(turn.w == turn.w)) return reject();
    root_ = settings_.is_flat ? Vector3{root.x, root.y, 0} : root;
    facing_ = turn;
    root_velocity_ = root_slope_ = {};
    has_history_ = false;
    was_windy_ = false;
    phase_rad_ = 0;
    put_in_rest_shape();
    return StepStatus::stepped;
}

void Chain::put_in_rest_shape() noexcept {
    Vector3 rest = base_direction();
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    const Vector3& hanging = settings_.hanging_m_per_s;
    if (!fixed) rest = unit(rest * settings_.stiffness_m_per_s + hanging, rest);
    Vector3 place = root_;
    for (Link& link : links_) {
        place = place + rest * settings_.spacing_m;
        link = {.motion = resting_at(fixed ? rest : place), .ghost = rest, .rest_direction = rest};
    }
    std::fill(velocities_.begin(), velocities_.end(), Vector3{});
    is_resting_ = !fixed || hanging == Vector3{};
    find_outputs({}, 0);
}

StepStatus Chain::cut(const Vector3& root, const Quaternion& facing) noexcept {
    const Quaternion to = normalized(facing);
    if (!is_finite_vector(root) || !(to.w == to.w)) return reject();
    const Quaternion turn = to * conjugate(facing_);
    const bool is_same = to == facing_;
    const auto turned = [&](const Vector3& v) {
        return is_same ? v : rotated(turn, v);
    };
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    keep();
    for (Link& link : links_) {
        Motion<Vector3>& motion = link.motion;
        motion.target = fixed ? turned(motion.target) : root + turned(motion.target - root_);
        motion.gap = turned(motion.gap);
        motion.velocity = turned(motion.velocity);
        link.target_velocity = turned(link.target_velocity);
        link.ghost = turned(link.ghost);
        link.rest_direction = turned(link.rest_direction);
    }
    for (std::size_t i = 0; i < positions_.size(); ++i) {
        positions_[i] = root + turned(positions_[i] - root_);
        velocities_[i] = turned(velocities_[i]);
    }
    if (!are_outputs_finite()) {
        bring_back();
        return reject();
    }
    root_velocity_ = turned(root_velocity_);
    root_slope_ = turned(root_slope_);
    root_ = root;
    facing_ = to;
    return StepStatus::stepped;
}

StepStatus Chain::push(std::size_t node, const Vector3& delta_velocity) noexcept {
    if (node < 1 || node > size() || !is_finite_vector(delta_velocity)) return reject();
    const double scale = settings_.spacing == ChainSpacing::fixed ? 1 / settings_.spacing_m : 1;
    Vector3& velocity = links_[node - 1].motion.velocity;
    const Vector3 pushed = velocity + delta_velocity * scale;
    if (!is_finite_vector(pushed)) return reject();
    velocity = pushed;
    is_resting_ = false;
    return StepStatus::stepped;
}

void Chain::retune(const ChainSettings& settings) {
    require_valid(settings);
    if (settings.nodes != settings_.nodes)
        throw InvalidValue{"nodes", static_cast<double>(settings.nodes), "as many as there are"};
    if (settings.spacing != settings_.spacing)
        throw InvalidValue{"spacing", static_cast<double>(settings.spacing), "the kind it has"};
    if (!try_retune(settings)) throw InvalidValue{"settings", 0, "numbers that can be"};
}

bool Chain::try_retune(const ChainSettings& settings) noexcept {
    const bool fits = settings.nodes == settings_.nodes && settings.spacing == settings_.spacing;
    if (!fits || !is_valid(settings)) {
        reject();
        return false;
    }
    for (std::size_t i = 0; i < size(); ++i)
        tunings_[i] = tuning_of_link(settings, i);
    settings_ = settings;
    rows_dt_ = -1;
    is_resting_ = false;
    return true;
}

void Chain::set_tuning(std::size_t node, const Tuning& tuning) {
    require_valid(tuning);
    tunings_.at(node - 1) = tuning;
    rows_dt_ = -1;
    is_resting_ = false;
}

void Chain::find_rows(double dt) noexcept {
    if (dt == rows_dt_) return;
    for (std::size_t i = 0; i < size(); ++i) {
        const bool is_same = i > 0 && tunings_[i] == tunings_[i - 1];
        rows_[i] = is_same ? rows_[i - 1] : cubic_rows(tunings_[i], dt);
    }
    rows_dt_ = dt;
}

/// The slope at the end of the parabola through the last three places, where it is not known.
Vector3 Chain::root_velocity_at_end(const ChainInputs& inputs, double dt) const noexcept {
    if (inputs.root_velocity) return *inputs.root_velocity;
    if (inputs.root == root_) return {};
    const Vector3 slope = (inputs.root - root_) * (1 / dt);
    if (!has_history_) return slope;
    return slope + (slope - root_slope_) * (dt / (dt + last_dt_));
}

Vector3 Chain::stream_at(const ChainInputs& inputs, const Vector3& place,
                         double time_s) const noexcept {
    Vector3 stream = settings_.hanging_m_per_s;
    if (inputs.wind != nullptr)
        stream = stream + inputs.wind->at(place, time_s).velocity * settings_.wind_share;
    return settings_.is_flat ? Vector3{stream.x, stream.y, 0} : stream;
}

/// Enough substeps that no node moves further than a part of a spacing in one, and that a quick
/// tuning is followed closely.
std::size_t Chain::substeps(const RootPath& path, const ChainInputs& inputs,
                            double dt) const noexcept {
    double wanted = 1;
    double quickest_hz = 0;
    double least_damping = 1;
    for (const Tuning& tuning : tunings_) {
        quickest_hz = std::max(quickest_hz, tuning.frequency_hz);
        least_damping = std::min(least_damping, tuning.damping_ratio);
    }
    wanted = std::max(wanted, quickest_hz * dt * (least_damping < 0.7 ? 4 : 2));
    if (settings_.spacing == ChainSpacing::fixed) {
        const double speed = std::max({norm(path.from_velocity), norm(path.to_velocity),
                                       1.5 * norm(path.to - path.from) / dt});
        const double stream = norm(stream_at(inputs, root_, inputs.time_s));
        wanted = std::max(wanted, dt * (speed + stream) / (0.25 * settings_.spacing_m));
    }
    return wanted < static_cast<double>(most_substeps) ? static_cast<std::size_t>(std::ceil(wanted))
                                                       : most_substeps;
}

StepStatus Chain::step(const ChainInputs& inputs, double dt) noexcept {
    const Quaternion turn = normalized(inputs.facing);
    const bool can_be = is_time_step(dt) && is_finite_vector(inputs.root) && turn.w == turn.w &&
                        (!inputs.root_velocity || is_finite_vector(*inputs.root_velocity)) &&
                        std::isfinite(inputs.time_s);
    if (!can_be) return reject();
    ChainInputs taken = inputs;
    taken.facing = turn;
    if (settings_.is_flat) taken.root.z = 0;
    if (dt == 0) {
        if (!(taken.root == root_) || !(turn == facing_)) return cut(taken.root, turn);
        if (taken.root_velocity) root_velocity_ = *taken.root_velocity;
        return StepStatus::stepped;
    }
    const bool is_driven = taken.wind != nullptr || settings_.undulation.amplitude_m > 0;
    if (is_resting_ && !is_driven && taken.root == root_ && turn == facing_)
        return StepStatus::stepped;

    const RootPath path{root_, root_velocity_, taken.root, root_velocity_at_end(taken, dt), dt};
    keep();
    const Quaternion facing_before = facing_;
    const double phase_before = phase_rad_;
    const bool is_windy = taken.wind != nullptr;
    if (is_windy != was_windy_ && settings_.spacing == ChainSpacing::stretchy)
        retarget_for_wind(taken, taken.time_s - dt);
    facing_ = turn;
    const std::size_t count = substeps(path, taken, dt);
    const double h = dt / static_cast<double>(count);
    find_rows(h);
    for (std::size_t i = 0; i < count; ++i) {
        const double from_s = h * static_cast<double>(i);
        const double time_s = taken.time_s - dt + from_s + h;
        if (settings_.spacing == ChainSpacing::fixed) {
            step_fixed(path, taken, from_s, h, time_s);
        } else {
            step_stretchy(path, taken, from_s, h, time_s);
        }
    }
    const Vector3 root_before = root_;
    const Vector3 velocity_before = root_velocity_;
    root_ = taken.root;
    root_velocity_ = path.to_velocity;
    phase_rad_ = wrapped_rad(phase_rad_ + 2 * math::pi * settings_.undulation.frequency_hz * dt);
    find_outputs(before_, dt);
    if (!are_outputs_finite()) {
        bring_back();
        root_ = root_before;
        root_velocity_ = velocity_before;
        facing_ = facing_before;
        phase_rad_ = phase_before;
        return reject();
    }
    root_slope_ = (root_ - root_before) * (1 / dt);
    last_dt_ = dt;
    has_history_ = true;
    was_windy_ = is_windy;
    is_resting_ = false;
    const bool root_rests = !is_driven && root_ == root_before && facing_ == facing_before;
    if (root_rests && is_about_to_rest()) snap();
    return StepStatus::stepped;
}

Vector3 Chain::base_direction() const noexcept {
    const Vector3 base = unit(rotated(facing_, settings_.rest_direction), {0, -1, 0});
    return settings_.is_flat ? unit({base.x, base.y, 0}, {0, -1, 0}) : base;
}

/// A wind that starts or stops changes the directions of the links at once. Their targets are cut
/// to the new ones, so that the lead does not respond to the change and velocities stay.
void Chain::retarget_for_wind(const ChainInputs& inputs, double time_s) noexcept {
    const double b = settings_.carry;
    const Vector3 base = base_direction();
    Vector3 last = root_;
    Vector3 link_before{};
    for (Link& link : links_) {
        const Vector3 stream = stream_at(inputs, last, time_s);
        const Vector3 rest = unit(base * settings_.stiffness_m_per_s + stream, base);
        const bool is_first = &link == links_.data();
        const Vector3 along = is_first ? rest : unit(rest * (1 - b) + link_before * b, rest);
        const Vector3 here = link.motion.value();
        link.rest_direction = rest;
        link.motion.target = last + along * settings_.spacing_m;
        link.motion.gap = here - link.motion.target;
        link_before = unit(here - last, rest);
        last = here;
    }
}

void Chain::step_stretchy(const RootPath& path, const ChainInputs& inputs, double from_s, double h,
                          double time_s) noexcept {
    const double part = (from_s + h) / path.dt;
    const double s = settings_.spacing_m;
    const double b = settings_.carry;
    const Vector3 base = base_direction();
    Vector3 last = path.at(part);
    Vector3 last_velocity = path.velocity_at(part);
    Direction link_before{};
    for (std::size_t i = 0; i < links_.size(); ++i) {
        Link& link = links_[i];
        // The stream bends it away from its rest direction, half way at its stiffness.
        const Vector3 stream = stream_at(inputs, last, time_s);
        const Vector3 rest = unit(base * settings_.stiffness_m_per_s + stream, base);
        const Direction wanted{rest, (rest - link.rest_direction) * (1 / h)};
        link.rest_direction = rest;
        const Direction along =
            i == 0 ? wanted
                   : direction_of(wanted.unit * (1 - b) + link_before.unit * b,
                                  wanted.rate * (1 - b) + link_before.rate * b, rest);
        const Vector3 target = last + along.unit * s;
        const Vector3 target_velocity = last_velocity + along.rate * s;
        link.motion = after(link.motion, target, &link.target_velocity, target_velocity, rows_[i]);
        link.target_velocity = target_velocity;
        const Vector3 here = link.motion.value();
        link_before = direction_of(here - last, link.motion.velocity - last_velocity, rest);
        last = here;
        last_velocity = link.motion.velocity;
    }
}

void Chain::step_fixed(const RootPath& path, const ChainInputs& inputs, double from_s, double h,
                       double time_s) noexcept {
    const double s = settings_.spacing_m;
    const double part = (from_s + h) / path.dt;
    Vector3 moved = path.at(part) - path.at(from_s / path.dt);  // of the node before, by its ghost
    Vector3 velocity = path.velocity_at(part);
    for (std::size_t i = 0; i < links_.size(); ++i) {
        Link& link = links_[i];
        const Vector3 stream = stream_at(inputs, positions_[i + 1], time_s);
        const Vector3 old = link.ghost;
        link.ghost = dragged(old, stream * h - moved, s);
        // The rate of turning at the end: the part of the pull across the link.
        const Vector3 pull = stream - velocity;
        const Vector3 rate = (pull - link.ghost * dot(link.ghost, pull)) * (1 / s);
        link.motion = after(link.motion, link.ghost, &link.target_velocity, rate, rows_[i]);
        link.target_velocity = rate;
        moved = moved + (link.ghost - old) * s;
        velocity = velocity + rate * s;
    }
}

bool Chain::are_outputs_finite() const noexcept {
    return std::all_of(positions_.begin(), positions_.end(), is_finite_vector) &&
           std::all_of(velocities_.begin(), velocities_.end(), is_finite_vector) &&
           std::all_of(links_.begin(), links_.end(), [](const Link& link) {
               return is_finite_vector(link.motion.target) && is_finite_vector(link.motion.gap) &&
                      is_finite_vector(link.motion.velocity) &&
                      is_finite_vector(link.target_velocity);
           });
}

/// A copy of the present state, to restore if the result is not finite.
void Chain::keep() noexcept {
    kept_ = links_;
    before_ = positions_;
    kept_velocities_ = velocities_;
}
void Chain::bring_back() noexcept {
    links_ = kept_;
    positions_ = before_;
    velocities_ = kept_velocities_;
}

/// At rest when nothing moves by a hundred-thousandth of a spacing.
bool Chain::is_about_to_rest() const noexcept {
    const double unit_m = settings_.spacing == ChainSpacing::fixed ? 1 : settings_.spacing_m;
    return std::all_of(links_.begin(), links_.end(), [&](const Link& link) {
        const double w = 2 * math::pi * 0.1;
        const double left =
            norm(link.motion.gap) + (norm(link.motion.velocity) + norm(link.target_velocity)) / w;
        return left < 1e-5 * unit_m;
    });
}

void Chain::snap() noexcept {
    for (Link& link : links_) {
        link.motion = resting_at(link.motion.value());
        link.target_velocity = {};
    }
    root_velocity_ = {};
    find_outputs(positions_, 0);
    std::fill(velocities_.begin(), velocities_.end(), Vector3{});
    is_resting_ = true;
}

}  // namespace hopcoil
