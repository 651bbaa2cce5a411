#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/base/take_sink.hpp>
#include <hopcoil/scene/scene.hpp>

#include "running_scene.hpp"

namespace hopcoil::scene {

/// Whether a channel of this name is kept: all are, without patterns.
[[nodiscard]] bool is_kept(const std::vector<std::string>& patterns, const std::string& name);

/// What of a running scene goes into each row of its take.
class Recording {
  public:
    explicit Recording(const Scene& scene, const RunningScene& running);

    [[nodiscard]] const std::vector<RecordedChannel>& channels() const noexcept {
        return channels_;
    }
    /// The row of a time. It is overwritten by the next.
    [[nodiscard]] std::span<const double> row(double time_s);
    /// What lies between two rows: directions the shorter way, rotations of unit length.
    void blend(std::span<const double> before, std::span<const double> after, double part,
               std::vector<double>& between) const;

  private:
    /// Some of the row's numbers, and where they come from.
    struct Piece {
        enum class From : unsigned char { target, mover, flock };
        From from = From::target;
        std::size_t index = 0;  ///< of the target or mover; of a flock's first mover
        std::size_t part = 0;
        std::size_t value_size = 0;  ///< 0: not kept
        std::size_t velocity_size = 0;
        std::size_t movers = 1;  ///< of a flock: so many, one after the other
    };
    void add_targets();
    void add_mover(std::size_t index);
    void note_kind(ValueKind kind, std::size_t at);
    [[nodiscard]] bool add_channel(const std::string& owner, const std::string& quantity,
                                   const std::string& unit, ChannelKind kind, std::size_t numbers);
    [[nodiscard]] bool goes_on(const Piece& before, const Piece& piece) const;

    const Scene& scene_;
    const RunningScene& running_;
    std::vector<RecordedChannel> channels_;
    std::vector<Piece> pieces_;
    std::size_t columns_ = 0;
    std::vector<double> numbers_;
    std::vector<std::size_t> angles_;     ///< of the row's numbers, those that go round
    std::vector<std::size_t> rotations_;  ///< the first of each four that are a rotation
};

}  // namespace hopcoil::scene
