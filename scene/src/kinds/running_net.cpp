#include "running_net.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>

#include "net_body.hpp"
#include "net_spec.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// Steps of a frame, where it has that many substeps: what is asked for in between then hardly
/// differs from what a step would give.
constexpr std::size_t steps_a_frame = 4;

}  // namespace

RunningNet::RunningNet(const NetParts& parts, const SystemInputs& inputs)
    : parts_{parts},
      net_{parts.build(), parts.settings},
      mounts_{inputs},
      accelerations_(net_.size()),
      velocities_(net_.size()),
      time_s_{inputs.time_s},
      stepped_s_{inputs.time_s} {
    find_grid();
    find_held(inputs);
    for (const NetForce& force : parts_.forces) {
        for (const std::uint32_t point : force.points)
            net_.set_force(point, force.newtons);
    }
    if (const BodyOfPoints* body = parts_.body()) {
        for (std::uint32_t i = 0; i < parts_.point_count(); ++i) {
            const Vector3 arm = net_.positions()[i] - parts_.placement.position;
            net_.push(i, body->velocity + cross(body->turn_rate, arm));
        }
    }
    release_until(inputs.time_s);
}

void RunningNet::find_grid() {
    const std::size_t substeps = net_.plan().substeps;
    const bool is_split = substeps >= 2 * steps_a_frame;
    grid_s_ = net_.settings().frame_s / (is_split ? steps_a_frame : 1);
}

void RunningNet::find_held(const SystemInputs& inputs) {
    std::vector<std::optional<Held>> of_points(net_.size());
    for (const NetPin& pin : parts_.pins) {
        const Placement at = mounts_.at(pin.mount, inputs, inputs.time_s);
        for (const std::uint32_t point : pin.points) {
            const Vector3 way = net_.positions()[point] - at.position;
            of_points[point] = Held{.point = point,
                                    .mount = pin.mount,
                                    .local = rotated(conjugate(at.rotation), way),
                                    .until_s = pin.until_s};
        }
    }
    const std::size_t first = parts_.point_count();
    for (std::size_t i = 0; i < parts_.balls.size(); ++i) {
        const auto point = static_cast<std::uint32_t>(first + i);
        of_points[point] = Held{
            .point = point, .local = net_.positions()[point], .until_s = parts_.balls[i].until_s};
    }
    for (const auto& each : of_points) {
        if (each) held_.push_back(*each);
    }
}

Vector3 RunningNet::place_of(const Held& held, const SystemInputs& inputs, double time_s) const {
    const Placement at = mounts_.at(held.mount, inputs, time_s);
    return at.position + rotated(at.rotation, held.local);
}

/// Balls fly off with their own velocity, all else with the one it has.
void RunningNet::release_until(double time_s) {
    const std::size_t first = parts_.point_count();
    for (const Held& held : held_) {
        const bool is_pinned = is_held(held, time_s);
        if (net_.structure().points[held.point].is_pinned == is_pinned) continue;
        net_.set_pinned(held.point, is_pinned);
        if (!is_pinned && held.point >= first)
            net_.push(held.point, parts_.balls[held.point - first].velocity);
    }
    pins_.resize(net_.pins().size());
}

bool RunningNet::step_to(double time_s, const SystemInputs& inputs) {
    release_until(stepped_s_);
    std::size_t pin = 0;
    for (const Held& held : held_) {
        if (is_held(held, stepped_s_)) pins_[pin++] = place_of(held, inputs, time_s);
    }
    mounts_.place(parts_.shapes, inputs, {time_s, grid_s_}, shapes_);
    std::copy(net_.velocities().begin(), net_.velocities().end(), velocities_.begin());
    std::span<const NetGrab> grabs;
    if (grab_) grabs = {&*grab_, 1};
    const NetInputs given{.pins = pins_,
                          .shapes = shapes_,
                          .grabs = grabs,
                          .ground = field_in<Ground>(inputs, 0),
                          .wind = field_in<Wind>(inputs, 1),
                          .time_s = time_s};
    const StepStatus status = net_.step(given, grid_s_);
    for (std::size_t i = 0; i < accelerations_.size(); ++i)
        accelerations_[i] = (net_.velocities()[i] - velocities_[i]) * (1 / grid_s_);
    stepped_s_ = time_s;
    return status == StepStatus::stepped;
}

bool RunningNet::advance(double time_s, const SystemInputs& inputs) {
    const auto step = [&](double end_s) {
        return step_to(end_s, inputs);
    };
    if (!step_on_grid(stepped_s_, time_s, grid_s_, step)) return false;
    mounts_.note(inputs, time_s);
    time_s_ = time_s;
    return true;
}

void RunningNet::change(const SystemInputs& inputs) {
    mounts_.note(inputs, time_s_);
}

bool RunningNet::push(std::size_t port, const ValueArray& delta_velocity) {
    if (port != 0 && port < parts_.middle_port()) {
        const auto point = static_cast<std::uint32_t>(parts_.point_count() + port - 1);
        return net_.push(point, vector_of(delta_velocity)) == StepStatus::stepped;
    }
    bool any = false;
    for (std::uint32_t i = 0; i < parts_.point_count(); ++i) {
        if (net_.structure().points[i].is_pinned) continue;
        any = net_.push(i, vector_of(delta_velocity)) == StepStatus::stepped || any;
    }
    return any;
}

/// With a hand of some size, as strong as it takes to lift the net three times.
bool RunningNet::grab(std::size_t port, std::size_t index, const std::optional<ValueArray>& place) {
    grab_.reset();
    if (!place) return true;
    const bool is_ball = port != 0 && port < parts_.middle_port();
    const auto point =
        static_cast<std::uint32_t>(is_ball ? parts_.point_count() + port - 1 : index);
    if (point >= net_.size()) return false;
    double mass_kg = 0;
    for (const NetPoint& each : net_.structure().points)
        mass_kg += each.mass_kg;
    constexpr double hand_m = 0.12;
    grab_ = NetGrab{.point = point,
                    .radius_m = hand_m,
                    .target = vector_of(*place),
                    .most_force_n = 3 * 9.80665 * mass_kg};
    return true;
}

ValueAndVelocity RunningNet::output(std::size_t port, std::size_t index) const {
    if (port >= parts_.middle_port()) {
        std::array<ValueAndVelocity, BodyOfPoints::corners> corners{};
        for (std::size_t i = 0; i < corners.size(); ++i)
            corners[i] = output(0, i);
        return port == parts_.middle_port() ? middle_of(corners) : facing_of(corners);
    }
    const std::size_t i = port == 0 ? index : parts_.point_count() + port - 1;
    const double ahead_s = time_s_ - stepped_s_;
    const Vector3& a = accelerations_[i];
    const Vector3& v = net_.velocities()[i];
    if (net_.structure().points[i].is_pinned)
        return {array_of(net_.positions()[i] + v * ahead_s), array_of(v)};
    return {array_of(net_.positions()[i] + (v + a * (ahead_s / 2)) * ahead_s),
            array_of(v + a * ahead_s)};
}

void RunningNet::read_signals(std::span<double> numbers) {
    numbers[net_signal::stretch] = net_.largest_stretch();
    numbers[net_signal::energy] = net_.energy();
    numbers[net_signal::contacts] = static_cast<double>(net_.contact_count());
    numbers[net_signal::depth] = net_.contact_depth_m();
    double lowest = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; i < parts_.point_count(); ++i)
        lowest = std::min(lowest, output(0, i).value.numbers[1]);
    numbers[net_signal::lowest] = lowest;
}

bool RunningNet::retune(const SystemSpec& spec) {
    const NetParts& parts = dynamic_cast<const NetSpec&>(spec).parts();
    const bool is_set_up_alike = parts.placement == parts_.placement &&
                                 parts.far_end == parts_.far_end && parts.pins == parts_.pins &&
                                 parts.balls == parts_.balls && parts.shapes == parts_.shapes &&
                                 parts.forces == parts_.forces;
    NetStructure structure = parts.build();
    if (!is_set_up_alike || structure.points.size() != net_.size()) return false;
    for (std::size_t i = 0; i < net_.size(); ++i)
        structure.points[i].is_pinned = net_.structure().points[i].is_pinned;
    net_.retune(structure, parts.settings);
    parts_ = parts;
    find_grid();
    stepped_s_ = std::round(stepped_s_ / grid_s_) * grid_s_;
    return true;
}

std::string RunningNet::failure(const std::string& name) const {
    const NetPlan& plan = net_.plan();
    const double substep_s = net_.settings().frame_s / static_cast<double>(plan.substeps);
    if (!(substep_s > plan.stable_step_s))
        return name + " diverged: more substeps, or another method, may help";
    if (plan.stable_step_s == 0) {
        return name +
               " diverged: no step of its scheme is stable without damping; give its links "
               "damping, or take another scheme";
    }
    return fmt::format(
        "{} diverged with substeps of {:.3g} ms ({}): take {} substeps a frame, or another method",
        name, 1e3 * substep_s, stable_step_in_words(plan), plan.force_substeps);
}

std::vector<std::string> RunningNet::warnings(const std::string& name, double /*rate_hz*/) const {
    const NetPlan& plan = net_.plan();
    std::vector<std::string> all;
    const double substep_s = net_.settings().frame_s / static_cast<double>(plan.substeps);
    if (plan.method == NetMethod::forces && substep_s > plan.stable_step_s) {
        all.push_back(fmt::format("{}: its substeps of {:.3g} ms may diverge ({})", name,
                                  1e3 * substep_s, stable_step_in_words(plan)));
    }
    if (plan.excess_percent > 5) {
        all.push_back(
            fmt::format("{}: with {} substeps it hangs up to {:.3g} % too low; more of "
                        "them, or the method implicit, take that away",
                        name, plan.substeps, plan.excess_percent));
    }
    return all;
}

}  // namespace hopcoil::scene
