#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <utility>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/follow/event.hpp>

namespace hopcoil {

/// Changes when the mark is passed.
template <class M>
[[nodiscard]] double side_of_mark(double mark, const M& mover) noexcept {
    if constexpr (requires { mover.turned(); }) {
        return whole_turns(mover.turned() - mark);
    } else {
        return static_cast<double>(mover.value()) < mark ? 0 : 1;
    }
}

/// The first events of a step, as many as there is room for.
template <std::size_t most>
class EventList {
  public:
    void clear() noexcept { count_ = 0; }
    void add(const Event& event) noexcept {
        if (count_ < most) events_[count_++] = event;
    }
    /// In order of time.
    void sort() noexcept {
        for (std::size_t i = 1; i < count_; ++i) {
            for (std::size_t j = i; j > 0 && events_[j].after_s < events_[j - 1].after_s; --j)
                std::swap(events_[j], events_[j - 1]);
        }
    }
    [[nodiscard]] std::span<const Event> all() const noexcept { return {events_.data(), count_}; }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields.up_to(events_.size(), count_);
        for (Event& event : events_) {
            fields.up_to(EventKind::settled, event.kind);
            fields(event.after_s, event.value, event.mark);
        }
    }

  private:
    std::array<Event, most> events_{};
    std::size_t count_ = 0;
};

}  // namespace hopcoil
