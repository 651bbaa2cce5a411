#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/support.hpp>

#include "balancing.hpp"
#include "joint_limits.hpp"
#include "timed.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

const Ground& ground_in(const SystemInputs& inputs) {
    static const FlatGround flat;
    const auto* const ground = field_in<Ground>(inputs, 0);
    return ground == nullptr ? flat : *ground;
}

Vector3 place_at_start(const BalancingBody& body, const SystemInputs& inputs) {
    if (body.at) return *body.at;
    return body.target ? vector_of(inputs.targets[*body.target].point.value) : Vector3{};
}

double heading_of(const Quaternion& q) {
    const Vector3 ahead = rotated(q, {0, 0, 1});
    return math::atan2(ahead.x, ahead.z);
}

double facing_in(const BalancingBody& body, const SystemInputs& inputs) {
    if (!body.facing) return body.yaw_rad.value_or(0);
    const ValueArray& value = inputs.targets[*body.facing].point.value;
    return body.faces_an_angle ? value[0] : heading_of(rotation_of(value));
}

}  // namespace

std::vector<Part> BalancingBody::parts_of_things() const {
    std::vector<Part> parts;
    parts.reserve(things.size());
    for (const BalanceThing& thing : things)
        parts.push_back(thing.part);
    return parts;
}

std::vector<std::string> BalancingBody::part_names() const {
    const std::span<const char* const> own = body_part_names(settings.build.arm_length_m > 0);
    std::vector<std::string> names{own.begin(), own.end()};
    for (const BalanceThing& thing : things)
        names.push_back(thing.name);
    return names;
}

std::size_t BalancingBody::joints_port() const {
    const std::size_t parts = body_part_names(settings.build.arm_length_m > 0).size();
    return balance_port::first_part + 2 * (parts + things.size());
}

RunningBalance::RunningBalance(BalancingBody body, const SystemInputs& inputs)
    : body_{std::move(body)},
      running_{body_.settings, ground_in(inputs), place_at_start(body_, inputs),
               body_.yaw_rad.value_or(facing_in(body_, inputs)), body_.parts_of_things()},
      mounts_{inputs},
      yaw_{facing_in(body_, inputs)},
      facing_before_{yaw_},
      time_s_{inputs.time_s},
      stepped_s_{inputs.time_s} {
    for (std::uint32_t i = 0; i < body_.things.size(); ++i) {
        if (body_.things[i].thrown_at_s) running_.hold_still(i, true);
    }
    if (body_.shows_limits) limited_ = limited_joints(running_.structure());
    animated_at_ = {place_at_start(body_, inputs), turned_by({0, body_.yaw_rad.value_or(yaw_), 0})};
    pose_skeleton();
}

void RunningBalance::pose_skeleton() {
    if (body_.rig == nullptr) return;
    const std::size_t count = body_.rig->joint_count();
    base_.resize(count);
    local_.resize(count);
    joints_.resize(count);
    if (body_.rig->clip) body_.rig->clip->pose(time_s_, base_);
    const std::span<const Pose> base =
        body_.rig->clip ? std::span<const Pose>{base_} : std::span<const Pose>{};
    body_.rig->rig.pose(running_, base, local_);
    to_model(body_.rig->rig.skeleton(), local_, joints_);
}

/// Where its animation has each part.
void RunningBalance::find_pose(double time_s) {
    const std::size_t count = body_.rig->joint_count();
    base_.resize(count);
    joints_.resize(count);
    pose_.resize(running_.body_size());
    body_.rig->clip->pose(time_s, base_);
    body_.rig->rig.place_parts(base_, animated_at_, joints_, pose_);
}

bool RunningBalance::step_to(double time_s, const SystemInputs& inputs) {
    BalanceInputs given;
    const EarlierGround ground{ground_in(inputs), std::max(inputs.time_s - time_s, 0.0)};
    given.ground = &ground;
    if (body_.target) {
        const Mount goal{.position = *body_.target};
        const Vector3 place = mounts_.at(goal, inputs, time_s).position;
        // Its velocity as the tick ends, wherever the frame ends.
        const double since_s = std::min(Balance::tick_s, time_s - time_s_);
        const Vector3 velocity =
            since_s > 1e-9
                ? (place - mounts_.at(goal, inputs, time_s - since_s).position) * (1 / since_s)
                : vector_of(inputs.targets[*body_.target].point.velocity);
        given.velocity = running_.toward(place, velocity);
        constexpr double least_speed = 0.15;
        const Vector3& v = given.velocity;
        const bool goes = v.x * v.x + v.z * v.z > least_speed * least_speed;
        if (goes && !body_.facing) yaw_ = math::atan2(v.x, v.z);
    }
    if (body_.facing) {
        const double whole_s = inputs.time_s - time_s_;
        const double part = whole_s > 0 ? (time_s - time_s_) / whole_s : 1;
        const double turn = std::remainder(facing_in(body_, inputs) - facing_before_, 2 * math::pi);
        yaw_ = facing_before_ + turn * std::clamp(part, 0.0, 1.0);
    }
    given.yaw_rad = yaw_;
    mounts_.place(body_.shapes, inputs, {time_s, Balance::tick_s}, shapes_);
    given.shapes = shapes_;
    if (grab_) given.grabs = {&*grab_, 1};
    given.wind = field_in<Wind>(inputs, 1);
    given.time_s = time_s;
    if (running_.state() == BalanceState::animated && body_.rig && body_.rig->clip) {
        find_pose(time_s);
        given.pose = pose_;
    }
    stepped_s_ = time_s;
    const std::array<bool, 2> planted{running_.feet()[0].planted, running_.feet()[1].planted};
    if (running_.step(given, Balance::tick_s) == StepStatus::rejected) return false;
    note_events(planted);
    return true;
}

void RunningBalance::note_events(const std::array<bool, 2>& planted) {
    for (const PartImpact& each : running_.impacts()) {
        if (each.speed_m_per_s >= least_hit_m_per_s)
            events_.push_back({SceneEvent::Type::hit, each.place});
    }
    const BalanceState state = running_.state();
    if (state != BalanceState::stands && state != BalanceState::rises) return;
    for (std::size_t side = 0; side < planted.size(); ++side) {
        const BalanceFoot& foot = running_.feet()[side];
        if (foot.planted == planted[side]) continue;
        events_.push_back(
            {foot.planted ? SceneEvent::Type::landed : SceneEvent::Type::lifted, foot.position});
    }
}

bool RunningBalance::advance(double time_s, const SystemInputs& inputs) {
    events_.clear();
    const auto step = [&](double end_s) {
        return step_to(end_s, inputs);
    };
    if (!step_on_grid(stepped_s_, time_s, Balance::tick_s, step)) return false;
    mounts_.note(inputs, time_s);
    facing_before_ = facing_in(body_, inputs);
    time_s_ = time_s;
    pose_skeleton();
    return true;
}

void RunningBalance::change(const SystemInputs& inputs) {
    mounts_.note(inputs, time_s_);
    facing_before_ = facing_in(body_, inputs);
}

void RunningBalance::apply(const BalanceEvent& event) {
    using What = BalanceEvent::What;
    switch (event.what) {
        case What::blow:
            running_.strike(event.part, event.place, event.vector);
            return;
        case What::push:
            running_.push(event.vector);
            return;
        case What::state:
            if (event.state == BalanceState::animated) {
                const Vector3 c = running_.centre_of_mass();
                animated_at_ = {{c.x, running_.capture_point().y, c.z}, turned_by({0, yaw_, 0})};
            }
            running_.become(event.state);
            return;
        case What::throws:
            running_.throw_thing(event.part, body_.things[event.part].part.placement,
                                 {.velocity = event.vector});
            return;
        case What::takes_hold:
            running_.take_hold(event.grip);
            return;
        case What::lets_go:
            running_.let_go();
            return;
    }
}

void RunningBalance::act() {
    for (const BalanceEvent& event : body_.events) {
        if (is_due(event.at_s, time_s_)) apply(event);
    }
}

double RunningBalance::next_event_s(double time_s) const {
    return next_at_s(body_.events, time_s);
}

bool RunningBalance::push(std::size_t port, const ValueArray& delta_velocity) {
    const Vector3 change = vector_of(delta_velocity);
    if (port == balance_port::body) return running_.push(change) == StepStatus::stepped;
    if (port < balance_port::first_part || port >= body_.joints_port()) return false;
    const auto part = static_cast<std::uint32_t>((port - balance_port::first_part) / 2);
    const PartsStructure& made = running_.structure();
    const double mass_kg = made.parts[part].mass_kg > 0 ? made.parts[part].mass_kg : 1;
    return running_.strike(part, {}, change * mass_kg) == StepStatus::stepped;
}

/// With a hand as strong as half its weight.
bool RunningBalance::grab(std::size_t port, std::size_t /*index*/,
                          const std::optional<ValueArray>& place) {
    grab_.reset();
    if (!place) return true;
    const bool is_part =
        port >= balance_port::first_part && port < body_.joints_port() && port % 2 == 0;
    const std::size_t part = is_part ? (port - balance_port::first_part) / 2 : 1;
    if (!is_part && port != balance_port::body) return false;
    if (running_.structure().parts[part].is_driven) return false;
    constexpr double gravity = 9.80665;
    grab_ = PartGrab{.part = static_cast<std::uint32_t>(part),
                     .target = vector_of(*place),
                     .most_force_n = 0.5 * gravity * body_.settings.build.mass_kg};
    return true;
}

/// Between two steps everything goes on as it moves.
ValueAndVelocity RunningBalance::output(std::size_t port, std::size_t index) const {
    if (port == body_.limits_port()) {
        return {array_of(limit_point(running_.structure(), running_.placements(),
                                     limited_[index / limit_points], index % limit_points)),
                {}};
    }
    if (port == body_.joints_port()) return {array_of(joints_[index].position), {}};
    if (port > body_.joints_port()) return {array_of(joints_[index].rotation), {}};
    const double ahead_s = time_s_ - stepped_s_;
    const auto moving = [&](const Vector3& at, const Vector3& velocity) {
        return ValueAndVelocity{array_of(at + velocity * ahead_s), array_of(velocity)};
    };
    switch (port) {
        case balance_port::body:
            return moving(running_.centre_of_mass(), running_.velocity());
        case balance_port::foot1:
        case balance_port::foot2:
            return {array_of(running_.feet()[port - balance_port::foot1].position), {}};
        case balance_port::pressure:
            return {array_of(running_.pressure()), {}};
        case balance_port::capture:
            return {array_of(running_.capture_point()), {}};
        default:
            break;
    }
    const bool turns = port == balance_port::facing || port % 2 == 1;
    const std::size_t part =
        port < balance_port::first_part ? 0 : (port - balance_port::first_part) / 2;
    const Placement& at = running_.placements()[part];
    const PartMotion& motion = running_.motions()[part];
    if (turns) {
        const Quaternion turned = turned_by(motion.angular_velocity * ahead_s) * at.rotation;
        return {array_of(turned), array_of(motion.angular_velocity)};
    }
    return moving(at.position, motion.velocity);
}

void RunningBalance::read_signals(std::span<double> numbers) {
    using namespace balance_signal;
    numbers[state] = static_cast<double>(running_.state());
    const auto& feet = running_.feet();
    std::vector<Vector3> soles;
    const BalanceBuild& build = body_.settings.build;
    for (std::size_t side = 0; side < 2; ++side) {
        numbers[planted1 + side] = feet[side].planted ? 1 : 0;
        numbers[load1 + side] = feet[side].load_n;
        if (!feet[side].planted) continue;
        for (const double x : {-0.5, 0.5}) {
            for (const double z : {-0.5, 0.5}) {
                soles.push_back(feet[side].position +
                                rotated(feet[side].rotation,
                                        {x * build.foot_width_m, 0, z * build.foot_length_m}));
            }
        }
    }
    const Vector3& torque = running_.help_nm();
    numbers[help] = std::sqrt(dot(torque, torque)) / running_.toppling_nm();
    numbers[tilt] = running_.tilt_rad();
    numbers[margin] = std::clamp(support_margin(soles, running_.capture_point()), -2.0, 2.0);
    numbers[falls] = static_cast<double>(running_.log().falls);
    numbers[steps] = static_cast<double>(running_.log().steps);
    numbers[catches] = static_cast<double>(running_.log().catches);
}

std::vector<std::string> RunningBalance::warnings(const std::string& name,
                                                  double /*rate_hz*/) const {
    std::vector<std::string> all;
    const BalanceLog& log = running_.log();
    constexpr double noticed = 0.005;
    if (log.most_help > noticed) {
        all.push_back(
            fmt::format("{}: used up to {:.3g} m g h of help from outside; `--set {}.help=0` "
                        "shows how it does without",
                        name, log.most_help, name));
    }
    return all;
}

}  // namespace hopcoil::scene
