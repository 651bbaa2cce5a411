#pragma once

#include <array>
#include <cstddef>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/pose.hpp>
#include <hopcoil/scene/scene.hpp>

/// @file
/// Pictures of what a scene did, in space: paths with ghosts, strips of moments, films.

namespace hopcoil::draw {

/// One thing over time.
struct Subject {
    std::string name{};
    std::string colour{};
    scene::BodyShape shape = scene::BodyShape::diamond;
    std::optional<double> length_m{};  ///< what there is room for, without it
    io::Solid solid{};                 ///< rather than the shape; as large as it is
    std::vector<double> times_s{};
    std::vector<Pose> poses{};
    std::optional<std::size_t> joined_to{};  ///< another subject, by a line
    bool is_comparison = false;              ///< from another take: drawn hollow, behind
    double order = 0;                        ///< drawn over those of a lower one; below 0: ground
    bool sets_range = true;                  ///< the picture shows all of it
};

/// Points over time: a line or a tube through them; a print wherever the last of them stands; or
/// a ring at each.
struct Strand {
    enum class Kind { line, branches, mesh, prints, rings, dots };
    Kind kind = Kind::line;
    std::size_t group = 0;  ///< prints of one body
    std::string name{};
    std::vector<std::string> colours{};  ///< from first to last; at least one
    std::vector<double> radius_m{};      ///< the same; a thin line without any
    bool is_smooth = false;
    double order = 0;
    std::size_t count = 0;                                ///< of points, at each time
    std::vector<std::size_t> parents{};                   ///< of branches
    std::vector<std::array<std::size_t, 3>> triangles{};  ///< of a mesh
    std::vector<double> times_s{};
    std::vector<Vector3> points{};  ///< those of a time one after the other
    std::vector<bool> stands{};     ///< of prints, at each time; of dots, of each point
    std::vector<double> ages{};     ///< of dots, of each point: along radius and colours
    std::vector<double> turns{};    ///< of dots that are leaves, of each point: radians
    double trail_s = 0;             ///< of dots: how long back their way is drawn
    bool sets_range = true;         ///< the picture shows all of it

    /// Rather than a mark.
    [[nodiscard]] bool is_solid() const {
        const bool is_plant = kind == Kind::branches && !radius_m.empty();
        return kind == Kind::line || kind == Kind::mesh || kind == Kind::dots || is_plant;
    }
    [[nodiscard]] const Vector3& last_point(std::size_t row) const {
        return points[(row + 1) * count - 1];
    }
};

/// What never moves: drawn once, behind all else.
struct Background {
    std::string name{};
    std::string colour{};
    io::Solid solid{};
};

/// A picture from elsewhere of what happened at a time.
struct ReferenceFrame {
    std::filesystem::path file{};
    double time_s = 0.0;
};

struct Picture {
    std::string title{};
    std::string footer{};  ///< what made it
    scene::PictureSettings::View view = scene::PictureSettings::View::side;
    double from_s = 0.0;
    double to_s = 1.0;
    double every_s = 0.1;  ///< from ghost to ghost, from moment to moment
    std::vector<Subject> subjects{};
    std::vector<Strand> strands{};
    std::vector<Background> background{};
    bool has_floor = false;  ///< level, at 0: seen as a line from the side
    /// Ground that moves is shown whole only if the range was chosen; it is often far larger than
    /// what moves on it.
    bool is_range_chosen = false;
    std::vector<ReferenceFrame> references{};
    int width_px = 1280;
    int height_px = 800;
};

/// Where everything went: its path, and a ghost of it at even times. PNG or SVG by the ending.
/// Errors  std::invalid_argument for another ending or a picture of nothing; scene::FileProblem.
void draw_paths(const Picture& picture, const std::filesystem::path& path);

/// Moments side by side, row after row, references beneath.
void draw_strip(const Picture& picture, const std::filesystem::path& path);

/// A film as numbered frames in a folder, and as one animated picture (APNG) of them.
///
/// `rate_hz` frames a second, `speed` seconds of the scene in each. How many frames it has. `tell`
/// hears how many of how many are drawn. Errors  as above; std::invalid_argument for more than
/// 5,000 frames.
std::size_t write_film(const Picture& picture, double rate_hz, double speed,
                       const std::filesystem::path& folder, const std::filesystem::path& animated,
                       const std::function<void(std::size_t, std::size_t)>& tell = {});

}  // namespace hopcoil::draw
