#pragma once

#include <array>
#include <cmath>
#include <span>

#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/points/particle_settings.hpp>

#include "particle_kernels.hpp"

namespace hopcoil {

struct FlightState {
    Vector3 place{};
    Vector3 velocity{};
};

struct FlightOutcome {
    bool meets = false;  ///< it does not fly freely
    bool hits = false;   ///< it meets what it has not slid on before
    bool rests = false;
    double hit_after_s = 0;  ///< the first time that it meets something
    Vector3 hit_place{};
    Vector3 hit_velocity{};  ///< before it
};

/// The flight of one particle, and the obstacles in its way.
class ParticleSurfaces {
  public:
    ParticleSurfaces(std::span<const ContactShape> shapes, const Ground* ground,
                     const ParticleSettings& settings) noexcept;
    /// A step of h seconds, which most particles take, and how much later than its end shapes and
    /// ground are given: what depends only on these is computed once.
    void set_step(double h, double remaining_s) noexcept;

    /// Flies for h seconds, and off whatever is met.
    FlightOutcome fly(FlightState& now, const Vector3& wind, double h) const noexcept;

    /// Whether there is nothing but a level floor, and whether that carries what rests at a height.
    [[nodiscard]] bool is_floor_alone() const noexcept { return is_level_ && shapes_.empty(); }
    /// Of particles that touch it.
    [[nodiscard]] double floor_m() const noexcept { return floor_m_; }
    [[nodiscard]] bool is_on_floor(double height) const noexcept {
        return std::abs(height - floor_m_) < resting_m;
    }
    /// Whether something that does not move carries what rests at a place.
    [[nodiscard]] bool supports(const Vector3& place) const noexcept;
    /// Whether something moves over a place in the step.
    [[nodiscard]] bool sweeps(const Vector3& place) const noexcept;

    /// A whole step of what meets nothing in it.
    [[nodiscard]] const FreeFlight& free_flight() const noexcept { return free_; }
    /// Nothing is met above this height.
    [[nodiscard]] double clear_above_m() const noexcept { return clear_above_m_; }

  private:
    static constexpr double resting_m = 2e-4;  ///< from what carries it
    struct Surface {
        double metres;
        Vector3 normal;
        Vector3 velocity;
        double friction;
    };
    /// So long before the step ends.
    [[nodiscard]] Surface nearest(const Vector3& place, double before_s) const noexcept;
    [[nodiscard]] Surface met(const FlightState& now, double before_s) const noexcept;
    [[nodiscard]] Surface ground_near(const Vector3& place, double ahead_s) const noexcept;
    [[nodiscard]] double first_ground(const Vector3& from, const Vector3& to) const noexcept;
    [[nodiscard]] Surface surface_of(const ContactShape& shape, const Vector3& place,
                                     double before_s) const noexcept;
    [[nodiscard]] Surface surface_seen(const GroundDistance& near, const Vector3& place,
                                       double ahead_s) const noexcept;
    [[nodiscard]] FlightState after(const FlightState& from, const Vector3& wind,
                                    double h) const noexcept;
    /// The part of a straight path in the rest of the step at which a surface is met; above 1 where
    /// none is.
    [[nodiscard]] double first_contact(const Vector3& from, const Vector3& to,
                                       double left_s) const noexcept;
    [[nodiscard]] double first_solid(const Vector3& from, const Vector3& to,
                                     double left_s) const noexcept;
    [[nodiscard]] double first_wall(const Vector3& from, const Vector3& to) const noexcept;
    /// The same for a surface at rest relative to the path.
    enum class Convexity { any, convex };
    template <class Find>
    [[nodiscard]] double part_until(const Vector3& from, const Vector3& to, Convexity convexity,
                                    const Find& surface_at) const noexcept;
    void bounce(FlightState& now, const Surface& surface) const noexcept;
    bool slide(FlightState& now, const Surface& surface, const Vector3& wind,
               double h) const noexcept;

    std::span<const ContactShape> shapes_;
    const Ground* ground_;
    const ParticleSettings& settings_;
    bool is_level_ = false;  ///< the ground; particles then stop at the floor
    double floor_m_ = 0;
    double remaining_s_ = 0;
    double clear_above_m_ = 0;
    FreeFlight free_{};
    mutable std::array<GroundBox, 16> boxes_{};  ///< room for those near a way
};

}  // namespace hopcoil
