#include "running_scene.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>

namespace hopcoil::scene {
namespace {

std::string why_it_left(const SceneMover& item, const RunningMover& runner, double time_s) {
    const std::string name = fmt::format("{}.{}", kind_of(item.numbers), item.name);
    if (const auto* stepped = std::get_if<SteppedNumbers>(&item.numbers)) {
        if (const auto divergence = runner.divergence()) {
            return in_words(name, *divergence, stepped->tuning, stepped->stepping.scheme);
        }
    }
    return fmt::format(
        "{} left the range of numbers before {} s; its numbers are {}: damp it, or keep its target "
        "within reach",
        name, time_s, in_words(item.numbers));
}

/// The first time in (from, to) at which a target or its velocity leaps; `to` when none does.
double next_leap_s(const Target& target, double from_s, double to_s) {
    double knot_s = target.next_knot_s(from_s);
    while (knot_s < to_s) {
        const TargetPoint before = target.before(knot_s);
        const TargetPoint after = target.after(knot_s);
        // Two roundings of one smooth velocity are no leap.
        const double rounding = 1e-9 * (std::abs(before.velocity) + std::abs(after.velocity));
        if (before.value != after.value || std::abs(before.velocity - after.velocity) > rounding)
            return knot_s;
        knot_s = target.next_knot_s(knot_s);
    }
    return to_s;
}

double highest_hz(const MoverNumbers& numbers) {
    double highest = 0;
    for (std::size_t part = 0; part < part_count(numbers); ++part) {
        if (const Tuning* tuning = tuning_of(numbers, part))
            highest = std::max(highest, tuning->frequency_hz);
    }
    return highest;
}

}  // namespace

TargetPoint Leader::seen(const TargetPoint& output) const noexcept {
    const double value = scale * output.value + offset;
    if (value < low) return {low, 0};
    if (value > high) return {high, 0};
    return {value, scale * output.velocity};
}

RunningScene::RunningScene(const Scene& scene) : scene_{scene} {
    movers_.reserve(scene.movers.size());
    for (const SceneMover& item : scene.movers)
        movers_.emplace_back(item, scene.targets.at(item.target));
    find_order();
    find_chains();
    for (const std::size_t i : order_) {
        if (in_chain_[i]) movers_[i].begin_to_lead(part_count(scene.movers[i].numbers));
        const auto& leader = scene.targets[scene.movers[i].target].leader;
        if (leader)
            movers_[i].meet(leader->seen(movers_[leader->mover].output_after(leader->part)));
    }
}

/// Whoever has no leader, or one that is in the order already, is next.
void RunningScene::find_order() {
    std::vector<bool> placed(movers_.size());
    const auto can_go = [&](std::size_t i) {
        const auto& leader = scene_.targets[scene_.movers[i].target].leader;
        return !placed[i] && (!leader || placed.at(leader->mover));
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
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        const auto& leader = scene_.targets[scene_.movers[i].target].leader;
        if (!leader) continue;
        in_chain_[i] = in_chain_[leader->mover] = has_chains_ = true;
        quickest_hz = std::max({quickest_hz, highest_hz(scene_.movers[i].numbers),
                                highest_hz(scene_.movers[leader->mover].numbers)});
    }
    // A cubic between two hand-overs is then within 1e-7 of what the leader does.
    chain_step_s_ = 1 / std::max(480.0, 100 * quickest_hz);
}

void RunningScene::advance(double frame_end_s) {
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        if (!in_chain_[i]) require_stayed(movers_[i].advance(frame_end_s), i, frame_end_s);
    }
    while (has_chains_ && chain_time_s_ < frame_end_s) {
        const double stop_s = chain_stop_s(frame_end_s);
        advance_chains(stop_s);
        chain_time_s_ = stop_s;
    }
}

/// The next time at which something happens to a chain's first targets, or a hand-over is due.
double RunningScene::chain_stop_s(double frame_end_s) const {
    double stop_s = chain_time_s_ + chain_step_s_;
    for (std::size_t i = 0; i < movers_.size(); ++i) {
        const SceneTarget& target = scene_.targets[scene_.movers[i].target];
        if (in_chain_[i] && !target.leader)
            stop_s = std::min(stop_s, next_leap_s(target.path, chain_time_s_, stop_s));
    }
    return stop_s <= frame_end_s + same_time_s ? stop_s : frame_end_s;
}

void RunningScene::advance_chains(double end_s) {
    for (const std::size_t i : order_) {
        if (!in_chain_[i]) continue;
        const auto& leader = scene_.targets[scene_.movers[i].target].leader;
        bool stayed = true;
        if (leader) {
            const RunningMover& ahead = movers_[leader->mover];
            stayed = movers_[i].advance_led(end_s, leader->seen(ahead.output_before(leader->part)),
                                            leader->seen(ahead.output_after(leader->part)));
        } else {
            stayed = movers_[i].advance(end_s);
        }
        require_stayed(stayed, i, end_s);
    }
}

void RunningScene::require_stayed(bool stayed, std::size_t index, double time_s) const {
    if (!stayed) throw Diverged{why_it_left(scene_.movers[index], movers_[index], time_s)};
}

double RunningScene::target_shown(std::size_t index, double time_s) const {
    const SceneTarget& target = scene_.targets[index];
    if (target.leader) {
        const RunningMover& ahead = movers_[target.leader->mover];
        const double value = target.leader->seen(ahead.output_after(target.leader->part)).value;
        return target.is_angle ? wrapped_rad(value) : value;
    }
    const double knot_s = target.path.next_knot_s(time_s);
    const double value = target.path.after(knot_s <= time_s + same_time_s ? knot_s : time_s).value;
    return target.is_angle ? wrapped_rad(value) : value;
}

}  // namespace hopcoil::scene
