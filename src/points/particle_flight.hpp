#pragma once

#include <span>

#include <hopcoil/field/ground.hpp>
#include <hopcoil/points/contact_shape.hpp>
#include <hopcoil/points/particle_settings.hpp>

namespace hopcoil {

struct FlightState {
    Vector3 place{};
    Vector3 velocity{};
};

struct FlightOutcome {
    bool hit = false;
    bool rests = false;
    double hit_after_s = 0;  ///< the first hit
    Vector3 hit_place{};
    Vector3 hit_velocity{};  ///< before it
};

/// How one particle flies, and what is in its way.
class ParticleSurfaces {
  public:
    ParticleSurfaces(std::span<const ContactShape> shapes, const Ground* ground,
                     const ParticleSettings& settings) noexcept
        : shapes_{shapes}, ground_{ground}, settings_{settings}, whole_s_{0}, whole_gone_{0} {}
    /// The step that most of them take, whose numbers are computed once.
    void set_whole_step(double h) noexcept;
    /// Shapes are where they will be so much later.
    void set_time(double remaining_s) noexcept { remaining_s_ = remaining_s; }

    /// For h seconds, off whatever is met on the way.
    FlightOutcome fly(FlightState& now, const Vector3& wind, double h) const noexcept;

  private:
    struct Surface {
        double metres;
        Vector3 normal;
        Vector3 velocity;
        double friction;
    };
    [[nodiscard]] Surface nearest(const Vector3& place) const noexcept;
    [[nodiscard]] FlightState after(const FlightState& from, const Vector3& wind,
                                    double h) const noexcept;
    /// The part of a straight way at which a surface is met; above 1 where none is.
    [[nodiscard]] double first_contact(const Vector3& from, const Vector3& to) const noexcept;
    void bounce(FlightState& now, const Surface& surface) const noexcept;
    bool slide(FlightState& now, const Surface& surface, double h) const noexcept;

    std::span<const ContactShape> shapes_;
    const Ground* ground_;
    const ParticleSettings& settings_;
    double whole_s_;
    double whole_gone_;
    double remaining_s_ = 0;
};

}  // namespace hopcoil
