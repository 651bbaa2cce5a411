#pragma once

#include <cstddef>
#include <cstdint>

namespace hopcoil {

enum class EventKind : std::uint8_t {
    started,      ///< left its rest
    reached,      ///< met its target for the first time since the target last moved
    passed_mark,  ///< went through a mark; `mark` says which
    turned,       ///< went from rising to falling or back
    settled,      ///< came to rest
};

/// Something that happened inside a step, and when.
struct Event {
    EventKind kind = EventKind::started;
    double after_s = 0.0;  ///< from the start of the step
    double value = 0.0;    ///< of a mover of one number
    std::size_t mark = 0;
};

/// Limits of rest for `settled`; the distance is also that for `reached` of several numbers.
struct RestLimits {
    double distance = 1e-3;
    double speed = 1e-2;
};

}  // namespace hopcoil
