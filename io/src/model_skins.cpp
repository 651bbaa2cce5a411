#include "model_skins.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include <hopcoil/points/chain_shape.hpp>

namespace hopcoil::io {
namespace {

Vector3 unit(const Vector3& v) {
    const double length = std::sqrt(dot(v, v));
    return length > 0 ? v * (1 / length) : Vector3{0, 0, 1};
}

/// Along the row, at a point.
Vector3 direction_at(const std::vector<Vector3>& points, std::size_t i) {
    return unit(points[std::min(i + 1, points.size() - 1)] - points[i == 0 ? 0 : i - 1]);
}

std::array<double, 3> colour_along(const std::vector<std::array<double, 3>>& profile, double part) {
    std::array<double, 3> colour{};
    for (std::size_t k = 0; k < 3; ++k) {
        std::vector<double> component;
        component.reserve(profile.size());
        for (const auto& each : profile)
            component.push_back(each[k]);
        colour[k] = profile_at(component, part, 0.6);
    }
    return colour;
}

}  // namespace

RowTurns::RowTurns(const std::vector<Vector3>& start) : turns(start.size()) {
    for (std::size_t i = 0; i < start.size(); ++i)
        directions.push_back(direction_at(start, i));
}

void RowTurns::follow(const std::vector<Vector3>& points) {
    for (std::size_t i = 0; i < turns.size(); ++i) {
        const Quaternion& from = turns[i == 0 ? 0 : i - 1];
        const Vector3 expected = rotated(from, directions[i]);
        turns[i] = normalized(turned_part(expected, direction_at(points, i), 1) * from);
    }
}

BranchTurns::BranchTurns(std::vector<std::size_t> from, const std::vector<Vector3>& start)
    : parents{std::move(from)}, turns(start.size()) {
    for (std::size_t i = 0; i < start.size(); ++i)
        directions.push_back(unit(start[i] - start[parents[i]]));
}

void BranchTurns::follow(const std::vector<Vector3>& points) {
    for (std::size_t i = 0; i < turns.size(); ++i) {
        const std::size_t parent = parents[i];
        if (parent == i) continue;
        const Vector3 expected = rotated(turns[parent], directions[i]);
        const Vector3 now = unit(points[i] - points[parent]);
        turns[i] = normalized(turned_part(expected, now, 1) * turns[parent]);
    }
}

ModelSkin skin_of(const TubeChannel& tube, const std::vector<Vector3>& points,
                  std::size_t first_joint) {
    constexpr std::size_t rings_a_link = 4;
    constexpr std::size_t sides = 10;
    const std::size_t links = points.size() - 1;
    const std::size_t rings = links * rings_a_link;
    double length = 0;
    for (std::size_t i = 0; i < links; ++i)
        length += std::sqrt(dot(points[i + 1] - points[i], points[i + 1] - points[i]));
    std::vector<Vector3> fine;
    std::vector<double> radii;
    for (std::size_t i = 0; i <= rings; ++i) {
        const double part = static_cast<double>(i) / static_cast<double>(rings);
        fine.push_back(smooth_point(points, part));
        radii.push_back(std::max(profile_at(tube.radius_m, part, 0.004 * length), 1e-6));
    }
    const Mesh mesh = hopcoil::tube(fine, radii, sides);
    ModelSkin skin{.name = tube.name, .first_joint = first_joint, .joints = points.size()};
    for (std::size_t i = 0; i < mesh.positions.size(); ++i) {
        const Vector3& p = mesh.positions[i];
        const Vector3& n = mesh.normals[i];
        const double at = mesh.texture[i][0] * static_cast<double>(links);
        const auto joint = std::min(static_cast<std::size_t>(at), links);
        skin.positions.push_back({p.x, p.y, p.z});
        skin.normals.push_back({n.x, n.y, n.z});
        skin.texture.push_back(mesh.texture[i]);
        skin.colours.push_back(colour_along(tube.colours, mesh.texture[i][0]));
        skin.joint.push_back(joint);
        skin.blend.push_back(at - static_cast<double>(joint));
    }
    skin.triangles = mesh.triangles;
    return skin;
}

ModelSkin skin_of(const BranchChannel& branches, const std::vector<Vector3>& points,
                  std::size_t first_joint) {
    constexpr std::size_t sides = 6;
    ModelSkin skin{.name = branches.name, .first_joint = first_joint, .joints = points.size()};
    const std::vector<double> thinness = thinness_of(branches.radius_m);
    for (std::size_t i = 0; i < points.size(); ++i) {
        const std::size_t parent = branches.parents[i];
        if (parent == i) continue;
        const bool is_foot = branches.parents[parent] == parent;
        const double radius = branches.radius_m[i];
        const double below = is_foot ? radius : std::min(branches.radius_m[parent], 1.5 * radius);
        const Mesh mesh =
            hopcoil::tube(std::array{points[parent], points[i]}, std::array{below, radius}, sides);
        const auto offset = static_cast<std::uint32_t>(skin.positions.size());
        const auto colour = colour_along(branches.colours, thinness[i]);
        for (std::size_t k = 0; k < mesh.positions.size(); ++k) {
            const Vector3& p = mesh.positions[k];
            const Vector3& n = mesh.normals[k];
            skin.positions.push_back({p.x, p.y, p.z});
            skin.normals.push_back({n.x, n.y, n.z});
            skin.texture.push_back(mesh.texture[k]);
            skin.colours.push_back(colour);
            // Rings bend with the joints at their ends.
            skin.joint.push_back(mesh.texture[k][0] < 0.5 ? parent : i);
            skin.blend.push_back(0);
        }
        for (const auto& [a, b, c] : mesh.triangles)
            skin.triangles.push_back({a + offset, b + offset, c + offset});
    }
    return skin;
}

std::vector<double> thinness_of(const std::vector<double>& radius_m) {
    std::vector<double> all(radius_m.size(), 0.0);
    if (radius_m.empty()) return all;
    const auto [least, most] = std::minmax_element(radius_m.begin(), radius_m.end());
    if (!(*least > 0) || !(*most > *least)) return all;
    for (std::size_t i = 0; i < all.size(); ++i)
        all[i] = std::log(*most / radius_m[i]) / std::log(*most / *least);
    return all;
}

double profile_at(const std::vector<double>& profile, double part, double otherwise) {
    if (profile.empty()) return otherwise;
    const double at = part * static_cast<double>(profile.size() - 1);
    const auto below = static_cast<std::size_t>(std::floor(at));
    if (below + 1 >= profile.size()) return profile.back();
    const double share = at - static_cast<double>(below);
    return profile[below] + share * (profile[below + 1] - profile[below]);
}

}  // namespace hopcoil::io
