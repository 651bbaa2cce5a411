#pragma once

#include <array>
#include <cstddef>
#include <limits>
#include <string>
#include <variant>
#include <vector>

#include <hopcoil/follow/coast_axis.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/scene/value_array.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil::scene {

struct SettleParameters {
    SettleTuning tuning{};
    std::array<Stops, most_numbers> stops{};  ///< of each number
};

/// Thrown once, or by kicks; each number meets its own bounds.
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

/// What moves, and its numbers: a follower (of an angle, where its target is one), a glide, a
/// pursuit, a settle curve, a move along a curve, a cascade; a coast, which has no target and is
/// launched at its start velocity; a follower stepped by a scheme, one kept in a range, one of a
/// size.
using MoverParameters = std::variant<Tuning, GlideTuning, PursuitTuning, SettleParameters,
                                     CurveMoveTuning, CascadeParameters, CoastParameters,
                                     SteppedParameters, BoundedParameters, SizeParameters>;

/// The tuning of a follower of any kind, or of a cascade's link; nothing for the others.
[[nodiscard]] const Tuning* tuning_of(const MoverParameters& numbers, std::size_t part = 0);

/// "follower", "glide", "pursuit", "settle", "curve", "cascade", "coast": as in [glide.NAME].
[[nodiscard]] std::string kind_of(const MoverParameters& numbers);

/// What is seen of a mover: itself, or each link of a cascade.
[[nodiscard]] std::size_t part_count(const MoverParameters& numbers);
/// "" for a mover, ".tassel" for a cascade's link.
[[nodiscard]] std::string part_suffix(const MoverParameters& numbers, std::size_t part);

/// "2 Hz, damping ratio 0.4, lead 0"; "halfway in 0.1 s".
[[nodiscard]] std::string in_words(const Tuning& tuning);
[[nodiscard]] std::string in_words(const MoverParameters& numbers, std::size_t part = 0);

/// A sudden change of velocity; of a coast, a new throw.
struct Kick {
    double at_s = 0.0;
    ValueArray velocity{};
};

struct SceneMover {
    std::string name{};
    std::size_t target = 0;  ///< index into Scene::targets
    MoverParameters numbers{};
    ValueArray start{};             ///< a rotation's w, x, y, z
    ValueArray initial_velocity{};  ///< where the mover has one of its own
    bool watch = false;  ///< the take tells when it rests and what happens to it; one number only
    std::vector<Kick> kicks{};  ///< in order of time; where the mover has a velocity of its own
};

/// The names of eases in files and on the command line: "past_and_back", and "in", "out", "in_out".
[[nodiscard]] const std::vector<std::string>& ease_family_names();
[[nodiscard]] const std::vector<std::string>& ease_way_names();
/// The ease of these names. Errors: std::out_of_range for other names.
[[nodiscard]] Ease ease_of(const std::string& family, const std::string& way);
[[nodiscard]] EaseFamily ease_family_of(const std::string& family);
[[nodiscard]] EaseWay ease_way_of(const std::string& way);

}  // namespace hopcoil::scene
