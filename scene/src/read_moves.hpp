#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/target.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {

/// Reads a target made of moves.
class MovesReader {
  public:
    MovesReader(std::string file, std::vector<Problem>& problems, std::uint64_t seed)
        : file_{std::move(file)}, problems_{problems}, seed_{seed} {}

    /// The target, if it can be one; its unit, and whether it is an angle.
    [[nodiscard]] std::optional<MovesTarget> read(TableReader& reader,
                                                  std::optional<std::string>& unit, bool& angle);

    [[nodiscard]] bool is_random() const noexcept { return is_random_; }

  private:
    void read_list(TableReader& reader, double start, std::optional<std::string>& unit);
    void read_one(TableReader& move, std::optional<std::string>& unit);
    void read_move(const std::string& kind, TableReader& move, std::optional<std::string>& unit);
    void read_wave(const std::string& kind, TableReader& move, std::optional<std::string>& unit);
    [[nodiscard]] Path read_path(TableReader& move, std::optional<std::string>& unit);
    [[nodiscard]] std::uint64_t stream(const TableReader& move);

    std::string file_;
    std::vector<Problem>& problems_;
    std::uint64_t seed_;
    std::vector<Move> moves_;
    std::vector<Wave> waves_;
    bool is_random_ = false;
};

}  // namespace hopcoil::scene
