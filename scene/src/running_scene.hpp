#pragma once

#include <cstddef>
#include <memory>
#include <string>
#include <vector>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>

#include "running_mover.hpp"

namespace hopcoil::scene {

/// A scene under way: who feeds whom, in an order in which each leader goes before those it leads.
class RunningScene {
  public:
    explicit RunningScene(const Scene& scene);

    /// Up to `frame_end_s`. Errors: Diverged when one of them leaves.
    void advance(double frame_end_s);

    /// After the events of this time, as the movers have seen them.
    [[nodiscard]] Place target_shown(std::size_t index, double time_s) const;
    [[nodiscard]] const RunningMover& mover(std::size_t index) const { return *movers_[index]; }

  private:
    [[nodiscard]] const SceneTarget& target_of(std::size_t mover) const;
    [[nodiscard]] CoursePoint led_point(const SceneTarget& target, double time_s, bool after) const;
    [[nodiscard]] std::size_t owner_of(std::size_t target) const;
    void find_order();
    void find_chains();
    void advance_chains(double end_s);
    [[nodiscard]] double chain_stop_s(double frame_end_s) const;
    void require_stayed(bool stayed, std::size_t index, double time_s) const;

    const Scene& scene_;
    std::vector<std::unique_ptr<RunningMover>> movers_;
    std::vector<std::size_t> order_;
    std::vector<bool> in_chain_;  ///< leads or is led
    double chain_step_s_ = 0;     ///< at most between two hand-overs along a chain
    double chain_time_s_ = 0;
    bool has_chains_ = false;
};

}  // namespace hopcoil::scene
