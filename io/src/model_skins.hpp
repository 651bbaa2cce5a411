#pragma once

#include <cstddef>
#include <vector>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/take_model.hpp>

namespace hopcoil::io {

/// How the points of a row are turned since its first moment: along with it, without a twist.
struct RowTurns {
    std::vector<Vector3> directions{};  ///< at first
    std::vector<Quaternion> turns{};

    explicit RowTurns(const std::vector<Vector3>& start);
    void follow(const std::vector<Vector3>& points);
};

/// How branches are turned since their first moment, each along with what it grows from.
struct BranchTurns {
    std::vector<std::size_t> parents{};
    std::vector<Vector3> directions{};  ///< at first
    std::vector<Quaternion> turns{};

    BranchTurns(std::vector<std::size_t> from, const std::vector<Vector3>& start);
    void follow(const std::vector<Vector3>& points);
};

/// The tube through the points as they are at first, finer than they are.
[[nodiscard]] ModelSkin skin_of(const TubeChannel& tube, const std::vector<Vector3>& points,
                                std::size_t first_joint);
/// A tapered tube for each branch, from the thickness of what it grows from to its own.
[[nodiscard]] ModelSkin skin_of(const BranchChannel& branches, const std::vector<Vector3>& points,
                                std::size_t first_joint);

}  // namespace hopcoil::io
