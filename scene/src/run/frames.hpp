#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/scene/scene.hpp>
#include <hopcoil/stepping/frame_clock.hpp>

#include "recording.hpp"
#include "running_scene.hpp"

namespace hopcoil::scene {

/// The frames of a run, one after the other: when each is, and what it shows.
class Frames {
  public:
    Frames(const Scene& scene, RunningScene& running, Recording& recording);

    /// How many there are, at most: long ones take the place of several.
    [[nodiscard]] std::size_t count() const noexcept { return count_; }
    /// Whether there is one more; if so, the scene has gone on to it.
    bool next();
    [[nodiscard]] double time_s() const noexcept { return time_s_; }
    [[nodiscard]] std::span<const double> row();
    /// Time that the clock gave up.
    [[nodiscard]] double dropped_s() const noexcept { return clock_.dropped_s; }

  private:
    [[nodiscard]] bool is_stepped() const noexcept { return scene_.clock.step_hz > 0; }
    [[nodiscard]] double frame_length_s() const;
    void step(double frame_s);

    const Scene& scene_;
    RunningScene& running_;
    Recording& recording_;
    FrameClock clock_;
    std::size_t count_ = 0;
    std::size_t ticks_ = 0;  ///< frames of the usual length that have gone by
    double late_s_ = 0.0;    ///< by how much long frames have put the others off
    bool has_begun_ = false;
    double time_s_ = 0.0;
    double blend_ = 0.0;
    std::vector<double> before_;  ///< rows of the last two steps
    std::vector<double> now_;
    std::vector<double> shown_;
};

}  // namespace hopcoil::scene
