#pragma once

#include <array>
#include <cstddef>
#include <limits>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include <hopcoil/follow/coast_tuning.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/tuning.hpp>

/// @file
/// The movers as kinds of a scene, for programs that make scenes without a file.

namespace hopcoil::scene {

struct SettleParameters {
    SettleTuning tuning{};
    std::array<Stops, most_numbers> stops{};  ///< of each number
};

/// A coast, thrown once or by kicks; each number has its own bounds.
struct CoastParameters {
    CoastTuning tuning{};
    ValueArray low = ValueArray::all(-std::numeric_limits<double>::infinity());
    ValueArray high = ValueArray::all(std::numeric_limits<double>::infinity());
    std::vector<ValueArray> snap_points{};
};

/// A follower whose numbers stay in a range.
struct BoundedParameters {
    Tuning tuning{};
    ValueArray low = ValueArray::all(0);
    ValueArray high = ValueArray::all(1);
    double margin = 0.1;  ///< part of the range that is bent at either end
};

/// A follower of a size, or of sizes along axes: each above 0, and followed in its logarithm, so
/// that doubling feels as halving does.
struct SizeParameters {
    Tuning tuning{.frequency_hz = 2, .damping_ratio = 1};
};

struct CascadeParameters {
    std::vector<std::string> names{};  ///< of the links, from the target on
    std::vector<Tuning> tunings{};
};

/// A follower stepped by a scheme, once a frame (and at every breakpoint of its target).
struct SteppedParameters {
    Tuning tuning{};
    Stepping stepping{};
};

/// A sudden change of velocity; of a coast, a new throw.
struct Kick {
    double at_s = 0.0;
    ValueArray velocity{};
};

/// The type of a mover's value.
struct MoverShape {
    ValueKind kind = ValueKind::number;
    std::size_t size = 1;  ///< 4 for a rotation
    std::string unit{};
};
[[nodiscard]] MoverShape shape_of(const SceneTarget& target);

/// How a mover begins, and its kicks.
struct MoverStart {
    std::optional<ValueArray> value{};  ///< a rotation's w, x, y, z; its target's, without it
    ValueArray initial_velocity{};      ///< where the mover has one of its own
    bool watch = false;  ///< the take flags when it rests and what happens to it; one number only
    std::vector<Kick> kicks{};  ///< in order of time; where the mover has a velocity of its own
};

// The spec of each mover: a follower, also by a scheme, in a range, of a size; a glide, a pursuit,
// a settle curve, a curve, a cascade, a coast. Errors: InvalidValue for parameters out of range.
[[nodiscard]] AnySpec mover_spec(const Tuning&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const SteppedParameters&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const BoundedParameters&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const SizeParameters&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const GlideTuning&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const PursuitTuning&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const SettleParameters&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const CurveMoveTuning&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const CascadeParameters&, const MoverShape&, MoverStart);
[[nodiscard]] AnySpec mover_spec(const CoastParameters&, const MoverShape&, MoverStart);

/// Adds a mover that follows a target of the scene.
///
///     add_mover(scene, "lamp", 0, Tuning{.frequency_hz = 2});
///
/// Errors  those of `mover_spec`; std::out_of_range for a target that is not there.
template <class Parameters>
SceneSystem& add_mover(Scene& scene, std::string name, std::size_t target,
                       const Parameters& parameters, MoverStart start) {
    AnySpec spec = mover_spec(parameters, shape_of(scene.targets.at(target)), std::move(start));
    scene.systems.push_back(
        {.name = std::move(name), .spec = std::move(spec), .targets = {target}});
    return scene.systems.back();
}
template <class Parameters>
SceneSystem& add_mover(Scene& scene, std::string name, std::size_t target,
                       const Parameters& parameters) {
    return add_mover(scene, std::move(name), target, parameters, MoverStart{});
}

/// The names of eases in files and on the command line: "past_and_back", and "in", "out", "in_out".
[[nodiscard]] const std::vector<std::string>& ease_family_names();
[[nodiscard]] const std::vector<std::string>& ease_way_names();
/// Errors  std::out_of_range for other names.
[[nodiscard]] EaseFamily ease_family_of(const std::string& family);
[[nodiscard]] EaseWay ease_way_of(const std::string& way);

/// "2 Hz, damping ratio 0.4, lead 0"
[[nodiscard]] std::string in_words(const Tuning& tuning);

}  // namespace hopcoil::scene
