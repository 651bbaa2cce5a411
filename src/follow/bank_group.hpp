#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <initializer_list>
#include <limits>
#include <new>
#include <type_traits>
#include <vector>

#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "bank_kernels.hpp"

namespace hopcoil::bank {

inline constexpr std::size_t most_components = 4;
/// Small enough that several such arrays fit into the first-level cache.
inline constexpr std::size_t block_size = 2048;

/// Whole cache lines, so that no vector load straddles two. Arrays that are walked side by side
/// stand at different offsets into a page: a load whose address ends like that of a store just
/// before it waits for the store, and lines at the same offset compete for the same places in the
/// cache.
template <class S>
struct Placed {
    using value_type = S;
    using propagate_on_container_swap = std::true_type;
    using propagate_on_container_move_assignment = std::true_type;
    static constexpr std::size_t page = 4096;

    std::size_t offset = 0;  ///< in bytes, whole cache lines

    Placed() = default;
    explicit Placed(std::size_t quarter) : offset{quarter * page / 4} {}
    template <class U>
    explicit Placed(const Placed<U>& other) noexcept : offset{other.offset} {}

    S* allocate(std::size_t n) {
        const Room room = room_of(n);
        return reinterpret_cast<S*>(
            static_cast<std::byte*>(::operator new(room.bytes, room.alignment)) + room.before);
    }
    void deallocate(S* memory, std::size_t n) noexcept {
        const Room room = room_of(n);
        ::operator delete(reinterpret_cast<std::byte*>(memory) - room.before, room.alignment);
    }
    friend bool operator==(const Placed&, const Placed&) = default;

  private:
    struct Room {
        std::size_t before;
        std::size_t bytes;
        std::align_val_t alignment;
    };
    /// Where a page would be more than twice the array, the offset is omitted.
    [[nodiscard]] Room room_of(std::size_t n) const noexcept {
        const std::size_t bytes = n * sizeof(S);
        if (bytes < page / 2) return {0, bytes, std::align_val_t{64}};
        return {offset, offset + bytes, std::align_val_t{page}};
    }
};
template <class S>
using Array = std::vector<S, Placed<S>>;

template <class S>
struct Component {
    Array<S> target{Placed<S>{0}};
    Array<S> next{Placed<S>{1}};
    Array<S> gap{Placed<S>{2}};
    Array<S> velocity{Placed<S>{3}};
};

template <class S>
S least_velocity(const Tuning& tuning) {
    return static_cast<S>(least_gap<S> * angular_frequency_rad_per_s(tuning));
}

inline constexpr int beyond_headroom = 1 << 12;

/// By so many bits a step can lengthen the largest of gap, velocity and the limit on targets, when
/// no coefficient is above `largest` (>= 1): a row adds at most four times that, its travel being
/// twice it, so to the power of two above the largest coefficient come two bits.
template <class S>
int growth_bits(double largest) {
    return largest < static_cast<double>(calm_limit<S>) ? std::ilogb(largest) + 3 : beyond_headroom;
}
/// At least 1; infinite for NaN.
inline double largest_of(std::initializer_list<double> numbers) {
    double largest = 1;
    for (const double each : numbers) {
        if (std::isnan(each)) return std::numeric_limits<double>::infinity();
        largest = std::max(largest, std::abs(each));
    }
    return largest;
}
template <class S>
int growth_bits(const StraightRows<S>& r) {
    return growth_bits<S>(
        largest_of({r.gap_of_gap, r.gap_of_velocity, r.gap_of_travel, r.velocity_of_gap,
                    r.velocity_of_velocity, r.velocity_of_travel}));
}

/// Bounds for all tunings of a varied group.
struct TuningBounds {
    double angular_frequency = 0.0;
    double hold = 0.0;  ///< 2 z |L|
    double lag = 0.0;   ///< 2 z |L - 1|

    void include(const Tuning& tuning) noexcept {
        const double z = tuning.damping_ratio;
        angular_frequency = std::max(angular_frequency, angular_frequency_rad_per_s(tuning));
        hold = std::max(hold, 2 * z * std::abs(tuning.lead));
        lag = std::max(lag, 2 * z * std::abs(tuning.lead - 1));
    }

    /// What no coefficient of theirs exceeds: a spring's energy never grows, so neither gap nor
    /// velocity over w do; A/u is at most u/2, and at most 1.
    [[nodiscard]] double largest_row(double dt) const noexcept {
        const double w = angular_frequency;
        const double approach_ratio = std::min(w * dt / 2, 1.0);
        const double rounding_up = 1 + 0x1p-20;
        return rounding_up * largest_of({dt, w * std::min(w * dt, 1.0), w * (approach_ratio + hold),
                                         1 + lag * approach_ratio});
    }
};

inline std::size_t batches_of(std::size_t count) {
    return (count + batch_size - 1) / batch_size;
}

template <class S>
StraightRows<S> rows_in(const RowBatch<S>& batch, std::size_t lane) {
    return {batch.gap_of_gap[lane],           batch.gap_of_velocity[lane],
            batch.gap_of_travel[lane],        batch.velocity_of_gap[lane],
            batch.velocity_of_velocity[lane], batch.velocity_of_travel[lane]};
}
template <class S>
void put_rows(const StraightRows<S>& rows, RowBatch<S>& batch, std::size_t lane) {
    batch.gap_of_gap[lane] = rows.gap_of_gap;
    batch.gap_of_velocity[lane] = rows.gap_of_velocity;
    batch.gap_of_travel[lane] = rows.gap_of_travel;
    batch.velocity_of_gap[lane] = rows.velocity_of_gap;
    batch.velocity_of_velocity[lane] = rows.velocity_of_velocity;
    batch.velocity_of_travel[lane] = rows.velocity_of_travel;
}

template <class S>
struct Group {
    Tuning tuning;
    bool varied = false;
    std::array<Component<S>, most_components> parts;
    std::vector<std::uint32_t> ids;
    std::vector<std::uint8_t> turns;  ///< at which count of steps each looks for what is too small
    // Varied only.
    std::vector<Tuning> tunings;
    Array<RowBatch<S>> rows;  ///< for dt, when they are kept
    bool keeps_rows = false;
    Array<S> least_velocities;
    TuningBounds bounds;
    // Shared only.
    StraightRows<S> shared;
    double dt = -1;
    int growth_bits = 0;     ///< of a fast step, at most
    bool disturbed = false;  ///< by something other than a step: look again

    [[nodiscard]] std::size_t size() const noexcept { return ids.size(); }

    [[nodiscard]] StraightRows<S> rows_of(std::size_t slot) const noexcept {
        if (!varied) return shared;
        if (!keeps_rows) return rounded<S>(straight_rows(tunings[slot], dt));
        return rows_in(rows[slot / batch_size], slot % batch_size);
    }
    [[nodiscard]] S least_velocity_of(std::size_t slot) const noexcept {
        return varied ? least_velocities[slot] : least_velocity<S>(tuning);
    }
    [[nodiscard]] const Tuning& tuning_of(std::size_t slot) const noexcept {
        return varied ? tunings[slot] : tuning;
    }

    [[nodiscard]] bool is_at_rest(std::size_t slot, double distance, double speed) const noexcept {
        std::array<double, most_components> gap{};  // the components that it has not are 0
        std::array<double, most_components> velocity{};
        for (std::size_t c = 0; c < parts.size(); ++c) {
            if (slot >= parts[c].gap.size()) break;
            gap[c] = static_cast<double>(parts[c].gap[slot]);
            velocity[c] = static_cast<double>(parts[c].velocity[slot]);
        }
        return are_within(gap, distance) && are_within(velocity, speed);
    }

    /// Adds one to a varied group.
    void add_tuning(const Tuning& its) {
        if (tunings.empty()) bounds = {};
        tunings.push_back(its);
        rows.resize(batches_of(tunings.size()));
        least_velocities.push_back(S{0});
        retune_one(tunings.size() - 1, its);
    }
    void remove_tuning(std::size_t slot) {
        const std::size_t last = tunings.size() - 1;
        put_rows(rows_in(rows[last / batch_size], last % batch_size), rows[slot / batch_size],
                 slot % batch_size);
        tunings[slot] = tunings[last];
        tunings.pop_back();
        least_velocities[slot] = least_velocities.back();
        least_velocities.pop_back();
    }

    /// The tunings of a varied group.
    void retune_one(std::size_t slot, const Tuning& its) noexcept {
        tunings[slot] = its;
        least_velocities[slot] = least_velocity<S>(its);
        bounds.include(its);
        dt = -1;
    }

    /// For the steps to come. A varied group's rows are kept when they will be used again: by more
    /// components, or the same dt having come twice. Else they are found in passing, which spares
    /// the way to memory and back.
    void prepare(double new_dt, std::size_t components) noexcept {
        const bool is_new = new_dt != dt;
        dt = new_dt;
        if (is_new) keeps_rows = false;
        if (is_new && !varied) shared = rounded<S>(straight_rows(tuning, dt));
        if (is_new) {
            growth_bits =
                varied ? bank::growth_bits<S>(bounds.largest_row(dt)) : bank::growth_bits(shared);
        }
        if (!varied || keeps_rows || (is_new && components == 1)) return;
        for (std::size_t begin = 0; begin < size(); begin += tile_size) {
            find_rows(begin, std::min(tile_size, size() - begin), rows.data() + begin / batch_size);
        }
        keeps_rows = true;
    }

    /// Those of at most a tile's worth in a varied group, each as Follower has it.
    void find_rows(std::size_t begin, std::size_t count, RowBatch<S>* to) const noexcept {
        for (std::size_t i = 0; i < count; ++i) {
            put_rows(rounded<S>(straight_rows(tunings[begin + i], dt)), to[i / batch_size],
                     i % batch_size);
        }
    }
};

}  // namespace hopcoil::bank
