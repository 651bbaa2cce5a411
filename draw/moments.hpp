#pragma once

#include <vector>

#include "draw/canvas.hpp"
#include "draw/picture.hpp"
#include "draw/picture_space.hpp"

namespace hopcoil::draw {

/// Moments of a picture, side by side in a box of a larger sheet, each with the trail of the last
/// `every_s`. `space` is what is in sight: of several pictures on one scale, that of all.
void draw_moments(Canvas& canvas, const Picture& picture, const Space& space, const Box& box,
                  const std::vector<double>& times_s);

}  // namespace hopcoil::draw
