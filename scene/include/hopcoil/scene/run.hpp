#pragma once

#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/base/take_sink.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil::scene {

/// The scene diverged; the rows up to then are in the sink.
class Diverged : public std::runtime_error {
  public:
    using std::runtime_error::runtime_error;
};

/// What a run reports besides its rows.
struct RunLog {
    /// What guards did, and steps that ring: a sentence each.
    std::vector<std::string> warnings{};
};

/// Runs a scene from 0 to its duration and sends a row for every frame, the first at 0 included.
/// A row shows the state after the events of its time.
///
/// Model   Steps are split at every breakpoint of a target, so the motion does not depend on
///         the rate.
/// Shapes  channels: "wind.value_rad" for every target, then "vane.value_rad" and
///         "vane.velocity_rad_per_s" for every output of a system ("boom.lamp.value_m" for a
///         cascade's link), in the scene's order, and of those that are watched "vane.at_rest" (a
///         flag), "vane.reached", "vane.turned", "vane.settled" (events); of all these what the
///         scene's `record` names.
/// Errors  InvalidValue for a clock or tuning out of range; Diverged when a value overflows, or a
///         follower without a guard diverges.
RunLog run(const Scene& scene, TakeSink& sink);

/// The same scene in rows so fine that figures read off them do not depend on the rate it is
/// recorded at: 480 times a second, less often in a run of more than 17 minutes. Channels that no
/// report measures (SystemSpec::is_measured) are left out, as there may be thousands of points.
[[nodiscard]] Scene finely_recorded(Scene scene);

/// A run of the scene as finely_recorded() has it.
/// Errors  as run.
[[nodiscard]] Take fine_take(const Scene& scene);

/// The channels of a take whose names fit one of the patterns ('*' stands for any letters); all,
/// without any.
[[nodiscard]] Take recorded_part(const Take& take, const std::vector<std::string>& patterns);

}  // namespace hopcoil::scene
