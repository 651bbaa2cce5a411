#pragma once

#include <string_view>
#include <vector>

#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/pose.hpp>
#include <hopcoil/scene/scene.hpp>

#include "draw/canvas.hpp"

/// @file
/// Shapes in space, seen from somewhere: shaded faces, the nearer over the further.

namespace hopcoil::draw {

/// From where a scene is seen, without perspective.
struct Eye {
    Vector3 right{1, 0, 0};
    Vector3 up{0, 1, 0};
    Vector3 toward{0, 0, 1};  ///< the viewer
};
[[nodiscard]] Eye eye_of(scene::PictureSettings::View view);

/// From metres in space to pixels on a sheet.
struct Projection {
    Eye eye{};
    Point origin{};  ///< where (0, 0, 0) comes to stand
    double px_per_m = 100.0;

    [[nodiscard]] Point operator()(const Vector3& place) const;
};

/// How a shape is drawn.
struct Look {
    std::string_view colour{};
    double opacity = 1.0;
    bool hollow = false;  ///< only its outline, dashed
};

/// A shape of that length at a pose.
void draw_shape(Canvas& canvas, const Projection& projection, scene::BodyShape shape,
                double length_m, const Pose& pose, const Look& look);

/// A solid where it is, with edges if it has few.
void draw_background(Canvas& canvas, const Projection& projection, const io::Solid& solid,
                     const std::string& colour);

/// A solid of its own at a pose.
void draw_solid(Canvas& canvas, const Projection& projection, const io::Solid& solid,
                const Pose& pose, const Look& look);

/// Triangles of points, seen from both sides.
void draw_mesh(Canvas& canvas, const Projection& projection, const std::vector<Vector3>& points,
               const std::vector<std::array<std::size_t, 3>>& triangles, const Look& look);

}  // namespace hopcoil::draw
