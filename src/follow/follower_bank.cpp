#include <algorithm>
#include <array>

#include <hopcoil/follow/follower_bank.hpp>

#include "bank_state.hpp"

namespace hopcoil {

template <class S>
FollowerBank<S>::FollowerBank(std::size_t components) : state_{std::make_unique<State>()} {
    if (components < 1 || components > bank::most_components) {
        throw InvalidValue{"components", static_cast<double>(components), "1 to 4"};
    }
    state_->components = components;
}

template <class S>
FollowerBank<S>::FollowerBank(const FollowerBank& other)
    : state_{std::make_unique<State>(*other.state_)} {}

template <class S>
FollowerBank<S>& FollowerBank<S>::operator=(const FollowerBank& other) {
    if (this != &other) state_ = std::make_unique<State>(*other.state_);
    return *this;
}

template <class S>
FollowerBank<S>::FollowerBank(FollowerBank&&) noexcept = default;
template <class S>
FollowerBank<S>& FollowerBank<S>::operator=(FollowerBank&&) noexcept = default;
template <class S>
FollowerBank<S>::~FollowerBank() = default;

template <class S>
std::size_t FollowerBank<S>::add_group(const Tuning& tuning) {
    require_valid(tuning);
    state_->groups.emplace_back().tuning = tuning;
    return state_->groups.size() - 1;
}

template <class S>
std::size_t FollowerBank<S>::add_varied_group() {
    state_->groups.emplace_back().varied = true;
    return state_->groups.size() - 1;
}

template <class S>
typename FollowerBank<S>::Id FollowerBank<S>::add(std::size_t group, std::span<const S> start) {
    return add(group, start, state_->group(group).tuning);
}

template <class S>
typename FollowerBank<S>::Id FollowerBank<S>::add(std::size_t group, std::span<const S> start,
                                                  const Tuning& tuning) {
    State& s = *state_;
    bank::Group<S>& g = s.group(group);
    require_valid(tuning);
    if (!g.varied && tuning != g.tuning) {
        throw InvalidValue{"tuning", tuning.frequency_hz, "that of the group, or a varied group"};
    }
    if (start.size() != s.components) {
        throw InvalidValue{
            "start", static_cast<double>(start.size()),
            "one number for each of " + std::to_string(s.components) + " components"};
    }
    for (const S each : start)
        require_finite("start", static_cast<double>(each));

    Id id = static_cast<Id>(s.places.size());
    if (s.free_ids.empty()) {
        s.places.emplace_back();
    } else {
        id = s.free_ids.back();
        s.free_ids.pop_back();
    }
    s.places[id] = {static_cast<std::uint32_t>(group), static_cast<std::uint32_t>(g.size()), true};
    g.ids.push_back(id);
    g.turns.push_back(s.steps);
    for (std::size_t c = 0; c < s.components; ++c) {
        g.parts[c].target.push_back(start[c]);
        g.parts[c].next.push_back(start[c]);
        g.parts[c].gap.push_back(S{0});
        g.parts[c].velocity.push_back(S{0});
    }
    if (g.varied) g.add_tuning(tuning);
    s.blocks_are_stale = true;

    s.reserve_blocks();
    return id;
}

template <class S>
void FollowerBank<S>::remove(Id id) {
    State& s = *state_;
    const bank::Place where = s.place(id);
    bank::Group<S>& g = s.groups[where.group];
    const std::size_t last = g.size() - 1;
    const auto fill_and_pop = [&](auto& array) {
        array[where.slot] = array[last];
        array.pop_back();
    };
    for (std::size_t c = 0; c < s.components; ++c) {
        fill_and_pop(g.parts[c].target);
        fill_and_pop(g.parts[c].next);
        fill_and_pop(g.parts[c].gap);
        fill_and_pop(g.parts[c].velocity);
    }
    if (g.varied) g.remove_tuning(where.slot);
    fill_and_pop(g.ids);
    fill_and_pop(g.turns);
    if (where.slot < g.size()) s.places[g.ids[where.slot]].slot = where.slot;
    s.places[id].used = false;
    s.free_ids.push_back(id);
    s.blocks_are_stale = true;
}

template <class S>
void FollowerBank<S>::reserve(std::size_t group, std::size_t count) {
    bank::Group<S>& g = state_->group(group);
    for (std::size_t c = 0; c < state_->components; ++c) {
        g.parts[c].target.reserve(count);
        g.parts[c].next.reserve(count);
        g.parts[c].gap.reserve(count);
        g.parts[c].velocity.reserve(count);
    }
    g.ids.reserve(count);
    g.turns.reserve(count);
}

template <class S>
void FollowerBank<S>::retune(std::size_t group, const Tuning& tuning) {
    require_valid(tuning);
    bank::Group<S>& g = state_->group(group);
    if (g.varied) {
        throw InvalidValue{"group", static_cast<double>(group),
                           "a group that shares a tuning; retune_one is for varied ones"};
    }
    g.tuning = tuning;
    g.dt = -1;
}

template <class S>
void FollowerBank<S>::retune_one(Id id, const Tuning& tuning) {
    require_valid(tuning);
    const bank::Place& where = state_->place(id);
    bank::Group<S>& g = state_->groups[where.group];
    if (!g.varied) {
        throw InvalidValue{"id", static_cast<double>(id),
                           "a follower in a varied group; retune is for shared ones"};
    }
    g.retune_one(where.slot, tuning);
}

template <class S>
std::size_t FollowerBank<S>::begin_step(double dt, bool to_next) noexcept {
    State& s = *state_;
    s.to_next = to_next;
    s.usable_dt = is_time_step(dt);
    if (!s.usable_dt) {
        ++s.rejected;
        return 0;
    }
    s.steps = static_cast<std::uint8_t>((s.steps + 1) % steps_per_look);
    if (s.blocks_are_stale) s.plan_blocks();
    s.blocks_are_stale = false;
    for (bank::Group<S>& group : s.groups)
        group.prepare(dt, s.components);
    return s.blocks.size();
}

template <class S>
void FollowerBank<S>::step_block(std::size_t index) noexcept {
    State& s = *state_;
    bank::Block& block = s.blocks[index];
    bank::Group<S>& group = s.groups[block.group];
    bank::Component<S>& part = group.parts[block.component];
    const std::size_t count = block.end - block.begin;
    const auto calm = [&](const bank::Array<S>& array) {
        return bank::are_within_safe_range(s.set, array.data() + block.begin, count);
    };
    // Looked at while they are in the cache.
    if (group.disturbed || block.headroom_bits < group.growth_bits) {
        const bool is_calm = calm(part.gap) && calm(part.velocity) && calm(part.target);
        block.headroom_bits = is_calm ? bank::calm_headroom_bits<S> : 0;
    }
    if (block.headroom_bits >= group.growth_bits && (!s.to_next || calm(part.next))) {
        s.step_fast(group, part, block);
        block.headroom_bits -= group.growth_bits;
    } else {
        s.step_carefully(group, part, block);
        block.headroom_bits = 0;
    }
}

template <class S>
void FollowerBank<S>::end_step() noexcept {
    State& s = *state_;
    if (!s.usable_dt) return;
    for (bank::Group<S>& group : s.groups) {
        if (s.to_next) {
            for (std::size_t c = 0; c < s.components; ++c)
                group.parts[c].target.swap(group.parts[c].next);
        }
        group.disturbed = false;
    }
}

template <class S>
void FollowerBank<S>::step(double dt) noexcept {
    const std::size_t count = begin_step(dt, false);
    for (std::size_t i = 0; i < count; ++i)
        step_block(i);
    end_step();
}

template <class S>
void FollowerBank<S>::step_to_next(double dt) noexcept {
    const std::size_t count = begin_step(dt, true);
    for (std::size_t i = 0; i < count; ++i)
        step_block(i);
    end_step();
}

template <class S>
std::span<S> FollowerBank<S>::next_targets(std::size_t group, std::size_t component) {
    return state_->part(group, component).next;
}

template <class S>
StepStatus FollowerBank<S>::jump(Id id, std::span<const S> target) {
    return state_->change_all(
        id, target, [](const Motion<S>& now, S to, const bank::Group<S>& group, std::size_t slot) {
            const S gain = rounded<S>(jump_rows(group.tuning_of(slot))).velocity_of_travel;
            return after(now, to, StraightRows<S>{.velocity_of_travel = gain});
        });
}

template <class S>
StepStatus FollowerBank<S>::cut(Id id, std::span<const S> target) {
    return state_->change_all(id, target,
                              [](const Motion<S>& now, S to, const bank::Group<S>&, std::size_t) {
                                  return after(now, to, StraightRows<S>{});
                              });
}

template <class S>
StepStatus FollowerBank<S>::push(Id id, std::span<const S> delta_velocity) {
    return state_->change_all(id, delta_velocity,
                              [](Motion<S> now, S by, const bank::Group<S>&, std::size_t) {
                                  now.velocity += by;
                                  return now;
                              });
}

template <class S>
StepStatus FollowerBank<S>::reset(Id id, std::span<const S> value) {
    return state_->change_all(
        id, value,
        [](const Motion<S>&, S to, const bank::Group<S>&, std::size_t) { return resting_at(to); });
}

template <class S>
S FollowerBank<S>::value(Id id, std::size_t component) const {
    const bank::Place& where = state_->place(id);
    const bank::Component<S>& part = state_->part(where.group, component);
    return part.target[where.slot] + part.gap[where.slot];
}

template <class S>
S FollowerBank<S>::velocity(Id id, std::size_t component) const {
    const bank::Place& where = state_->place(id);
    return state_->part(where.group, component).velocity[where.slot];
}

template <class S>
S FollowerBank<S>::target(Id id, std::size_t component) const {
    const bank::Place& where = state_->place(id);
    return state_->part(where.group, component).target[where.slot];
}

template <class S>
std::span<const S> FollowerBank<S>::gaps(std::size_t group, std::size_t component) const {
    return state_->part(group, component).gap;
}
template <class S>
std::span<const S> FollowerBank<S>::velocities(std::size_t group, std::size_t component) const {
    return state_->part(group, component).velocity;
}
template <class S>
std::span<const S> FollowerBank<S>::targets(std::size_t group, std::size_t component) const {
    return state_->part(group, component).target;
}

template <class S>
std::size_t FollowerBank<S>::components() const noexcept {
    return state_->components;
}
template <class S>
std::size_t FollowerBank<S>::size() const noexcept {
    return state_->places.size() - state_->free_ids.size();
}
template <class S>
std::size_t FollowerBank<S>::size(std::size_t group) const {
    return state_->group(group).size();
}
template <class S>
bool FollowerBank<S>::contains(Id id) const noexcept {
    return id < state_->places.size() && state_->places[id].used;
}
template <class S>
std::size_t FollowerBank<S>::slot_of(Id id) const {
    return state_->place(id).slot;
}

template <class S>
bool FollowerBank<S>::at_rest(Id id, double distance, double speed) const {
    const bank::Place& place = state_->place(id);
    return state_->group(place.group).is_at_rest(place.slot, distance, speed);
}

template <class S>
bool FollowerBank<S>::is_anything_moving(double distance, double speed) const noexcept {
    for (const bank::Group<S>& group : state_->groups) {
        for (std::size_t slot = 0; slot < group.size(); ++slot) {
            if (!group.is_at_rest(slot, distance, speed)) return true;
        }
    }
    return false;
}

template <class S>
bool FollowerBank<S>::is_anything_moving() const noexcept {
    const auto any_not_zero = [](const bank::Array<S>& array) {
        return std::any_of(array.begin(), array.end(), [](S x) { return x != 0; });
    };
    for (const bank::Group<S>& group : state_->groups) {
        for (std::size_t c = 0; c < state_->components; ++c) {
            if (any_not_zero(group.parts[c].gap) || any_not_zero(group.parts[c].velocity)) {
                return true;
            }
        }
    }
    return false;
}

template <class S>
std::uint64_t FollowerBank<S>::rejected_inputs() const noexcept {
    return state_->rejected;
}

template <class S>
void FollowerBank<S>::use(InstructionSet set) {
    require_available(set);
    state_->set = set;
}

template <class S>
InstructionSet FollowerBank<S>::instruction_set() const noexcept {
    return state_->set;
}

template <class S>
std::size_t FollowerBank<S>::group_count() const noexcept {
    return state_->groups.size();
}

template <class S>
std::size_t FollowerBank<S>::layout_hash() const noexcept {
    std::uint64_t sum = state_->components;
    const auto mix = [&](std::uint64_t number) {
        sum = (sum ^ number) * 0x9E3779B97F4A7C15U;
        sum ^= sum >> 29U;
    };
    for (const bank::Group<S>& group : state_->groups) {
        mix(group.varied ? 1 : 0);
        mix(group.size());
        for (const Id id : group.ids)
            mix(id);
    }
    return sum;
}

template <class S>
typename FollowerBank<S>::Counts FollowerBank<S>::counts() const noexcept {
    return {state_->steps, state_->rejected};
}

template <class S>
typename FollowerBank<S>::StateView FollowerBank<S>::state_view(std::size_t group,
                                                                std::size_t component) {
    bank::Component<S>& part = state_->part(group, component);
    return {part.target, part.gap, part.velocity};
}

template <class S>
std::span<std::uint8_t> FollowerBank<S>::turns(std::size_t group) {
    return state_->group(group).turns;
}

template <class S>
void FollowerBank<S>::resume(const Counts& counts) noexcept {
    state_->steps = counts.steps;
    state_->rejected = counts.rejected;
    state_->blocks_are_stale = true;
    for (bank::Group<S>& group : state_->groups)
        group.disturbed = true;
}

template class FollowerBank<float>;
template class FollowerBank<double>;

}  // namespace hopcoil
