#pragma once

#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/follow/follower.hpp>

namespace hopcoil {

/// A map that keeps one number in a range: unchanged in the middle, bent in the last `margin` of it
/// so that it meets the end with slope 0 and stays there.
///
/// Model   with t = (high - y) / margin in 0..1: shown = high - margin (2 t^2 - t^3), the end for
///         t < 0; likewise below.
struct RangeBend {
    double low = 0.0;
    double high = 1.0;
    double margin = 0.1;

    struct Shown {
        double value = 0.0;
        double slope = 1.0;
    };
    [[nodiscard]] Shown at(double y) const noexcept;
    /// The number that is shown as `shown`, which is in the range.
    [[nodiscard]] double inverse(double shown) const noexcept;
};
/// Errors  InvalidValue unless low < high, all finite, 0 < margin <= (high - low) / 2.
void require_valid(const RangeBend& bend);

inline namespace HOPCOIL_BITS {

/// A Follower of a quantity that must stay in a range, each number in its own: a colour in 0..1, a
/// lid between shut and open.
///
///     BoundedFollower<Colour> glow{tuning, {.low = black, .high = white}, black};
///
/// Model   a Follower in a coordinate that is the value itself but for the last tenth of the range
///         at either end, where it is bent so that the value meets the end smoothly and waits there
///         while the swing goes on beyond: value and velocity have no kink, and a target at the
///         very end is reached. Targets outside the range are taken to its end.
/// Shapes  any value whose numbers can be reached.
/// Errors  as Follower; InvalidValue for a range without width.
template <HasComponents T>
class BoundedFollower : private Follower<T> {
    using Base = Follower<T>;
    using Scalar = ScalarIn<T>;

  public:
    using Inputs = T;
    using Parameters = Tuning;
    using Base::at_rest;
    using Base::distance_to_target;
    using Base::push;
    using Base::rejected_inputs;
    using Base::retune;
    using Base::snap;
    using Base::still;
    using Base::try_retune;
    struct Range {
        T low;
        T high;
        double margin = 0.1;  ///< part of the range that is bent at either end, 0 to 0.5
    };

    BoundedFollower(const Tuning& tuning, const Range& range, T start)
        : Base{tuning, start}, range_{range} {
        for (std::size_t i = 0; i < component_count<T>(); ++i)
            require_valid(bend_of(i));
        Base::reset(unbent(start));
    }

    StepStatus step(T target, double dt) noexcept { return Base::step(unbent(target), dt); }
    StepStatus jump(T target) noexcept { return Base::jump(unbent(target)); }
    StepStatus cut(T target) noexcept { return Base::cut(unbent(target)); }
    StepStatus reset(T value) noexcept { return Base::reset(unbent(value)); }
    /// Takes over from another mover. A value in the bent part of the range keeps its velocity, as
    /// far as the bend lets it: not at the very end.
    StepStatus resume(const Motion<T>& motion) noexcept {
        const T place = unbent(motion.value());
        const T target = unbent(motion.target);
        const auto places = components_of(place);
        const T velocity = each_of(motion.velocity, [&](double v, std::size_t i) {
            const double slope = bend_of(i).at(static_cast<double>(places[i])).slope;
            return slope > least_slope ? v / slope : 0;
        });
        return Base::resume({target, place - target, velocity});
    }
    [[nodiscard]] Motion<T> motion() const noexcept {
        return {target(), value() - target(), velocity()};
    }

    [[nodiscard]] T value() const noexcept { return bent(Base::value()); }
    [[nodiscard]] T velocity() const noexcept {
        const auto place = components_of(Base::value());
        return each_of(Base::velocity(), [&](double v, std::size_t i) {
            return v * bend_of(i).at(static_cast<double>(place[i])).slope;
        });
    }
    [[nodiscard]] T target() const noexcept { return bent(Base::target()); }
    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] T target_on_way(const T& target, double part) const noexcept {
        return bent(Base::target_on_way(unbent(target), part));
    }

    [[nodiscard]] const Tuning& tuning() const noexcept { return Base::tuning(); }

    [[nodiscard]] static std::span<const Channel> channels() noexcept { return mover_channels<T>; }
    void read(std::span<double> numbers) const noexcept {
        read_components<T>({value(), velocity(), target()}, numbers);
    }
    [[nodiscard]] static std::span<const Dial<BoundedFollower>> dials() noexcept {
        return dials_through_tuning<BoundedFollower>();
    }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("bounded 1");
        Base::visit_state(fields);
    }

  private:
    static constexpr double least_slope = 1e-3;

    [[nodiscard]] RangeBend bend_of(std::size_t i) const noexcept {
        const auto low = static_cast<double>(components_of(range_.low)[i]);
        const auto high = static_cast<double>(components_of(range_.high)[i]);
        return {low, high, range_.margin * (high - low)};
    }

    template <class Change>
    [[nodiscard]] T each_of(const T& v, const Change& change) const noexcept {
        auto numbers = components_of(v);
        for (std::size_t i = 0; i < numbers.size(); ++i)
            numbers[i] = static_cast<Scalar>(change(static_cast<double>(numbers[i]), i));
        return with_components(v, numbers);
    }

    [[nodiscard]] T bent(const T& v) const noexcept {
        return each_of(v, [&](double y, std::size_t i) { return bend_of(i).at(y).value; });
    }
    [[nodiscard]] T unbent(const T& v) const noexcept {
        return each_of(v, [&](double shown, std::size_t i) { return bend_of(i).inverse(shown); });
    }

    Range range_;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
