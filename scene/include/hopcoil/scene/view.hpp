#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/io/solid.hpp>

namespace hopcoil::scene {

/// The shape of a body.
enum class BodyShape : std::uint8_t { diamond, disc, arrow, box };

/// Red, green, blue, 0 to 1.
using Colour = std::array<double, 3>;

/// How something of any type looks.
struct Look {
    std::optional<Colour> colour{};  ///< the next of the palette, without one
    double order = 0.0;              ///< in pictures from the side a higher one is drawn over
};

/// One output of one system.
struct OutputRef {
    std::size_t system = 0;  ///< index into Scene::systems
    std::size_t port = 0;
    friend bool operator==(const OutputRef&, const OutputRef&) = default;
};

/// A rigid thing, with the outputs that move, turn and size it.
struct Body {
    std::string name{};
    std::optional<OutputRef> position{};
    std::optional<OutputRef> rotation{};
    std::optional<OutputRef> scale{};
    std::array<double, 3> at_m{};      ///< where it stands when nothing has moved it
    std::size_t axis = 0;              ///< that a position of one number moves it along
    std::size_t turn_axis = 1;         ///< that an angle turns it about
    std::array<double, 3> pivot_m{};   ///< of its shape: the point that is moved and turned about
    std::optional<BodyShape> shape{};  ///< a diamond, or a disc for what does not turn
    std::optional<double> length_m{};  ///< of its shape; what a picture has room for, without it
    std::string joined_to{};           ///< another body that a line is drawn to
    Look look{};
};

/// How a system's outputs are drawn.
struct View {
    enum class Type : std::uint8_t {
        body,       ///< each of them a rigid thing of its own: position, rotation, scale
        points,     ///< each of them a dot
        line,       ///< joined one after the other
        branches,   ///< joined to the one that `parents` names; `radius_m` of each
        tube,       ///< a line with a thickness
        mesh,       ///< corners of `triangles`
        skeleton,   ///< branches of turned joints
        polygon,    ///< joined to a closed outline
        footprint,  ///< its last point: a mark on the ground wherever it stands
    };
    Type type = Type::body;
    std::string name{};                     ///< of the part; empty for the whole system
    std::optional<std::size_t> position{};  ///< ports
    std::optional<std::size_t> rotation{};
    std::optional<std::size_t> scale{};
    std::vector<double> radius_m{};  ///< along it from first to last; of a body its own; of
                                     ///< branches each point's, and colours go from thick to thin
    std::vector<Colour> colours{};   ///< the same
    std::vector<std::size_t> parents{};  ///< of each point; its own index for a root
    std::vector<std::string> joints{};   ///< their names, of a skeleton
    std::vector<std::array<std::size_t, 3>> triangles{};
    std::vector<std::array<double, 2>> texture{};  ///< of a mesh's points
    /// For a body moved by targets: the indices of those targets; in models they are NAME.source.
    std::optional<std::size_t> source_position{};
    std::optional<std::size_t> source_rotation{};
    io::Solid solid{};    ///< what a body is seen as, rather than a shape
    std::string alive{};  ///< the signal that flags whether it stands
    std::string age{};    ///< the signal of each point's part of its life, along radius and colours
    std::string
        turn{};  ///< the signal of how far each point has turned, in radians: seen as a leaf
    double trail_s = 0;  ///< of points that age: how long back their way is drawn
    std::string note{};  ///< the signal whose number is an index into `words`
    std::vector<std::string> words{};
    bool is_smooth = false;  ///< the line is drawn as a smooth curve through its points
    bool is_aid = false;     ///< helps to judge a motion: drawn, but not part of a model
    Look look{};
};

/// A thing that never moves, in the frame of the scene: drawn behind all else, recorded nowhere.
struct Scenery {
    std::string name{};
    io::Solid solid{};
    Colour colour{};
    bool is_floor = false;  ///< level, at 0, without end: where others draw their grid
};

}  // namespace hopcoil::scene
