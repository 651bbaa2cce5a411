#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/points/net_structure.hpp>
#include <hopcoil/stepping/scheme.hpp>

namespace hopcoil {

/// How a net is stepped.
enum class NetMethod : std::uint8_t {
    /// Forces while their stable step allows it, otherwise positions, or implicit with heavy balls.
    automatic,
    forces,     ///< accelerations, stepped by any scheme; exact for small steps, and can diverge
    positions,  ///< links satisfied one after the other, in small substeps; never diverges
    implicit,   ///< all links at once, at the end of the step; never diverges
};

/// What is known of a method beforehand.
struct NetMethodFacts {
    NetMethod method = NetMethod::automatic;
    std::string_view name{};      ///< as in files
    std::string_view in_words{};  ///< one line
    std::string_view conserves{};
};
[[nodiscard]] const NetMethodFacts& facts_of(NetMethod method) noexcept;

/// The numbers of a net besides its structure.
struct NetSettings {
    NetMethod method = NetMethod::automatic;
    Scheme scheme = Scheme::semi_implicit_euler;  ///< of forces
    std::size_t substeps = 0;                     ///< of each frame; 0 chooses
    double frame_s = 1.0 / 60;                    ///< the step that substeps are chosen for
    double height_error_percent = 2.0;            ///< of positions, that substeps are chosen for
    std::size_t iterations = 8;                   ///< of implicit, a step
    bool has_tethers = true;  ///< positions: no point further from its pin than links reach

    Vector3 gravity{0, -9.80665, 0};
    double drag_per_s = 0.0;  ///< of all velocities, as in still water; besides the air
    double air_density_kg_per_m3 = 1.2;
    double drag_coefficient = 1.2;
    double lift_coefficient = 0.6;

    double thickness_m = 0.005;  ///< distance that points keep from what they touch
    double friction = 0.5;       ///< on the ground, among points and balls
    bool has_self_contact = false;
    double contact_distance_m = 0.0;  ///< between points of the net; 0: 0.8 of the shortest link

    /// Over the stiffness of all links, of all bends, and over all damping, as built.
    double stiffness_factor = 1.0;
    double bending_factor = 1.0;
    double damping_factor = 1.0;

    static constexpr std::size_t dial_count = 12;
    [[nodiscard]] static std::span<const Dial<NetSettings>> dials() noexcept;
};
/// Errors  InvalidValue names the field, its value and its range.
void require_valid(const NetSettings& settings);
[[nodiscard]] bool is_valid(const NetSettings& settings) noexcept;

/// How a net with such settings is stepped, and why.
struct NetPlan {
    NetMethod method = NetMethod::forces;
    std::size_t substeps = 1;    ///< of a frame of frame_s
    double stable_step_s = 0.0;  ///< of forces with their scheme; what would diverge above
    /// How many substeps a frame would take with forces.
    std::size_t force_substeps = 1;
    /// Positions: how much lower than its material would let it the net will hang, predicted from
    /// the substeps; in percent of the distance from its pins.
    double excess_percent = 0.0;
};
/// Model   docs/nets.md: forces with the stable step of the largest row sum; positions with
///         substeps for which the excess is `height_error_percent`.
/// Errors  InvalidValue for invalid settings or an invalid structure.
[[nodiscard]] NetPlan plan_for(const NetStructure& structure, const NetSettings& settings);

}  // namespace hopcoil
