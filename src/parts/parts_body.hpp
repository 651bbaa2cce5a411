#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/placement.hpp>
#include <hopcoil/parts/parts_structure.hpp>

#include "parts_math.hpp"

namespace hopcoil {
namespace parts {

/// A part as it is stepped: its frame lies in the centre of mass, along the principal axes.
struct Body {
    // Its numbers.
    Placement own{};  ///< this frame in the part's
    double mass = 0;
    double inverse_mass = 0;  ///< 0: nothing moves it
    Vector3 inertia{};
    Vector3 inverse_inertia{};
    double drag_per_s = 0;
    double turning_drag_per_s = 0;
    double friction = 0.5;
    double restitution = 0;
    double rolling_m = 0;
    double radius = 0.1;   ///< of what it is made of, about its centre
    bool is_flat = false;  ///< moves in the XY plane and turns about z only

    // Its motion.
    Vector3 position{};
    Quaternion rotation{};
    Vector3 velocity{};
    Vector3 momentum{};  ///< angular, about its centre; of what is driven, its angular velocity
    double slow_s = 0;   ///< for how long it has been slow
    bool is_asleep = false;
    std::uint32_t island = 0;  ///< what sleeps with it has the same

    // Of the substep: as it began, and what then holds throughout.
    Vector3 from{};
    Vector3 velocity_from{};
    Vector3 momentum_from{};
    Matrix3 inverse{};  ///< of the inertia, in the world; zero for what nothing moves
    double inverse_now = 0;
    Vector3 impulse_s{};  ///< impulses, each times the time since it acted
    Vector3 turning_s{};

    [[nodiscard]] bool moves() const noexcept { return inverse_now > 0; }
    [[nodiscard]] Vector3 angular_velocity() const noexcept;
    /// The angular momentum at an angular velocity.
    [[nodiscard]] Vector3 momentum_of(const Vector3& spin) const noexcept;
    /// The same within a substep.
    [[nodiscard]] Vector3 spin() const noexcept {
        if (inverse_mass == 0) return momentum;
        return inverse * momentum;
    }
    [[nodiscard]] Vector3 velocity_at(const Vector3& arm) const noexcept {
        return velocity + cross(spin(), arm);
    }
    /// An impulse at an arm from its centre, `h` seconds before the substep ends: it changes the
    /// velocity now, the position with the next `catch_up`.
    void strike(const Vector3& impulse, const Vector3& arm, double h) noexcept {
        change(impulse, cross(arm, impulse), h);
    }
    void change(const Vector3& impulse, const Vector3& turning, double h) noexcept;
    void catch_up() noexcept;
    /// Begins a substep: computes what is constant in it.
    void begin() noexcept;
    /// Advances by its own motion and free rotation.
    void move(double h) noexcept;
    /// Moves it without changing its velocity.
    void shift(const Vector3& impulse, const Vector3& turning) noexcept;
    [[nodiscard]] double kinetic_energy() const noexcept;
    /// The mean of that before and after the substep; and that of the mean motion, which a smooth
    /// force leaves nearer to what it is in between.
    [[nodiscard]] double mean_kinetic_energy() const noexcept;
    [[nodiscard]] double kinetic_energy_of_mean() const noexcept;
};

inline void catch_up(std::span<Body> bodies) noexcept {
    for (Body& body : bodies)
        body.catch_up();
}

/// A body for each part, and one at the end that never moves: the world.
[[nodiscard]] std::vector<Body> bodies_of(const PartsStructure& structure);

/// Of each part.
[[nodiscard]] std::vector<MassProperties> masses_of(const PartsStructure& structure);

/// The part's own frame.
[[nodiscard]] Placement placement_of(const Body& body) noexcept;
void place(Body& body, const Placement& part) noexcept;

/// How easily a body gives way at an arm along a direction.
[[nodiscard]] inline double give_of(const Body& body, const Vector3& arm,
                                    const Vector3& direction) noexcept {
    const Vector3 turning = cross(arm, direction);
    return body.inverse_now + dot(turning, body.inverse * turning);
}

}  // namespace parts
}  // namespace hopcoil
