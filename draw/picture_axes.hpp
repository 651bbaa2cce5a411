#pragma once

#include "draw/canvas.hpp"
#include "draw/picture.hpp"
#include "draw/picture_space.hpp"

namespace hopcoil::draw {

inline constexpr double text_px = 14;
inline constexpr double small_px = 12;
inline constexpr double margin_px = 28;  ///< of a sheet

/// Lines behind everything: of the axes, or, where it is seen slanted, of a floor under it all.
void draw_grid(Canvas& canvas, const Picture& picture, const Box& box,
               const Projection& projection);
/// A floor at 0, seen from the side.
void draw_floor_line(Canvas& canvas, const Picture& picture, const Box& box,
                     const Projection& projection);
/// Numbers and names around the box, or a scale bar.
void draw_axes(Canvas& canvas, const Picture& picture, const Box& box,
               const Projection& projection);

}  // namespace hopcoil::draw
