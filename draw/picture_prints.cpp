#include "draw/picture_prints.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include <hopcoil/gait/support.hpp>
#include <hopcoil/io/take_model.hpp>

#include "draw/palette.hpp"

namespace hopcoil::draw {
namespace {

/// A mark at each spot where it comes to stand.
void prints(Canvas& canvas, const Picture& picture, const Strand& strand,
            const Projection& projection) {
    const double radius_px =
        std::max(3.0, io::profile_at(strand.radius_m, 1, 0) * projection.px_per_m);
    bool stood = false;
    for (std::size_t row = 0; row < strand.times_s.size(); ++row) {
        const bool stands = strand.stands[row] && is_within(picture, strand.times_s[row]);
        if (stands && !stood) {
            const Point at = projection(strand.last_point(row));
            canvas.disc(at, radius_px, {strand.colours.back(), 0.4});
            canvas.ring(at, radius_px, {strand.colours.front(), 0.8}, 1.2, false);
        }
        stood = stands;
    }
}

void rings(Canvas& canvas, const Strand& strand, const Projection& projection,
           const std::vector<double>& moments) {
    for (const double time_s : moments) {
        for (const Vector3& point : points_at(strand, time_s))
            canvas.ring(projection(point), 4, {strand.colours.front(), 0.8}, 1.2, true);
    }
}

/// The polygon of the feet that stand at a time, of each body.
void support(Canvas& canvas, const Picture& picture, double time_s, const Projection& projection) {
    std::map<std::size_t, std::vector<Vector3>> standing;
    for (const Strand& strand : picture.strands) {
        if (strand.kind != Strand::Kind::prints) continue;
        const auto after = std::upper_bound(strand.times_s.begin(), strand.times_s.end(), time_s);
        const auto row = static_cast<std::size_t>(
            std::max<std::ptrdiff_t>(0, after - strand.times_s.begin() - 1));
        if (strand.stands[row]) standing[strand.group].push_back(strand.last_point(row));
    }
    for (const auto& [group, feet] : standing) {
        std::vector<std::size_t> corners(feet.size());
        corners.resize(support_polygon(feet, corners));
        std::vector<Point> outline;
        outline.reserve(corners.size());
        for (const std::size_t corner : corners)
            outline.push_back(projection(feet[corner]));
        if (outline.size() > 1) canvas.outline(outline, {ink, 0.35}, 1);
    }
}

}  // namespace

std::string colour_along(const std::vector<std::string>& colours, double part) {
    if (colours.size() == 1) return colours.front();
    const double at = part * static_cast<double>(colours.size() - 1);
    const auto below = std::min(static_cast<std::size_t>(at), colours.size() - 2);
    return mixed(colours[below], colours[below + 1], at - static_cast<double>(below));
}

namespace {

/// Where a dot has been: as far back as it is the same one, which grows older from row to row.
std::vector<Vector3> trail_of(const Strand& strand, std::size_t row, std::size_t dot) {
    std::vector<Vector3> way{strand.points[row * strand.count + dot]};
    const double from_s = strand.times_s[row] - strand.trail_s;
    while (row > 0 && strand.times_s[row - 1] >= from_s - 1e-9) {
        const std::size_t now = row * strand.count + dot;
        const std::size_t before = now - strand.count;
        if (!strand.stands[before] || strand.ages[before] > strand.ages[now]) break;
        way.push_back(strand.points[before]);
        --row;
    }
    return way;
}

/// A leaf of about the size of a disc.
std::vector<Point> leaf(const Point& centre, double radius_px, double turn_rad) {
    const double along_x = std::cos(turn_rad);
    const double along_y = -std::sin(turn_rad);  // counter-clockwise, in pixels from above
    std::vector<Point> corners;
    for (const auto& [along, across] :
         {std::array{1.8, 0.0}, std::array{0.5, 0.55}, std::array{-0.9, 0.45},
          std::array{-1.6, 0.0}, std::array{-0.9, -0.45}, std::array{0.5, -0.55}}) {
        corners.push_back({centre.x + radius_px * (along * along_x + across * along_y),
                           centre.y + radius_px * (along * along_y - across * along_x)});
    }
    return corners;
}

}  // namespace

void draw_dots(Canvas& canvas, const Strand& strand, const Projection& projection, double time_s,
               double opacity) {
    const std::size_t row = row_at(strand, time_s);
    constexpr double least_px = 1.2;
    for (std::size_t i = row * strand.count; i < (row + 1) * strand.count; ++i) {
        if (!strand.stands[i]) continue;
        const double radius_m = io::profile_at(strand.radius_m, strand.ages[i], 0.01);
        const double radius_px = std::max(least_px, radius_m * projection.px_per_m);
        const std::string colour = colour_along(strand.colours, strand.ages[i]);
        const Point at = projection(strand.points[i]);
        if (strand.turns.empty()) {
            canvas.disc(at, radius_px, {colour, 0.9 * opacity});
        } else {
            canvas.polygon(leaf(at, radius_px, strand.turns[i]), {colour, 0.9 * opacity});
        }
        if (!(strand.trail_s > 0)) continue;
        std::vector<Point> trail;
        for (const Vector3& place : trail_of(strand, row, i - row * strand.count))
            trail.push_back(projection(place));
        if (trail.size() > 1) canvas.line(trail, {colour, 0.55 * opacity}, 1.2 * radius_px);
    }
}

void draw_branches(Canvas& canvas, const Strand& strand, const std::vector<Vector3>& points,
                   const Projection& projection, double opacity) {
    constexpr double thin_px = 1;
    const std::vector<double> thinness = io::thinness_of(strand.radius_m);
    for (std::size_t i = 0; i < points.size(); ++i) {
        const std::size_t parent = strand.parents[i];
        const std::vector<Point> line{projection(points[parent]), projection(points[i])};
        if (strand.radius_m.empty()) {
            const bool is_bone = strand.parents[parent] != parent;  // none goes to a root
            if (is_bone) canvas.line(line, {ink, 0.8 * opacity}, 2);
        } else if (parent != i) {
            const std::string colour = colour_along(strand.colours, thinness[i]);
            canvas.line(line, {colour, opacity},
                        std::max(thin_px, 2 * strand.radius_m[i] * projection.px_per_m));
        }
    }
}

void draw_prints(Canvas& canvas, const Picture& picture, const Projection& projection,
                 const std::vector<double>& moments) {
    for (const Strand& strand : picture.strands) {
        if (strand.kind == Strand::Kind::prints) prints(canvas, picture, strand, projection);
        if (strand.kind == Strand::Kind::rings) rings(canvas, strand, projection, moments);
    }
    if (picture.view != scene::PictureSettings::View::top) return;
    for (const double time_s : moments)
        support(canvas, picture, time_s, projection);
}

double draw_legend_of_prints(Canvas& canvas, const Picture& picture, double x, double y) {
    const auto has = [&](Strand::Kind kind) {
        return std::any_of(picture.strands.begin(), picture.strands.end(),
                           [&](const Strand& each) { return each.kind == kind; });
    };
    if (has(Strand::Kind::prints)) {
        canvas.disc({x + 8, y - 5}, 5, {ink, 0.3});
        canvas.text({x + 24, y}, "where a foot stood", {ink}, 14);
        y += 26;
    }
    if (has(Strand::Kind::rings)) {
        canvas.ring({x + 8, y - 5}, 4, {ink}, 1.2, true);
        canvas.text({x + 24, y}, "where it wanted to", {ink}, 14);
        y += 26;
    }
    if (has(Strand::Kind::prints) && picture.view == scene::PictureSettings::View::top) {
        canvas.line({{x + 1, y - 5}, {x + 16, y - 5}}, {ink, 0.35}, 1);
        canvas.text({x + 24, y}, "what carried it", {ink}, 14);
        y += 26;
    }
    return y;
}

}  // namespace hopcoil::draw
