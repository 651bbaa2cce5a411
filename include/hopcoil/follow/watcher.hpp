#pragma once

#include <array>
#include <concepts>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/system.hpp>

namespace hopcoil {

enum class EventKind : std::uint8_t {
    started,      ///< left its rest
    reached,      ///< met its target for the first time since that was sent elsewhere
    passed_mark,  ///< went through a mark; `mark` says which
    turned,       ///< went from rising to falling or back
    settled,      ///< came to rest
};

/// Something that happened inside a step, and when.
struct Event {
    EventKind kind = EventKind::started;
    double after_s = 0.0;  ///< from the start of the step
    double value = 0.0;
    std::size_t mark = 0;
};

/// What counts as rest for `settled`.
struct RestLimits {
    double distance = 1e-3;
    double speed = 1e-2;
};

inline namespace HOPCOIL_BITS {

/// Steps a mover of one number and reports what happened, at its exact time inside the step.
///
///     Watcher lid{Follower<double>{tuning, 0.0}, marks};
///     lid.step(target, dt);
///     for (const Event& event : lid.events()) if (event.kind == EventKind::reached) click();
///
/// Model   the step is tried on copies: looked at in `looks` even parts for a change of sign, then
///         halved down to where it is, to 1e-12 of the step. Of two turns within one part neither
///         is seen. Events of one step come in order of time; the first `most_events` are kept.
/// Shapes  a mover whose value is one float or double.
/// Errors  none while stepping; a rejected step reports nothing.
/// Cost    some ten steps of the mover where nothing happens, fifty more an event. No allocation,
///         but for movers whose copies allocate.
template <class M>
requires std::floating_point<decltype(std::declval<const M&>().value())>
class Watcher {
  public:
    using Value = decltype(std::declval<const M&>().value());
    using Inputs = Value;
    static constexpr std::size_t most_events = 16;
    static constexpr std::size_t most_marks = 8;

    /// At most `most_marks` marks; those beyond are passed over.
    explicit Watcher(M mover, std::span<const double> marks = {}, const RestLimits& rest = {})
        : mover_{std::move(mover)}, rest_{rest} {
        for (const double mark : marks) {
            if (mark_count_ < most_marks) marks_[mark_count_++] = mark;
        }
        resting_ = is_resting(mover_);
        arrived_ = is_on_target(mover_);
        aim_ = mover_.target();
    }

    StepStatus step(Value target, double dt) noexcept {
        count_ = 0;
        const M before = mover_;
        if (target != aim_) arrived_ = false;
        aim_ = target;
        const StepStatus status = mover_.step(target, dt);
        if (status == StepStatus::rejected || !(dt > 0)) return status;
        M last = before;
        for (int look = 1; look <= looks; ++look) {
            const double from_s = dt * (look - 1) / looks;
            const double to_s = dt * look / looks;
            const M next = look == looks ? mover_ : at(before, target, dt, to_s);
            compare(before, target, dt, last, from_s, next, to_s);
            last = next;
        }
        sort_events();
        return status;
    }

    /// Of the last step, in order of time.
    [[nodiscard]] std::span<const Event> events() const noexcept {
        return {events_.data(), count_};
    }
    [[nodiscard]] const M& mover() const noexcept { return mover_; }
    /// For what is not a step: push, jump, cut, retune.
    [[nodiscard]] M& mover() noexcept { return mover_; }
    [[nodiscard]] Value value() const noexcept { return mover_.value(); }
    [[nodiscard]] Value velocity() const noexcept { return mover_.velocity(); }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void each_state(Fields& fields) {
        fields.begins("watcher 1");
        fields(mover_, aim_, resting_, arrived_);
        fields.up_to(events_.size(), count_);
        for (Event& event : events_) {
            fields.up_to(EventKind::settled, event.kind);
            fields(event.after_s, event.value, event.mark);
        }
    }

  private:
    static constexpr int looks = 8;

    [[nodiscard]] bool is_resting(const M& mover) const noexcept {
        const double gap = static_cast<double>(mover.value()) - static_cast<double>(mover.target());
        const auto speed = static_cast<double>(mover.velocity());
        return is_within(gap, rest_.distance) && is_within(speed, rest_.speed);
    }
    [[nodiscard]] static bool is_on_target(const M& mover) noexcept {
        return mover.value() == mover.target();
    }

    /// The mover `time_s` into the step: its target on the straight line there.
    [[nodiscard]] static M at(const M& before, Value target, double dt, double time_s) noexcept {
        M there = before;
        const auto start = before.target();
        there.step(start + (target - start) * static_cast<Value>(time_s / dt), time_s);
        return there;
    }

    /// When `sign` first differs from what it was, between two looks.
    template <class Sign>
    void report(EventKind kind, std::size_t mark, const M& before, Value target, double dt,
                double from_s, double to_s, const Sign& has_happened) noexcept {
        double low = from_s;
        double high = to_s;
        while (high - low > 1e-12 * dt) {
            const double middle = 0.5 * (low + high);
            if (!(middle > low && middle < high)) break;
            (has_happened(at(before, target, dt, middle)) ? high : low) = middle;
        }
        if (count_ == most_events) return;
        events_[count_++] = {kind, high, static_cast<double>(at(before, target, dt, high).value()),
                             mark};
    }

    void compare(const M& before, Value target, double dt, const M& last, double from_s,
                 const M& next, double to_s) noexcept {
        const auto tell = [&](EventKind kind, std::size_t mark, const auto& has_happened) {
            report(kind, mark, before, target, dt, from_s, to_s, has_happened);
        };
        if (resting_ && !is_resting(next)) {
            resting_ = false;
            tell(EventKind::started, 0, [this](const M& m) { return !is_resting(m); });
        }
        const Value side = last.value() - last.target();
        const auto met = [side](const M& m) {
            const Value gap = m.value() - m.target();
            return gap == 0 || (side != 0 && (gap < 0) != (side < 0));
        };
        if (!arrived_ && met(next)) {
            arrived_ = true;
            tell(EventKind::reached, 0, met);
        }
        for (std::size_t i = 0; i < mark_count_; ++i) {
            const double mark = marks_[i];
            const bool below = static_cast<double>(last.value()) < mark;
            const auto passed = [mark, below](const M& m) {
                return (static_cast<double>(m.value()) < mark) != below;
            };
            if (passed(next)) tell(EventKind::passed_mark, i, passed);
        }
        if (last.velocity() != 0) {
            const bool falling = last.velocity() < 0;
            const auto turned = [falling](const M& m) {
                return m.velocity() != 0 && (m.velocity() < 0) != falling;
            };
            if (turned(next)) tell(EventKind::turned, 0, turned);
        }
        // At rest now, and at the end of the step as well: a swing passing through is not rest.
        if (!resting_ && is_resting(next) && is_resting(mover_)) {
            resting_ = true;
            tell(EventKind::settled, 0, [this](const M& m) { return is_resting(m); });
        }
    }

    void sort_events() noexcept {
        for (std::size_t i = 1; i < count_; ++i) {
            for (std::size_t j = i; j > 0 && events_[j].after_s < events_[j - 1].after_s; --j)
                std::swap(events_[j], events_[j - 1]);
        }
    }

    M mover_;
    RestLimits rest_;
    std::array<double, most_marks> marks_{};
    std::size_t mark_count_ = 0;
    std::array<Event, most_events> events_{};
    std::size_t count_ = 0;
    Value aim_{};
    bool resting_ = false;
    bool arrived_ = false;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
