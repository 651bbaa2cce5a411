#include "draw/picture_space.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <stdexcept>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/points/chain_shape.hpp>

namespace hopcoil::draw {

Pose pose_at(const Subject& subject, double time_s) {
    const auto next = std::upper_bound(subject.times_s.begin(), subject.times_s.end(), time_s);
    if (next == subject.times_s.begin()) return subject.poses.front();
    if (next == subject.times_s.end()) return subject.poses.back();
    const auto i = static_cast<std::size_t>(next - subject.times_s.begin());
    const Pose& a = subject.poses[i - 1];
    const Pose& b = subject.poses[i];
    const double part =
        (time_s - subject.times_s[i - 1]) / (subject.times_s[i] - subject.times_s[i - 1]);
    const Vector3 way = rotation_vector(b.rotation * conjugate(a.rotation));
    return {a.position + (b.position - a.position) * part, turned_by(way * part) * a.rotation,
            a.scale + (b.scale - a.scale) * part};
}

std::vector<Vector3> points_at(const Strand& strand, double time_s) {
    const auto next = std::upper_bound(strand.times_s.begin(), strand.times_s.end(), time_s);
    const auto after = std::min(static_cast<std::size_t>(next - strand.times_s.begin()),
                                strand.times_s.size() - 1);
    const std::size_t before = after == 0 ? 0 : after - 1;
    const double length_s = strand.times_s[after] - strand.times_s[before];
    const double part =
        length_s > 0 ? std::clamp((time_s - strand.times_s[before]) / length_s, 0.0, 1.0) : 0;
    std::vector<Vector3> points(strand.count);
    for (std::size_t i = 0; i < strand.count; ++i) {
        const Vector3& a = strand.points[before * strand.count + i];
        const Vector3& b = strand.points[after * strand.count + i];
        points[i] = a + (b - a) * part;
    }
    if (!strand.is_smooth || strand.count < 2) return points;
    constexpr std::size_t finer = 4;
    std::vector<Vector3> smooth;
    const std::size_t count = finer * (strand.count - 1);
    for (std::size_t i = 0; i <= count; ++i)
        smooth.push_back(smooth_point(points, static_cast<double>(i) / static_cast<double>(count)));
    return smooth;
}

std::size_t row_at(const Strand& strand, double time_s) {
    const auto after =
        std::upper_bound(strand.times_s.begin(), strand.times_s.end(), time_s + 1e-9);
    return static_cast<std::size_t>(
        std::max<std::ptrdiff_t>(0, after - strand.times_s.begin() - 1));
}

bool is_within(const Picture& picture, double time_s) {
    return time_s >= picture.from_s - 1e-9 && time_s <= picture.to_s + 1e-9;
}

double largest_scale(const Pose& pose) {
    return std::max({pose.scale.x, pose.scale.y, pose.scale.z});
}

namespace {

std::array<Vector3, 8> corners_of(const std::array<Extent, 3>& box) {
    std::array<Vector3, 8> corners;
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const auto end = [&](std::size_t k) {
            return (i >> k & 1U) != 0 ? box[k].high : box[k].low;
        };
        corners[i] = {end(0), end(1), end(2)};
    }
    return corners;
}

/// The corners of the box around a solid, in its own frame; of a mark without one, a cube.
std::array<Vector3, 8> corners_around(const Subject& subject, double length_m) {
    std::array<Extent, 3> box;
    for (const auto& corner : subject.solid.corners_m) {
        for (std::size_t k = 0; k < box.size(); ++k)
            box[k].include(corner[k]);
    }
    if (subject.solid.empty()) box.fill({-0.5 * length_m, 0.5 * length_m});
    return corners_of(box);
}

Vector3 placed(const Pose& pose, const Vector3& corner) {
    const Vector3& scale = pose.scale;
    return pose.position +
           rotated(pose.rotation, {scale.x * corner.x, scale.y * corner.y, scale.z * corner.z});
}

void include_solid(Space& space, const Eye& eye, const std::array<Vector3, 8>& corners,
                   const Pose& pose) {
    for (const Vector3& corner : corners) {
        const Vector3 place = placed(pose, corner);
        space.across.include(dot(place, eye.right));
        space.up.include(dot(place, eye.up));
    }
}

void include_mark(Space& space, const Eye& eye, double length_m, const Pose& pose) {
    const double reach = 0.8 * length_m * largest_scale(pose);
    for (const double way : {-reach, reach}) {
        space.across.include(dot(pose.position, eye.right) + way);
        space.up.include(dot(pose.position, eye.up) + way);
    }
}

}  // namespace

Surrounding surrounding_of(const Subject& subject, double length_m, double time_s) {
    const Pose pose = pose_at(subject, time_s);
    Surrounding box{.corners = corners_around(subject, length_m), .order = subject.order};
    for (Vector3& corner : box.corners)
        corner = placed(pose, corner);
    for (Vector3& axis : box.axes)
        axis = rotated(pose.rotation, axis);
    return box;
}

Surrounding surrounding_of(const Strand& strand, double time_s) {
    const std::size_t row = row_at(strand, time_s);
    std::array<Extent, 3> box;
    for (std::size_t i = row * strand.count; i < (row + 1) * strand.count; ++i) {
        if (strand.kind == Strand::Kind::dots && !strand.stands[i]) continue;
        const Vector3& point = strand.points[i];
        box[0].include(point.x);
        box[1].include(point.y);
        box[2].include(point.z);
    }
    if (!(box[0].size() >= 0)) box.fill({0, 0});  // none is there
    return {.corners = corners_of(box),
            .order = strand.order,
            .gives_way = strand.kind == Strand::Kind::mesh};
}

Space space_of(const Picture& picture) {
    const Eye eye = eye_of(picture.view);
    Space space;
    for (const Subject& subject : picture.subjects) {
        for (std::size_t i = 0; i < subject.poses.size(); ++i) {
            if (!subject.sets_range || !is_within(picture, subject.times_s[i])) continue;
            const double x = dot(subject.poses[i].position, eye.right);
            const double y = dot(subject.poses[i].position, eye.up);
            space.across.include(x);
            space.up.include(y);
        }
    }
    for (const Strand& strand : picture.strands) {
        for (std::size_t row = 0; row < strand.times_s.size(); ++row) {
            if (!strand.sets_range || !is_within(picture, strand.times_s[row])) continue;
            for (std::size_t i = 0; i < strand.count; ++i) {
                const Vector3& point = strand.points[row * strand.count + i];
                space.across.include(dot(point, eye.right));
                space.up.include(dot(point, eye.up));
            }
        }
    }
    if (!(space.across.size() >= 0)) throw std::invalid_argument{"a picture of nothing"};
    const double size = std::max(space.across.size(), space.up.size());
    space.length_m = size > 0 ? 0.07 * size : 1.0;
    for (const Subject& subject : picture.subjects) {
        const double length_m = subject.length_m.value_or(space.length_m);
        const bool has_size =
            !subject.solid.empty() && (subject.order >= 0 || picture.is_range_chosen);
        const std::array<Vector3, 8> corners = corners_around(subject, length_m);
        for (std::size_t i = 0; i < subject.poses.size(); ++i) {
            if (!subject.sets_range || !is_within(picture, subject.times_s[i])) continue;
            if (has_size) {
                include_solid(space, eye, corners, subject.poses[i]);
            } else {
                include_mark(space, eye, length_m, subject.poses[i]);
            }
        }
    }
    return space;
}

Projection fitted(const Space& space, const Eye& eye, const Box& box) {
    Projection projection{.eye = eye};
    projection.px_per_m = std::min(box.width / space.across.size(), box.height / space.up.size());
    projection.origin = {
        box.left + box.width / 2 - projection.px_per_m * (space.across.low + space.across.high) / 2,
        box.top + box.height / 2 + projection.px_per_m * (space.up.low + space.up.high) / 2};
    return projection;
}

double round_step(double about) {
    const double power = std::pow(10, std::floor(std::log10(about)));
    for (const double factor : {1.0, 2.0, 5.0}) {
        if (factor * power >= about) return factor * power;
    }
    return 10 * power;
}

std::vector<double> multiples(double step, const Extent& range) {
    constexpr double rounding = 1e-9;
    const auto first = static_cast<long>(std::ceil(range.low / step - rounding));
    const auto last = static_cast<long>(std::floor(range.high / step + rounding));
    std::vector<double> all;
    for (long k = first; k <= last; ++k)
        all.push_back(static_cast<double>(k) * step);
    return all;
}

}  // namespace hopcoil::draw
