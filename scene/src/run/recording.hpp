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
    Recording(const Scene& scene, RunningScene& running);

    [[nodiscard]] const std::vector<RecordedChannel>& channels() const noexcept {
        return channels_;
    }
    /// The row of a time. It is overwritten by the next.
    [[nodiscard]] std::span<const double> row(double time_s);
    /// What lies between two rows: directions the shorter way, rotations of unit length.
    void blend(std::span<const double> before, std::span<const double> after, double part,
               std::vector<double>& between) const;
    /// A rotation and its negative are the same: takes the one that is nearer to the row before, so
    /// that whoever interpolates between rows does not turn the long way round.
    void match_signs(std::span<const double> before, std::span<double> row) const;

  private:
    /// Some of the row's numbers, and where they come from.
    struct Piece {
        enum class From : unsigned char { target, output, signals };
        From from = From::target;
        OutputRef output{};  ///< of a target, its index is `output.system`
        std::size_t count = 1;
        std::size_t value_size = 0;  ///< 0: not kept
        std::size_t velocity_size = 0;
    };
    void add_target(std::size_t index);
    void add_output(std::size_t system, std::size_t port_index);
    void add_signals(std::size_t system);
    void note_kind(ValueKind kind, std::size_t at, std::size_t count);
    [[nodiscard]] bool add_channel(RecordedChannel channel, const SceneSystem* of = nullptr);

    const Scene& scene_;
    RunningScene& running_;
    std::vector<RecordedChannel> channels_;
    std::vector<Piece> pieces_;
    std::size_t columns_ = 0;
    std::vector<double> numbers_;
    std::vector<double> signals_;         ///< of one system, before those that are kept
    std::vector<bool> keeps_signal_;      ///< of all systems, one after the other
    std::vector<std::size_t> angles_;     ///< of the row's numbers, those that go round
    std::vector<std::size_t> rotations_;  ///< the first of each four that are a rotation
    std::vector<std::size_t> steps_;      ///< those that are not blended: flags and events
};

}  // namespace hopcoil::scene
