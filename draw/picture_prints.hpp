#pragma once

#include <vector>

#include "draw/canvas.hpp"
#include "draw/picture.hpp"
#include "draw/picture_space.hpp"

namespace hopcoil::draw {

/// Where feet stood, where they wanted to at some moments, and, from the top, what carried the body
/// then: the polygon of the feet that stand.
void draw_prints(Canvas& canvas, const Picture& picture, const Projection& projection,
                 const std::vector<double>& moments);

/// What these marks are, from a place downward; where the next line goes.
double draw_legend_of_prints(Canvas& canvas, const Picture& picture, double x, double y);

/// Points that are there at a time, each as large and of the colour that its age says.
void draw_dots(Canvas& canvas, const Strand& strand, const Projection& projection, double time_s,
               double opacity);
/// Bones without a thickness; else branches as thick as they are, in colours from thick to thin.
void draw_branches(Canvas& canvas, const Strand& strand, const std::vector<Vector3>& points,
                   const Projection& projection, double opacity);

/// Between the colours of a profile.
[[nodiscard]] std::string colour_along(const std::vector<std::string>& colours, double part);

}  // namespace hopcoil::draw
