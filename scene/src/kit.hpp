#pragma once

#include <array>
#include <cstddef>
#include <variant>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/scene/any_mover.hpp>
#include <hopcoil/scene/value_array.hpp>

#include "row.hpp"

/// @file
/// What a running scene has to know of each type of value.

namespace hopcoil::scene {

/// A settle curve for each number.
template <std::size_t n>
class SettleRow {
  public:
    SettleRow(const SettleParameters& numbers, const Row<n>& start)
        : SettleRow{numbers, start, std::make_index_sequence<n>{}} {
        for (std::size_t i = 0; i < n; ++i)
            curves_[i].set_stops(numbers.stops.at(i));
    }

    StepStatus step(const Row<n>& target, double dt) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.step(target.numbers[i], dt); });
    }
    StepStatus jump(const Row<n>& target) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.jump(target.numbers[i]); });
    }
    StepStatus cut(const Row<n>& target) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.cut(target.numbers[i]); });
    }
    StepStatus push(const Row<n>& velocity) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.push(velocity.numbers[i]); });
    }
    [[nodiscard]] Row<n> value() const noexcept {
        return row([](const SettleCurve& curve) { return curve.value(); });
    }
    [[nodiscard]] Row<n> velocity() const noexcept {
        return row([](const SettleCurve& curve) { return curve.velocity(); });
    }
    [[nodiscard]] Row<n> target() const noexcept {
        return row([](const SettleCurve& curve) { return curve.target(); });
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(curves_);
    }

  private:
    template <std::size_t... i>
    SettleRow(const SettleParameters& numbers, const Row<n>& start, std::index_sequence<i...>)
        : curves_{SettleCurve{numbers.tuning, start.numbers[i]}...} {}

    template <class Change>
    StepStatus each(const Change& change) noexcept {
        StepStatus status = StepStatus::stepped;
        for (std::size_t i = 0; i < n; ++i) {
            if (const StepStatus one = change(curves_[i], i); one != StepStatus::stepped)
                status = one;
        }
        return status;
    }
    template <class Read>
    [[nodiscard]] Row<n> row(const Read& read) const noexcept {
        Row<n> result;
        for (std::size_t i = 0; i < n; ++i)
            result.numbers[i] = read(curves_[i]);
        return result;
    }

    std::array<SettleCurve, n> curves_;
};

template <class T>
struct Kit;

template <>
struct Kit<double> {
    using Velocity = double;
    using Movers = AnyMover;
    static SettleCurve settle(const SettleParameters& numbers, double start) {
        SettleCurve curve{numbers.tuning, start};
        curve.set_stops(numbers.stops[0]);
        return curve;
    }
    static double value_from(const ValueArray& place) { return place[0]; }
    static double velocity_from(const ValueArray& place) { return place[0]; }
    static ValueArray place_of(double value) { return value; }
};

template <std::size_t n>
struct Kit<Row<n>> {
    using T = Row<n>;
    using Velocity = T;
    using Movers =
        std::variant<Follower<T>, Glide<T>, Pursuit<T>, SettleRow<n>, CurveMove<T>, Cascade<T>,
                     Coast<T>, SteppedFollower<T>, BoundedFollower<T>, SizeFollower<T>>;
    static SettleRow<n> settle(const SettleParameters& numbers, const T& start) {
        return {numbers, start};
    }
    static T value_from(const ValueArray& place) {
        T row;
        for (std::size_t i = 0; i < n; ++i)
            row.numbers[i] = place[i];
        return row;
    }
    static T velocity_from(const ValueArray& place) { return value_from(place); }
    static ValueArray place_of(const T& row) {
        ValueArray place;
        for (std::size_t i = 0; i < n; ++i)
            place[i] = row.numbers[i];
        return place;
    }
};

template <>
struct Kit<Quaternion> {
    using Velocity = Vector3;
    using Movers = std::variant<RotationFollower, RotationGlide, RotationPursuit, RotationCurve>;
    static Quaternion value_from(const ValueArray& place) {
        return {place[0], place[1], place[2], place[3]};
    }
    static Vector3 velocity_from(const ValueArray& place) { return {place[0], place[1], place[2]}; }
    static ValueArray place_of(const Quaternion& q) { return ValueArray{{q.w, q.x, q.y, q.z}}; }
    static ValueArray place_of(const Vector3& v) { return ValueArray{{v.x, v.y, v.z, 0}}; }
};

}  // namespace hopcoil::scene
