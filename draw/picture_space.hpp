#pragma once

#include <vector>

#include <hopcoil/follow/pose.hpp>

#include "draw/drawing_order.hpp"
#include "draw/extent.hpp"
#include "draw/picture.hpp"
#include "draw/solid.hpp"

/// @file
/// What of space a picture shows, and how it fits onto the sheet.

namespace hopcoil::draw {

/// A box on the sheet.
struct Box {
    double left = 0;
    double top = 0;
    double width = 0;
    double height = 0;
};

/// Between two rows of its take.
[[nodiscard]] Pose pose_at(const Subject& subject, double time_s);

/// The points of a strand at a time, between two rows; as many more as make it smooth.
[[nodiscard]] std::vector<Vector3> points_at(const Strand& strand, double time_s);

/// The last row of a strand that is not after a time.
[[nodiscard]] std::size_t row_at(const Strand& strand, double time_s);

/// The box around a thing at a time; `length_m` is that of a mark.
[[nodiscard]] Surrounding surrounding_of(const Subject& subject, double length_m, double time_s);
[[nodiscard]] Surrounding surrounding_of(const Strand& strand, double time_s);

/// Whether a time lies in the stretch that a picture shows.
[[nodiscard]] bool is_within(const Picture& picture, double time_s);

[[nodiscard]] double largest_scale(const Pose& pose);

/// What of space is to be seen, and how large shapes are that have no length of their own.
struct Space {
    Extent across;
    Extent up;
    double length_m = 0.1;
};
/// Errors  std::invalid_argument when there is nothing.
[[nodiscard]] Space space_of(const Picture& picture);

/// As large as fits into a box, in its middle.
[[nodiscard]] Projection fitted(const Space& space, const Eye& eye, const Box& box);

/// A step between lines of a grid that is 1, 2 or 5 times a power of ten.
[[nodiscard]] double round_step(double about);
/// Its multiples that lie in a range, from the least on.
[[nodiscard]] std::vector<double> multiples(double step, const Extent& range);

}  // namespace hopcoil::draw
