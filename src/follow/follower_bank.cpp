#include <hopcoil/follow/follower_bank.hpp>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <new>
#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "bank_kernels.hpp"

namespace hopcoil {
namespace {

constexpr std::size_t most_components = 4;
/// Small enough for the first cache, several arrays of it at once.
constexpr std::size_t block_size = 2048;
/// From calm, a state cannot overflow within so many fast steps.
constexpr int steps_between_looks = 4;

/// Whole cache lines, so that no vector load straddles two.
template <class S>
struct CacheAligned {
    using value_type = S;
    CacheAligned() = default;
    template <class U>
    explicit CacheAligned(const CacheAligned<U>&) noexcept {}
    S* allocate(std::size_t n) {
        return static_cast<S*>(::operator new(n * sizeof(S), std::align_val_t{64}));
    }
    void deallocate(S* memory, std::size_t n) noexcept {
        ::operator delete(memory, n * sizeof(S), std::align_val_t{64});
    }
    friend bool operator==(const CacheAligned&, const CacheAligned&) { return true; }
};
template <class S>
using Array = std::vector<S, CacheAligned<S>>;

template <class S>
struct Component {
    Array<S> target;
    Array<S> next;
    Array<S> gap;
    Array<S> velocity;
};

template <class S>
S least_velocity(const Tuning& tuning) {
    return static_cast<S>(least_gap<S> * angular_frequency_rad_per_s(tuning));
}

template <class S>
bool is_calm_row(const StraightRows<S>& r) {
    const std::array<S, 6> all{r.gap_of_gap,      r.gap_of_velocity,      r.gap_of_travel,
                               r.velocity_of_gap, r.velocity_of_velocity, r.velocity_of_travel};
    return std::all_of(all.begin(), all.end(),
                       [](S x) { return std::abs(x) <= bank::calm_row<S>; });
}

template <class S>
struct Group {
    Tuning tuning;
    bool varied = false;
    std::array<Component<S>, most_components> parts;
    std::vector<std::uint32_t> ids;
    // Varied only: tunings, and coefficients for dt_, an array a row.
    std::vector<Tuning> tunings;
    std::array<Array<S>, 6> rows;
    Array<S> least_velocities;
    // Shared only.
    StraightRows<S> shared;
    double dt = -1;
    bool calm_rows = true;
    bool disturbed = false;  ///< by something other than a step: look again

    [[nodiscard]] std::size_t size() const noexcept { return ids.size(); }

    [[nodiscard]] StraightRows<S> rows_of(std::size_t slot) const noexcept {
        if (!varied) return shared;
        return {rows[0][slot], rows[1][slot], rows[2][slot],
                rows[3][slot], rows[4][slot], rows[5][slot]};
    }
    [[nodiscard]] S least_velocity_of(std::size_t slot) const noexcept {
        return varied ? least_velocities[slot] : least_velocity<S>(tuning);
    }
    [[nodiscard]] const Tuning& tuning_of(std::size_t slot) const noexcept {
        return varied ? tunings[slot] : tuning;
    }

    void compute_rows(double new_dt) noexcept {
        if (new_dt == dt) return;
        dt = new_dt;
        if (!varied) {
            shared = rounded<S>(straight_rows(tuning, dt));
            calm_rows = is_calm_row(shared);
            return;
        }
        calm_rows = true;
        for (std::size_t i = 0; i < size(); ++i) {
            const StraightRows<S> r = rounded<S>(straight_rows(tunings[i], dt));
            calm_rows = calm_rows && is_calm_row(r);
            rows[0][i] = r.gap_of_gap;
            rows[1][i] = r.gap_of_velocity;
            rows[2][i] = r.gap_of_travel;
            rows[3][i] = r.velocity_of_gap;
            rows[4][i] = r.velocity_of_velocity;
            rows[5][i] = r.velocity_of_travel;
        }
    }
};

struct Block {
    std::uint32_t group;
    std::uint32_t component;
    std::size_t begin;
    std::size_t end;
    int calm_for;  ///< so many fast steps more, until it is looked at again
};

struct Place {
    std::uint32_t group = 0;
    std::uint32_t slot = 0;
    bool used = false;
};

[[noreturn]] void no_such(const char* what, std::size_t number) {
    throw std::out_of_range{std::string{"there is no "} + what + ' ' + std::to_string(number)};
}

}  // namespace

bool is_available(InstructionSet set) noexcept {
#if defined(__x86_64__)
    if (set == InstructionSet::avx2) return __builtin_cpu_supports("avx2");
    if (set == InstructionSet::avx512) {
        return __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq") &&
               __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512vl");
    }
#endif
    return set == InstructionSet::plain;
}

InstructionSet best_instruction_set() noexcept {
    for (const InstructionSet set : {InstructionSet::avx512, InstructionSet::avx2}) {
        if (is_available(set)) return set;
    }
    return InstructionSet::plain;
}

template <class S>
struct FollowerBank<S>::State {
    std::size_t components = 1;
    std::vector<Group<S>> groups;
    std::vector<Place> places;  ///< by id
    std::vector<Id> free_ids;
    std::vector<Block> blocks;
    bool blocks_are_stale = true;
    bool to_next = false;
    bool usable_dt = true;
    InstructionSet set = best_instruction_set();
    std::atomic<std::uint64_t> rejected{0};

    State() = default;
    State(const State& other)
        : components{other.components},
          groups{other.groups},
          places{other.places},
          free_ids{other.free_ids},
          blocks{other.blocks},
          blocks_are_stale{other.blocks_are_stale},
          set{other.set},
          rejected{other.rejected.load()} {}
    State& operator=(const State&) = delete;

    Group<S>& group(std::size_t index) {
        if (index >= groups.size()) no_such("group", index);
        return groups[index];
    }
    const Place& place(Id id) const {
        if (id >= places.size() || !places[id].used) no_such("follower", id);
        return places[id];
    }
    Component<S>& part(std::size_t group_index, std::size_t component) {
        if (component >= components) no_such("component", component);
        return group(group_index).parts[component];
    }

    /// Structural edits allocate here, so that a step does not.
    void plan_blocks() {
        blocks.clear();
        for (std::size_t g = 0; g < groups.size(); ++g) {
            for (std::size_t c = 0; c < components; ++c) {
                for (std::size_t begin = 0; begin < groups[g].size(); begin += block_size) {
                    blocks.push_back({static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(c),
                                      begin, std::min(begin + block_size, groups[g].size()), 0});
                }
            }
        }
    }

    /// One change of one follower, with the rules of Follower.
    StepStatus change(Group<S>& group, std::size_t slot, std::size_t component,
                      const Motion<S>& motion) noexcept {
        Motion<S> next = motion;
        drop_below(next.gap, static_cast<S>(least_gap<S>));
        drop_below(next.velocity, group.least_velocity_of(slot));
        if (!is_finite(next)) return StepStatus::rejected;
        Component<S>& part = group.parts[component];
        part.target[slot] = next.target;
        part.gap[slot] = next.gap;
        part.velocity[slot] = next.velocity;
        return StepStatus::stepped;
    }

    template <class Change>
    StepStatus change_all(Id id, std::span<const S> numbers, const Change& change_one) {
        const Place& where = place(id);
        Group<S>& group = groups[where.group];
        if (numbers.size() != components) {
            throw InvalidValue{"numbers", static_cast<double>(numbers.size()),
                               "one for each of " + std::to_string(components) + " components"};
        }
        std::array<Motion<S>, most_components> before;
        StepStatus status = StepStatus::stepped;
        for (std::size_t c = 0; c < components; ++c) {
            const Component<S>& part = group.parts[c];
            before[c] = {part.target[where.slot], part.gap[where.slot], part.velocity[where.slot]};
            if (change(group, where.slot, c, change_one(before[c], numbers[c], group, where.slot)) !=
                StepStatus::stepped) {
                status = StepStatus::rejected;
            }
        }
        if (status == StepStatus::rejected) {
            ++rejected;
            for (std::size_t c = 0; c < components; ++c) {
                group.parts[c].target[where.slot] = before[c].target;
                group.parts[c].gap[where.slot] = before[c].gap;
                group.parts[c].velocity[where.slot] = before[c].velocity;
            }
        }
        group.disturbed = true;
        return status;

    }

    /// Each with every check that Follower makes.
    void step_carefully(Group<S>& group, Component<S>& part, const Block& block) noexcept {
        for (std::size_t i = block.begin; i < block.end; ++i) {
            const Motion<S> now{part.target[i], part.gap[i], part.velocity[i]};
            const S target = to_next ? part.next[i] : now.target;
            Motion<S> next = after(now, target, group.rows_of(i));
            drop_below(next.gap, static_cast<S>(least_gap<S>));
            drop_below(next.velocity, group.least_velocity_of(i));
            if (!is_finite(next)) {
                ++rejected;
                if (to_next) part.next[i] = now.target;
                continue;
            }
            part.gap[i] = next.gap;
            part.velocity[i] = next.velocity;
        }
    }

    void step_fast(const Group<S>& group, Component<S>& part, const Block& block) const noexcept {
        const std::size_t b = block.begin;
        const S* const next = (to_next ? part.next : part.target).data() + b;
        const bank::Lanes<S> lanes{part.target.data() + b, next, part.gap.data() + b,
                                   part.velocity.data() + b, block.end - b};
        const S least = static_cast<S>(least_gap<S>);
        if (group.varied) {
            bank::move_varied(
                set, lanes,
                {group.rows[0].data() + b, group.rows[1].data() + b, group.rows[2].data() + b,
                 group.rows[3].data() + b, group.rows[4].data() + b, group.rows[5].data() + b,
                 group.least_velocities.data() + b},
                least);
        } else {
            bank::move_shared(set, lanes, group.shared, {least, least_velocity<S>(group.tuning)});
        }
    }
};

template <class S>
FollowerBank<S>::FollowerBank(std::size_t components) : state_{std::make_unique<State>()} {
    if (components < 1 || components > most_components) {
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
    Group<S>& g = s.group(group);
    require_valid(tuning);
    if (!g.varied && tuning != g.tuning) {
        throw InvalidValue{"tuning", tuning.frequency_hz, "that of the group, or a varied group"};
    }
    if (start.size() != s.components) {
        throw InvalidValue{"start", static_cast<double>(start.size()),
                           "one number for each of " + std::to_string(s.components) +
                               " components"};
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
    for (std::size_t c = 0; c < s.components; ++c) {
        g.parts[c].target.push_back(start[c]);
        g.parts[c].next.push_back(start[c]);
        g.parts[c].gap.push_back(S{0});
        g.parts[c].velocity.push_back(S{0});
    }
    if (g.varied) {
        g.tunings.push_back(tuning);
        for (Array<S>& row : g.rows)
            row.push_back(S{0});
        g.least_velocities.push_back(least_velocity<S>(tuning));
        g.dt = -1;
    }
    s.blocks_are_stale = true;

    // One block more at most for each component; a step must not allocate.
    s.blocks.reserve((s.places.size() / block_size + s.groups.size() + 1) * s.components);
    return id;
}

template <class S>
void FollowerBank<S>::remove(Id id) {
    State& s = *state_;
    const Place where = s.place(id);
    Group<S>& g = s.groups[where.group];
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
    if (g.varied) {
        fill_and_pop(g.tunings);
        for (Array<S>& row : g.rows)
            fill_and_pop(row);
        fill_and_pop(g.least_velocities);
    }
    fill_and_pop(g.ids);
    if (where.slot < g.size()) s.places[g.ids[where.slot]].slot = where.slot;
    s.places[id].used = false;
    s.free_ids.push_back(id);
    s.blocks_are_stale = true;
}

template <class S>
void FollowerBank<S>::reserve(std::size_t group, std::size_t count) {
    Group<S>& g = state_->group(group);
    for (std::size_t c = 0; c < state_->components; ++c) {
        g.parts[c].target.reserve(count);
        g.parts[c].next.reserve(count);
        g.parts[c].gap.reserve(count);
        g.parts[c].velocity.reserve(count);
    }
    g.ids.reserve(count);
}

template <class S>
void FollowerBank<S>::retune(std::size_t group, const Tuning& tuning) {
    require_valid(tuning);
    Group<S>& g = state_->group(group);
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
    const Place& where = state_->place(id);
    Group<S>& g = state_->groups[where.group];
    if (!g.varied) {
        throw InvalidValue{"id", static_cast<double>(id),
                           "a follower in a varied group; retune is for shared ones"};
    }
    g.tunings[where.slot] = tuning;
    g.least_velocities[where.slot] = least_velocity<S>(tuning);
    g.dt = -1;
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
    if (s.blocks_are_stale) s.plan_blocks();  // within what `add` has reserved
    s.blocks_are_stale = false;
    for (Group<S>& group : s.groups)
        group.compute_rows(dt);
    return s.blocks.size();
}

template <class S>
void FollowerBank<S>::step_block(std::size_t index) noexcept {
    State& s = *state_;
    Block& block = s.blocks[index];
    Group<S>& group = s.groups[block.group];
    Component<S>& part = group.parts[block.component];
    const std::size_t count = block.end - block.begin;
    const auto calm = [&](const Array<S>& array) {
        return bank::are_calm(s.set, array.data() + block.begin, count);
    };
    // Looked at while they are in the cache.
    if (group.disturbed || block.calm_for == 0) {
        const bool is_calm = calm(part.gap) && calm(part.velocity) && calm(part.target);
        block.calm_for = is_calm ? steps_between_looks : 0;
    }
    if (block.calm_for > 0 && group.calm_rows && (!s.to_next || calm(part.next))) {
        s.step_fast(group, part, block);
        --block.calm_for;
    } else {
        s.step_carefully(group, part, block);
        block.calm_for = 0;
    }
}

template <class S>
void FollowerBank<S>::end_step() noexcept {
    State& s = *state_;
    if (!s.usable_dt) return;
    for (Group<S>& group : s.groups) {
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
        id, target, [](const Motion<S>& now, S to, const Group<S>& group, std::size_t slot) {
            const S gain =
                rounded<S>(jump_rows(group.tuning_of(slot))).velocity_of_travel;
            return after(now, to, StraightRows<S>{.velocity_of_travel = gain});
        });
}

template <class S>
StepStatus FollowerBank<S>::cut(Id id, std::span<const S> target) {
    return state_->change_all(id, target,
                              [](const Motion<S>& now, S to, const Group<S>&, std::size_t) {
                                  return after(now, to, StraightRows<S>{});
                              });
}

template <class S>
StepStatus FollowerBank<S>::push(Id id, std::span<const S> delta_velocity) {
    return state_->change_all(id, delta_velocity,
                              [](Motion<S> now, S by, const Group<S>&, std::size_t) {
                                  now.velocity += by;
                                  return now;
                              });
}

template <class S>
StepStatus FollowerBank<S>::reset(Id id, std::span<const S> value) {
    return state_->change_all(id, value,
                              [](const Motion<S>&, S to, const Group<S>&, std::size_t) {
                                  return resting_at(to);
                              });
}

template <class S>
S FollowerBank<S>::value(Id id, std::size_t component) const {
    const Place& where = state_->place(id);
    const Component<S>& part = state_->part(where.group, component);
    return part.target[where.slot] + part.gap[where.slot];
}

template <class S>
S FollowerBank<S>::velocity(Id id, std::size_t component) const {
    const Place& where = state_->place(id);
    return state_->part(where.group, component).velocity[where.slot];
}

template <class S>
S FollowerBank<S>::target(Id id, std::size_t component) const {
    const Place& where = state_->place(id);
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
bool FollowerBank<S>::is_anything_moving() const noexcept {
    const auto any_not_zero = [](const Array<S>& array) {
        return std::any_of(array.begin(), array.end(), [](S x) { return x != 0; });
    };
    for (const Group<S>& group : state_->groups) {
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
    if (!is_available(set)) {
        throw InvalidValue{"instruction_set", static_cast<double>(set),
                           "one that this processor has"};
    }
    state_->set = set;
}

template <class S>
InstructionSet FollowerBank<S>::instruction_set() const noexcept {
    return state_->set;
}

template class FollowerBank<float>;
template class FollowerBank<double>;

}  // namespace hopcoil
