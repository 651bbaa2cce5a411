#pragma once

#include <cstddef>
#include <optional>
#include <utility>
#include <vector>

#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/kinds/movers.hpp>

#include "../read/reading.hpp"
#include "../read/scene_builder.hpp"
#include "../read/toml_reader.hpp"

/// @file
/// What the tables of all movers have in common.

namespace hopcoil::scene {

/// The keys of a mover's target and start; with its velocity and kicks, where it has one.
[[nodiscard]] std::vector<KeyFacts> mover_keys(bool has_velocity);
[[nodiscard]] KeyFacts watch_key();
[[nodiscard]] KeyFacts tuning_key();
/// A key whose number is a dial of the system.
[[nodiscard]] KeyFacts dial_key(KeyFacts key);
[[nodiscard]] std::vector<KeyFacts> joined(std::vector<KeyFacts> first,
                                           const std::vector<KeyFacts>& second);

/// What a mover's table says besides its own parameters.
struct MoverTable {
    std::optional<std::size_t> target{};
    Shape shape{};
    MoverStart start{};
};

enum class CanTurn : unsigned char { no, yes };

/// Reads target, start, velocity, kicks and `watch`.
[[nodiscard]] MoverTable read_mover_table(KindReader& reader, bool has_velocity, CanTurn can_turn);
/// Start, velocity and kicks alone.
void read_mover_start(TableReader& reader, MoverStart& start, Shape& shape, bool has_velocity);
void read_watch(TableReader& reader, MoverStart& start, const Shape& shape);
/// The shape of a target, as its places read.
[[nodiscard]] Shape shape_in_files(const SceneTarget& target);

/// Adds the mover, if it has a target to go after.
template <class Parameters>
void add_mover(KindReader& reader, MoverTable table, const Parameters& parameters) {
    if (!table.target) return;
    reader.add(
        mover_spec(parameters, shape_of(reader.target_at(*table.target)), std::move(table.start)),
        {*table.target});
}

// The kinds themselves.
[[nodiscard]] SystemKind follower_kind();
[[nodiscard]] SystemKind glide_kind();
[[nodiscard]] SystemKind pursuit_kind();
[[nodiscard]] SystemKind settle_kind();
[[nodiscard]] SystemKind curve_kind();
[[nodiscard]] SystemKind cascade_kind();
[[nodiscard]] SystemKind coast_kind();
[[nodiscard]] SystemKind pose_kind();

}  // namespace hopcoil::scene
