#pragma once

#include <cstdint>
#include <limits>
#include <span>
#include <utility>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/field/ground_face.hpp>

namespace hopcoil {

/// A spot of the ground's surface, straight above or below a place.
struct GroundPoint {
    double height = 0.0;      ///< its y
    Vector3 normal{0, 1, 0};  ///< of unit length
    std::uint32_t part = 0;   ///< what it belongs to: 0 for all that never moves
    bool can_stand = true;    ///< false for water, a hole, a roof of glass
    bool exists = true;       ///< false where there is no ground at all
};

/// Where a part of the ground is, and how it moves. A place of the part's own is carried along.
struct GroundFrame {
    Vector3 position{};
    Quaternion rotation{};
    Vector3 velocity{};
    Vector3 angular_velocity{};
    // Rates of the two velocities, for times before now. What is ahead is predicted without them.
    Vector3 acceleration{};
    Vector3 angular_acceleration{};

    [[nodiscard]] Vector3 to_world(const Vector3& local) const noexcept;
    [[nodiscard]] Vector3 to_local(const Vector3& world) const noexcept;
    /// The velocity of the part's material at a place in the world.
    [[nodiscard]] Vector3 velocity_at(const Vector3& world) const noexcept;
    /// The same part a time later, at constant velocities; or, below 0, earlier, at constant
    /// accelerations.
    [[nodiscard]] GroundFrame ahead(double time_s) const noexcept;
};

/// The distance of a place from the ground.
struct GroundDistance {
    double metres = std::numeric_limits<double>::infinity();  ///< below 0 inside
    Vector3 normal{0, 1, 0};                                  ///< out of the ground
    std::uint32_t part = 0;
};

/// A block of the ground, where it stands and as it moves.
struct GroundBox {
    ContactShape shape{};
    std::uint32_t part = 0;
    std::uint32_t index = 0;  ///< among the boxes of its ground
};

/// What things walk on and land on. A program's own ground derives from it, or is a height
/// function (HeightGround); Terrain puts ready-made pieces together.
///
///     struct Waves final : hopcoil::Ground {
///         hopcoil::GroundPoint under(double x, double z, double, double) const noexcept override;
///     };
///
/// Units   metres and seconds. A place has one height for each surface above another: the highest
///         at or below `top` counts. For what collides, a ground can have boxes and faces as well,
///         which are met from their sides.
/// Errors  none: a place without ground says so.
class Ground {
  public:
    virtual ~Ground() = default;

    /// The surface at x, z, `ahead_s` from now.
    [[nodiscard]] virtual GroundPoint under(double x, double z, double top,
                                            double ahead_s) const noexcept = 0;
    /// The same without the boxes.
    [[nodiscard]] virtual GroundPoint surface_under(double x, double z, double top,
                                                    double ahead_s) const noexcept {
        return under(x, z, top, ahead_s);
    }
    /// Boxes that come as near as `radius` to a place, as many as fit: how many there are.
    [[nodiscard]] virtual std::size_t boxes_near(const Vector3& place, double radius,
                                                 double ahead_s,
                                                 std::span<GroundBox> found) const noexcept {
        static_cast<void>(place);
        static_cast<void>(radius);
        static_cast<void>(ahead_s);
        static_cast<void>(found);
        return 0;
    }
    /// Triangles of the ground that come as near as `radius` to a place.
    virtual void visit_faces(const Vector3& place, double radius, double ahead_s, FaceChoice choice,
                             FaceVisitor& visitor) const noexcept {
        static_cast<void>(place);
        static_cast<void>(radius);
        static_cast<void>(ahead_s);
        static_cast<void>(choice);
        static_cast<void>(visitor);
    }
    /// How far a place is from the ground: from its surface, from walls within `above`, and from
    /// those sides of boxes that no other box covers.
    [[nodiscard]] virtual GroundDistance distance_to(const Vector3& place, double above,
                                                     double ahead_s) const noexcept {
        return surface_distance(place, above, ahead_s);
    }
    /// The distance from the surface alone, taken as a plane: the surface up to `above` higher
    /// than the place. A place in front of a nearer wall or ceiling is not below it.
    [[nodiscard]] virtual GroundDistance surface_distance(const Vector3& place, double above,
                                                          double ahead_s) const noexcept;
    /// Of a part that moves, `ahead_s` from now.
    [[nodiscard]] virtual GroundFrame frame(std::uint32_t part, double ahead_s) const noexcept {
        static_cast<void>(part);
        static_cast<void>(ahead_s);
        return {};
    }
    /// A height that no surface is above, `ahead_s` from now: above it nothing else has to be
    /// checked. Infinite where none is known.
    [[nodiscard]] virtual double highest(double ahead_s) const noexcept {
        static_cast<void>(ahead_s);
        return std::numeric_limits<double>::infinity();
    }
    /// Whether all of it is level, as high as `highest`, at all times: then nothing has to be
    /// searched for.
    [[nodiscard]] virtual bool is_level() const noexcept { return false; }
    /// The velocity of a part's material at a place, `ahead_s` from now.
    [[nodiscard]] Vector3 velocity_at(const Vector3& place, std::uint32_t part,
                                      double ahead_s) const noexcept {
        return part == 0 ? Vector3{} : frame(part, ahead_s).velocity_at(place);
    }

  protected:
    Ground() = default;
    Ground(const Ground&) = default;
    Ground(Ground&&) = default;
    Ground& operator=(const Ground&) = default;
    Ground& operator=(Ground&&) = default;
};

/// A plane at a height.
class FlatGround final : public Ground {
  public:
    explicit FlatGround(double height = 0.0) noexcept : height_{height} {}
    [[nodiscard]] GroundPoint under(double /*x*/, double /*z*/, double /*top*/,
                                    double /*ahead_s*/) const noexcept override {
        return {.height = height_};
    }
    [[nodiscard]] double highest(double /*ahead_s*/) const noexcept override { return height_; }
    [[nodiscard]] bool is_level() const noexcept override { return true; }

  private:
    double height_;
};

/// A ground as it was so many seconds ago.
class EarlierGround final : public Ground {
  public:
    EarlierGround(const Ground& ground, double ago_s) noexcept : ground_{ground}, ago_s_{ago_s} {}
    [[nodiscard]] GroundPoint under(double x, double z, double top,
                                    double ahead_s) const noexcept override {
        return ground_.under(x, z, top, ahead_s - ago_s_);
    }
    [[nodiscard]] GroundPoint surface_under(double x, double z, double top,
                                            double ahead_s) const noexcept override {
        return ground_.surface_under(x, z, top, ahead_s - ago_s_);
    }
    [[nodiscard]] std::size_t boxes_near(const Vector3& place, double radius, double ahead_s,
                                         std::span<GroundBox> found) const noexcept override {
        return ground_.boxes_near(place, radius, ahead_s - ago_s_, found);
    }
    void visit_faces(const Vector3& place, double radius, double ahead_s, FaceChoice choice,
                     FaceVisitor& visitor) const noexcept override {
        ground_.visit_faces(place, radius, ahead_s - ago_s_, choice, visitor);
    }
    [[nodiscard]] GroundDistance distance_to(const Vector3& place, double above,
                                             double ahead_s) const noexcept override {
        return ground_.distance_to(place, above, ahead_s - ago_s_);
    }
    [[nodiscard]] GroundDistance surface_distance(const Vector3& place, double above,
                                                  double ahead_s) const noexcept override {
        return ground_.surface_distance(place, above, ahead_s - ago_s_);
    }
    [[nodiscard]] GroundFrame frame(std::uint32_t part, double ahead_s) const noexcept override {
        return ground_.frame(part, ahead_s - ago_s_);
    }
    [[nodiscard]] double highest(double ahead_s) const noexcept override {
        return ground_.highest(ahead_s - ago_s_);
    }
    [[nodiscard]] bool is_level() const noexcept override { return ground_.is_level(); }

  private:
    const Ground& ground_;
    double ago_s_;
};

/// The unit normal of a surface that rises by so much for each metre along x and z.
[[nodiscard]] Vector3 normal_of_slopes(double along_x, double along_z) noexcept;

/// A height function, `double height(double x, double z)`, of a program's own.
template <class Height>
class HeightGround final : public Ground {
  public:
    explicit HeightGround(Height height) : height_{std::move(height)} {}
    [[nodiscard]] GroundPoint under(double x, double z, double /*top*/,
                                    double /*ahead_s*/) const noexcept override {
        constexpr double near = 1e-3;
        const double along_x = (height_(x + near, z) - height_(x - near, z)) / (2 * near);
        const double along_z = (height_(x, z + near) - height_(x, z - near)) / (2 * near);
        return {.height = height_(x, z), .normal = normal_of_slopes(along_x, along_z)};
    }

  private:
    Height height_;
};

}  // namespace hopcoil
