#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/target.hpp>
#include <hopcoil/scene/trajectory.hpp>

#include "reading.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {

/// Reads what a target does by itself: its start and its moves, a component for each number.
class MovesReader {
  public:
    explicit MovesReader(std::uint64_t seed) : seed_{seed} {}

    /// What it does, if it can be done; the shape of its places. `required`: there have to be
    /// moves.
    [[nodiscard]] std::optional<Trajectory> read(TableReader& reader, Shape& shape, bool required);

    [[nodiscard]] bool is_random() const noexcept { return is_random_; }

  private:
    struct Lane {
        std::vector<Move> moves{};
        std::vector<Wave> waves{};
    };
    using Lanes = std::array<Lane, most_numbers>;

    void read_list(TableReader& reader, const ValueArray& start, Shape& shape);
    void read_one(TableReader& move, Shape& shape);
    void read_straight(TableReader& move, Shape& shape);
    void read_path(TableReader& move, Shape& shape);
    void read_wave(TableReader& move, Shape& shape);
    void read_random_steps(TableReader& move, Shape& shape);
    [[nodiscard]] std::uint64_t stream(const TableReader& move, std::size_t component);
    [[nodiscard]] std::vector<Target> targets(const ValueArray& start, std::size_t count) const;

    std::uint64_t seed_;
    Lanes components_;
    bool is_random_ = false;
};

/// The kind that its places and its own words make a target.
[[nodiscard]] ValueKind kind_of(const Shape& shape);

/// Reads `angle` and `rotation` into a shape, before its places.
void read_kind(TableReader& reader, Shape& shape);
/// Notes an angle or a rotation whose places are not angles.
void check_kind(TableReader& reader, const Shape& shape);

}  // namespace hopcoil::scene
