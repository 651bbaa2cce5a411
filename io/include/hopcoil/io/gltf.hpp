#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace hopcoil::io {

/// What of a node moves.
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
};

struct ModelAnimation {
    std::string name{};
    std::vector<NodeTrack> tracks{};
};

/// The animations of a glTF 2.0 file, `.gltf` (its buffers inside or beside it) or `.glb`.
///
/// Errors  FileProblem; InputProblems, each with its JSON pointer as key. Morph weights are passed
///         over; compressed or sparse data is refused by name.
[[nodiscard]] std::vector<ModelAnimation> read_animations(const std::string& path);

/// A thing in a model: where it stands, and how it moves.
struct ModelNode {
    std::string name{};
    std::array<double, 3> translation{0, 0, 0};
    std::array<double, 4> rotation{1, 0, 0, 0};
    std::array<double, 3> scale{1, 1, 1};
    std::vector<NodeTrack> tracks{};
};

struct Model {
    std::vector<ModelNode> nodes{};
    std::string animation{};  ///< its name
    std::string made_by{};    ///< a JSON object that says what made it, for the asset's extras
    double size = 0.1;        ///< of the marker that stands for each node, metres
};

/// Writes a model as glTF 2.0: `.gltf` with its numbers inside, or `.glb`, by the name's ending.
/// Every node has a marker, a slender diamond that points along +Z, so that it can be seen.
/// Errors  std::invalid_argument for another ending or a `made_by` that is not JSON; FileProblem.
void write_model(const std::string& path, const Model& model);

/// By the name's ending.
[[nodiscard]] bool is_model_file(const std::string& path);

}  // namespace hopcoil::io
