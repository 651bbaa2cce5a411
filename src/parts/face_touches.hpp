#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include <hopcoil/field/ground_face.hpp>

#include "convex.hpp"

namespace hopcoil {
namespace parts {

/// Where a solid touches faces of the ground, in groups of about the same normal: a side on a wall
/// of many triangles stands on a few spots.
class FaceTouches final : public FaceVisitor {
  public:
    struct Group {
        Vector3 normal{};
        std::uint32_t part = 0;
        double least_gap = 0;
        std::array<TouchPoint, 16> points{};
        std::size_t count = 0;

        [[nodiscard]] std::span<TouchPoint> all() noexcept { return {points.data(), count}; }
        void add(const TouchPoint& point) noexcept;
    };

    /// The solid has to stay as it is while faces are visited.
    void begin(const Convex& solid, const Vector3& velocity, double margin) noexcept;
    /// What is round meets all faces. Of others, corners are held by the height of the ground;
    /// their sides meet steep faces and outer edges.
    [[nodiscard]] FaceChoice choice() const noexcept;
    void visit(const GroundFace& face) noexcept override;
    [[nodiscard]] std::span<Group> groups() noexcept { return {groups_.data(), count_}; }

  private:
    [[nodiscard]] bool is_near(const GroundFace& face) const noexcept;
    [[nodiscard]] Group* group_of(const Vector3& normal, double gap, std::uint32_t part) noexcept;

    Convex solid_{};
    Vector3 velocity_{};
    double margin_ = 0;
    Vector3 least_{};  ///< corners of the box around it, with its radius and margin
    Vector3 most_{};
    Polytope sides_{
        .faces = {{0, 1, 2}}, .normals = {{}}, .edges = {{}, {}, {}}};  ///< of the last face
    std::array<Group, 12> groups_{};
    std::size_t count_ = 0;
};

}  // namespace parts
}  // namespace hopcoil
