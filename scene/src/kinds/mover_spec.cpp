#include "mover_spec.hpp"

#include <algorithm>

#include <hopcoil/spring/free_motion.hpp>
#include <hopcoil/spring/wish.hpp>

namespace hopcoil::scene {

std::vector<std::pair<std::string, double>> solved_tuning(const Tuning& now,
                                                          double overshoot_percent,
                                                          double settling_time_s) {
    const Tuning tuning = tuning_from(Wish{.overshoot_percent = overshoot_percent,
                                           .settling_time_s = settling_time_s,
                                           .lead = now.lead});
    return {{"frequency_hz", tuning.frequency_hz},
            {"damping_ratio", tuning.damping_ratio},
            {"lead", tuning.lead}};
}

void require_no_overshoot(const std::string& what, double overshoot_percent) {
    if (overshoot_percent == 0) return;
    throw std::invalid_argument{fmt::format("{} has no overshoot of its own; wish for 0 %", what)};
}

double settled_s(const Tuning& tuning) {
    if (tuning.frequency_hz == 0) return 0;
    const FreeMotion motion{tuning, {-1, 0}};
    const double dozen_s = 12 / tuning.frequency_hz;
    return std::min(motion.settling_time_s(0.01).value_or(dozen_s), std::max(dozen_s, 5.0));
}

Figure ramp_lag_of(const Tuning& tuning) {
    if (tuning.frequency_hz == 0) return Figure::none("a frequency of 0 Hz is never carried along");
    return hopcoil::ramp_lag_s(tuning);
}

Port MoverSpecBase::port_named(std::string name) const {
    return {.name = std::move(name),
            .unit = shape_.unit,
            .kind = shape_.kind,
            .components = shape_.size};
}

std::vector<RecordedChannel> MoverSpecBase::signals() const {
    if (!start_.watch) return {};
    return {{.name = "at_rest", .kind = ChannelKind::flag},
            {.name = "reached", .kind = ChannelKind::event},
            {.name = "turned", .kind = ChannelKind::event},
            {.name = "settled", .kind = ChannelKind::event}};
}

/// A vector is a place; a rotation turns; a number in metres moves along X; an angle turns about Y.
/// What has no unit and is no vector is not seen.
std::vector<View> MoverSpecBase::views() const {
    const bool is_place = (shape_.kind == ValueKind::vector && shape_.size < most_numbers) ||
                          (shape_.kind == ValueKind::number && shape_.unit == "m");
    const bool is_turn = shape_.kind == ValueKind::rotation || shape_.unit == "rad";
    if (!is_place && !is_turn) return {};
    std::vector<View> views;
    const std::vector<Port> ports = outputs();
    for (std::size_t i = 0; i < ports.size(); ++i) {
        View view{.name = ports[i].name};
        (is_place ? view.position : view.rotation) = i;
        views.push_back(std::move(view));
    }
    return views;
}

}  // namespace hopcoil::scene
