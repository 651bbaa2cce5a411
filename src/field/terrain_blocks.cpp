#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <hopcoil/field/terrain.hpp>

namespace hopcoil {
namespace {

/// Far enough beyond a side that rounding cannot undo it.
constexpr double just_beyond_m = 1e-6;

struct Side {
    double metres = 0;  ///< from a place inside
    Vector3 normal{};   ///< in the box's own frame
};

std::array<Side, 6> sides_around(const Vector3& half, const Vector3& local) noexcept {
    return {{{half.y - local.y, {0, 1, 0}},
             {half.y + local.y, {0, -1, 0}},
             {half.x - local.x, {1, 0, 0}},
             {half.x + local.x, {-1, 0, 0}},
             {half.z - local.z, {0, 0, 1}},
             {half.z + local.z, {0, 0, -1}}}};
}

}  // namespace

ContactShape Terrain::placed(const Block& block, double ahead_s) const noexcept {
    ContactShape shape = block.shape;
    const GroundFrame carrier = frame(block.part, ahead_s);
    shape.position = carrier.to_world(shape.position);
    shape.rotation = carrier.rotation * shape.rotation;
    shape.velocity = carrier.velocity_at(shape.position);
    shape.angular_velocity = carrier.angular_velocity;
    return shape;
}

template <class Visit>
void Terrain::for_each_block(const Vector3& place, double ahead_s, double& near,
                             const Visit& visit) const noexcept {
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const Block& block = blocks_[i];
        const double reach = near + block.radius;
        const auto look_at = [&](const ContactShape& shape) {
            const Vector3 way = place - shape.position;
            if (reach >= 0 && dot(way, way) <= reach * reach) visit(i, shape);
        };
        if (block.part == 0) {
            look_at(block.shape);
        } else {
            look_at(placed(block, ahead_s));
        }
    }
}

std::size_t Terrain::boxes_near(const Vector3& place, double radius, double ahead_s,
                                std::span<GroundBox> found) const noexcept {
    std::size_t count = 0;
    for_each_block(place, ahead_s, radius, [&](std::size_t i, const ContactShape& shape) {
        if (hopcoil::distance_to(shape, place).metres > radius) return;
        if (count < found.size())
            found[count] = {shape, blocks_[i].part, static_cast<std::uint32_t>(i)};
        ++count;
    });
    return count;
}

GroundDistance Terrain::distance_to(const Vector3& place, double above,
                                    double ahead_s) const noexcept {
    constexpr std::size_t none = std::numeric_limits<std::size_t>::max();
    GroundDistance nearest = surface_distance(place, above, ahead_s);
    std::size_t block = none;
    double near = nearest.metres;
    for_each_block(place, ahead_s, near, [&](std::size_t i, const ContactShape& shape) {
        const ShapeDistance away = hopcoil::distance_to(shape, place);
        if (away.metres >= nearest.metres) return;
        nearest = {away.metres, away.normal, blocks_[i].part};
        near = away.metres;
        block = i;
    });
    const bool is_inside = block != none && nearest.metres < 0;
    if (is_inside) nearest = way_out(block, place, above, ahead_s);
    const double within = nearest.metres >= 0 ? std::min(above, nearest.metres) : above;
    const GroundDistance wall = nearest_wall(place, within, ahead_s);
    // Of the surfaces that the place is behind, the one nearest to it.
    const bool is_wall_nearest = wall.metres < 0
                                     ? nearest.metres >= 0 || wall.metres > nearest.metres
                                     : wall.metres < nearest.metres && nearest.metres >= 0;
    return is_wall_nearest ? wall : nearest;
}

bool Terrain::is_in_ground(const Vector3& place, double above, double ahead_s,
                           std::size_t but_for) const noexcept {
    if (surface_distance(place, above, ahead_s).metres < 0) return true;
    bool found = false;
    double near = 0;
    for_each_block(place, ahead_s, near, [&](std::size_t i, const ContactShape& shape) {
        found = found || (i != but_for && hopcoil::distance_to(shape, place).metres < 0);
    });
    return found;
}

/// The nearest side of a box through which a place could leave the ground; its top where there is
/// none.
GroundDistance Terrain::way_out(std::size_t block, const Vector3& place, double above,
                                double ahead_s) const noexcept {
    const ContactShape shape =
        blocks_[block].part == 0 ? blocks_[block].shape : placed(blocks_[block], ahead_s);
    const Vector3 local = rotated(conjugate(shape.rotation), place - shape.position);
    const auto leads_out = [&](const Side& side) {
        const Vector3 beyond = local + side.normal * (side.metres + just_beyond_m);
        return !is_in_ground(shape.position + rotated(shape.rotation, beyond), above, ahead_s,
                             block);
    };
    const std::array<Side, 6> sides = sides_around(shape.half_size_m, local);
    Side best = sides.front();
    bool found = false;
    for (const Side& side : sides) {
        const bool is_nearer = !found || side.metres < best.metres;
        if (!is_nearer || !leads_out(side)) continue;
        best = side;
        found = true;
    }
    return {-best.metres, rotated(shape.rotation, best.normal), blocks_[block].part};
}

}  // namespace hopcoil
