#pragma once

#include <array>
#include <concepts>
#include <cstdint>
#include <span>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/build.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>

namespace hopcoil {

/// What a target angle means.
enum class AngleWay : std::uint8_t {
    shorter,   ///< a direction: the target has gone there the shorter way, across the seam
    as_given,  ///< whole turns count: 4 pi is two turns further
};

inline namespace HOPCOIL_BITS {

/// A mover of an angle, a Follower, Glide, Pursuit or CurveMove of one number: 179 degrees and -179
/// degrees are neighbours.
///
///     AngleFollower<float> vane{{.frequency_hz = 1, .damping_ratio = 0.3}, 0.f};
///     vane.step(wind_rad, dt);
///
/// Model   that of the mover. A target moves (step, jump) the shorter way from where it was, so one
///         that passes the opposite of the value is followed in the same direction; after a `cut`
///         the value takes the shorter way itself.
/// Shapes  one number.
/// Units   radians, radians per second; `value` and `target` in (-pi, pi], `turned` without
///         wrapping.
/// Errors  as the mover.
template <class Base>
requires std::floating_point<decltype(std::declval<const Base&>().value())>
class AngleMover : private Base {
    using S = typename Base::Scalar;

  public:
    using Inputs = S;
    using Parameters = typename Base::Parameters;
    using Base::at_rest;
    using Base::distance_to_target;
    using Base::rejected_inputs;
    using Base::retune;
    using Base::snap;  ///< with its turns
    using Base::still;
    using Base::try_retune;
    using Base::velocity;

    /// Errors  InvalidValue for an invalid tuning.
    AngleMover(const Parameters& tuning, S start_rad, AngleWay way = AngleWay::shorter)
        : Base{tuning, start_rad}, way_{way} {}

    StepStatus step(S target_rad, double dt) noexcept {
        return moved(target_rad, [&] { return Base::step(target_rad, dt); });
    }
    StepStatus step(S target_rad, const StepCoefficients& coefficients) noexcept requires
        std::same_as<Parameters, Tuning> {
        return moved(target_rad, [&] { return Base::step(target_rad, coefficients); });
    }
    StepStatus step(S target_rad, S target_velocity,
                    double dt) noexcept requires std::same_as<Parameters, Tuning> {
        return moved(target_rad, [&] { return Base::step(target_rad, target_velocity, dt); });
    }
    StepStatus jump(S target_rad) noexcept {
        return moved(target_rad, [&] { return Base::jump(target_rad); });
    }
    StepStatus cut(S target_rad) noexcept {
        if (way_ == AngleWay::as_given || !is_finite(target_rad)) return Base::cut(target_rad);
        const double before_rad = turned();
        const double gap = shorter_turn_rad(static_cast<double>(target_rad), before_rad);
        const StepStatus status = Base::resume({target_rad, static_cast<S>(gap), Base::velocity()});
        turns_rad_ += before_rad - turned();
        return status;
    }
    StepStatus push(S delta_velocity) noexcept requires requires(Base& base) { base.push(S{}); }
    { return Base::push(delta_velocity); }
    StepStatus reset(S value_rad) noexcept {
        const StepStatus status = Base::reset(value_rad);
        if (status == StepStatus::stepped) turns_rad_ = 0;
        return status;
    }

    /// Takes over from another mover of an angle, on the way that it was going.
    StepStatus resume(const Motion<S>& motion) noexcept {
        const StepStatus status = Base::resume(motion);
        if (status == StepStatus::stepped) turns_rad_ = 0;
        return status;
    }
    /// The target and value may be beyond (-pi, pi]; their difference is the way still to go.
    [[nodiscard]] const Motion<S>& motion() const noexcept { return Base::motion(); }

    [[nodiscard]] S value() const noexcept { return wrapped(Base::value()); }
    [[nodiscard]] S target() const noexcept { return wrapped(Base::target()); }
    /// The value with every turn it has made since its start, for counting them.
    [[nodiscard]] double turned() const noexcept {
        return static_cast<double>(Base::target()) + static_cast<double>(Base::motion().gap) +
               turns_rad_;
    }

    /// Where the target is when `part` (0 to 1) of the time of a step to `target_rad` has passed.
    [[nodiscard]] S target_on_way(S target_rad, double part) const noexcept {
        const bool is_straight = way_ == AngleWay::as_given || Base::takes_target_at_once;
        if (is_straight) return Base::target_on_way(target_rad, part);
        const auto from = static_cast<double>(Base::target());
        return static_cast<S>(from +
                              part * shorter_turn_rad(from, static_cast<double>(target_rad)));
    }

    [[nodiscard]] const Parameters& tuning() const noexcept { return Base::tuning(); }
    [[nodiscard]] auto target_velocity() const noexcept requires requires(const Base& base) {
        base.target_velocity();
    }
    { return Base::target_velocity(); }
    [[nodiscard]] double energy() const noexcept requires HasEnergy<Base> { return Base::energy(); }

    [[nodiscard]] static std::span<const Channel> channels() noexcept {
        static constexpr std::array<Channel, 3> all{{{.name = "value", .unit = "rad"},
                                                     {.name = "velocity", .unit = "rad_per_s"},
                                                     {.name = "target", .unit = "rad"}}};
        return all;
    }
    void read(std::span<double> numbers) const noexcept {
        read_components<S>({value(), velocity(), target()}, numbers);
    }
    [[nodiscard]] static std::span<const Dial<AngleMover>> dials() noexcept {
        return dials_through_tuning<AngleMover>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("angle 1");
        Base::visit_state(fields);
        fields(turns_rad_);
    }

  private:
    [[nodiscard]] static S wrapped(S angle_rad) noexcept {
        return static_cast<S>(wrapped_rad(static_cast<double>(angle_rad)));
    }

    /// Moves with the frame of angles turned so that the target comes the shorter way.
    template <class Move>
    StepStatus moved(S target_rad, const Move& move) noexcept {
        const S from = Base::target();
        if (way_ == AngleWay::as_given || !is_finite(target_rad)) return move();
        const double travel =
            shorter_turn_rad(static_cast<double>(from), static_cast<double>(target_rad));
        const S start = static_cast<S>(static_cast<double>(target_rad) - travel);
        const double shift = static_cast<double>(from) - static_cast<double>(start);
        this->shift_target(start);
        const StepStatus status = move();
        if (status == StepStatus::stepped) {
            turns_rad_ += shift;
        } else {
            this->shift_target(from);
        }
        return status;
    }

    AngleWay way_;
    double turns_rad_ = 0.0;
};

template <std::floating_point S>
using AngleFollower = AngleMover<Follower<S>>;
/// Covers half of the angle to its target in every half-life.
template <std::floating_point S>
using AngleGlide = AngleMover<Glide<S>>;
/// Turns toward its target under caps on the rate of turning and on its change.
template <std::floating_point S>
using AnglePursuit = AngleMover<Pursuit<S>>;
/// Turns toward its target along a given curve.
template <std::floating_point S>
using AngleCurve = AngleMover<CurveMove<S>>;

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
