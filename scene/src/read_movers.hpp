#pragma once

#include <string>
#include <utility>
#include <vector>

#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/scene.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {

/// Reads the tables of what moves: [follower.NAME], [glide.NAME] and their like.
class MoverReader {
  public:
    MoverReader(Scene& scene, const std::vector<std::string>& declared_targets, std::string file,
                std::vector<Problem>& problems)
        : scene_{scene},
          declared_targets_{declared_targets},
          file_{std::move(file)},
          problems_{problems} {}

    [[nodiscard]] static const std::vector<std::string>& kinds();

    void read(const std::string& kind, TableReader& reader, const std::string& name);

    /// The movers as they stand in the file, whatever their kinds.
    void put_in_order();

  private:
    void read_target_of(TableReader& reader, SceneMover& mover, std::optional<std::string>& unit);
    void refuse_taken(TableReader& reader, const std::string& name);
    [[nodiscard]] MoverNumbers read_numbers(const std::string& kind, TableReader& reader,
                                            std::optional<std::string>& unit);
    [[nodiscard]] MoverNumbers read_follower(TableReader& reader);
    [[nodiscard]] Tuning read_tuning(const toml::table& table, std::string path);
    [[nodiscard]] Tuning tuning_in(TableReader& reader);
    [[nodiscard]] PursuitTuning read_pursuit(TableReader& reader, std::optional<std::string>& unit);
    [[nodiscard]] SettleNumbers read_settle(TableReader& reader, std::optional<std::string>& unit);
    [[nodiscard]] CurveMoveTuning read_curve(TableReader& reader);
    void read_keys(TableReader& reader, CurveMoveTuning& curve);
    [[nodiscard]] RelayNumbers read_relay(TableReader& reader);

    Scene& scene_;
    const std::vector<std::string>& declared_targets_;
    std::string file_;
    std::vector<Problem>& problems_;
    std::vector<std::string> names_;
    std::vector<std::size_t> lines_;  ///< of the movers read so far
};

}  // namespace hopcoil::scene
