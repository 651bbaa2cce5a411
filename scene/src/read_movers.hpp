#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/scene.hpp>

#include "read_tunings.hpp"
#include "reading.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {

/// The names of everything in the files, read or not.
struct DeclaredNames {
    std::vector<std::string> targets{};
    std::vector<std::string> movers{};
    std::vector<std::string> bodies{};
};

/// Reads the tables of what moves: [follower.NAME], [glide.NAME] and their like.
class MoverReader {
  public:
    MoverReader(Scene& scene, const DeclaredNames& declared, const TuningReader& tunings)
        : scene_{scene}, declared_{declared}, tunings_{tunings} {}

    /// `place_in_files` puts the movers in order in the end.
    void read(const std::string& kind, TableReader& reader, const std::string& name,
              std::size_t place_in_files);
    /// The movers as they stand in the files, whatever their kinds; leaders are named anew.
    void put_in_order();

    /// What leads a target: "lamp", "string.tassel" for a cascade's link (its last, without one),
    /// "skiff.x" for one number of a vector. Nothing when no mover read so far has that name.
    [[nodiscard]] std::optional<Leader> find_leader(const std::string& name) const;
    /// A target that is a mover's output, at its start; of the mover's unit.
    [[nodiscard]] SceneTarget led_target(const std::string& name, const Leader& leader) const;

    /// Notes that nothing of that name moves.
    void complain_of_leader(TableReader& reader, const std::string& name) const;
    [[nodiscard]] bool is_unread(const std::string& name) const;
    /// Notes a name that something has already.
    void refuse_taken(TableReader& reader, const std::string& name);

  private:
    std::optional<std::size_t> find_target(TableReader& reader, const std::string& key,
                                           const std::string& mover);
    void take_up_target(SceneMover& mover, Shape& shape, std::size_t target) const;
    void add(SceneMover mover, std::size_t place_in_files);
    void read_start(TableReader& reader, SceneMover& mover, Shape& shape, bool has_velocity) const;
    static void read_watch(TableReader& reader, SceneMover& mover, const Shape& shape);
    void read_coast(TableReader& reader, const std::string& name, std::size_t place_in_files);
    void read_pose(TableReader& reader, const std::string& name, std::size_t place_in_files);
    [[nodiscard]] MoverParameters read_numbers(const std::string& kind, TableReader& reader,
                                               Shape& shape) const;
    [[nodiscard]] MoverParameters read_follower(TableReader& reader, Shape& shape) const;
    [[nodiscard]] MoverParameters read_glide(TableReader& reader) const;
    [[nodiscard]] MoverParameters read_bounded(TableReader& reader, const Tuning& tuning,
                                               Shape& shape) const;
    [[nodiscard]] CascadeParameters read_cascade(TableReader& reader) const;

    Scene& scene_;
    const DeclaredNames& declared_;
    const TuningReader& tunings_;
    std::vector<std::string> names_;
    std::vector<std::size_t> places_;  ///< of the movers read so far
};

// Parameters that need nothing but their own table.
[[nodiscard]] PursuitTuning read_pursuit(TableReader& reader, Shape& shape);
[[nodiscard]] SettleParameters read_settle(TableReader& reader, Shape& shape);
[[nodiscard]] CurveMoveTuning read_curve(TableReader& reader);

}  // namespace hopcoil::scene
