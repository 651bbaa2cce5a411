#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/io/take_model.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil::scene {

/// The nodes of a model of a scene's take: its bodies, then each mover that is part of none. A
/// vector is a place; a rotation turns; a number in metres moves along X; an angle turns about Y.
/// A number without a unit makes no node.
[[nodiscard]] std::vector<io::NodeChannels> nodes_of(const Scene& scene, const Take& take);

/// Everything of a scene in a model: bodies as nodes, lines as tubes.
[[nodiscard]] io::ModelChannels model_channels_of(const Scene& scene, const Take& take);

/// What is seen as points: the channel of its positions, and how it looks.
struct LineChannel {
    std::string name{};
    std::size_t system = 0;                 ///< index into Scene::systems
    std::size_t channel = 0;                ///< of the take
    std::optional<std::size_t> rotation{};  ///< of the take: of a skeleton's joints
    std::optional<std::size_t> alive{};     ///< of the take
    std::optional<std::size_t> age{};       ///< of the take
    std::optional<std::size_t> turn{};      ///< of the take
    std::optional<std::size_t> note{};      ///< of the take
    View view{};
};
[[nodiscard]] bool is_line(const View& view);
[[nodiscard]] std::vector<LineChannel> lines_of(const Scene& scene, const Take& take);

/// What never moves in a scene, of all its systems, without floors.
[[nodiscard]] std::vector<Scenery> scenery_of(const Scene& scene);
[[nodiscard]] bool has_floor(const Scene& scene);

/// The body of a scene that has a name; nullptr without one.
[[nodiscard]] const Body* body_named(const Scene& scene, const std::string& name);

/// Spreads nodes that only turn, and would all stand in one place, side by side for a picture.
void spread_out(std::vector<io::NodeChannels>& nodes, const Scene& scene);

}  // namespace hopcoil::scene
