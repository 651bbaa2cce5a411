#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/scene_mover.hpp>
#include <hopcoil/scene/target.hpp>

namespace hopcoil::scene {

/// What moves, as the target of something else: scaled, then offset, then kept within bounds.
struct Leader {
    std::size_t mover = 0;  ///< index into Scene::movers
    std::size_t part = 0;   ///< which link of a relay
    double scale = 1.0;
    double offset = 0.0;
    double low = -std::numeric_limits<double>::infinity();
    double high = std::numeric_limits<double>::infinity();

    [[nodiscard]] TargetPoint seen(const TargetPoint& output) const noexcept;
};

struct SceneTarget {
    std::string name{};
    std::string unit{};  ///< "m", "rad", or empty
    Target path;
    bool is_made_of_moves = false;  ///< rather than of samples: it ends, and settles
    bool is_angle = false;          ///< a direction: it, and what follows it, is shown in (-pi, pi]
    std::optional<Leader> leader{};  ///< where it goes then; `path` only says where it begins
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
