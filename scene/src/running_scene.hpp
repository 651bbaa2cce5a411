#pragma once

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>

#include "flock.hpp"
#include "running_mover.hpp"

namespace hopcoil::scene {

/// A scene under way: who feeds whom, in an order in which each leader goes before those it leads.
class RunningScene {
  public:
    /// How plain followers of one target go: together, in a fraction of the time; or each alone,
    /// so that their target may be held and their states kept.
    enum class Flocks : unsigned char { together, apart };

    explicit RunningScene(const Scene& scene, Flocks flocks = Flocks::together);

    /// From now on a target does not go by its course: by the next `advance` it has gone straight
    /// to a place, and stays there until it is let go. Only where flocks go apart.
    void hold(std::size_t target, const ValueArray& place);
    void let_go(std::size_t target);
    [[nodiscard]] bool is_held(std::size_t target) const { return held_[target].has_value(); }

    /// Of what has been advanced to one time; only where flocks go apart.
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("scene 1");
        fields(time_s_, chain_time_s_);
        for (std::optional<Held>& held : held_)
            fields(held);
        for (const std::unique_ptr<RunningMover>& mover : movers_)
            visit_mover(*mover, fields);
    }

    /// Up to `frame_end_s`. Errors: Diverged when one of them leaves.
    void advance(double frame_end_s);

    /// After the events of this time, as the movers have seen them.
    [[nodiscard]] ValueArray target_shown(std::size_t index, double time_s) const;
    /// A part of a mover, as it is shown.
    [[nodiscard]] ValueAndVelocity shown(std::size_t mover, std::size_t part) const;
    [[nodiscard]] bool in_flock(std::size_t mover) const { return members_[mover].flock != none; }
    /// Whether two movers stand one after the other in one flock.
    [[nodiscard]] bool are_neighbours(std::size_t mover, std::size_t next) const {
        return in_flock(mover) && members_[mover].flock == members_[next].flock &&
               members_[mover].place + 1 == members_[next].place;
    }
    /// Value and velocity of so many such neighbours, one after the other. The end of them.
    double* read_flock(std::size_t first, std::size_t count, double* numbers) const {
        const Member& member = members_[first];
        return flocks_[member.flock].read(member.place, count, numbers);
    }
    /// Of a follower stepped by a scheme: what its guard did.
    [[nodiscard]] GuardLog guard_log(std::size_t mover) const;

  private:
    [[nodiscard]] const SceneTarget& target_of(std::size_t mover) const;
    [[nodiscard]] ValueAndVelocity led_point(const SceneTarget& target, double time_s,
                                             bool after) const;
    /// Who flies in a flock, and where.
    struct Member {
        std::size_t flock = none;
        std::size_t place = 0;
    };
    /// Where a held target is, and where it is to be at the end of the next advance.
    struct Held {
        ValueArray from{};
        ValueArray to{};
        template <class Fields>
        void visit_state(Fields& fields) {
            fields(from.numbers, to.numbers);
        }
    };
    static void visit_mover(RunningMover& mover, StateWriter& out) { mover.save(out); }
    static void visit_mover(RunningMover& mover, StateReader& in) { mover.load(in); }
    [[nodiscard]] ValueArray held_place(std::size_t target, double time_s,
                                        double frame_end_s) const;
    void advance_held(std::size_t mover, double frame_end_s);
    static constexpr std::size_t none = static_cast<std::size_t>(-1);
    void find_flocks();
    void advance_flocks(double frame_end_s);
    void find_order();
    void find_chains();
    void advance_chains(double end_s, double frame_end_s);
    [[nodiscard]] double chain_stop_s(double frame_end_s) const;
    void require_stayed(bool stayed, std::size_t index, double time_s) const;

    const Scene& scene_;
    std::vector<std::unique_ptr<RunningMover>> movers_;
    std::vector<Flock> flocks_;
    std::vector<Member> members_;      ///< of each mover
    std::vector<std::size_t> owners_;  ///< of each target, a mover that goes after it
    std::vector<std::size_t> alone_;   ///< neither in a flock nor in a chain
    std::vector<std::size_t> order_;
    std::vector<bool> in_chain_;  ///< leads or is led
    double chain_step_s_ = 0;     ///< at most between two hand-overs along a chain
    double chain_time_s_ = 0;
    bool has_chains_ = false;
    double time_s_ = 0;
    std::vector<std::optional<Held>> held_;  ///< of each target
};

}  // namespace hopcoil::scene
