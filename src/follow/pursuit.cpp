#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/pursuit.hpp>

namespace hopcoil {
namespace {

constexpr std::array<Dial<PursuitTuning>, PursuitTuning::dial_count> pursuit_dials{
    field_dial<&PursuitTuning::max_speed, PursuitTuning>({.path = "max_speed",
                                                          .unit = "per s",
                                                          .hard = {0, endless},
                                                          .slider = {0.1, 20},
                                                          .scale = DialScale::logarithmic}),
    field_dial<&PursuitTuning::max_acceleration, PursuitTuning>(
        {.path = "max_acceleration",
         .unit = "per s2",
         .hard = {0, std::numeric_limits<double>::infinity()},
         .slider = {0.1, 100},
         .scale = DialScale::logarithmic})};

}  // namespace

std::span<const Dial<PursuitTuning>> PursuitTuning::dials() noexcept {
    return pursuit_dials;
}

bool is_valid(const PursuitTuning& tuning) noexcept {
    return std::isfinite(tuning.max_speed) && tuning.max_speed > 0 && tuning.max_acceleration > 0;
}

void require_valid(const PursuitTuning& tuning) {
    require_above_zero("max_speed", tuning.max_speed);
    if (!(tuning.max_acceleration > 0)) {
        throw InvalidValue{"max_acceleration", tuning.max_acceleration,
                           "a number above 0, or infinity for no cap"};
    }
}

PursuitPlan plan_pursuit(double way, double speed_along, double speed_across,
                         const PursuitTuning& tuning) noexcept {
    const double speed = tuning.max_speed;
    const double acceleration = tuning.max_acceleration;
    if (speed_across == 0 || std::isinf(acceleration)) {
        return {{way, speed_along, speed, acceleration}, {}};
    }
    // The share of the caps that goes across, so that both stop at the same time.
    const auto with_share = [&](double share) -> PursuitPlan {
        const double rest = math::sqrt((1 - share) * (1 + share));
        return {{way, speed_along, speed * rest, acceleration * rest},
                {0, speed_across, speed * share, acceleration * share}};
    };
    double low = 0;
    double high = 1;
    PursuitPlan plan = with_share(0.5);
    for (int i = 0; i < 40; ++i) {
        const double share = 0.5 * (low + high);
        plan = with_share(share);
        (plan.across.duration_s() > plan.along.duration_s() ? low : high) = share;
    }
    return plan;
}

}  // namespace hopcoil
