#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cstddef>
#include <cstdint>
#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "bank_group.hpp"
#include "bank_kernels.hpp"

namespace hopcoil {
namespace bank {

struct Block {
    std::uint32_t group;
    std::uint32_t component;
    std::size_t begin;
    std::size_t end;
    bool same_turn;     ///< for all in it
    int headroom_bits;  ///< spent by fast steps, until it is looked at again
};

struct Place {
    std::uint32_t group = 0;
    std::uint32_t slot = 0;
    bool used = false;
};

[[noreturn]] inline void no_such(const char* what, std::size_t number) {
    throw std::out_of_range{std::string{"there is no "} + what + ' ' + std::to_string(number)};
}

}  // namespace bank

template <class S>
struct FollowerBank<S>::State {
    std::size_t components = 1;
    std::vector<bank::Group<S>> groups;
    std::vector<bank::Place> places;  ///< by id
    std::vector<Id> free_ids;
    std::vector<bank::Block> blocks;
    bool blocks_are_stale = true;
    bool to_next = false;
    bool usable_dt = true;
    std::uint8_t steps = 0;  ///< since the last look of those that were there from the beginning
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
          steps{other.steps},
          set{other.set},
          rejected{other.rejected.load()} {
        reserve_blocks();
    }
    State& operator=(const State&) = delete;

    bank::Group<S>& group(std::size_t index) {
        if (index >= groups.size()) bank::no_such("group", index);
        return groups[index];
    }
    const bank::Place& place(Id id) const {
        if (id >= places.size() || !places[id].used) bank::no_such("follower", id);
        return places[id];
    }
    bank::Component<S>& part(std::size_t group_index, std::size_t component) {
        if (component >= components) bank::no_such("component", component);
        return group(group_index).parts[component];
    }

    /// Room for all blocks there can be, so that a step plans them without allocating.
    void reserve_blocks() {
        blocks.reserve((places.size() / bank::block_size + groups.size() + 1) * components);
    }

    void plan_blocks() {
        blocks.clear();
        for (std::size_t g = 0; g < groups.size(); ++g) {
            for (std::size_t c = 0; c < components; ++c) {
                for (std::size_t begin = 0; begin < groups[g].size(); begin += bank::block_size) {
                    const std::size_t end = std::min(begin + bank::block_size, groups[g].size());
                    const std::uint8_t* const turns = groups[g].turns.data();
                    const bool same_turn = std::all_of(turns + begin, turns + end, [&](auto each) {
                        return each == turns[begin];
                    });
                    blocks.push_back({static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(c),
                                      begin, end, same_turn, 0});
                }
            }
        }
    }

    /// A change of one follower, by the rules of Follower.
    StepStatus change(bank::Group<S>& group, std::size_t slot, std::size_t component,
                      const Motion<S>& motion) noexcept {
        Motion<S> next = motion;
        drop_below(next.gap, static_cast<S>(least_gap<S>));
        drop_below(next.velocity, group.least_velocity_of(slot));
        if (!is_finite(next)) return StepStatus::rejected;
        bank::Component<S>& part = group.parts[component];
        part.target[slot] = next.target;
        part.gap[slot] = next.gap;
        part.velocity[slot] = next.velocity;
        return StepStatus::stepped;
    }

    template <class Change>
    StepStatus change_all(Id id, std::span<const S> numbers, const Change& change_one) {
        const bank::Place& where = place(id);
        bank::Group<S>& group = groups[where.group];
        if (numbers.size() != components) {
            throw InvalidValue{"numbers", static_cast<double>(numbers.size()),
                               "one for each of " + std::to_string(components) + " components"};
        }
        std::array<Motion<S>, bank::most_components> before;
        StepStatus status = StepStatus::stepped;
        for (std::size_t c = 0; c < components; ++c) {
            const bank::Component<S>& part = group.parts[c];
            before[c] = {part.target[where.slot], part.gap[where.slot], part.velocity[where.slot]};
            if (change(group, where.slot, c,
                       change_one(before[c], numbers[c], group, where.slot)) !=
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

    /// Each with every check of Follower.
    void step_carefully(bank::Group<S>& group, bank::Component<S>& part,
                        const bank::Block& block) noexcept {
        for (std::size_t i = block.begin; i < block.end; ++i) {
            const Motion<S> now{part.target[i], part.gap[i], part.velocity[i]};
            const S target = to_next ? part.next[i] : now.target;
            Motion<S> next = after(now, target, group.rows_of(i));
            if (group.turns[i] == steps) {
                drop_below(next.gap, static_cast<S>(least_gap<S>));
                drop_below(next.velocity, group.least_velocity_of(i));
            }
            if (!is_finite(next)) {
                ++rejected;
                if (to_next) part.next[i] = now.target;
                continue;
            }
            part.gap[i] = next.gap;
            part.velocity[i] = next.velocity;
        }
    }

    void step_fast(bank::Group<S>& group, bank::Component<S>& part,
                   const bank::Block& block) const noexcept {
        const std::size_t b = block.begin;
        const S* const next = (to_next ? part.next : part.target).data() + b;
        const bank::Lanes<S> lanes{part.target.data() + b, next, part.gap.data() + b,
                                   part.velocity.data() + b, block.end - b};
        const bank::FlushSchedule turns{group.turns.data() + b, steps};
        const bool is_due = !block.same_turn || turns.of_each[0] == steps;
        if (group.varied) {
            move_varied(group, lanes, b);
            if (is_due) settle_varied(group, lanes, block, turns);
            return;
        }
        if (!is_due) {
            bank::move_shared(set, lanes, group.shared);
            return;
        }
        const bank::Least<S> least{static_cast<S>(least_gap<S>),
                                   bank::least_velocity<S>(group.tuning)};
        if (block.same_turn) {
            bank::move_shared_settling(set, lanes, group.shared, least);
        } else {
            bank::move_shared_settling_due(set, lanes, group.shared, least, turns);
        }
    }

    void move_varied(const bank::Group<S>& group, const bank::Lanes<S>& lanes,
                     std::size_t begin) const noexcept {
        if (group.keeps_rows) {
            bank::move_varied(set, lanes, group.rows.data() + begin / bank::batch_size);
        } else {
            step_in_passing(group, lanes, begin);
        }
    }

    /// With rows that are not kept.
    void step_in_passing(const bank::Group<S>& group, const bank::Lanes<S>& lanes,
                         std::size_t begin) const noexcept {
        std::array<bank::RowBatch<S>, bank::tile_size / bank::batch_size> rows;
        for (std::size_t i = 0; i < lanes.count; i += bank::tile_size) {
            const std::size_t count = std::min(bank::tile_size, lanes.count - i);
            group.find_rows(begin + i, count, rows.data());
            bank::move_varied(
                set, {lanes.target + i, lanes.next + i, lanes.gap + i, lanes.velocity + i, count},
                rows.data());
        }
    }

    /// Sets numbers that are too small to zero, for those whose turn it is.
    void settle_varied(const bank::Group<S>& group, const bank::Lanes<S>& lanes,
                       const bank::Block& block, const bank::FlushSchedule& turns) const noexcept {
        const bank::VariedLeast<S> least{static_cast<S>(least_gap<S>),
                                         group.least_velocities.data() + block.begin};
        if (block.same_turn) {
            bank::settle_varied(set, lanes, least);
        } else {
            bank::settle_varied_due(set, lanes, least, turns);
        }
    }
};

}  // namespace hopcoil
