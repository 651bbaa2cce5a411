#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <hopcoil/base/math.hpp>
#include <hopcoil/points/chain_shape.hpp>

namespace hopcoil {
namespace {

Vector3 made_unit(const Vector3& v, const Vector3& otherwise) noexcept {
    const double length = std::sqrt(dot(v, v));
    return length > 1e-12 && length < 1e150 ? v * (1 / length) : otherwise;
}

/// Something across a direction.
Vector3 across(const Vector3& direction) noexcept {
    const Vector3 other = std::abs(direction.y) < 0.9 ? Vector3{0, 1, 0} : Vector3{1, 0, 0};
    return made_unit(cross(direction, other), {0, 0, 1});
}

Vector3 slope_at(std::span<const Vector3> points, std::size_t i) noexcept {
    const std::size_t last = points.size() - 1;
    if (i == 0) {
        if (last < 2) return points[1] - points[0];
        return (points[1] - points[0]) * 1.5 - (points[2] - points[0]) * 0.25 -
               (points[2] - points[1]) * 0.25;
    }
    if (i == last) {
        if (last < 2) return points[last] - points[last - 1];
        return (points[last] - points[last - 1]) * 1.5 - (points[last] - points[last - 2]) * 0.25 -
               (points[last - 1] - points[last - 2]) * 0.25;
    }
    return (points[i + 1] - points[i - 1]) * 0.5;
}

Vector3 along_at(std::span<const Vector3> points, std::size_t i) noexcept {
    const std::size_t before = i == 0 ? 0 : i - 1;
    const std::size_t after = std::min(i + 1, points.size() - 1);
    return made_unit(points[after] - points[before], {0, -1, 0});
}

void require_row(std::size_t points, std::size_t widths) {
    if (points < 2) throw std::invalid_argument{"a band needs at least two points"};
    if (widths == 1 || widths == points) return;
    throw std::invalid_argument{"expected one width for all points, or one for each"};
}

double width_at(std::span<const double> widths, std::size_t i) noexcept {
    return widths.size() == 1 ? widths[0] : widths[i];
}

}  // namespace

Vector3 smooth_point(std::span<const Vector3> points, double part) noexcept {
    if (points.empty()) return {};
    if (points.size() == 1) return points[0];
    const auto last = static_cast<double>(points.size() - 1);
    const double at = part > 0 ? std::min(part, 1.0) * last : 0;
    const auto i = std::min(static_cast<std::size_t>(at), points.size() - 2);
    const double u = at - static_cast<double>(i);
    const double v = 1 - u;
    return points[i] * (v * v * (1 + 2 * u)) + slope_at(points, i) * (u * v * v) +
           points[i + 1] * (u * u * (3 - 2 * u)) - slope_at(points, i + 1) * (u * u * v);
}

Vector3 up_the_chain(std::span<const Vector3> points, std::size_t index) noexcept {
    if (points.size() < 2) return {0, 1, 0};
    const std::size_t i = std::max<std::size_t>(1, std::min(index, points.size() - 1));
    return made_unit(points[i - 1] - points[i], {0, 1, 0});
}

Quaternion turned_part(const Vector3& from, const Vector3& to, double part) noexcept {
    const double cosine = std::clamp(dot(from, to), -1.0, 1.0);
    const Vector3 normal = cross(from, to);
    const double sine = std::sqrt(dot(normal, normal));
    if (sine < 1e-12) {
        if (cosine > 0) return {};
        return turned_by(across(from) * (math::pi * part));
    }
    return turned_by(normal * (math::atan2(sine, cosine) * part / sine));
}

Quaternion first_frame(std::span<const Vector3> points, const Quaternion& root,
                       const Vector3& rest_direction, const Vector3& forward) noexcept {
    const Vector3 axis = made_unit(forward, {0, 0, 1});
    const Vector3 rest = made_unit(rest_direction * -1.0, {0, 1, 0});
    return turned_part(rotated(root, rest), up_the_chain(points, 0), 1) * root *
           turned_part(axis, rest, 1);
}

Mesh ribbon(std::span<const Vector3> points, std::span<const double> widths,
            const Vector3& normal) {
    require_row(points.size(), widths.size());
    Mesh mesh;
    const Vector3 up = made_unit(normal, {0, 0, 1});
    Vector3 side = across(along_at(points, 0));
    for (std::size_t i = 0; i < points.size(); ++i) {
        const Vector3 along = along_at(points, i);
        side = made_unit(cross(up, along), side);
        const Vector3 face = made_unit(cross(along, side), up);
        const double half = width_at(widths, i) / 2;
        const double u = static_cast<double>(i) / static_cast<double>(points.size() - 1);
        for (const double edge : {-1.0, 1.0}) {
            mesh.positions.push_back(points[i] + side * (edge * half));
            mesh.normals.push_back(face);
            mesh.texture.push_back({u, (edge + 1) / 2});
        }
        if (i == 0) continue;
        const auto at = static_cast<std::uint32_t>(2 * (i - 1));
        mesh.triangles.push_back({at, at + 2, at + 1});
        mesh.triangles.push_back({at + 1, at + 2, at + 3});
    }
    return mesh;
}

Mesh tube(std::span<const Vector3> points, std::span<const double> radii, std::size_t sides) {
    require_row(points.size(), radii.size());
    if (sides < 3) throw std::invalid_argument{"a tube needs at least three sides"};
    Mesh mesh;
    const std::size_t ring = sides + 1;  // the seam has two corners: its texture begins and ends
    Vector3 along = along_at(points, 0);
    Vector3 side = across(along);
    for (std::size_t i = 0; i < points.size(); ++i) {
        const Vector3 next = along_at(points, i);
        side = rotated(turned_part(along, next, 1), side);
        along = next;
        const Vector3 other = cross(along, side);
        const double u = static_cast<double>(i) / static_cast<double>(points.size() - 1);
        for (std::size_t k = 0; k < ring; ++k) {
            const double v = static_cast<double>(k) / static_cast<double>(sides);
            const double angle = 2 * math::pi * v;
            const Vector3 out = side * math::cos(angle) + other * math::sin(angle);
            mesh.positions.push_back(points[i] + out * width_at(radii, i));
            mesh.normals.push_back(out);
            mesh.texture.push_back({u, v});
            if (i == 0 || k == sides) continue;
            const auto at = static_cast<std::uint32_t>((i - 1) * ring + k);
            const auto step = static_cast<std::uint32_t>(ring);
            mesh.triangles.push_back({at, at + 1, at + step});
            mesh.triangles.push_back({at + 1, at + step + 1, at + step});
        }
    }
    for (const std::size_t end : {std::size_t{0}, points.size() - 1}) {
        const Vector3 out = along_at(points, end) * (end == 0 ? -1.0 : 1.0);
        const auto centre = static_cast<std::uint32_t>(mesh.positions.size());
        mesh.positions.push_back(points[end]);
        mesh.normals.push_back(out);
        mesh.texture.push_back({end == 0 ? 0.0 : 1.0, 0.5});
        for (std::size_t k = 0; k < ring; ++k) {
            const Vector3 corner = mesh.positions[end * ring + k];
            mesh.positions.push_back(corner);
            mesh.normals.push_back(out);
            mesh.texture.push_back(
                {end == 0 ? 0.0 : 1.0, static_cast<double>(k) / static_cast<double>(sides)});
            if (k == 0) continue;
            const auto here = centre + 1 + static_cast<std::uint32_t>(k);
            if (end == 0) {
                mesh.triangles.push_back({centre, here, here - 1});
            } else {
                mesh.triangles.push_back({centre, here - 1, here});
            }
        }
    }
    return mesh;
}

}  // namespace hopcoil
