#pragma once

#include <array>
#include <cstddef>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/gait/brachiator_settings.hpp>
#include <hopcoil/gait/foot_swing.hpp>

namespace hopcoil {

/// Where a leap starts or ends: a body at rest.
struct LeapEnd {
    SwingPoint body{};    ///< the centre of mass
    bool is_on_feet{};    ///< else it hangs by its hands
    double sway_m = 0.0;  ///< how far its hands let it swing to and fro
};

/// The path of the centre of mass in a leap, planned before it begins.
///
/// Model   it gathers (crouches, or swings back), pushes or pulls itself off, flies ballistically,
///         is stopped by legs or arms, and comes to rest. Between two of the points each
///         coordinate is a quintic; those of the flight meet gravity at both ends and so are
///         parabolas. Place, velocity and acceleration are continuous.
/// Units   metres; seconds from the start.
struct LeapPlan {
    enum Moment : std::size_t { start, gathered, off, on, lowest, end };
    static constexpr std::size_t moment_count = 6;

    std::array<SwingPoint, moment_count> points{};
    std::array<double, moment_count> times_s{};
    bool is_in_reach = false;  ///< within the speeds that its limbs bear; else nothing else is said

    [[nodiscard]] SwingPoint at(double time_s) const noexcept;
    /// Whether each moment comes after the one before.
    [[nodiscard]] bool is_timed() const noexcept;
    [[nodiscard]] double flight_s() const noexcept { return times_s[on] - times_s[off]; }

    template <class Fields>
    void visit_state(Fields& fields) {
        for (SwingPoint& point : points)
            fields(point.position, point.velocity, point.acceleration);
        fields(times_s, is_in_reach);
    }
};
[[nodiscard]] LeapPlan plan_leap(const BrachiatorSettings& settings, const LeapEnd& from,
                                 const LeapEnd& to) noexcept;

/// The height of the centre of mass over the soles, standing.
[[nodiscard]] double standing_height_m(const BrachiatorSettings& settings) noexcept;

}  // namespace hopcoil
