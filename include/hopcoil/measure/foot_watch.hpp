#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/walker.hpp>

namespace hopcoil {

/// Figures of a walker's feet, at one time or the worst over many: whether its guarantees hold, and
/// at what cost.
struct FootFigures {
    double slip_m = 0.0;        ///< the most that a planted foot moved over what it stands on
    double reach = 0.0;         ///< the most of a leg that was used, in leg lengths
    double support_m = 1e9;     ///< the least margin of the body's middle in its support polygon
    double clearance_m = 1e9;   ///< the least height of a swing, not within 3 cm of its ends
    double legs_apart_m = 1e9;  ///< the least distance between lines from hip to sole
    double foot_acceleration = 0.0;   ///< the most, m/s^2
    std::uint32_t feet_up = 0;        ///< the most at once
    std::uint32_t steps_at_rest = 0;  ///< after 2 s of standing still

    /// Keeps the worse of both.
    void include(const FootFigures& other) noexcept;
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(slip_m, reach, support_m, clearance_m, legs_apart_m, foot_acceleration, feet_up,
               steps_at_rest);
    }
};

/// Looks at a walker after each of its steps.
///
///     FootWatch watch{walker};
///     walker.step(command, ground, Walker::tick_s);
///     watch.look(walker, ground);
///     watch.all().slip_m;  // 0
///
/// Model   the clearance is that of the sole's middle and four points of its rim over the ground
///         below them; accelerations are second differences over a tick or more.
/// Units   metres, seconds. Steps of a tick (1/240 s) see everything.
class FootWatch {
  public:
    explicit FootWatch(const Walker& walker) noexcept;
    void look(const Walker& walker, const Ground& ground) noexcept;
    [[nodiscard]] const FootFigures& now() const noexcept { return now_; }
    [[nodiscard]] const FootFigures& all() const noexcept { return all_; }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(feet_, stood_s_, time_s_, last_dt_, now_, all_);
    }

  private:
    struct Foot {
        bool planted = true;
        std::uint32_t part = 0;
        Vector3 on_part{};
        std::uint32_t lifted_part = 0;
        Vector3 lifted{};    ///< where it stood last, on that part
        Vector3 position{};  ///< at time_s_
        Vector3 velocity{};  ///< the mean over last_dt_
        bool has_velocity = false;

        template <class Fields>
        void visit_state(Fields& fields) {
            fields(planted, part, on_part, lifted_part, lifted, position, velocity, has_velocity);
        }
    };
    void look_at(std::size_t leg, const Walker& walker, const Ground& ground, double dt) noexcept;
    [[nodiscard]] static bool is_near_ends(const Foot& was, const WalkerFoot& foot,
                                           const Ground& ground) noexcept;
    void look_at_legs(const Walker& walker) noexcept;

    std::array<Foot, Walker::most_legs> feet_{};
    double stood_s_ = 0.0;
    double time_s_ = 0.0;   ///< of the last look that was a tick or more after the one before
    double last_dt_ = 0.0;  ///< from the one before to that
    FootFigures now_{};
    FootFigures all_{};
};

}  // namespace hopcoil
