#pragma once

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <new>
#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "bank_kernels.hpp"

namespace hopcoil {
namespace bank {

inline constexpr std::size_t most_components = 4;
/// Small enough for the first cache, several arrays of it at once.
inline constexpr std::size_t block_size = 2048;

/// Whole cache lines, so that no vector load straddles two.
template <class S>
struct CacheAligned {
    using value_type = S;
    CacheAligned() = default;
    template <class U>
    explicit CacheAligned(const CacheAligned<U>&) noexcept {}
    S* allocate(std::size_t n) {
        return static_cast<S*>(::operator new (n * sizeof(S), std::align_val_t{64}));
    }
    void deallocate(S* memory, std::size_t /*n*/) noexcept {
        ::operator delete (memory, std::align_val_t{64});
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

inline constexpr int beyond_headroom = 1 << 12;

/// By so many bits a step can lengthen the largest of gap, velocity and the limit on targets: a row
/// adds at most four times that, its travel being twice it, so to the power of two above its
/// largest coefficient come two bits.
template <class S>
int growth_bits(const StraightRows<S>& r) {
    const std::array<S, 6> all{r.gap_of_gap,      r.gap_of_velocity,      r.gap_of_travel,
                               r.velocity_of_gap, r.velocity_of_velocity, r.velocity_of_travel};
    S largest{1};
    for (const S each : all) {
        if (!(std::abs(each) < calm_limit<S>)) return beyond_headroom;
        largest = std::max(largest, std::abs(each));
    }
    return std::ilogb(largest) + 3;
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
    int growth_bits = 0;     ///< of a fast step, at most
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
            growth_bits = bank::growth_bits(shared);
            return;
        }
        growth_bits = 0;
        for (std::size_t i = 0; i < size(); ++i) {
            const StraightRows<S> r = rounded<S>(straight_rows(tunings[i], dt));
            growth_bits = std::max(growth_bits, bank::growth_bits(r));
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
                    blocks.push_back({static_cast<std::uint32_t>(g), static_cast<std::uint32_t>(c),
                                      begin, std::min(begin + bank::block_size, groups[g].size()),
                                      0});
                }
            }
        }
    }

    /// One change of one follower, with the rules of Follower.
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

    /// Each with every check that Follower makes.
    void step_carefully(bank::Group<S>& group, bank::Component<S>& part,
                        const bank::Block& block) noexcept {
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

    void step_fast(const bank::Group<S>& group, bank::Component<S>& part,
                   const bank::Block& block) const noexcept {
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
            bank::move_shared(set, lanes, group.shared,
                              {least, bank::least_velocity<S>(group.tuning)});
        }
    }
};

}  // namespace hopcoil
