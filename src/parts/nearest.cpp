#include "nearest.hpp"

#include <array>
#include <cmath>

namespace hopcoil::parts {
namespace {

/// A corner of the difference of both solids, and the points it is made of.
struct Corner {
    Vector3 way{};  ///< a - b
    Vector3 a{};
    Vector3 b{};
};

std::size_t furthest(std::span<const Vector3> points, const Vector3& direction) {
    std::size_t best = 0;
    double most = dot(points[0], direction);
    for (std::size_t i = 1; i < points.size(); ++i) {
        const double far = dot(points[i], direction);
        if (far > most) {
            most = far;
            best = i;
        }
    }
    return best;
}

Corner corner_along(const Convex& a, const Convex& b, const Vector3& direction) {
    const Vector3& on_a = a.points[furthest(a.points, direction)];
    const Vector3& on_b = b.points[furthest(b.points, direction * -1)];
    return {on_a - on_b, on_a, on_b};
}

/// Up to four corners, and the point among them that is nearest to the origin.
struct Simplex {
    std::array<Corner, 4> corners{};
    std::array<double, 4> weights{};
    std::size_t count = 0;

    [[nodiscard]] Vector3 nearest() const {
        Vector3 sum{};
        for (std::size_t i = 0; i < count; ++i)
            sum = sum + corners[i].way * weights[i];
        return sum;
    }
};

Simplex of_one(const Corner& a) {
    return {{a}, {1}, 1};
}

Simplex nearest_on_segment(const Corner& a, const Corner& b) {
    const Vector3 side = b.way - a.way;
    const double square = dot(side, side);
    const double t = square > 0 ? -dot(a.way, side) / square : 0;
    if (t <= 0) return of_one(a);
    if (t >= 1) return of_one(b);
    return {{a, b}, {1 - t, t}, 2};
}

Simplex nearer(const Simplex& a, const Simplex& b) {
    const Vector3 on_a = a.nearest();
    const Vector3 on_b = b.nearest();
    return dot(on_b, on_b) < dot(on_a, on_a) ? b : a;
}

Simplex nearest_on_triangle(const Corner& a, const Corner& b, const Corner& c) {
    const Vector3 normal = cross(b.way - a.way, c.way - a.way);
    const double square = dot(normal, normal);
    if (square > 0) {
        const double on_a = dot(cross(b.way, c.way), normal) / square;
        const double on_b = dot(cross(c.way, a.way), normal) / square;
        const double on_c = 1 - on_a - on_b;
        if (on_a >= 0 && on_b >= 0 && on_c >= 0) return {{a, b, c}, {on_a, on_b, on_c}, 3};
    }
    return nearer(nearer(nearest_on_segment(a, b), nearest_on_segment(b, c)),
                  nearest_on_segment(c, a));
}

/// Whether the origin is on the same side of a face as the fourth corner.
bool is_inside(const Corner& a, const Corner& b, const Corner& c, const Corner& d) {
    const Vector3 normal = cross(b.way - a.way, c.way - a.way);
    const double fourth = dot(normal, d.way - a.way);
    const double origin = -dot(normal, a.way);
    return fourth * origin > 0 || (origin == 0 && fourth != 0);
}

/// With four corners when the origin is between them.
Simplex nearest_on_tetrahedron(const Simplex& s) {
    const auto& [a, b, c, d] = s.corners;
    Simplex best = of_one(a);
    bool outside = false;
    const auto look = [&](const Corner& p, const Corner& q, const Corner& r, const Corner& rest) {
        if (is_inside(p, q, r, rest)) return;
        const Simplex face = nearest_on_triangle(p, q, r);
        best = outside ? nearer(best, face) : face;
        outside = true;
    };
    look(a, b, c, d);
    look(a, b, d, c);
    look(a, c, d, b);
    look(b, c, d, a);
    if (outside) return best;
    Simplex whole = s;
    whole.weights = {0.25, 0.25, 0.25, 0.25};
    return whole;
}

Simplex nearest_on(const Simplex& s) {
    switch (s.count) {
        case 1:
            return of_one(s.corners[0]);
        case 2:
            return nearest_on_segment(s.corners[0], s.corners[1]);
        case 3:
            return nearest_on_triangle(s.corners[0], s.corners[1], s.corners[2]);
        default:
            return nearest_on_tetrahedron(s);
    }
}

bool has(const Simplex& s, const Corner& corner) {
    for (std::size_t i = 0; i < s.count; ++i) {
        if (s.corners[i].way == corner.way) return true;
    }
    return false;
}

}  // namespace

Nearest nearest_points(const Convex& a, const Convex& b) noexcept {
    constexpr int most_rounds = 40;
    constexpr double touching = 1e-9;
    Simplex simplex = of_one(corner_along(a, b, b.points[0] - a.points[0]));
    Nearest nearest;
    for (int round = 0; round < most_rounds; ++round) {
        const Vector3 way = simplex.nearest();
        const double square = dot(way, way);
        if (simplex.count == 4 || square < touching * touching) {
            nearest.overlap = true;
            return nearest;
        }
        const Corner next = corner_along(a, b, way * -1);
        if (square - dot(way, next.way) <= 1e-10 * square || has(simplex, next)) break;
        simplex.corners[simplex.count++] = next;
        simplex = nearest_on(simplex);
    }
    for (std::size_t i = 0; i < simplex.count; ++i) {
        nearest.on_a = nearest.on_a + simplex.corners[i].a * simplex.weights[i];
        nearest.on_b = nearest.on_b + simplex.corners[i].b * simplex.weights[i];
    }
    nearest.distance = norm(nearest.on_a - nearest.on_b);
    return nearest;
}

}  // namespace hopcoil::parts
