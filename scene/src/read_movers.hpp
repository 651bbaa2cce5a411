#pragma once

#include <optional>
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
    /// The names are those of the whole file, read or not.
    MoverReader(Scene& scene, const std::vector<std::string>& declared_targets,
                const std::vector<std::string>& declared_movers, std::string file,
                std::vector<Problem>& problems)
        : scene_{scene},
          declared_targets_{declared_targets},
          declared_movers_{declared_movers},
          file_{std::move(file)},
          problems_{problems} {}

    [[nodiscard]] static const std::vector<std::string>& kinds();

    void read(const std::string& kind, TableReader& reader, const std::string& name);

    /// The movers as they stand in the file, whatever their kinds; leaders are named anew.
    void put_in_order();

    /// What leads a target: "lamp", or "string.tassel" for a relay's link (its last, without one).
    /// Nothing when no mover read so far has that name.
    [[nodiscard]] std::optional<Leader> find_leader(const std::string& name) const;
    /// A target that is a mover's output, at its start; of the mover's unit.
    [[nodiscard]] SceneTarget led_target(const std::string& name, const Leader& leader) const;

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
    const std::vector<std::string>& declared_movers_;
    std::string file_;
    std::vector<Problem>& problems_;
    std::vector<std::string> names_;
    std::vector<std::size_t> lines_;  ///< of the movers read so far
};

}  // namespace hopcoil::scene
