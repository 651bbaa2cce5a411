#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/course.hpp>
#include <hopcoil/scene/place.hpp>
#include <hopcoil/scene/scene_mover.hpp>
#include <hopcoil/scene/target.hpp>

namespace hopcoil::scene {

/// What moves, as (a part of) the target of something else: scaled, then offset, then kept within
/// bounds, each number on its own axis. A rotation is taken as it is.
struct Leader {
    std::size_t mover = 0;                   ///< index into Scene::movers
    std::size_t part = 0;                    ///< which link of a relay
    std::optional<std::size_t> component{};  ///< one number of a vector; all, without it
    Place scale = Place::all(1);
    Place offset{};
    Place low = Place::all(-std::numeric_limits<double>::infinity());
    Place high = Place::all(std::numeric_limits<double>::infinity());

    /// Of a value of so many numbers.
    [[nodiscard]] CoursePoint seen(const CoursePoint& output,
                                   std::size_t numbers = 1) const noexcept;
};

/// One of several motions that add up on a target: what leads it, and how much of it counts when.
struct Layer {
    std::string name{};
    Leader leader{};
    Target weight{MovesTarget{1, {}, {}}};
};

struct SceneTarget {
    std::string name{};
    std::string unit{};              ///< "m", "rad", or empty; empty for a rotation
    Course path;                     ///< by itself; of what is led, only where it begins
    bool is_made_of_moves = false;   ///< rather than of samples: it ends, and settles
    std::optional<Leader> leader{};  ///< where it goes then
    std::vector<Layer> layers{};     ///< added to `path`
    bool is_where_it_ends = false;   ///< not followed: where a coast will come to rest

    [[nodiscard]] ValueKind kind() const noexcept { return path.kind(); }
    [[nodiscard]] bool is_angle() const noexcept { return kind() == ValueKind::angle; }
    [[nodiscard]] bool is_led() const noexcept { return leader || !layers.empty(); }
};

/// The parts of one thing: what moves, turns and sizes it. Indices into Scene::movers.
struct Body {
    std::string name{};
    std::optional<std::size_t> position{};
    std::optional<std::size_t> rotation{};
    std::optional<std::size_t> scale{};
};

/// What a scene file says: targets, what goes after them, how long and how often to look.
struct Scene {
    std::string title{};
    std::string file{};  ///< where it was read from; empty when made by a program
    double duration_s = 10.0;
    double rate_hz = 60.0;
    std::uint64_t seed = 0;              ///< of everything random in it
    bool is_random = false;              ///< whether anything is
    std::vector<std::string> changes{};  ///< made since it was read: "lamp.frequency_hz=3"
    std::vector<SceneTarget> targets{};
    std::vector<SceneMover> movers{};
    std::vector<Body> bodies{};
    std::vector<std::string> record{};  ///< patterns of the channels to keep; all, without any
};

/// Reads a scene (TOML; docs/scenes.md lists its keys). Paths in it are relative to the file.
///
/// Errors  InputProblems: the first error of syntax, or else everything that is wrong with the
///         scene. FileProblem: the scene, or a record that it names, cannot be read.
/// `seed` stands in for the scene's own.
[[nodiscard]] Scene read_scene(const std::string& path, std::optional<std::uint64_t> seed = {});

/// Errors  InvalidValue for a duration or rate that is not finite and above 0, or one that makes
///         more than `most_frames` frames.
void require_valid_clock(double duration_s, double rate_hz);

/// A guard against a slip of the keyboard: 10 million frames are 46 hours at 60 Hz.
inline constexpr double most_frames = 1e7;

}  // namespace hopcoil::scene
