#include "running_scene.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/quaternion.hpp>

namespace hopcoil::scene {
namespace {

std::string why_it_left(const SceneMover& item, const RunningMover* runner, double time_s) {
    const std::string name = fmt::format("{}.{}", kind_of(item.numbers), item.name);
    if (const auto* stepped = std::get_if<SteppedParameters>(&item.numbers)) {
        if (const auto divergence = runner->divergence()) {
            return in_words(name, *divergence, stepped->tuning, stepped->stepping.scheme);
        }
    }
    return fmt::format(
        "{} left the range of numbers before {} s; its numbers are {}: damp it, or keep its target "
        "within reach",
        name, time_s, in_words(item.numbers));
}

bool leaps(const ValueAndVelocity& before, const ValueAndVelocity& after) {
    if (!(before.value == after.value)) return true;
    for (std::size_t i = 0; i < most_numbers; ++i) {
        // Two roundings of one smooth velocity are no leap.
        const double rounding = 1e-9 * (std::abs(before.velocity[i]) + std::abs(after.velocity[i]));
        if (std::abs(before.velocity[i] - after.velocity[i]) > rounding) return true;
    }
    return false;
}

/// The first time in (from, to) at which a target or its velocity leaps; `to` when none does.
template <class AnyTarget>
double next_leap_s(const AnyTarget& target, double from_s, double to_s) {
    double breakpoint_s = target.next_breakpoint_s(from_s);
    while (breakpoint_s < to_s) {
        const auto before = target.before(breakpoint_s);
        const auto after = target.after(breakpoint_s);
        if (leaps({before.value, before.velocity}, {after.value, after.velocity}))
            return breakpoint_s;
        breakpoint_s = target.next_breakpoint_s(breakpoint_s);
    }
    return to_s;
}

/// Whoever leads a target.
template <class Visit>
void for_each_leader(const SceneTarget& target, const Visit& visit) {
    if (target.leader) visit(*target.leader);
    for (const Layer& layer : target.layers)
        visit(layer.leader);
}

void add_layer(ValueAndVelocity& sum, const ValueAndVelocity& seen, const TargetPoint& weight,
               std::size_t numbers) {
    for (std::size_t i = 0; i < numbers; ++i) {
        sum.value[i] += weight.value * seen.value[i];
        sum.velocity[i] += weight.value * seen.velocity[i] + weight.velocity * seen.value[i];
    }
}

double highest_hz(const MoverParameters& numbers) {
    double highest = 0;
    for (std::size_t part = 0; part < part_count(numbers); ++part) {
        if (const Tuning* tuning = tuning_of(numbers, part))
            highest = std::max(highest, tuning->frequency_hz);
    }
    return highest;
}

}  // namespace

ValueAndVelocity Leader::seen(const ValueAndVelocity& output, std::size_t numbers) const noexcept {
    ValueAndVelocity from = output;
    if (component) from = {output.value[*component], output.velocity[*component]};
    const bool as_it_is = scale == ValueArray::all(1) && offset == ValueArray{} &&
                          low == Leader{}.low && high == Leader{}.high;
    if (as_it_is) return from;
    ValueAndVelocity result;
    for (std::size_t i = 0; i < numbers; ++i) {
        const double value = scale[i] * from.value[i] + offset[i];
        result.value[i] = std::clamp(value, low[i], high[i]);
        result.velocity[i] = result.value[i] == value ? scale[i] * from.velocity[i] : 0;
    }
    return result;
}

RunningScene::RunningScene(const Scene& scene, Flocks flocks)
    : scene_{scene}, members_(scene.movers.size()), held_(scene.targets.size()) {
    if (flocks == Flocks::together) find_flocks();
    movers_.resize(scene.movers.size());
    owners_.resize(scene.targets.size());
    for (std::size_t i = 0; i < scene.movers.size(); ++i) {
        const SceneMover& item = scene.movers[i];
        owners_.at(item.target) = i;
        if (!in_flock(i)) movers_[i] = make_running(item, scene.targets.at(item.target));
    }
    find_order();
    find_chains();
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        if (!in_chain_[i] && !in_flock(i)) alone_.push_back(i);
    }
    for (const std::size_t i : order_) {
        if (in_chain_[i]) movers_[i]->begin_to_lead(part_count(scene.movers[i].numbers));
        const SceneTarget& target = target_of(i);
        if (target.is_led()) movers_[i]->meet(led_point(target, 0, true));
    }
}

const SceneTarget& RunningScene::target_of(std::size_t mover) const {
    return scene_.targets[scene_.movers[mover].target];
}

/// Where what leads a target has it, coming up to a time or from it on (`after`).
ValueAndVelocity RunningScene::led_point(const SceneTarget& target, double time_s,
                                         bool after) const {
    const auto seen = [&](const Leader& leader) {
        const RunningMover& ahead = *movers_[leader.mover];
        return leader.seen(
            after ? ahead.output_after(leader.part) : ahead.output_before(leader.part),
            target.path.size());
    };
    if (target.leader) return seen(*target.leader);
    ValueAndVelocity sum = after ? target.path.after(time_s) : target.path.before(time_s);
    for (const Layer& layer : target.layers) {
        add_layer(sum, seen(layer.leader),
                  after ? layer.weight.after(time_s) : layer.weight.before(time_s),
                  target.path.size());
    }
    return sum;
}

/// Movers that may fly together, where there are several of one target and none leads another.
void RunningScene::find_flocks() {
    constexpr std::size_t least = 4;  // fewer are as quick by themselves
    std::vector<bool> leads(scene_.movers.size());
    for (const SceneTarget& target : scene_.targets)
        for_each_leader(target, [&](const Leader& leader) { leads.at(leader.mover) = true; });
    std::vector<std::vector<std::size_t>> of_target(scene_.targets.size());
    for (std::size_t i = 0; i < scene_.movers.size(); ++i) {
        const std::size_t target = scene_.movers[i].target;
        const bool may = !leads[i] && Flock::may_join(scene_.movers[i], scene_.targets.at(target));
        if (may) of_target[target].push_back(i);
    }
    for (std::size_t target = 0; target < of_target.size(); ++target) {
        if (of_target[target].size() < least) continue;
        Flock& flock = flocks_.emplace_back(scene_.targets[target]);
        for (const std::size_t i : of_target[target])
            members_[i] = {flocks_.size() - 1, flock.add(scene_.movers[i])};
        flock.begin();
    }
}

void RunningScene::advance_flocks(double frame_end_s) {
    for (std::size_t k = 0; k < flocks_.size(); ++k) {
        if (flocks_[k].advance(frame_end_s)) continue;
        for (std::size_t i = 0; i < members_.size(); ++i) {
            if (members_[i].flock == k && members_[i].place == flocks_[k].who_left())
                require_stayed(false, i, frame_end_s);
        }
    }
}

ValueAndVelocity RunningScene::shown(std::size_t mover, std::size_t part) const {
    if (in_flock(mover)) {
        const Member& member = members_[mover];
        const Flock& flock = flocks_[member.flock];
        return {flock.value(member.place), flock.velocity(member.place)};
    }
    return movers_[mover]->shown(part);
}

GuardLog RunningScene::guard_log(std::size_t mover) const {
    return in_flock(mover) ? GuardLog{} : movers_[mover]->guard_log();
}

/// Whoever has no leader, or only such as are in the order already, is next.
void RunningScene::find_order() {
    std::vector<bool> placed(movers_.size());
    const auto can_go = [&](std::size_t i) {
        bool ready = !placed[i];
        for_each_leader(target_of(i),
                        [&](const Leader& leader) { ready = ready && placed.at(leader.mover); });
        return ready;
    };
    while (order_.size() < movers_.size()) {
        const std::size_t before = order_.size();
        for (std::size_t i = 0; i < movers_.size(); ++i) {
            if (!can_go(i)) continue;
            placed[i] = true;
            order_.push_back(i);
        }
        if (order_.size() == before) {
            throw std::invalid_argument{"movers follow one another in a loop"};
        }
    }
}

void RunningScene::find_chains() {
    in_chain_.assign(movers_.size(), false);
    double quickest_hz = 0;
    const auto join = [&](std::size_t i) {
        in_chain_[i] = has_chains_ = true;
        quickest_hz = std::max(quickest_hz, highest_hz(scene_.movers[i].numbers));
    };
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        if (target_of(i).is_led()) join(i);
    }
    // Also what leads a target that is only shown.
    for (const SceneTarget& target : scene_.targets)
        for_each_leader(target, [&](const Leader& leader) { join(leader.mover); });
    // A cubic between two hand-overs is then within 1e-7 of what the leader does.
    chain_step_s_ = 1 / std::max(480.0, 100 * quickest_hz);
}

void RunningScene::advance(double frame_end_s) {
    for (const std::size_t i : alone_) {
        if (is_held(scene_.movers[i].target)) {
            advance_held(i, frame_end_s);
        } else {
            require_stayed(movers_[i]->advance(frame_end_s), i, frame_end_s);
        }
    }
    advance_flocks(frame_end_s);
    while (has_chains_ && chain_time_s_ < frame_end_s) {
        const double stop_s = chain_stop_s(frame_end_s);
        advance_chains(stop_s, frame_end_s);
        chain_time_s_ = stop_s;
    }
    for (std::optional<Held>& held : held_) {
        if (held) held->from = held->to;
    }
    time_s_ = frame_end_s;
}

void RunningScene::hold(std::size_t target, const ValueArray& place) {
    std::optional<Held>& held = held_.at(target);
    if (!held) held = Held{.from = target_shown(target, time_s_)};
    held->to = place;
    if (scene_.targets[target].is_angle())  // the shorter way
        held->to = held->from[0] + wrapped_rad(place[0] - held->from[0]);
}

void RunningScene::let_go(std::size_t target) {
    if (!held_.at(target)) return;
    held_[target].reset();
    const SceneTarget& course = scene_.targets[target];
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        if (scene_.movers[i].target != target) continue;
        movers_[i]->meet(course.is_led() ? led_point(course, time_s_, true)
                                         : course.path.after(time_s_));
    }
}

/// On the straight way of this advance.
ValueArray RunningScene::held_place(std::size_t target, double time_s, double frame_end_s) const {
    const Held& held = *held_[target];
    const double whole_s = frame_end_s - time_s_;
    const double part = whole_s > 0 ? std::min((time_s - time_s_) / whole_s, 1.0) : 1.0;
    if (part == 1) return held.to;
    if (scene_.targets[target].kind() == ValueKind::rotation) {
        const auto turn = [](const ValueArray& q) {
            return Quaternion{q[0], q[1], q[2], q[3]};
        };
        const Vector3 way = rotation_vector(turn(held.to) * conjugate(turn(held.from)));
        const Quaternion q = turned_by(way * part) * turn(held.from);
        return ValueArray{{q.w, q.x, q.y, q.z}};
    }
    ValueArray place = held.from;
    for (std::size_t i = 0; i < most_numbers; ++i)
        place[i] += part * (held.to[i] - held.from[i]);
    return place;
}

/// Kicks still come when they are due.
void RunningScene::advance_held(std::size_t mover, double frame_end_s) {
    for (double time_s = time_s_; time_s < frame_end_s;) {
        const double kick_s = movers_[mover]->next_kick_s(time_s);
        time_s = kick_s <= frame_end_s + same_time_s ? kick_s : frame_end_s;
        const ValueArray place = held_place(scene_.movers[mover].target, time_s, frame_end_s);
        require_stayed(movers_[mover]->advance_straight(time_s, place), mover, time_s);
    }
}

/// The next time at which something happens to a chain or its first targets, or a hand-over is due.
double RunningScene::chain_stop_s(double frame_end_s) const {
    double stop_s = chain_time_s_ + chain_step_s_;
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        if (!in_chain_[i]) continue;
        const SceneTarget& target = target_of(i);
        stop_s = std::min(stop_s, movers_[i]->next_kick_s(chain_time_s_));
        if (!target.leader)
            stop_s = std::min(stop_s, next_leap_s(target.path, chain_time_s_, stop_s));
        for (const Layer& layer : target.layers)
            stop_s = std::min(stop_s, next_leap_s(layer.weight, chain_time_s_, stop_s));
    }
    return stop_s <= frame_end_s + same_time_s ? stop_s : frame_end_s;
}

void RunningScene::advance_chains(double end_s, double frame_end_s) {
    for (const std::size_t i : order_) {
        if (!in_chain_[i]) continue;
        const std::size_t index = scene_.movers[i].target;
        if (is_held(index)) {
            const ValueArray place = held_place(index, end_s, frame_end_s);
            require_stayed(movers_[i]->advance_straight(end_s, place), i, end_s);
            continue;
        }
        const SceneTarget& target = target_of(i);
        const bool stayed = target.is_led()
                                ? movers_[i]->advance_led(end_s, led_point(target, end_s, false),
                                                          led_point(target, end_s, true))
                                : movers_[i]->advance(end_s);
        require_stayed(stayed, i, end_s);
    }
}

void RunningScene::require_stayed(bool stayed, std::size_t index, double time_s) const {
    if (!stayed) throw Diverged{why_it_left(scene_.movers[index], movers_[index].get(), time_s)};
}

ValueArray RunningScene::target_shown(std::size_t index, double time_s) const {
    const SceneTarget& target = scene_.targets[index];
    if (held_[index]) {
        const ValueArray& place = held_[index]->from;
        return target.is_angle() ? ValueArray{wrapped_rad(place[0])} : place;
    }
    if (target.is_where_it_ends) return movers_[owners_[index]]->target();
    ValueArray value;
    if (target.is_led()) {
        value = led_point(target, time_s, true).value;
    } else {
        const double breakpoint_s = target.path.next_breakpoint_s(time_s);
        value =
            target.path.after(breakpoint_s <= time_s + same_time_s ? breakpoint_s : time_s).value;
    }
    if (target.is_angle()) value[0] = wrapped_rad(value[0]);
    return value;
}

}  // namespace hopcoil::scene
