#pragma once

#include <cstdint>
#include <variant>
#include <vector>

#include <hopcoil/field/detail/slab.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/ground_mesh.hpp>
#include <hopcoil/field/height_field.hpp>

namespace hopcoil {

/// Ground put together from pieces, some of which may move.
///
///     Terrain quay;
///     quay.add(Terrain::Plane{});
///     quay.add(Terrain::Box{.middle = {0, 0.09, 2}, .size = {3, 0.18, 1}});
///     const std::uint32_t pontoon = quay.add_part({.position = {4, 0.2, 0}});
///     quay.add(Terrain::Box{.size = {3, 0.1, 2}}, pontoon);
///     quay.move(pontoon, frame);  // every step
///
/// Model   at a place the highest surface of all pieces at or below the top asked for. Pieces of a
///         part stand in that part's frame.
/// Errors  InvalidValue for a piece with numbers that are not finite, or sizes below 0;
///         std::out_of_range for a part that is not there.
/// Cost    a few nanoseconds for each box, distant ones too; for thousands of boxes a GroundMesh
///         of their tops is quicker, since it has a bounding hierarchy.
class Terrain final : public Ground {
  public:
    /// Unbounded, through a point.
    struct Plane {
        Vector3 point{};
        double slope_x = 0.0;  ///< rise for each metre along x
        double slope_z = 0.0;
        bool can_stand = true;
    };
    /// Its top is ground, and it has sides for what collides; turned about Y.
    struct Box {
        Vector3 middle{};
        Vector3 size{1, 1, 1};
        double yaw_rad = 0.0;
        bool can_stand = true;
    };

    void add(const Plane& plane, std::uint32_t part = 0);
    void add(const Box& box, std::uint32_t part = 0);
    void add(HeightField field, std::uint32_t part = 0);
    void add(GroundMesh mesh, std::uint32_t part = 0);
    /// Adds a part that moves; returns its number, 1 or more.
    [[nodiscard]] std::uint32_t add_part(const GroundFrame& frame);
    void move(std::uint32_t part, const GroundFrame& frame);
    [[nodiscard]] std::size_t part_count() const noexcept { return frames_.size(); }

    [[nodiscard]] GroundPoint under(double x, double z, double top,
                                    double ahead_s) const noexcept override;
    [[nodiscard]] GroundPoint surface_under(double x, double z, double top,
                                            double ahead_s) const noexcept override;
    [[nodiscard]] std::size_t boxes_near(const Vector3& place, double radius, double ahead_s,
                                         std::span<GroundBox> found) const noexcept override;
    void visit_faces(const Vector3& place, double radius, double ahead_s, FaceChoice choice,
                     FaceVisitor& visitor) const noexcept override;
    [[nodiscard]] GroundDistance distance_to(const Vector3& place, double above,
                                             double ahead_s) const noexcept override;
    [[nodiscard]] GroundDistance surface_distance(const Vector3& place, double above,
                                                  double ahead_s) const noexcept override;
    [[nodiscard]] GroundFrame frame(std::uint32_t part, double ahead_s) const noexcept override;
    [[nodiscard]] double highest(double ahead_s) const noexcept override;
    /// A level plane alone is.
    [[nodiscard]] bool is_level() const noexcept override;

  private:
    using Shape = std::variant<Plane, detail::Slab, HeightField, GroundMesh>;
    struct Piece {
        Shape shape;
        std::uint32_t part = 0;
        double top = 0.0;     ///< the highest of it in its part's frame
        double bottom = 0.0;  ///< the lowest of its surface there
        double reach = 0.0;   ///< the furthest of it from its part's origin
    };
    /// A box in its part's frame.
    struct Block {
        ContactShape shape{};
        double radius = 0.0;  ///< to its corners
        std::uint32_t part = 0;
    };
    void add_piece(Shape shape, std::uint32_t part);
    [[nodiscard]] bool is_elsewhere(const Piece& piece, double x, double z,
                                    double ahead_s) const noexcept;
    enum class Which : std::uint8_t { all, without_boxes };
    [[nodiscard]] GroundPoint highest_under(double x, double z, double top, double ahead_s,
                                            Which which) const noexcept;
    [[nodiscard]] ContactShape placed(const Block& block, double ahead_s) const noexcept;
    /// Visits those whose corners come as near as a distance, which the visit can shorten.
    template <class Visit>
    void for_each_block(const Vector3& place, double ahead_s, double& near,
                        const Visit& visit) const noexcept;
    [[nodiscard]] bool is_in_ground(const Vector3& place, double above, double ahead_s,
                                    std::size_t but_for) const noexcept;
    [[nodiscard]] GroundDistance way_out(std::size_t block, const Vector3& place, double above,
                                         double ahead_s) const noexcept;
    [[nodiscard]] GroundDistance nearest_wall(const Vector3& place, double within,
                                              double ahead_s) const noexcept;
    void require_part(std::uint32_t part) const;

    std::vector<Piece> pieces_;
    std::vector<Block> blocks_;
    std::vector<detail::Footprint> footprints_;  ///< of each, without end for what moves
    std::vector<GroundFrame> frames_;            ///< of parts 1, 2, ...
    bool has_faces_ = false;                     ///< of height fields and meshes
};

}  // namespace hopcoil
