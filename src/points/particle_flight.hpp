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
        : shapes_{shapes}, ground_{ground}, settings_{settings} {}
    /// A step of h seconds, which most of them take, and how much later than its end shapes and
    /// ground are given: what depends on these alone is computed once.
    void set_step(double h, double remaining_s) noexcept;

    /// For h seconds, off whatever is met on the way.
    FlightOutcome fly(FlightState& now, const Vector3& wind, double h) const noexcept;

    /// For a whole step, where nothing can be met on the way. Whether that is so; else nothing is
    /// changed.
    bool fly_freely(Vector3& place, Vector3& velocity, const Vector3& wind) const noexcept {
        if (!shapes_.empty()) return false;
        const FlightState next = after_whole_step({place, velocity}, wind);
        if (!(place.y > clear_above_ && next.place.y > clear_above_)) return false;
        place = next.place;
        velocity = next.velocity;
        return true;
    }

  private:
    struct Surface {
        double metres;
        Vector3 normal;
        Vector3 velocity;
        double friction;
    };
    [[nodiscard]] Surface nearest(const Vector3& place) const noexcept;
    [[nodiscard]] FlightState after_whole_step(const FlightState& from,
                                               const Vector3& wind) const noexcept {
        if (!is_whole_smooth_) return after(from, wind, whole_s_);
        const Vector3 terminal = wind + whole_fall_;
        const Vector3 beyond = from.velocity - terminal;
        return {from.place + terminal * whole_s_ + beyond * whole_way_s_,
                from.velocity - beyond * whole_gone_};
    }
    [[nodiscard]] FlightState after(const FlightState& from, const Vector3& wind,
                                    double h) const noexcept;
    /// The part of a straight way at which a surface is met; above 1 where none is.
    [[nodiscard]] double first_contact(const Vector3& from, const Vector3& to) const noexcept;
    void bounce(FlightState& now, const Surface& surface) const noexcept;
    bool slide(FlightState& now, const Surface& surface, double h) const noexcept;

    std::span<const ContactShape> shapes_;
    const Ground* ground_;
    const ParticleSettings& settings_;
    double remaining_s_ = 0;
    double whole_s_ = 0;
    double whole_gone_ = 0;         ///< 1 - e^(-drag h)
    double whole_way_s_ = 0;        ///< that over the drag
    Vector3 whole_fall_{};          ///< the speed at which drag holds gravity
    bool is_whole_smooth_ = false;  ///< that there is drag enough for these
    double clear_above_ = 0;        ///< nothing is met above this height
};

}  // namespace hopcoil
