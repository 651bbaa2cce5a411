#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/parts/parts_structure.hpp>

#include "convex.hpp"
#include "parts_body.hpp"

namespace hopcoil {
namespace parts {

/// A convex solid of a body.
struct Collider {
    std::uint32_t body = 0;
    std::vector<Vector3> points{};  ///< in the body's frame
    Polytope sides{};
    Quaternion turn{};  ///< of the sides, in the body's frame
    double radius = 0;
    std::size_t first = 0;  ///< its points' place among all
};

/// Two colliders that may touch during a step, by their indices.
struct ColliderPair {
    std::uint32_t a = 0;
    std::uint32_t b = 0;
};

/// The solids of the parts that can touch something.
class Colliders {
  public:
    explicit Colliders(const PartsStructure& structure, std::span<const Body> bodies);

    [[nodiscard]] std::span<const Collider> all() const noexcept { return all_; }
    /// Finds pairs that may touch within `seconds`; those of bodies that are joined, or of a group
    /// without contact, are left out.
    void find_pairs(std::span<const Body> bodies, double seconds) noexcept;
    [[nodiscard]] std::span<const ColliderPair> pairs() const noexcept {
        return {pairs_.data(), pair_count_};
    }
    /// Where their points are now.
    void place(std::span<const Body> bodies) noexcept;
    /// As it was placed.
    [[nodiscard]] Convex convex(std::size_t index, std::span<const Body> bodies) const noexcept;

  private:
    struct Box {
        Vector3 least{};
        Vector3 most{};
        std::uint32_t collider = 0;
    };
    void add(std::uint32_t body, const PartShape& shape, const Body& at);
    [[nodiscard]] bool are_joined(std::uint32_t a, std::uint32_t b) const noexcept;

    std::vector<Collider> all_;
    std::vector<Vector3> points_;
    std::vector<Box> boxes_;
    std::vector<ColliderPair> pairs_;
    std::size_t pair_count_ = 0;
    std::vector<std::uint64_t> joined_;             ///< both bodies in one number, sorted
    std::vector<std::uint32_t> no_contact_groups_;  ///< of each body
};

/// A shape of the world, as a convex solid; a plane is none.
struct ShapeSolid {
    std::array<Vector3, 8> points{};
    std::size_t count = 0;
    Axes axes{};
    double radius = 0;
    bool is_box = false;
};
[[nodiscard]] ShapeSolid solid_of(const ContactShape& shape) noexcept;
[[nodiscard]] Convex convex_of(const ShapeSolid& solid) noexcept;

}  // namespace parts
}  // namespace hopcoil
