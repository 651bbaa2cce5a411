#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/parts/parts.hpp>

#include "connections.hpp"
#include "contacts.hpp"
#include "islands.hpp"
#include "parts_air.hpp"
#include "parts_body.hpp"

namespace hopcoil {

/// Work space and state of a step.
struct PartsWorks {
    PartsWorks(const PartsStructure& structure, const PartsSettings& given);

    /// In smaller ones, where a motion is too fast for it.
    void substep(const PartsInputs& inputs, double h, double remaining_s) noexcept;
    /// Where driven parts go during the step; what they carry when that is too far. Whether any
    /// leaps.
    bool drive(std::span<const std::uint32_t> driven, std::span<const Placement> to, double dt,
               double h) noexcept;
    void carry(std::uint32_t driven, const Placement& to) noexcept;
    void aim(std::span<const JointTarget> targets, double dt) noexcept;
    void wake_ends(const parts::Connection& joint) noexcept;
    /// Not of what was made driven.
    [[nodiscard]] bool can_be_free(std::uint32_t body) const noexcept;
    /// Its velocity stays.
    void set_driven(std::uint32_t body, bool is_driven) noexcept;
    /// Whether it could follow the motion. Joints that cannot all be held count only where it need
    /// not continue; energy without a source always counts.
    bool try_substep(const PartsInputs& inputs, double h, double remaining_s, bool has_to) noexcept;
    void apply_forces(const PartsInputs& inputs, double h) noexcept;
    void move_on(double h) noexcept;
    /// Above the energy that there may be, of the substep's beginning.
    [[nodiscard]] double excess_j(double h) noexcept;
    [[nodiscard]] double energy_of_place() const noexcept;
    void remove_errors() noexcept;
    void note_impacts() noexcept;
    void stop_here() noexcept;
    /// What there is may be: after whatever is not a step.
    void allow_energy() noexcept;
    [[nodiscard]] double energy() const noexcept;
    void wake(std::uint32_t body) noexcept;
    void wake_all() noexcept;
    void wake_touched(const PartsInputs& inputs) noexcept;
    void wake_where_ground_moves(const Ground* ground) noexcept;
    [[nodiscard]] bool is_finite() const noexcept;

    PartsSettings settings;
    std::vector<parts::Body> bodies;
    std::vector<parts::Body> before;  ///< as they were before the substep
    std::vector<MassProperties> masses;
    parts::Connections connections;
    parts::Contacts contacts;
    parts::Islands islands;
    parts::PartsAir air;
    std::vector<PartContact> touches;  ///< for those who ask
    std::size_t touch_count = 0;
    std::vector<PartImpact> impacts;  ///< of the step, with room for the most there can be
    std::size_t impact_count = 0;
    std::vector<std::uint32_t> carried;
    std::vector<Placement> places;
    bool is_guarded = false;
    double allowed_j = 0;  ///< the energy that there was, and the work done since
    double given_j = 0;    ///< work by forces during the substep
    double last_work_j = 0;
    double scale_j = 0;  ///< the most that moved or was drawn, of late
};

}  // namespace hopcoil
