#include "draw/picture_axes.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>

#include <fmt/format.h>

#include "draw/palette.hpp"

namespace hopcoil::draw {
namespace {

std::array<const char*, 2> axis_names(scene::PictureSettings::View view) {
    using View = scene::PictureSettings::View;
    if (view == View::top) return {"x (m)", "z (m), downward"};
    if (view == View::end) return {"z (m)", "y (m)"};
    return {"x (m)", "y (m)"};
}

[[nodiscard]] bool has_axes(const Picture& picture) {
    return picture.view != scene::PictureSettings::View::slanted;
}

double grid_step(const Projection& projection) {
    constexpr double least_px = 64;
    return round_step(least_px / projection.px_per_m);
}

/// What of the sheet's axes a box shows, in metres.
Extent across_of(const Box& box, const Projection& projection) {
    const double left = (box.left - projection.origin.x) / projection.px_per_m;
    return {left, left + box.width / projection.px_per_m};
}
Extent up_of(const Box& box, const Projection& projection) {
    const double top = (projection.origin.y - box.top) / projection.px_per_m;
    return {top - box.height / projection.px_per_m, top};
}

/// A floor under everything, so that one sees how it lies.
void draw_floor(Canvas& canvas, const Picture& picture, const Projection& projection) {
    Extent x;
    Extent z;
    double lowest = std::numeric_limits<double>::infinity();
    for (const Subject& subject : picture.subjects) {
        for (std::size_t i = 0; i < subject.poses.size(); ++i) {
            if (!is_within(picture, subject.times_s[i])) continue;
            const Vector3& place = subject.poses[i].position;
            x.include(place.x);
            z.include(place.z);
            lowest = std::min(lowest, place.y);
        }
    }
    for (const Strand& strand : picture.strands) {
        for (std::size_t i = 0; i < strand.points.size(); ++i) {
            if (!is_within(picture, strand.times_s[i / strand.count])) continue;
            x.include(strand.points[i].x);
            z.include(strand.points[i].z);
            lowest = std::min(lowest, strand.points[i].y);
        }
    }
    const double step = grid_step(projection);
    const double floor_y = step * std::floor(lowest / step);
    const auto widened = [step](const Extent& e) {
        return Extent{step * (std::floor(e.low / step) - 1), step * (std::ceil(e.high / step) + 1)};
    };
    const std::vector<double> xs = multiples(step, widened(x));
    const std::vector<double> zs = multiples(step, widened(z));
    const auto at = [&](double across, double along) {
        return projection({across, floor_y, along});
    };
    for (const double across : xs)
        canvas.line({at(across, zs.front()), at(across, zs.back())}, {draw::grid}, 1);
    for (const double along : zs)
        canvas.line({at(xs.front(), along), at(xs.back(), along)}, {draw::grid}, 1);
}

void draw_scale_bar(Canvas& canvas, const Box& box, const Projection& projection) {
    const double length_m = round_step(80 / projection.px_per_m);
    const Point from{box.left, box.top + box.height + 20};
    canvas.line({from, {from.x + length_m * projection.px_per_m, from.y}}, {ink}, 2);
    canvas.text({from.x + length_m * projection.px_per_m + 10, from.y + 5},
                fmt::format("{:.4g} m", length_m), {ink}, text_px);
}

}  // namespace

void draw_grid(Canvas& canvas, const Picture& picture, const Box& box,
               const Projection& projection) {
    if (!has_axes(picture)) return draw_floor(canvas, picture, projection);
    const double step = grid_step(projection);
    for (const double place_m : multiples(step, across_of(box, projection))) {
        const double x = projection.origin.x + place_m * projection.px_per_m;
        canvas.line({{x, box.top}, {x, box.top + box.height}}, {draw::grid}, 1);
    }
    for (const double place_m : multiples(step, up_of(box, projection))) {
        const double y = projection.origin.y - place_m * projection.px_per_m;
        canvas.line({{box.left, y}, {box.left + box.width, y}}, {draw::grid}, 1);
    }
}

void draw_floor_line(Canvas& canvas, const Picture& picture, const Box& box,
                     const Projection& projection) {
    if (!has_axes(picture) || picture.view == scene::PictureSettings::View::top) return;
    const double y = projection.origin.y;
    canvas.line({{box.left, y}, {box.left + box.width, y}}, {target_ink}, 1);
}

void draw_axes(Canvas& canvas, const Picture& picture, const Box& box,
               const Projection& projection) {
    if (!has_axes(picture)) return draw_scale_bar(canvas, box, projection);
    const double step = grid_step(projection);
    const bool top = picture.view == scene::PictureSettings::View::top;
    for (const double place_m : multiples(step, across_of(box, projection))) {
        const double x = projection.origin.x + place_m * projection.px_per_m;
        canvas.text({x, box.top + box.height + 18}, fmt::format("{:.4g}", place_m), {faint_ink},
                    small_px, Align::centre);
    }
    for (const double place_m : multiples(step, up_of(box, projection))) {
        const double y = projection.origin.y - place_m * projection.px_per_m;
        const double shown = place_m == 0 ? 0 : place_m * (top ? -1 : 1);
        canvas.text({box.left - 8, y + 4}, fmt::format("{:.4g}", shown), {faint_ink}, small_px,
                    Align::right);
    }
    const auto names = axis_names(picture.view);
    canvas.text({box.left + box.width / 2, box.top + box.height + 38}, names[0], {ink}, text_px,
                Align::centre);
    canvas.text({margin_px, box.top - 12}, names[1], {ink}, text_px);
}

}  // namespace hopcoil::draw
