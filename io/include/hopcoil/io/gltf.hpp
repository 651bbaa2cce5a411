#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/io/solid.hpp>

namespace hopcoil::io {

/// The property of a node that a track animates.
enum class TrackKind : std::uint8_t { translation, rotation, scale };

/// How many numbers a key of a track has: 4 for a rotation (w, x, y, z), otherwise 3.
[[nodiscard]] constexpr std::size_t size_of(TrackKind kind) {
    return kind == TrackKind::rotation ? 4 : 3;
}
/// "translation", "rotation", "scale"
[[nodiscard]] std::string name_of(TrackKind kind);

/// A node's track in the animation of a model.
struct NodeTrack {
    enum class Between : std::uint8_t { straight, step, cubic };

    std::string node{};
    TrackKind kind = TrackKind::translation;
    Between between = Between::straight;  ///< of a rotation, straight is evenly turning
    std::vector<double> times_s{};        ///< rising
    std::vector<std::array<double, 4>> values{};
    // Of a cubic, at each key: per second.
    std::vector<std::array<double, 4>> slopes_before{};
    std::vector<std::array<double, 4>> slopes_after{};

    /// Before its first key and after its last, the value there.
    [[nodiscard]] std::array<double, 4> at(double time_s) const;
};

struct ModelAnimation {
    std::string name{};
    std::vector<NodeTrack> tracks{};
};

/// The animations of a glTF 2.0 file, `.gltf` (its buffers inside or beside it) or `.glb`.
///
/// Errors  FileProblem; InputProblems, each with its JSON pointer as key. Morph weights are
///         ignored; compressed or sparse data is refused by name.
[[nodiscard]] std::vector<ModelAnimation> read_animations(const std::string& path);

/// A thing in a model: where it stands, and how it moves.
struct ModelNode {
    std::string name{};
    std::optional<std::size_t> parent{};  ///< another node, in whose frame it is
    std::array<double, 3> translation{0, 0, 0};
    std::array<double, 4> rotation{1, 0, 0, 0};
    std::array<double, 3> scale{1, 1, 1};
    std::vector<NodeTrack> tracks{};
    bool has_marker = true;                         ///< drawn as a marker; joints have none
    Solid solid{};                                  ///< rather than the marker
    std::optional<std::array<double, 3>> colour{};  ///< of the solid: red, green, blue, 0 to 1
    bool is_hidden = false;                         ///< not drawn; marked so in its extras
};

/// The nodes of a glTF 2.0 file, in its order, without animation.
/// Errors  as read_animations; a node whose matrix skews is refused by name.
[[nodiscard]] std::vector<ModelNode> read_nodes(const std::string& path);

/// Triangles in space.
struct TriangleMesh {
    std::vector<std::array<double, 3>> corners{};
    std::vector<std::array<std::uint32_t, 3>> triangles{};
};

/// All meshes of a glTF 2.0 file where its nodes put them, as one: what `GroundMesh` is made of.
/// Errors  as read_nodes; a file without a triangle.
[[nodiscard]] TriangleMesh read_triangles(const std::string& path);

/// Triangles that bend with nodes of a model, as these stand in it (unturned and of scale 1).
///
/// Shapes  one normal, texture coordinate and colour for each position; its joints are a node and
///         the next one, `blend` says how far it is to that.
struct ModelSkin {
    std::string name{};
    std::size_t first_joint = 0;  ///< index of a node
    std::size_t joints = 0;       ///< how many, from that on
    std::vector<std::array<double, 3>> positions{};
    std::vector<std::array<double, 3>> normals{};
    std::vector<std::array<double, 2>> texture{};
    std::vector<std::array<double, 3>> colours{};  ///< red, green, blue as on a screen, 0 to 1
    std::vector<std::size_t> joint{};              ///< counted from the first
    std::vector<double> blend{};
    std::vector<std::array<std::uint32_t, 3>> triangles{};
};

/// A mesh that changes shape: one shape for each time.
///
/// Shapes  every shape has a place and a normal for each point.
struct ModelMesh {
    struct Shape {
        std::vector<std::array<double, 3>> positions{};
        std::vector<std::array<double, 3>> normals{};
    };
    std::string name{};
    std::vector<double> times_s{};  ///< rising
    std::vector<Shape> shapes{};
    std::vector<std::array<double, 2>> texture{};  ///< of each point; or none
    std::array<double, 3> colour{0.8, 0.8, 0.8};   ///< as on a screen
    std::vector<std::array<std::uint32_t, 3>> triangles{};
};

struct Model {
    std::vector<ModelNode> nodes{};
    std::vector<ModelSkin> skins{};
    std::vector<ModelMesh> meshes{};
    std::string animation{};  ///< its name
    std::string made_by{};    ///< a JSON object that says what made it, for the asset's extras
    double size = 0.1;        ///< of the marker that stands for each node, metres
};

/// Writes a model as glTF 2.0: `.gltf` with its numbers inside, or `.glb`, by the name's ending.
/// A marker is a slender diamond that points along +Z.
/// Errors  std::invalid_argument for another ending or a `made_by` that is not JSON; FileProblem.
void write_model(const std::string& path, const Model& model);

/// Whether a name ends in .gltf or .glb.
[[nodiscard]] bool is_model_file(const std::string& path);

}  // namespace hopcoil::io
