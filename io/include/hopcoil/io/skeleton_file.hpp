#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/gait/rig.hpp>
#include <hopcoil/io/gltf.hpp>

namespace hopcoil::io {

/// The nodes of a glTF file as joints, parents first.
/// Errors  as read_nodes; InputProblems for a file without a node, or nodes in a circle.
[[nodiscard]] Skeleton read_skeleton(const std::string& path);

/// An animation of a skeleton's joints, as the base of `Rig::pose`, which adds a walker's legs.
///
///     const Clip clip{skeleton, read_animations("dog.glb").front()};
///     clip.pose(time_s, base);
class Clip {
  public:
    /// Tracks of other nodes are left out.
    Clip(const Skeleton& skeleton, const ModelAnimation& animation);
    [[nodiscard]] double duration_s() const noexcept { return duration_s_; }
    /// The pose at a time; the animation repeats. Shapes  a pose for each joint; joints without a
    /// track are as at rest.
    void pose(double time_s, std::span<Pose> local) const;

  private:
    struct Track {
        std::size_t joint = 0;
        NodeTrack track{};
    };
    std::vector<Pose> rest_{};
    std::vector<Track> tracks_{};
    double duration_s_ = 0.0;
};

/// The same skeleton moving, as a model's nodes: what `write_model` takes.
/// Shapes  `poses` has a row of local poses for each time, one joint after the other.
[[nodiscard]] std::vector<ModelNode> model_nodes_of(const Skeleton& skeleton,
                                                    std::span<const double> times_s,
                                                    std::span<const Pose> poses);

}  // namespace hopcoil::io
