#pragma once

#include <array>
#include <concepts>
#include <cstddef>
#include <span>
#include <type_traits>
#include <utility>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/detail/cubic_way.hpp>
#include <hopcoil/follow/detail/event_list.hpp>
#include <hopcoil/follow/event.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Steps a mover and reports what happened, at its exact time inside the step.
///
///     Watcher lid{Follower<double>{tuning, 0.0}, marks};
///     lid.step(target, dt);
///     for (const Event& event : lid.events()) if (event.kind == EventKind::reached) click();
///
/// Model   the step is tried on copies: looked at in `looks` even parts for a change of sign, then
///         halved down to where it is, to 1e-12 of the step. Of two turns within one part neither
///         is seen. Events of one step come in order of time; the first `most_events` are kept.
/// Shapes  any mover. Marks and turns are those of one number; an angle passes a mark, which is a
///         direction, each time it comes through there. A value of several numbers has reached its
///         target once it is within the distance of rest.
/// Errors  none while stepping; a rejected step reports nothing.
/// Cost    some ten steps of the mover where nothing happens, fifty more an event.
template <class M>
class Watcher {
  public:
    using Value = decltype(std::declval<const M&>().value());
    using Inputs = typename M::Inputs;
    static constexpr std::size_t most_events = 16;
    static constexpr std::size_t most_marks = 8;

    /// At most `most_marks` marks; further ones are ignored.
    explicit Watcher(M mover, std::span<const double> marks = {}, const RestLimits& rest = {})
        : mover_{std::move(mover)},
          before_{mover_},
          last_{mover_},
          next_{mover_},
          probe_{mover_},
          rest_{rest},
          aim_{mover_.target()} {
        for (const double mark : marks) {
            if (mark_count_ < most_marks) marks_[mark_count_++] = mark;
        }
        resting_ = is_resting(mover_);
        arrived_ = is_there(mover_);
    }

    StepStatus step(const Inputs& target, double dt) noexcept {
        before_ = mover_;
        return look_into(mover_.step(target, dt), dt, [&](M& there, double time_s) {
            there.step(before_.target_on_way(target, time_s / dt), time_s);
        });
    }
    /// The target has gone along a cubic, to a velocity that is known.
    StepStatus step(const Inputs& target, const Inputs& target_velocity,
                    double dt) noexcept requires requires(M& m, const Inputs& x) {
        m.step(x, x, 0.0);
        m.target_velocity();
    }
    {
        before_ = mover_;
        const Inputs from = before_.target();
        const Inputs to = before_.target_on_way(target, 1);
        const auto known = before_.target_velocity();
        const Inputs first =
            known ? *known : scaled(Inputs{to - from}, static_cast<ScalarIn<Inputs>>(1 / dt));
        return look_into(mover_.step(target, target_velocity, dt), dt,
                         [&](M& there, double time_s) {
                             if (!known) there.step(from, first, 0.0);
                             const CubicWay<Inputs> way{from, first, to, target_velocity, dt};
                             there.step(way.place(time_s), way.velocity(time_s), time_s);
                         });
    }

    /// What counts as rest from now on.
    void set_rest_limits(const RestLimits& rest) noexcept { rest_ = rest; }
    [[nodiscard]] bool is_at_rest() const noexcept { return resting_; }

    /// The events of the last step, in order of time.
    [[nodiscard]] std::span<const Event> events() const noexcept { return events_.all(); }
    [[nodiscard]] const M& mover() const noexcept { return mover_; }
    /// The mover, for what is not a step: push, jump, cut, retune.
    [[nodiscard]] M& mover() noexcept { return mover_; }
    [[nodiscard]] Value value() const noexcept { return mover_.value(); }
    [[nodiscard]] auto velocity() const noexcept { return mover_.velocity(); }
    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("watcher 1");
        fields(mover_, aim_, resting_, arrived_);
        fields(events_);
    }

  private:
    static constexpr int looks = 8;
    static constexpr bool is_number = std::floating_point<Value>;

    /// What a step did, looked into by `go`, which takes a copy of the mover before it part of the
    /// way. All copies are kept, so that none allocates.
    template <class Go>
    StepStatus look_into(StepStatus status, double dt, const Go& go) noexcept {
        events_.clear();
        if (status == StepStatus::rejected || status == StepStatus::diverged) return status;
        notice_new_aim();
        if (!(dt > 0)) return status;
        const auto at = [&](M& there, double time_s) -> const M& {
            there = before_;
            go(there, time_s);
            return there;
        };
        last_ = before_;
        double from_s = 0;
        for (int look = 1; look <= looks; ++look) {
            const double to_s = dt * look / looks;
            if (look == looks) {
                next_ = mover_;
            } else {
                at(next_, to_s);
            }
            compare(at, dt, from_s, to_s);
            std::swap(last_, next_);
            from_s = to_s;
        }
        events_.sort();
        return status;
    }

    /// Looks at the value that is shown: motion beyond the end of a range, or ahead of the last
    /// link of a cascade, does not count.
    [[nodiscard]] bool is_resting(const M& mover) const noexcept {
        if constexpr (is_number) {
            return is_within(mover.motion().gap, rest_.distance) &&
                   is_within(mover.velocity(), rest_.speed);
        } else {
            return mover.at_rest(rest_.distance, rest_.speed);
        }
    }
    [[nodiscard]] bool is_there(const M& mover) const noexcept {
        if constexpr (is_number) {
            return mover.motion().gap == 0;
        } else {
            return mover.distance_to_target() <= rest_.distance;
        }
    }

    /// A mover without a target input ends where its own numbers say, up to rounding.
    void notice_new_aim() noexcept {
        const Value aim = mover_.target();
        if constexpr (std::is_empty_v<Inputs>) {
            const Value moved = aim - aim_;
            if (is_within(moved, rest_.distance)) return;
        } else {
            if (is_same(aim, aim_)) return;
        }
        aim_ = aim;
        arrived_ = false;
    }

    /// When it happened, between two looks.
    template <class At, class Sign>
    void report(EventKind kind, std::size_t mark, const At& at, double dt, double from_s,
                double to_s, const Sign& has_happened) noexcept {
        double low = from_s;
        double high = to_s;
        while (high - low > 1e-12 * dt) {
            const double middle = 0.5 * (low + high);
            if (!(middle > low && middle < high)) break;
            (has_happened(at(probe_, middle)) ? high : low) = middle;
        }
        Event event{.kind = kind, .after_s = high, .mark = mark};
        if constexpr (is_number) event.value = static_cast<double>(at(probe_, high).value());
        events_.add(event);
    }

    template <class At>
    void compare(const At& at, double dt, double from_s, double to_s) noexcept {
        const M& next = next_;
        const auto tell = [&](EventKind kind, std::size_t mark, const auto& has_happened) {
            report(kind, mark, at, dt, from_s, to_s, has_happened);
        };
        if (resting_ && !is_resting(next)) {
            resting_ = false;
            tell(EventKind::started, 0, [this](const M& m) { return !is_resting(m); });
        }
        if constexpr (is_number) {
            compare_numbers(last_, next_, tell);
        } else if (!arrived_ && is_there(next)) {
            arrived_ = true;
            tell(EventKind::reached, 0, [this](const M& m) { return is_there(m); });
        }
        // At rest now, and at the end of the step as well: a swing passing through is not rest.
        if (!resting_ && is_resting(next) && is_resting(mover_)) {
            resting_ = true;
            tell(EventKind::settled, 0, [this](const M& m) { return is_resting(m); });
        }
    }

    template <class Tell>
    void compare_numbers(const M& last, const M& next, const Tell& tell) noexcept {
        const Value side = last.motion().gap;
        const auto met = [side](const M& m) {
            const Value gap = m.motion().gap;
            return gap == 0 || (side != 0 && (gap < 0) != (side < 0));
        };
        if (!arrived_ && met(next)) {
            arrived_ = true;
            tell(EventKind::reached, 0, met);
        }
        for (std::size_t i = 0; i < mark_count_; ++i) {
            const double mark = marks_[i];
            const double before = side_of_mark(mark, last);
            const auto passed = [mark, before](const M& m) {
                return side_of_mark(mark, m) != before;
            };
            if (passed(next)) tell(EventKind::passed_mark, i, passed);
        }
        if (last.velocity() == 0) return;
        const bool falling = last.velocity() < 0;
        const auto turned = [falling](const M& m) {
            return m.velocity() != 0 && (m.velocity() < 0) != falling;
        };
        if (turned(next)) tell(EventKind::turned, 0, turned);
    }

    M mover_;
    M before_;  ///< as the step began
    M last_;    ///< at the look before, at this one, and wherever else it is looked at
    M next_;
    M probe_;
    RestLimits rest_;
    std::array<double, most_marks> marks_{};
    std::size_t mark_count_ = 0;
    EventList<most_events> events_;
    Value aim_;
    bool resting_ = false;
    bool arrived_ = false;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
