#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/target.hpp>
#include <hopcoil/scene/trajectory.hpp>
#include <hopcoil/scene/value_array.hpp>
#include <hopcoil/scene/view.hpp>

namespace hopcoil::scene {

/// An output of a system, as (a part of) the target of another: scaled, then offset, then kept
/// within bounds, each number on its own axis. A rotation is taken as it is.
struct Source {
    OutputRef output{};
    std::size_t index = 0;                   ///< which of several values
    std::optional<std::size_t> component{};  ///< one number of a vector; all, without it
    ValueArray scale = ValueArray::all(1);
    ValueArray offset{};
    ValueArray low = ValueArray::all(-std::numeric_limits<double>::infinity());
    ValueArray high = ValueArray::all(std::numeric_limits<double>::infinity());
    bool previous_step = false;  ///< as it was one step ago: so a loop can be closed

    /// Of a value of so many numbers.
    [[nodiscard]] ValueAndVelocity seen(const ValueAndVelocity& whole,
                                        std::size_t numbers = 1) const noexcept;
};

/// One of several motions added on a target: what drives it, and its weight over time.
struct Layer {
    std::string name{};
    Source source{};
    Target weight{MovesTarget{1, {}, {}}};
};

struct SceneTarget {
    std::string name{};
    std::string unit{};              ///< "m", "rad", or empty; empty for a rotation
    Trajectory path;                 ///< by itself; of what is driven, only where it begins
    bool is_made_of_moves = false;   ///< rather than of samples: it ends, and settles
    std::optional<Source> source{};  ///< the output that drives it
    std::vector<Layer> layers{};     ///< added to `path`
    bool is_where_it_ends = false;   ///< not followed: where a coast will come to rest

    [[nodiscard]] ValueKind kind() const noexcept { return path.kind(); }
    [[nodiscard]] bool is_angle() const noexcept { return kind() == ValueKind::angle; }
    [[nodiscard]] bool is_driven() const noexcept { return source || !layers.empty(); }
};

/// A picture to be made of a run.
struct PictureSettings {
    enum class Kind : std::uint8_t {
        paths,  ///< where everything went, with ghosts evenly in time
        strip,  ///< moments side by side
        film,   ///< frames, and an animated picture of them
    };
    enum class View : std::uint8_t { side, top, end, slanted };

    std::string name{};
    Kind kind = Kind::paths;
    View view = View::side;
    double from_s = 0.0;
    std::optional<double> to_s{};           ///< the end of the run, without it
    std::optional<double> every_s{};        ///< from ghost to ghost, from moment to moment
    std::vector<std::string> bodies{};      ///< all, without any
    std::vector<std::string> around{};      ///< the picture is as large as their ways; all
    std::vector<std::string> compare{};     ///< takes drawn behind it, for comparison
    std::vector<std::string> references{};  ///< PNG files shown beside the moments of a strip
    double references_from_s = 0.0;
    double references_every_s = 1.0 / 24;
    double rate_hz = 25.0;  ///< of a film's frames
    double speed = 1.0;     ///< of a film, in seconds of the run a second
    std::string format = "png";
};

/// A frame that takes longer than the others: a lag spike.
struct LongFrame {
    double at_s = 0.0;
    double lasts_s = 0.1;
};

/// How frames become steps. Without a step rate everything goes from frame to frame.
struct SceneClock {
    double step_hz =
        0.0;             ///< steps a second, whatever the frames; the take shows what lies between
    int most_steps = 8;  ///< in a frame; time beyond that is dropped
    std::vector<LongFrame> long_frames{};
};

/// A number somewhere in a scene's files: "hook.moves.0.jump_to_m", "lamp.start_m.1".
struct SceneNumber {
    std::string path{};
    double value = 0.0;
};

/// The value of a dial with names: "crab.step_order", "wave".
struct SceneChoice {
    std::string path{};
    std::string name{};
};

/// Numbers of a system kept under a name: any of the dials of its kind.
struct NamedSettings {
    std::string name{};
    std::string about{};                 ///< a line on what it is like
    std::string kind{};                  ///< of system; empty for any with such dials
    std::vector<SceneNumber> numbers{};  ///< by the dials' paths: "nodes", "root.frequency_hz"
    std::vector<SceneChoice> choices{};  ///< of its dials that have names
};

struct SystemKind;

/// The contents of a scene file: targets, systems, duration, rate, pictures.
struct Scene {
    std::string title{};
    std::string file{};  ///< where it was read from; empty when made by a program
    /// Every file that it was read from: itself, what it includes, tunings, records, models.
    std::vector<std::string> files{};
    std::vector<std::string> tuning_files{};  ///< those of them that hold tunings
    double duration_s = 10.0;
    double rate_hz = 60.0;
    SceneClock clock{};
    std::uint64_t seed = 0;              ///< of everything random in it
    bool is_random = false;              ///< whether anything is
    std::vector<std::string> changes{};  ///< made since it was read: "lamp.frequency_hz=3"
    std::vector<SceneTarget> targets{};
    std::vector<SceneSystem> systems{};
    std::vector<NamedSettings> settings{};  ///< of its files, named tunings among them
    /// Kinds of the program, beside the built-in ones: for reading the files again.
    std::shared_ptr<const std::vector<SystemKind>> kinds{};
    std::vector<Body> bodies{};
    std::vector<PictureSettings> pictures{};
    std::vector<SceneNumber> numbers{};  ///< in its files, beside those that systems have dials for
    /// Of its named tunings, "tuning.brass.lead", and of tunings in another form than their dials
    /// have, "lamp.tuning.mass_kg". What a dial was set to stays, whatever becomes of these.
    std::vector<SceneNumber> tuning_numbers{};
    std::vector<SceneNumber> number_changes{};  ///< of those, since the files were written
    std::vector<SceneNumber> dial_changes{};    ///< of systems' dials, since it was read
    std::vector<std::string> record{};  ///< patterns of the channels to keep; all, without any
    bool is_for_figures = false;        ///< channels that no report measures are left out
};

/// Reads a scene (TOML; docs/scenes.md lists its keys). Paths in it are relative to the file.
/// `seed` stands in for the scene's own, `changes` for numbers of the files, by their whole paths;
/// kind.hpp has the same with kinds of a program's own.
///
/// Errors  InputProblems: the first error of syntax, or else everything that is wrong with the
///         scene. FileProblem: the scene, or a record that it names, cannot be read.
[[nodiscard]] Scene read_scene(const std::string& path, std::optional<std::uint64_t> seed = {},
                               const std::vector<SceneNumber>& changes = {});

/// Errors  InvalidValue for a duration or rate that is not finite and above 0, or one that makes
///         more than `most_frames` frames.
void require_valid_clock(double duration_s, double rate_hz);

/// A limit against typing errors: 10 million frames are 46 hours at 60 Hz.
inline constexpr double most_frames = 1e7;

}  // namespace hopcoil::scene
