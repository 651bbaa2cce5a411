#pragma once

#include <array>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/solid.hpp>
#include <hopcoil/take/key_reduction.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil::io {

/// The channels of a take that place, turn and size one node of a model.
struct NodeChannels {
    std::string name{};
    std::optional<std::size_t> position{};  ///< a channel of the take
    std::optional<std::size_t> rotation{};
    std::optional<std::size_t> scale{};
    std::array<double, 3> at_m{};      ///< added to its place
    std::size_t axis = 0;              ///< that a place of one number lies on
    std::size_t turn_axis = 1;         ///< that an angle turns about
    std::optional<double> length_m{};  ///< its size when drawn, if known
    std::optional<std::array<double, 3>> colour{};
    double order = 0;        ///< in pictures, drawn over those of a lower one
    Solid solid{};           ///< how it looks; empty: a marker
    bool is_source = false;  ///< the motion that drove a body: every sample of it, hidden
};

/// A profile's value at a part of the length (root 0, tip 1): linear between its entries;
/// `otherwise` for an empty profile.
[[nodiscard]] double profile_at(const std::vector<double>& profile, double part, double otherwise);

/// Of branches with these radii: 0 for the thickest, 1 for the thinnest, on a logarithmic scale.
[[nodiscard]] std::vector<double> thinness_of(const std::vector<double>& radius_m);

/// A row of points in a model: a tube that bends with a node at each, "rope.0", "rope.1" and on.
struct TubeChannel {
    std::string name{};
    std::size_t channel = 0;         ///< of the take: the places of the points
    std::vector<double> radius_m{};  ///< along it from first to last; slender without any
    std::vector<std::array<double, 3>> colours{};  ///< the same; red, green, blue, 0 to 1
};

/// Points joined to one another as a tree, in a model: tapered tubes that bend with a node at each
/// point, "fan.0", "fan.1" and on.
struct BranchChannel {
    std::string name{};
    std::size_t channel = 0;             ///< of the take: the places of the points
    std::vector<std::size_t> parents{};  ///< before their children; its own index for a root
    std::vector<double> radius_m{};      ///< of the branch that ends at each point
    std::vector<std::array<double, 3>> colours{};  ///< from the thickest to the thinnest
};

/// Points that are corners of triangles, in a model: a mesh whose shapes at rows of the take are
/// its targets, blended from one to the next.
struct MeshChannel {
    std::string name{};
    std::size_t channel = 0;  ///< of the take: the places of the points
    std::vector<std::array<std::size_t, 3>> triangles{};
    std::vector<std::array<double, 2>> texture{};  ///< of each point; or none
    std::vector<std::array<double, 3>> colours{};  ///< the first one is its own
};

/// Points that come and go, in a model: a node for each slot that is ever used, of size 0 while
/// it is empty.
struct DotChannels {
    std::string name{};
    std::size_t position = 0;  ///< channels of the take, with a value for each slot
    std::size_t alive = 0;
    std::size_t age = 0;                ///< the part of its life, along the radius
    std::optional<std::size_t> turn{};  ///< radians about Z
    std::vector<double> radius_m{};     ///< from birth to death
};

/// A skeleton in a model: its joints as they are in space, which become nodes in their parents'
/// frames, under their own names.
struct SkeletonChannels {
    std::size_t position = 0;  ///< channels of the take, with a value for each joint
    std::size_t rotation = 0;
    std::vector<std::string> joints{};
    std::vector<std::size_t> parents{};  ///< before their children; its own index for a root
};

/// All parts of a model that are made from a take.
struct ModelChannels {
    std::vector<NodeChannels> nodes{};
    std::vector<TubeChannel> tubes{};
    std::vector<BranchChannel> branches{};
    std::vector<MeshChannel> meshes{};
    std::vector<DotChannels> dots{};
    std::vector<SkeletonChannels> skeletons{};

    [[nodiscard]] bool empty() const {
        return nodes.empty() && tubes.empty() && branches.empty() && meshes.empty() &&
               dots.empty() && skeletons.empty();
    }
};

/// The nodes of a take without its scene, by its channels' names: "gull.position.value_m" places
/// gull. Channels called velocity, and targets of the scene ("hook.value_m" beside no
/// "hook.velocity..."), are not nodes.
[[nodiscard]] std::vector<NodeChannels> nodes_of(const Take& take);

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

/// A model of the take's nodes. Two rows at one time (a leap) become rows a ten-thousandth of a
/// second apart, since tracks cannot leap.
///
/// Errors  std::invalid_argument for a take without rows; InvalidValue for an invalid tolerance.
[[nodiscard]] BakedModel model_of(const Take& take, const ModelChannels& channels,
                                  const ModelSettings& settings = {});

}  // namespace hopcoil::io
