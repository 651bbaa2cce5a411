#include "draw/solid.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <string>

#include <hopcoil/base/quaternion.hpp>

#include "draw/palette.hpp"

namespace hopcoil::draw {
namespace {

using Face = std::vector<std::size_t>;

/// A unit long along +Z.
struct Mesh {
    std::vector<Vector3> corners{};
    std::vector<Face> faces{};  ///< counter-clockwise seen from outside
    bool flat = false;          ///< seen from both sides
};

Mesh diamond() {
    return {
        {{0, 0, 0.75}, {0, 0, -0.25}, {0.17, 0, 0}, {-0.17, 0, 0}, {0, 0.17, 0}, {0, -0.17, 0}},
        {{0, 2, 4}, {0, 4, 3}, {0, 3, 5}, {0, 5, 2}, {1, 4, 2}, {1, 3, 4}, {1, 5, 3}, {1, 2, 5}}};
}

Mesh arrow() {
    return {{{0, 0, 0.5},
             {0.2, 0, 0.1},
             {0.07, 0, 0.1},
             {0.07, 0, -0.5},
             {-0.07, 0, -0.5},
             {-0.07, 0, 0.1},
             {-0.2, 0, 0.1}},
            {{0, 1, 2, 5, 6}, {2, 3, 4, 5}},
            true};
}

Mesh box() {
    Mesh mesh;
    for (const double x : {-0.25, 0.25}) {
        for (const double y : {-0.25, 0.25}) {
            for (const double z : {-0.5, 0.5})
                mesh.corners.push_back({x, y, z});
        }
    }
    mesh.faces = {{0, 1, 3, 2}, {4, 6, 7, 5}, {0, 4, 5, 1},
                  {2, 3, 7, 6}, {0, 2, 6, 4}, {1, 5, 7, 3}};
    return mesh;
}

Mesh mesh_of(scene::BodyShape shape) {
    if (shape == scene::BodyShape::arrow) return arrow();
    return shape == scene::BodyShape::box ? box() : diamond();
}

Mesh mesh_of(const io::Solid& solid) {
    Mesh mesh{.faces = solid.faces};
    mesh.corners.reserve(solid.corners_m.size());
    for (const auto& [x, y, z] : solid.corners_m)
        mesh.corners.push_back({x, y, z});
    return mesh;
}

Vector3 unit(const Vector3& v) {
    const double length = std::sqrt(dot(v, v));
    return length > 0 ? v * (1 / length) : v;
}

/// A face turned to the light is lighter.
std::string shaded(std::string_view colour, const Vector3& normal, const Eye& eye) {
    const Vector3 light = unit(eye.toward * 0.6 + eye.up * 0.7 - eye.right * 0.4);
    const double brightness = 0.5 + 0.5 * dot(normal, light);
    return mixed(mixed(colour, ink, 0.45), mixed(colour, paper, 0.3), brightness);
}

struct SeenFace {
    std::vector<Point> outline;
    double nearness;
    std::string colour;
};

using Shading = std::string (*)(std::string_view colour, const Vector3& normal, const Eye& eye);

std::vector<SeenFace> seen_faces(const Mesh& mesh, const std::vector<Vector3>& corners,
                                 const Projection& projection, std::string_view colour,
                                 Shading shading = shaded) {
    std::vector<SeenFace> seen;
    for (const Face& face : mesh.faces) {
        const Vector3& first = corners[face[0]];
        Vector3 normal = unit(cross(corners[face[1]] - first, corners[face[2]] - first));
        double facing = dot(normal, projection.eye.toward);
        if (mesh.flat && facing < 0) {
            normal = normal * -1;
            facing = -facing;
        }
        constexpr double edge_on = 1e-3;  // seen as a line
        if (facing < -edge_on) continue;
        SeenFace one{
            .outline = {}, .nearness = 0, .colour = shading(colour, normal, projection.eye)};
        for (const std::size_t corner : face) {
            one.outline.push_back(projection(corners[corner]));
            one.nearness +=
                dot(corners[corner], projection.eye.toward) / static_cast<double>(face.size());
        }
        seen.push_back(std::move(one));
    }
    std::stable_sort(seen.begin(), seen.end(),
                     [](const SeenFace& a, const SeenFace& b) { return a.nearness < b.nearness; });
    return seen;
}

double mean_size(const Vector3& scale) {
    return (scale.x + scale.y + scale.z) / 3;
}

void draw_ball(Canvas& canvas, const Point& at, double radius_px, const Look& look) {
    if (look.hollow) {
        canvas.ring(at, radius_px, {look.colour, look.opacity}, 1.4, true);
        return;
    }
    const std::string dark = mixed(look.colour, ink, 0.35);
    const std::string light = mixed(look.colour, paper, 0.35);
    canvas.disc(at, radius_px, {dark, look.opacity});
    canvas.disc({at.x - 0.1 * radius_px, at.y - 0.12 * radius_px}, 0.82 * radius_px,
                {look.colour, look.opacity});
    canvas.disc({at.x - 0.28 * radius_px, at.y - 0.32 * radius_px}, 0.34 * radius_px,
                {light, look.opacity});
}

}  // namespace

Eye eye_of(scene::PictureSettings::View view) {
    using View = scene::PictureSettings::View;
    if (view == View::top) return {{1, 0, 0}, {0, 0, -1}, {0, 1, 0}};
    if (view == View::end) return {{0, 0, 1}, {0, 1, 0}, {-1, 0, 0}};
    if (view == View::side) return {};
    constexpr double around = 0.6;  // radians from +Z toward +X, and up
    constexpr double above = 0.45;
    const Vector3 toward{std::sin(around) * std::cos(above), std::sin(above),
                         std::cos(around) * std::cos(above)};
    const Vector3 right{std::cos(around), 0, -std::sin(around)};
    return {right, cross(toward, right), toward};
}

Point Projection::operator()(const Vector3& place) const {
    return {origin.x + px_per_m * dot(place, eye.right), origin.y - px_per_m * dot(place, eye.up)};
}

namespace {

void draw_faces(Canvas& canvas, const Projection& projection, const Mesh& mesh, double length_m,
                const Pose& pose, const Look& look) {
    std::vector<Vector3> corners;
    corners.reserve(mesh.corners.size());
    for (const Vector3& corner : mesh.corners) {
        const Vector3 sized{length_m * pose.scale.x * corner.x, length_m * pose.scale.y * corner.y,
                            length_m * pose.scale.z * corner.z};
        corners.push_back(pose.position + rotated(pose.rotation, sized));
    }
    for (const SeenFace& face : seen_faces(mesh, corners, projection, look.colour)) {
        if (look.hollow) {
            canvas.outline(face.outline, {look.colour, look.opacity}, 1.2, true);
            continue;
        }
        canvas.polygon(face.outline, {face.colour, look.opacity});
        canvas.outline(face.outline, {mixed(look.colour, ink, 0.5), 0.6 * look.opacity}, 0.7);
    }
}

}  // namespace

void draw_background(Canvas& canvas, const Projection& projection, const io::Solid& solid,
                     const std::string& colour) {
    const Mesh mesh = mesh_of(solid);
    constexpr std::size_t few = 12;
    const bool has_edges = mesh.faces.size() <= few;
    for (const SeenFace& face : seen_faces(mesh, mesh.corners, projection, colour)) {
        canvas.polygon(face.outline, {face.colour});
        canvas.outline(face.outline, {has_edges ? mixed(colour, ink, 0.25) : face.colour}, 0.8);
    }
}

void draw_solid(Canvas& canvas, const Projection& projection, const io::Solid& solid,
                const Pose& pose, const Look& look) {
    draw_faces(canvas, projection, mesh_of(solid), 1, pose, look);
}

void draw_shape(Canvas& canvas, const Projection& projection, scene::BodyShape shape,
                double length_m, const Pose& pose, const Look& look) {
    if (shape == scene::BodyShape::disc) {
        draw_ball(canvas, projection(pose.position),
                  0.5 * length_m * mean_size(pose.scale) * projection.px_per_m, look);
        return;
    }
    draw_faces(canvas, projection, mesh_of(shape), length_m, pose, look);
}

namespace {

/// Light from the side, and steep: folds of a cloth are slight.
std::string shaded_fold(std::string_view colour, const Vector3& normal, const Eye& eye) {
    const Vector3 light = unit(eye.up * 0.35 - eye.right * 0.9 + eye.toward * 0.25);
    const double brightness = std::clamp(0.35 + 0.85 * dot(normal, light), 0.0, 1.0);
    return brightness < 0.5 ? mixed(mixed(colour, ink, 0.55), colour, 2 * brightness)
                            : mixed(colour, mixed(colour, paper, 0.55), 2 * brightness - 1);
}

}  // namespace

void draw_mesh(Canvas& canvas, const Projection& projection, const std::vector<Vector3>& points,
               const std::vector<std::array<std::size_t, 3>>& triangles, const Look& look) {
    Mesh mesh{.flat = true};
    for (const auto& corners : triangles)
        mesh.faces.emplace_back(corners.begin(), corners.end());
    for (const SeenFace& face : seen_faces(mesh, points, projection, look.colour, shaded_fold)) {
        canvas.polygon(face.outline, {face.colour, look.opacity});
        // Closes the seams between neighbours.
        canvas.outline(face.outline, {face.colour, look.opacity}, 0.8);
    }
}

}  // namespace hopcoil::draw
