#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/points/net.hpp>

#include "net_contacts.hpp"

namespace hopcoil {

/// What a substep is given.
struct NetSubstep {
    double h = 0.0;
    std::span<const Vector3> accelerations;  ///< of all that is not links and contact
    std::span<const Vector3> pins_to;        ///< where pinned points are at its end
    NetContacts& contacts;
    InstructionSet set = InstructionSet::plain;
};

/// Steps a net: made for its structure, with everything computed beforehand. The motion is not in
/// it, except what a scheme remembers.
class NetSolver {
  public:
    virtual ~NetSolver() = default;
    [[nodiscard]] virtual std::unique_ptr<NetSolver> clone() const = 0;
    /// False, with an undefined state, when it diverged.
    virtual bool step(NetState& state, const NetSubstep& substep) noexcept = 0;
    [[nodiscard]] virtual double residual_m() const noexcept { return 0; }
    virtual void save(StateWriter& out) { static_cast<void>(out); }
    virtual void load(StateReader& in) { static_cast<void>(in); }

  protected:
    NetSolver() = default;
    NetSolver(const NetSolver&) = default;
    NetSolver(NetSolver&&) = default;
    NetSolver& operator=(const NetSolver&) = default;
    NetSolver& operator=(NetSolver&&) = default;
};

/// The structure has the settings' factors multiplied in.
[[nodiscard]] std::unique_ptr<NetSolver> make_force_solver(const NetStructure& structure,
                                                           const NetSettings& settings);
[[nodiscard]] std::unique_ptr<NetSolver> make_position_solver(const NetStructure& structure,
                                                              const NetSettings& settings);
[[nodiscard]] std::unique_ptr<NetSolver> make_implicit_solver(const NetStructure& structure,
                                                              const NetSettings& settings);

namespace net {

/// With positions, what a tether gives beyond the length of the links that it is for.
inline constexpr double tether_slack = 0.01;

/// A structure with the factors of settings multiplied in.
[[nodiscard]] NetStructure scaled(NetStructure structure, const NetSettings& settings);

/// The pinned points of a structure, in order.
[[nodiscard]] std::vector<std::uint32_t> pinned_points(const NetStructure& structure);

/// 1 over each mass; 0 of what is pinned.
[[nodiscard]] std::vector<double> inverse_masses(const NetStructure& structure);

/// The damping that positions use, over stiffness and h. Satisfying links in one fixed order adds
/// energy to a stiff cloth; with less damping than 0.42 its energy grew (8 to 64 points a side, up
/// to 1e9 N/m).
[[nodiscard]] inline double position_damping(double stiffness, double damping, double h) noexcept {
    constexpr double least = 0.6;
    const double wanted = damping / (stiffness * h);
    return wanted > least ? wanted : least;
}

/// The second-order backward difference from what has been: x1 = x + h v1, v1 = v + h a(x1).
///
/// Source  docs/nets.md (5), at steps that change by a ratio r; r = 0 is implicit Euler.
struct BackwardDifference {
    BackwardDifference(const NetState& state, double dt) noexcept {
        const double ratio = state.dt_before > 0 ? dt / state.dt_before : 0;
        const double r = ratio <= 2 ? ratio : 0;
        const double below = 1 / (1 + 2 * r);
        now = (1 + r) * (1 + r) * below;
        before = r * r * below;
        h = dt * (1 + r) * below;
    }
    [[nodiscard]] Vector3 at(const Vector3& latest, const Vector3& one_before) const noexcept {
        return latest * now - one_before * before;
    }
    double now;
    double before;
    double h;
};

/// How far a link is from its range: above 0 too long, below 0 too short.
[[nodiscard]] inline double excess_of(const NetLink& link, double length) noexcept {
    if (length > link.longest_m) return length - link.longest_m;
    return length < link.shortest_m ? length - link.shortest_m : 0;
}

/// Where the points are at the end of a substep. Their velocity is (moved - base) / h.
struct StepEnd {
    std::span<const Vector3> base;
    std::span<const Vector3> moved;
    std::span<const double> inverse_masses;
    double h;
};
/// A point's history as if it had always had this acceleration, up to where and how fast it is now.
void restart(NetState& state, std::size_t point, const Vector3& acceleration, double dt) noexcept;
/// Gives a pinned point that moved from a place within dt the velocity and history of even motion.
void finish_pin(NetState& state, std::uint32_t point, const Vector3& from, double dt) noexcept;
/// Positions and velocities at the end of a substep, without inward velocity at contacts, and the
/// history for the next one. False where it diverged.
[[nodiscard]] bool finish_step(NetState& state, const StepEnd& end,
                               const NetSubstep& substep) noexcept;

}  // namespace net
}  // namespace hopcoil
