#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/gltf.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/key_reduction.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil::scene {

/// What becomes of a take's channels in a model: which of them place, turn and size one node.
struct NodeChannels {
    std::string name{};
    std::optional<std::size_t> position{};  ///< a channel of the take
    std::optional<std::size_t> rotation{};
    std::optional<std::size_t> scale{};
    std::size_t index = 0;         ///< which of the position channel's values
    std::array<double, 3> at_m{};  ///< added to its place
    std::size_t axis = 0;          ///< that a place of one number lies on
    std::size_t turn_axis = 1;     ///< that an angle turns about
};

/// The nodes that the movers of a scene are in its take: its bodies, then each mover that is part
/// of none. A vector is a place; a rotation turns; a number in metres moves along X; an angle turns
/// about Y. What has no unit and is no vector is no node.
[[nodiscard]] std::vector<NodeChannels> nodes_of(const Scene& scene, const Take& take);

/// All nodes of a model: bodies, and each point of what is seen as a row, as "rope.3".
[[nodiscard]] std::vector<NodeChannels> model_nodes_of(const Scene& scene, const Take& take);

/// What is seen as a row of points: the channel of its positions, and how it looks.
struct LineChannel {
    std::string name{};
    std::size_t channel = 0;  ///< of the take
    View view{};
};
[[nodiscard]] std::vector<LineChannel> lines_of(const Scene& scene, const Take& take);

/// The same of a take by itself, by its channels' names: "gull.position.value_m" places gull.
/// Channels called velocity, and targets of the scene ("hook.value_m" beside no
/// "hook.velocity..."), are not nodes.
[[nodiscard]] std::vector<NodeChannels> nodes_of(const Take& take);

/// The body of a scene that has a name; nullptr without one.
[[nodiscard]] const Body* body_named(const Scene& scene, const std::string& name);

/// What only turns, and is no body with a place of its own, would stand in one place: from here on
/// side by side, for a picture.
void spread_out(std::vector<NodeChannels>& nodes, const Scene& scene);

/// How keys are made of a take's rows for a model.
struct ModelSettings {
    std::optional<KeyReductionSettings> distance{};  ///< keys within this of the rows; without it,
                                                     ///< a key for each row
    double angle_rad = 0.0;                          ///< the same of rotations, in radians
};

struct BakedModel {
    Model model{};
    std::size_t samples = 0;  ///< rows, over all tracks
    std::size_t keys = 0;
    double largest_error_m = 0.0;  ///< of places and sizes
    double largest_error_rad = 0.0;
};

/// Two rows at one time (a leap) become rows a ten-thousandth of a second apart: tracks cannot
/// leap. Errors  std::invalid_argument for a take without rows; InvalidValue for a tolerance that
/// cannot
///         be.
[[nodiscard]] BakedModel model_of(const Take& take, const std::vector<NodeChannels>& nodes,
                                  const ModelSettings& settings = {});

}  // namespace hopcoil::scene
