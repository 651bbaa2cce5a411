#include "running_scene.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/layers.hpp>
#include <hopcoil/follow/range_map.hpp>

#include "../targets/target_start.hpp"

namespace hopcoil::scene {
namespace {

bool leaps(const ValueAndVelocity& before, const ValueAndVelocity& after) {
    if (!(before.value == after.value)) return true;
    for (std::size_t i = 0; i < most_numbers; ++i) {
        // Two roundings of one smooth velocity are no leap.
        const double rounding = 1e-9 * (std::abs(before.velocity[i]) + std::abs(after.velocity[i]));
        if (std::abs(before.velocity[i] - after.velocity[i]) > rounding) return true;
    }
    return false;
}

/// The first time in (from, to) at which a path or its velocity leaps; `to` when none does.
template <class Path>
double next_leap_s(const Path& path, double from_s, double to_s) {
    double breakpoint_s = path.next_breakpoint_s(from_s);
    while (breakpoint_s < to_s) {
        const auto before = path.before(breakpoint_s);
        const auto after = path.after(breakpoint_s);
        if (leaps({before.value, before.velocity}, {after.value, after.velocity}))
            return breakpoint_s;
        breakpoint_s = path.next_breakpoint_s(breakpoint_s);
    }
    return to_s;
}

/// Each output that drives a target.
template <class Visit>
void for_each_source(const SceneTarget& target, const Visit& visit) {
    if (target.source) visit(*target.source);
    for (const Layer& layer : target.layers)
        visit(layer.source);
}

/// Each system that has to be stepped before another one.
template <class Visit>
void for_each_needed(const Scene& scene, std::size_t system, const Visit& visit) {
    for (const std::size_t target : scene.systems[system].targets) {
        for_each_source(scene.targets.at(target), [&](const Source& source) {
            if (!source.previous_step) visit(source.output.system);
        });
    }
    for (const std::size_t field : scene.systems[system].fields) {
        if (field != not_connected) visit(field);
    }
}

bool is_same(const InputSample& a, const InputSample& b) {
    return a.point.value == b.point.value && a.point.velocity == b.point.velocity;
}

}  // namespace

double RunningSystem::next_event_s(double /*time_s*/) const {
    return std::numeric_limits<double>::infinity();
}

std::string RunningSystem::failure(const std::string& name) const {
    return fmt::format("{} diverged", name);
}

std::vector<std::string> RunningSystem::warnings(const std::string& /*name*/,
                                                 double /*rate_hz*/) const {
    return {};
}

ValueAndVelocity Source::seen(const ValueAndVelocity& whole, std::size_t numbers) const noexcept {
    ValueAndVelocity from = whole;
    if (component) from = {whole.value[*component], whole.velocity[*component]};
    const bool as_it_is = scale == ValueArray::all(1) && offset == ValueArray{} &&
                          low == Source{}.low && high == Source{}.high;
    if (as_it_is) return from;
    ValueAndVelocity result;
    for (std::size_t i = 0; i < numbers; ++i) {
        const LinearMap map{scale[i], offset[i], low[i], high[i]};
        result.value[i] = map(from.value[i]);
        result.velocity[i] = map.rate(from.value[i], from.velocity[i]);
    }
    return result;
}

RunningScene::RunningScene(const Scene& scene)
    : scene_{&scene},
      systems_(scene.systems.size()),
      times_s_(scene.systems.size()),
      owners_(scene.targets.size()),
      taps_of_(scene.systems.size()),
      held_(scene.targets.size()) {
    for (std::size_t i = 0; i < scene.systems.size(); ++i) {
        for (const std::size_t target : scene.systems[i].targets)
            owners_.at(target) = i;
    }
    paths_.reserve(scene.targets.size());
    for (const SceneTarget& target : scene.targets)
        paths_.emplace_back(target.path);
    for (std::size_t i = 0; i < scene.systems.size(); ++i)
        is_driven_.push_back(find_driven(i));
    find_order();
    find_coupled();
    for (const std::size_t i : order_)
        start(i);
    add_taps();
    for (const std::size_t i : coupled_) {
        note_outputs(i);
        if (is_driven_[i]) systems_[i]->change(inputs_of(i, 0, Moment::after));
    }
}

/// Where its targets are as time 0 comes up, and what they do at 0; what drives others hands over
/// when all have started.
void RunningScene::start(std::size_t system) {
    const SceneSystem& item = scene_->systems[system];
    samples_.clear();
    // Outputs are read as they are: dials may have moved them since the file was read.
    const auto output_of = [&](const Source& source) {
        return systems_[source.output.system]->output(source.output.port, source.index);
    };
    for (const std::size_t each : item.targets) {
        const SceneTarget& target = scene_->targets[each];
        ValueAndVelocity first = target.path.before(0);
        if (target.is_driven()) first = {start_of(target, output_of), {}};
        samples_.push_back({first, false});
    }
    fields_.clear();
    for (const std::size_t field : item.fields)
        fields_.push_back(field == not_connected ? nullptr : systems_[field].get());
    systems_[system] = item.spec->start_running({samples_, fields_, 0});
    if (!is_driven_[system] && !item.targets.empty())
        systems_[system]->change(inputs_of(system, 0, Moment::after));
    systems_[system]->act();
}

/// Whatever needs no other, or only such as are in the order already, is next.
void RunningScene::find_order() {
    std::vector<bool> placed(systems_.size());
    const auto can_go = [&](std::size_t i) {
        bool ready = !placed[i];
        for_each_needed(*scene_, i,
                        [&](std::size_t needed) { ready = ready && placed.at(needed); });
        return ready;
    };
    while (order_.size() < systems_.size()) {
        const std::size_t before = order_.size();
        for (std::size_t i = 0; i < systems_.size(); ++i) {
            if (!can_go(i)) continue;
            placed[i] = true;
            order_.push_back(i);
        }
        if (order_.size() == before)
            throw std::invalid_argument{"systems follow one another in a loop"};
    }
}

void RunningScene::find_coupled() {
    std::vector<bool> is_coupled(systems_.size());
    double quickest_hz = 0;
    const auto join = [&](std::size_t i) {
        is_coupled[i] = true;
        quickest_hz = std::max(quickest_hz, scene_->systems[i].spec->highest_hz());
    };
    for (std::size_t i = 0; i < systems_.size(); ++i) {
        if (is_driven_[i]) join(i);
        for (const std::size_t field : scene_->systems[i].fields) {
            if (field != not_connected) join(field);
        }
    }
    // Also what drives a target that is only shown.
    for (const SceneTarget& target : scene_->targets)
        for_each_source(target, [&](const Source& source) { join(source.output.system); });
    // A cubic between two hand-overs is then within 1e-7 of what a follower does.
    coupled_step_s_ = 1 / std::max(480.0, 100 * quickest_hz);
    for (const std::size_t i : order_)
        (is_coupled[i] ? coupled_ : alone_).push_back(i);
    std::sort(alone_.begin(), alone_.end());
}

bool RunningScene::find_driven(std::size_t system) const {
    const SceneSystem& item = scene_->systems[system];
    return std::any_of(item.targets.begin(), item.targets.end(),
                       [&](std::size_t target) { return scene_->targets[target].is_driven(); }) ||
           std::any_of(item.fields.begin(), item.fields.end(), [&](std::size_t field) {
               return field != not_connected && !scene_->systems[field].spec->is_stateless();
           });
}

void RunningScene::add_taps() {
    for (const SceneTarget& target : scene_->targets) {
        for_each_source(target, [&](const Source& source) {
            const std::size_t system = source.output.system;
            const Port port = scene_->systems[system].spec->outputs().at(source.output.port);
            for (const std::size_t tap : taps_of_[system]) {
                if (taps_[tap].output == source.output && taps_[tap].index == source.index) return;
            }
            taps_of_[system].push_back(taps_.size());
            const ValueAndVelocity now = output(source.output, source.index);
            taps_.push_back({source.output, source.index, port.kind == ValueKind::angle, now, now});
        });
    }
}

const RunningScene::Tap& RunningScene::tap_of(const Source& source) const {
    for (const std::size_t tap : taps_of_[source.output.system]) {
        if (taps_[tap].output == source.output && taps_[tap].index == source.index)
            return taps_[tap];
    }
    throw std::logic_error{"an output without a tap"};
}

/// From now on; an angle goes on past the seam.
ValueAndVelocity RunningScene::after_tap(const Tap& tap) const {
    ValueAndVelocity here = output(tap.output, tap.index);
    if (tap.is_angle) {
        const double before = tap.before.value[0];
        here.value[0] = before + wrapped_rad(here.value[0] - before);
    }
    return here;
}

void RunningScene::note_outputs(std::size_t system) {
    for (const std::size_t tap : taps_of_[system])
        taps_[tap].before = after_tap(taps_[tap]);
}

/// Where what drives a target has it.
ValueAndVelocity RunningScene::driven_point(const SceneTarget& target, double time_s,
                                            Moment moment) const {
    const bool after = moment == Moment::after;
    const auto seen = [&](const Source& source) {
        const Tap& tap = tap_of(source);
        if (source.previous_step) return source.seen(tap.previous, target.path.size());
        return source.seen(after ? after_tap(tap) : tap.before, target.path.size());
    };
    if (target.source) return seen(*target.source);
    const ValueAndVelocity own = after ? target.path.after(time_s) : target.path.before(time_s);
    std::array<LayerSum<double>, most_numbers> sums{};
    for (std::size_t i = 0; i < most_numbers; ++i)
        sums.at(i) = {own.value[i], own.velocity[i]};
    for (const Layer& layer : target.layers) {
        const ValueAndVelocity part = seen(layer.source);
        const TargetPoint weight = after ? layer.weight.after(time_s) : layer.weight.before(time_s);
        for (std::size_t i = 0; i < target.path.size(); ++i)
            sums.at(i).add(part.value[i], part.velocity[i], weight.value, weight.velocity);
    }
    ValueAndVelocity sum = own;
    for (std::size_t i = 0; i < most_numbers; ++i) {
        sum.value[i] = sums.at(i).value;
        sum.velocity[i] = sums.at(i).velocity;
    }
    return sum;
}

InputSample RunningScene::sample(std::size_t index, double time_s, Moment moment) {
    const SceneTarget& target = scene_->targets[index];
    if (held_[index]) return {{held_value(index, time_s), {}}, false};
    if (target.is_driven()) return {driven_point(target, time_s, moment), true};
    SharedPath& path = paths_[index];
    return {moment == Moment::after ? path.after(time_s) : path.before(time_s),
            !target.path.is_straight()};
}

SystemInputs RunningScene::inputs_of(std::size_t system, double time_s, Moment moment) {
    const SceneSystem& item = scene_->systems[system];
    samples_.clear();
    for (const std::size_t target : item.targets)
        samples_.push_back(sample(target, time_s, moment));
    fields_.clear();
    for (const std::size_t field : item.fields)
        fields_.push_back(field == not_connected ? nullptr : systems_[field].get());
    return {samples_, fields_, time_s};
}

bool RunningScene::has_changed(std::size_t system, double time_s) {
    // The samples of the moment before are those that it has just been stepped with.
    const SceneSystem& item = scene_->systems[system];
    for (std::size_t i = 0; i < item.targets.size(); ++i) {
        if (held_[item.targets[i]]) continue;
        if (!is_same(samples_[i], sample(item.targets[i], time_s, Moment::after))) return true;
    }
    return false;
}

double RunningScene::next_breakpoint_s(std::size_t system, double time_s) {
    double breakpoint_s = systems_[system]->next_event_s(time_s);
    for (const std::size_t target : scene_->systems[system].targets) {
        if (!held_[target])
            breakpoint_s = std::min(breakpoint_s, paths_[target].next_breakpoint_s(time_s));
    }
    return breakpoint_s;
}

/// One step, on what its targets have done by its end; then what they do at once there.
void RunningScene::step_system(std::size_t system, double end_s) {
    RunningSystem& running = *systems_[system];
    if (!running.advance(end_s, inputs_of(system, end_s, Moment::before))) {
        const SceneSystem& item = scene_->systems[system];
        throw Diverged{running.failure(fmt::format("{}.{}", item.spec->kind(), item.name))};
    }
    times_s_[system] = end_s;
    note_outputs(system);
}

/// On to a time, in steps that end at every breakpoint; a driven system is stepped at once, as
/// coupled steps are short.
void RunningScene::advance_system(std::size_t system, double end_s) {
    const bool driven = is_driven_[system];
    while (times_s_[system] < end_s) {
        const double time_s = times_s_[system];
        const double breakpoint_s =
            driven ? systems_[system]->next_event_s(time_s) : next_breakpoint_s(system, time_s);
        const bool at_breakpoint = breakpoint_s <= end_s + same_time_s;
        const double to_s = at_breakpoint ? breakpoint_s : end_s;
        step_system(system, to_s);
        if (!at_breakpoint && !driven) continue;
        if (has_changed(system, to_s))
            systems_[system]->change(inputs_of(system, to_s, Moment::after));
        systems_[system]->act();
    }
}

void RunningScene::advance(double frame_end_s) {
    frame_end_s_ = frame_end_s;
    for (const std::size_t i : alone_)
        advance_system(i, frame_end_s);
    while (!coupled_.empty() && coupled_time_s_ < frame_end_s) {
        const double stop_s = coupled_stop_s(frame_end_s);
        for (Tap& tap : taps_)
            tap.previous = after_tap(tap);
        for (const std::size_t i : coupled_)
            advance_system(i, stop_s);
        coupled_time_s_ = stop_s;
    }
    for (std::optional<Held>& held : held_) {
        if (held) held->from = held->to;
    }
    time_s_ = frame_end_s;
}

/// The next time at which something happens to coupled systems or their targets, or a hand-over is
/// due; no step is as short as rounding makes it at the end of a frame.
double RunningScene::coupled_stop_s(double frame_end_s) const {
    double stop_s = coupled_time_s_ + coupled_step_s_;
    for (const std::size_t i : coupled_) {
        stop_s = std::min(stop_s, systems_[i]->next_event_s(coupled_time_s_));
        for (const std::size_t index : scene_->systems[i].targets) {
            const SceneTarget& target = scene_->targets[index];
            if (!target.source)
                stop_s = std::min(stop_s, next_leap_s(target.path, coupled_time_s_, stop_s));
            for (const Layer& layer : target.layers)
                stop_s = std::min(stop_s, next_leap_s(layer.weight, coupled_time_s_, stop_s));
        }
    }
    return stop_s < frame_end_s - same_time_s ? stop_s : frame_end_s;
}

void RunningScene::hold(std::size_t target, const ValueArray& value) {
    std::optional<Held>& held = held_.at(target);
    if (!held) held = Held{.from = target_shown(target, time_s_)};
    held->to = value;
    if (scene_->targets[target].is_angle())  // the shorter way
        held->to = held->from[0] + wrapped_rad(value[0] - held->from[0]);
}

void RunningScene::let_go(std::size_t target) {
    if (!held_.at(target)) return;
    held_[target].reset();
    change_if([&](std::size_t each) { return each == target; });
}

bool RunningScene::push(const OutputRef& output, const ValueArray& delta_velocity) {
    if (!systems_[output.system]->push(output.port, delta_velocity)) return false;
    change_if([&](std::size_t each) {
        const SceneTarget& target = scene_->targets[each];
        const auto is_driver = [&](const Source& source) {
            return source.output == output;
        };
        return (target.source && is_driver(*target.source)) ||
               std::any_of(target.layers.begin(), target.layers.end(),
                           [&](const Layer& layer) { return is_driver(layer.source); });
    });
    return true;
}

/// Systems with a target that has leapt here and now.
template <class HasLeapt>
void RunningScene::change_if(const HasLeapt& has_leapt) {
    for (std::size_t i = 0; i < systems_.size(); ++i) {
        const std::vector<std::size_t>& targets = scene_->systems[i].targets;
        if (std::any_of(targets.begin(), targets.end(), has_leapt))
            systems_[i]->change(inputs_of(i, time_s_, Moment::after));
    }
}

/// On the straight way of this advance.
ValueArray RunningScene::held_value(std::size_t target, double time_s) const {
    const Held& held = *held_[target];
    const double whole_s = frame_end_s_ - time_s_;
    const double part = whole_s > 0 ? std::min((time_s - time_s_) / whole_s, 1.0) : 1.0;
    if (part == 1) return held.to;
    if (scene_->targets[target].kind() == ValueKind::rotation) {
        const auto turn = [](const ValueArray& q) {
            return Quaternion{q[0], q[1], q[2], q[3]};
        };
        const Vector3 way = rotation_vector(turn(held.to) * conjugate(turn(held.from)));
        const Quaternion q = turned_by(way * part) * turn(held.from);
        return ValueArray{{q.w, q.x, q.y, q.z}};
    }
    ValueArray value = held.from;
    for (std::size_t i = 0; i < most_numbers; ++i)
        value[i] += part * (held.to[i] - held.from[i]);
    return value;
}

bool RunningScene::retune(const Scene& scene, std::size_t system) {
    if (!systems_[system]->retune(*scene.systems[system].spec)) return false;
    find_coupled_step(scene);
    return true;
}

void RunningScene::restart(const Scene& scene, std::size_t system) {
    systems_[system] =
        scene.systems[system].spec->start_running(inputs_of(system, time_s_, Moment::after));
    if (!scene.systems[system].targets.empty())
        systems_[system]->change(inputs_of(system, time_s_, Moment::after));
    // Others may follow a value that is no longer there: they follow the last one then.
    for (Tap& tap : taps_) {
        if (tap.output.system != system) continue;
        const auto ports = scene.systems[system].spec->outputs();
        tap.index = std::min(tap.index, ports.at(tap.output.port).count - 1);
        tap.before = tap.previous = output(tap.output, tap.index);
    }
    find_coupled_step(scene);
}

void RunningScene::find_coupled_step(const Scene& scene) {
    double quickest_hz = 0;
    for (const std::size_t i : coupled_)
        quickest_hz = std::max(quickest_hz, scene.systems[i].spec->highest_hz());
    coupled_step_s_ = 1 / std::max(480.0, 100 * quickest_hz);
}

ValueArray RunningScene::target_shown(std::size_t index, double time_s) const {
    const SceneTarget& target = scene_->targets[index];
    if (held_[index]) {
        const ValueArray& value = held_[index]->from;
        return target.is_angle() ? ValueArray{wrapped_rad(value[0])} : value;
    }
    if (target.is_where_it_ends) {
        if (const auto place = systems_[owners_[index]]->resting_place()) return *place;
    }
    ValueArray value;
    if (target.is_driven()) {
        value = driven_point(target, time_s, Moment::after).value;
    } else {
        const double breakpoint_s = target.path.next_breakpoint_s(time_s);
        value =
            target.path.after(breakpoint_s <= time_s + same_time_s ? breakpoint_s : time_s).value;
    }
    if (target.is_angle()) value[0] = wrapped_rad(value[0]);
    return value;
}

}  // namespace hopcoil::scene
