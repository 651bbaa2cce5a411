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
#include <hopcoil/scene/place.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil::scene {

struct SettleNumbers {
    SettleTuning tuning{};
    std::array<Stops, most_numbers> stops{};  ///< of each number
};

/// Thrown once, or by kicks; each number meets its own bounds.
struct CoastNumbers {
    CoastTuning tuning{};
    Place low = Place::all(-std::numeric_limits<double>::infinity());
    Place high = Place::all(std::numeric_limits<double>::infinity());
    std::vector<Place> snap_points{};
};

/// A follower whose numbers stay in a range.
struct BoundedNumbers {
    Tuning tuning{};
    Place low = Place::all(0);
    Place high = Place::all(1);
    double margin = 0.1;  ///< part of the range that is bent at either end
};

/// A follower of a size, or of sizes along axes: each above 0, and followed in its logarithm, so
/// that doubling feels as halving does.
struct SizeNumbers {
    Tuning tuning{.frequency_hz = 2, .damping_ratio = 1};
};

struct RelayNumbers {
    std::vector<std::string> names{};  ///< of the links, from the target on
    std::vector<Tuning> tunings{};
};

/// A follower stepped by a scheme, once a frame (and at every knot of its target).
struct SteppedNumbers {
    Tuning tuning{};
    Stepping stepping{};
};

/// What moves, and its numbers: a follower (of an angle, where its target is one), a glide, a
/// pursuit, a settle curve, a move along a curve, a relay; a coast, which has no target and is
/// launched at its start velocity; a follower stepped by a scheme, one kept in a range, one of a
/// size.
using MoverNumbers =
    std::variant<Tuning, GlideTuning, PursuitTuning, SettleNumbers, CurveMoveTuning, RelayNumbers,
                 CoastNumbers, SteppedNumbers, BoundedNumbers, SizeNumbers>;

/// The tuning of a follower of any kind, or of a relay's link; nothing for the others.
[[nodiscard]] const Tuning* tuning_of(const MoverNumbers& numbers, std::size_t part = 0);

/// "follower", "glide", "pursuit", "settle", "curve", "relay", "coast": as in [glide.NAME].
[[nodiscard]] std::string kind_of(const MoverNumbers& numbers);

/// What is seen of a mover: itself, or each link of a relay.
[[nodiscard]] std::size_t part_count(const MoverNumbers& numbers);
/// "" for a mover, ".tassel" for a relay's link.
[[nodiscard]] std::string part_suffix(const MoverNumbers& numbers, std::size_t part);

/// "2 Hz, damping ratio 0.4, lead 0"; "halfway in 0.1 s".
[[nodiscard]] std::string in_words(const Tuning& tuning);
[[nodiscard]] std::string in_words(const MoverNumbers& numbers, std::size_t part = 0);

/// A sudden change of velocity; of a coast, a new throw.
struct Kick {
    double at_s = 0.0;
    Place velocity{};
};

struct SceneMover {
    std::string name{};
    std::size_t target = 0;  ///< index into Scene::targets
    MoverNumbers numbers{};
    Place start{};           ///< a rotation's w, x, y, z
    Place start_velocity{};  ///< where the mover has one of its own
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
