#include "convex.hpp"

#include <algorithm>
#include <cmath>

#include "nearest.hpp"

namespace hopcoil::parts {
namespace {

constexpr std::size_t most_corners = 64;

/// Corners on the stack.
struct Patch {
    std::array<Vector3, most_corners> corners{};
    std::size_t count = 0;
    Vector3 normal{};  ///< out of its solid; zero for a line or point

    void add(const Vector3& corner) noexcept {
        if (count < most_corners) corners[count++] = corner;
    }
};

struct Range {
    double least = 0;
    double most = 0;
};

Range range_along(const Convex& solid, const Vector3& axis) {
    Range range{dot(solid.points[0], axis), dot(solid.points[0], axis)};
    for (const Vector3& point : solid.points) {
        const double at = dot(point, axis);
        range.least = std::min(range.least, at);
        range.most = std::max(range.most, at);
    }
    return range;
}

/// The direction along which overlapping solids are parted soonest, from b toward a.
struct Parting {
    Vector3 normal{0, 1, 0};
    double depth = 1e300;

    void look(const Convex& a, const Convex& b, const Vector3& axis) noexcept {
        const Range of_a = range_along(a, axis);
        const Range of_b = range_along(b, axis);
        const double forward = of_b.most - of_a.least;
        const double backward = of_a.most - of_b.least;
        // What is as deep has to stay the one found first.
        if (forward < 0.999 * depth - 1e-9) *this = {axis, forward};
        if (backward < 0.999 * depth - 1e-9) *this = {axis * -1, backward};
    }
};

/// The edges of what has no sides: the direction of a line.
Vector3 line_of(const Convex& solid) {
    return solid.points.size() == 2 ? solid.points[1] - solid.points[0] : Vector3{};
}

template <class Visit>
void visit_edges(const Convex& solid, const Visit& visit) {
    if (solid.sides == nullptr) {
        visit(line_of(solid));
        return;
    }
    for (const Vector3& edge : solid.sides->edges)
        visit(along(solid.axes, edge));
}

Parting parting_of(const Convex& a, const Convex& b) {
    Parting best;
    for (const Convex* solid : {&a, &b}) {
        if (solid->sides == nullptr) continue;
        for (const Vector3& normal : solid->sides->normals)
            best.look(a, b, along(solid->axes, normal));
    }
    visit_edges(a, [&](const Vector3& of_a) {
        visit_edges(b, [&](const Vector3& of_b) {
            const Vector3 axis = cross(of_a, of_b);
            const double length = norm(axis);
            if (length > 1e-6) best.look(a, b, axis * (1 / length));
        });
    });
    if (best.depth > 1e299) best.depth = 0;
    return best;
}

/// Where solids barely touch across another side than the one they meet with, and hardly move along
/// its normal, they pass each other there: what slides over the seam of a floor must not catch on
/// the next slab's edge. Zero without such a side.
Vector3 passed_side(const Convex& a, const Convex& b, const Vector3& meets, const Vector3& moving) {
    constexpr double touches_m = 0.0015;
    Vector3 best{};
    double least = 0.5 * std::abs(dot(moving, meets));
    for (const Convex* solid : {&a, &b}) {
        for (const Vector3& normal : solid->sides->normals) {
            const Vector3 out = along(solid->axes, normal);
            const Vector3 axis = solid == &b ? out : out * -1;
            const double speed = std::abs(dot(moving, axis));
            if (speed >= least) continue;
            const double depth = range_along(b, axis).most - range_along(a, axis).least;
            if (std::abs(depth) > touches_m) continue;
            least = speed;
            best = axis;
        }
    }
    return best;
}

/// The side of a solid that looks along a direction; the line or corner, where none does.
Patch patch_along(const Convex& solid, const Vector3& direction) {
    Patch patch;
    if (solid.sides != nullptr) {
        std::size_t best = 0;
        double most = -2;
        for (std::size_t i = 0; i < solid.sides->normals.size(); ++i) {
            const double facing = dot(along(solid.axes, solid.sides->normals[i]), direction);
            if (facing > most + 1e-9) {
                most = facing;
                best = i;
            }
        }
        if (most > 0.7) {
            patch.normal = along(solid.axes, solid.sides->normals[best]);
            for (const std::uint16_t corner : solid.sides->faces[best])
                patch.add(solid.points[corner]);
            return patch;
        }
    }
    // A line, or the edge of a triangle that lies furthest along the direction.
    const std::size_t count = solid.points.size();
    if (count > 3) return patch;
    double most = -1e300;
    const std::size_t edges = count == 3 ? 3 : count - 1;
    for (std::size_t i = 0; i < edges; ++i) {
        const Vector3& from = solid.points[i];
        const Vector3& to = solid.points[(i + 1) % count];
        if (std::abs(dot(unit(to - from, {0, 1, 0}), direction)) >= 0.3) continue;
        const double far = dot(from + to, direction);
        if (far <= most + 1e-9) continue;
        most = far;
        patch.count = 0;
        patch.add(from);
        patch.add(to);
    }
    return patch;
}

/// What is left of a patch on one side of a plane.
Patch clipped(const Patch& patch, const Vector3& on_plane, const Vector3& inward) {
    Patch rest;
    rest.normal = patch.normal;
    if (patch.count == 1) {
        if (dot(patch.corners[0] - on_plane, inward) >= 0) rest.add(patch.corners[0]);
        return rest;
    }
    const std::size_t sides = patch.count == 2 ? 1 : patch.count;
    for (std::size_t i = 0; i < sides; ++i) {
        const Vector3& from = patch.corners[i];
        const Vector3& to = patch.corners[(i + 1) % patch.count];
        const double at_from = dot(from - on_plane, inward);
        const double at_to = dot(to - on_plane, inward);
        if (at_from >= 0) rest.add(from);
        if ((at_from >= 0) != (at_to >= 0))
            rest.add(from + (to - from) * (at_from / (at_from - at_to)));
        if (patch.count == 2 && at_to >= 0) rest.add(to);
    }
    return rest;
}

Patch clipped_by(Patch patch, const Patch& frame) {
    for (std::size_t i = 0; i < frame.count && patch.count > 0; ++i) {
        const Vector3& from = frame.corners[i];
        const Vector3& to = frame.corners[(i + 1) % frame.count];
        patch = clipped(patch, from, cross(frame.normal, to - from));
    }
    return patch;
}

/// One solid's patch seen from the other's side, whose normal is the touch's.
struct Sides {
    const Convex* reference;
    const Convex* other;
    bool is_swapped;  ///< the reference is a
};

void add_patch(Touch& touch, const Patch& reference, const Patch& other, const Sides& sides,
               double margin) {
    const Patch rest = clipped_by(other, reference);
    std::array<TouchPoint, most_corners> all{};
    std::size_t count = 0;
    for (std::size_t i = 0; i < rest.count; ++i) {
        const Vector3& corner = rest.corners[i];
        const double height = dot(corner - reference.corners[0], reference.normal);
        const double gap = height - sides.reference->radius - sides.other->radius;
        if (gap > margin) continue;
        const Vector3 on_other = corner - reference.normal * sides.other->radius;
        const Vector3 on_reference = corner - reference.normal * (height - sides.reference->radius);
        all[count++] = sides.is_swapped ? TouchPoint{on_reference, on_other, gap}
                                        : TouchPoint{on_other, on_reference, gap};
    }
    for (const TouchPoint& point : keep_four({all.data(), count}, touch.normal))
        touch.add(point);
}

/// Two lines that lie along each other touch at both ends of what they share.
void add_lines(Touch& touch, const Convex& a, const Convex& b, double margin) {
    const Vector3 way = unit(line_of(b), {0, 1, 0});
    const Vector3& origin = b.points[0];
    const double length = norm(line_of(b));
    double from = dot(a.points[0] - origin, way);
    double to = dot(a.points[1] - origin, way);
    if (from > to) std::swap(from, to);
    from = std::clamp(from, 0.0, length);
    to = std::clamp(to, 0.0, length);
    const Vector3 line = unit(line_of(a), way);
    for (const double at : {from, to}) {
        const Vector3 on_b = origin + way * at;
        const Vector3 on_a = a.points[0] + line * dot(on_b - a.points[0], line);
        const double gap = dot(on_a - on_b, touch.normal) - a.radius - b.radius;
        if (gap <= margin)
            touch.add({on_a - touch.normal * a.radius, on_b + touch.normal * b.radius, gap});
        if (to - from < 1e-6) return;
    }
}

void add_single(Touch& touch, const Convex& a, const Convex& b, const Nearest& nearest) {
    const double gap = nearest.distance - a.radius - b.radius;
    touch.add(
        {nearest.on_a - touch.normal * a.radius, nearest.on_b + touch.normal * b.radius, gap});
}

/// Of overlapping edges, the points of both that are nearest along the normal.
Nearest deepest_points(const Convex& a, const Convex& b, const Parting& parting) {
    const auto mean_end = [](const Convex& solid, const Vector3& direction) {
        const double most = range_along(solid, direction).most;
        Vector3 sum{};
        double count = 0;
        for (const Vector3& point : solid.points) {
            if (dot(point, direction) < most - 1e-3) continue;
            sum = sum + point;
            count += 1;
        }
        return sum * (1 / count);
    };
    const Vector3 end_a = mean_end(a, parting.normal * -1);
    const Vector3 end_b = mean_end(b, parting.normal);
    // Across the normal they are taken to be at the same place.
    const Vector3 middle = (end_a + end_b) * 0.5;
    const Vector3 half = parting.normal * (parting.depth / 2);
    return {middle - half, middle + half, -parting.depth, true};
}

Touch touch_of_balls(const Convex& a, const Convex& b, double margin) {
    Touch touch;
    const Vector3 way = a.points[0] - b.points[0];
    const double distance = norm(way);
    if (distance - a.radius - b.radius > margin) return touch;
    touch.normal = unit(way, {0, 1, 0});
    add_single(touch, a, b, {a.points[0], b.points[0], distance, false});
    return touch;
}

}  // namespace

void Touch::add(const TouchPoint& point) noexcept {
    if (count < points.size()) points[count++] = point;
}

std::span<TouchPoint> keep_four(std::span<TouchPoint> all, const Vector3& normal) noexcept {
    constexpr std::size_t most = 4;
    if (all.size() <= most) return all;
    std::size_t kept = 0;
    const auto take = [&](const auto& value_of) {
        std::size_t best = kept;
        double highest = value_of(all[kept]);
        for (std::size_t i = kept + 1; i < all.size(); ++i) {
            const double value = value_of(all[i]);
            if (value > highest + 1e-9) {
                highest = value;
                best = i;
            }
        }
        const TouchPoint taken = all[best];
        for (std::size_t i = best; i > kept; --i)
            all[i] = all[i - 1];
        all[kept++] = taken;
    };
    take([](const TouchPoint& point) { return -point.gap; });
    const Vector3 first = all[0].on_a;
    take([&](const TouchPoint& point) {
        const Vector3 away = point.on_a - first;
        return dot(away, away);
    });
    const Vector3 way = all[1].on_a - first;
    const Vector3 side = cross(normal, way);
    const double narrow = 1e-3 * dot(side, side);
    const bool is_line = std::all_of(all.begin(), all.end(), [&](const TouchPoint& point) {
        return std::abs(dot(point.on_a - first, side)) <= narrow;
    });
    if (is_line) {
        // Its other end counts, and nothing between.
        take([&](const TouchPoint& point) { return -dot(point.on_a - first, way); });
        return all.first(kept);
    }
    take([&](const TouchPoint& point) { return dot(point.on_a - first, side); });
    take([&](const TouchPoint& point) { return -dot(point.on_a - first, side); });
    return all.first(most);
}

Polytope prism(std::span<const Vector3> corners) {
    Polytope made;
    const std::size_t n = corners.size();
    const auto at = [](std::size_t i) {
        return static_cast<std::uint16_t>(i);
    };
    std::vector<std::uint16_t> front;
    std::vector<std::uint16_t> back;
    for (std::size_t i = 0; i < n; ++i) {
        front.push_back(at(i));
        back.push_back(at(2 * n - 1 - i));
    }
    made.faces = {front, back};
    made.normals = {{0, 0, 1}, {0, 0, -1}};
    made.edges = {{0, 0, 1}};
    for (std::size_t i = 0; i < n; ++i) {
        const std::size_t next = (i + 1) % n;
        const Vector3 side = unit(corners[next] - corners[i], {1, 0, 0});
        made.faces.push_back({at(i), at(i + n), at(next + n), at(next)});
        made.normals.push_back({side.y, -side.x, 0});
        const bool is_new =
            std::none_of(made.edges.begin(), made.edges.end(),
                         [&](const Vector3& edge) { return std::abs(dot(edge, side)) > 1 - 1e-9; });
        if (is_new) made.edges.push_back(side);
    }
    return made;
}

Touch touch_of(const Convex& a, const Convex& b, double margin, const Vector3& moving) noexcept {
    if (a.points.size() == 1 && b.points.size() == 1) return touch_of_balls(a, b, margin);
    Touch touch;
    Nearest nearest = nearest_points(a, b);
    if (nearest.distance - a.radius - b.radius > margin) return touch;
    // When they are very close, the vector between the nearest points gives no reliable direction.
    constexpr double near_m = 0.002;
    const bool have_sides = a.sides != nullptr || b.sides != nullptr;
    if (nearest.overlap || (have_sides && nearest.distance < near_m)) {
        const Parting parting = parting_of(a, b);
        touch.normal = parting.normal;
        if (nearest.overlap) nearest = deepest_points(a, b, parting);
    } else {
        touch.normal = (nearest.on_a - nearest.on_b) * (1 / nearest.distance);
    }
    const bool have_both = a.sides != nullptr && b.sides != nullptr;
    const Vector3 passed = have_both ? passed_side(a, b, touch.normal, moving) : Vector3{};
    const bool passes = passed != Vector3{};
    if (passes) touch.normal = passed;
    const Patch of_a = patch_along(a, touch.normal * -1);
    const Patch of_b = patch_along(b, touch.normal);
    const double facing_a = -dot(of_a.normal, touch.normal);
    const double facing_b = dot(of_b.normal, touch.normal);
    constexpr double flat = 0.98;
    if (of_a.count >= 2 && of_b.count > 2 && facing_b > flat &&
        (of_a.count == 2 || facing_b >= facing_a - 1e-3)) {
        touch.normal = of_b.normal;
        add_patch(touch, of_b, of_a, {&b, &a, false}, margin);
    } else if (of_b.count >= 2 && of_a.count > 2 && facing_a > flat) {
        touch.normal = of_a.normal * -1;
        add_patch(touch, of_a, of_b, {&a, &b, true}, margin);
    } else if (of_a.count == 2 && of_b.count == 2) {
        const Vector3 across = cross(unit(line_of(a), {}), unit(line_of(b), {}));
        if (dot(across, across) < 0.02) add_lines(touch, a, b, margin);
    }
    if (touch.count == 0 && !passes) add_single(touch, a, b, nearest);
    return touch;
}

Touch touch_of(const Convex& a, const Vector3& on_plane, const Vector3& normal,
               double margin) noexcept {
    Touch touch;
    touch.normal = normal;
    std::array<TouchPoint, most_corners> all{};
    std::size_t count = 0;
    for (const Vector3& point : a.points) {
        const double height = dot(point - on_plane, normal);
        const double gap = height - a.radius;
        if (gap > margin || count == most_corners) continue;
        all[count++] = {point - normal * a.radius, point - normal * height, gap};
    }
    for (const TouchPoint& point : keep_four({all.data(), count}, touch.normal))
        touch.add(point);
    return touch;
}

}  // namespace hopcoil::parts
