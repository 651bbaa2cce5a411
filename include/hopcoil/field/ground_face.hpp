#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {

/// A triangle of a ground, solid on the side that its normal points away from.
struct GroundFace {
    std::array<Vector3, 3> corners{};  ///< counter-clockwise seen from outside
    Vector3 normal{0, 1, 0};
    /// Of the neighbour at each edge, from a corner to the next: its normal where the ground bends
    /// away there, this face's own where it rises; zero where the ground ends.
    std::array<Vector3, 3> beyond{};
    std::uint32_t part = 0;

    /// Whether the ground bends away at an edge by more than 10 degrees, or ends.
    [[nodiscard]] bool is_outer(std::size_t edge) const noexcept {
        constexpr double cosine_of_least = 0.985;
        return dot(beyond[edge], normal) < cosine_of_least;
    }
    /// Steeper than 60 degrees, or facing down: a height at a place does not describe it well.
    [[nodiscard]] bool is_steep() const noexcept { return normal.y < 0.5; }
};

/// Which faces are wanted; each choice is a part of the one before.
enum class FaceChoice : std::uint8_t {
    all,
    edged,  ///< steep ones, and those with an outer edge
    steep,
};
[[nodiscard]] bool is_chosen(const GroundFace& face, FaceChoice choice) noexcept;

/// What is done with each face that is found.
class FaceVisitor {
  public:
    virtual void visit(const GroundFace& face) noexcept = 0;

  protected:
    FaceVisitor() = default;
    FaceVisitor(const FaceVisitor&) = default;
    FaceVisitor& operator=(const FaceVisitor&) = default;
    ~FaceVisitor() = default;
};

/// Of a face, the spot that is nearest to a place.
struct FaceSpot {
    Vector3 place{};
    std::uint8_t edge = 3;  ///< the edge that it lies on; 3: inside
    double metres = 0.0;    ///< from the place
};
[[nodiscard]] FaceSpot nearest_on(const GroundFace& face, const Vector3& place) noexcept;

/// What lies beyond an edge whose neighbour has its third corner there.
[[nodiscard]] Vector3 normal_beyond(const GroundFace& face, std::size_t edge,
                                    const Vector3& third) noexcept;

}  // namespace hopcoil
