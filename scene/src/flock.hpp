#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/scene/scene.hpp>

#include "step_length.hpp"

namespace hopcoil::scene {

/// Plain followers of one target that goes straight between its breakpoints, stepped as a bank:
/// the same bits as each by itself, in a fraction of the time.
class Flock {
  public:
    /// Whether a mover may be in one.
    [[nodiscard]] static bool may_join(const SceneMover& mover, const SceneTarget& target);

    explicit Flock(const SceneTarget& target);
    /// Its place in the flock.
    std::size_t add(const SceneMover& mover);
    /// When all have been added: their target is there.
    void begin();

    /// Up to `frame_end_s`; false when one of them would leave the range of numbers.
    bool advance(double frame_end_s);

    [[nodiscard]] double value(std::size_t member) const {
        return targets_[member] + gaps_[member];
    }
    [[nodiscard]] double velocity(std::size_t member) const { return velocities_[member]; }
    /// Value and velocity of so many from one on, one after the other. The end of them.
    double* read(std::size_t first, std::size_t count, double* numbers) const {
        for (std::size_t i = first; i < first + count; ++i) {
            *numbers++ = targets_[i] + gaps_[i];
            *numbers++ = velocities_[i];
        }
        return numbers;
    }
    [[nodiscard]] std::size_t size() const { return ids_.size(); }
    /// Who it was, when `advance` has failed.
    [[nodiscard]] std::size_t who_left() const { return who_left_; }

  private:
    void jump_to(double target);
    void look();
    [[nodiscard]] std::size_t furthest() const;

    const Target* target_;
    FollowerBank<double> bank_;
    std::vector<FollowerBank<double>::Id> ids_;
    double time_s_ = 0.0;
    StepLength step_length_;
    std::size_t who_left_ = 0;
    std::span<const double> gaps_;
    std::span<const double> velocities_;
    std::span<const double> targets_;
};

}  // namespace hopcoil::scene
