#include "outline.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/parts/part_shape.hpp>

namespace hopcoil {
namespace {

using Corners = std::vector<Vector3>;

double cross_z(const Vector3& a, const Vector3& b) {
    return a.x * b.y - a.y * b.x;
}

/// Twice the area of a triangle, counter-clockwise.
double turn(const Vector3& a, const Vector3& b, const Vector3& c) {
    return cross_z(b - a, c - a);
}

double signed_area(std::span<const Vector3> outline) {
    double twice = 0;
    for (std::size_t i = 0; i < outline.size(); ++i)
        twice += cross_z(outline[i] - outline[0], outline[(i + 1) % outline.size()] - outline[0]);
    return twice / 2;
}

bool is_within(const Vector3& p, const Vector3& a, const Vector3& b, const Vector3& c) {
    return turn(a, b, p) >= 0 && turn(b, c, p) >= 0 && turn(c, a, p) >= 0;
}

bool do_cross(const Vector3& a, const Vector3& b, const Vector3& c, const Vector3& d) {
    const double from_c = turn(a, b, c);
    const double from_d = turn(a, b, d);
    const double from_a = turn(c, d, a);
    const double from_b = turn(c, d, b);
    return from_c * from_d < 0 && from_a * from_b < 0;
}

void require_simple(const Corners& outline) {
    const std::size_t n = outline.size();
    for (std::size_t i = 0; i < n; ++i) {
        for (std::size_t j = i + 2; j < n; ++j) {
            const bool are_neighbours = (j + 1) % n == i;
            if (are_neighbours) continue;
            if (do_cross(outline[i], outline[(i + 1) % n], outline[j], outline[(j + 1) % n])) {
                throw InvalidValue{"outline", static_cast<double>(j),
                                   "an outline that does not cross itself"};
            }
        }
    }
}

/// Counter-clockwise, without corners on a straight line.
Corners cleaned(std::span<const Vector3> outline) {
    if (outline.size() < 3)
        throw InvalidValue{"outline", static_cast<double>(outline.size()), "three corners or more"};
    Corners corners;
    corners.reserve(outline.size());
    for (const Vector3& corner : outline) {
        require_finite("outline", corner.x);
        require_finite("outline", corner.y);
        corners.push_back({corner.x, corner.y, 0});
    }
    if (signed_area(corners) < 0) std::reverse(corners.begin(), corners.end());
    const double area = signed_area(corners);
    if (!(area > 1e-12)) throw InvalidValue{"outline", area, "an outline with an area"};
    for (std::size_t i = 0; i < corners.size() && corners.size() > 3;) {
        const std::size_t n = corners.size();
        const bool is_straight = std::abs(turn(corners[(i + n - 1) % n], corners[i],
                                               corners[(i + 1) % n])) <= 1e-12 * area;
        if (is_straight) {
            corners.erase(corners.begin() + static_cast<std::ptrdiff_t>(i));
        } else {
            ++i;
        }
    }
    require_simple(corners);
    return corners;
}

bool is_ear(const Corners& rest, std::size_t i) {
    const std::size_t n = rest.size();
    const Vector3& a = rest[(i + n - 1) % n];
    const Vector3& b = rest[i];
    const Vector3& c = rest[(i + 1) % n];
    if (!(turn(a, b, c) > 0)) return false;
    for (const Vector3& other : rest) {
        if (other == a || other == b || other == c) continue;
        if (is_within(other, a, b, c)) return false;
    }
    return true;
}

std::vector<Corners> triangles_of(Corners rest) {
    std::vector<Corners> triangles;
    while (rest.size() > 3) {
        const std::size_t n = rest.size();
        std::size_t ear = 0;
        while (ear < n && !is_ear(rest, ear))
            ++ear;
        if (ear == n) {
            throw InvalidValue{"outline", static_cast<double>(n),
                               "an outline that does not touch itself"};
        }
        triangles.push_back({rest[(ear + n - 1) % n], rest[ear], rest[(ear + 1) % n]});
        rest.erase(rest.begin() + static_cast<std::ptrdiff_t>(ear));
    }
    triangles.push_back(std::move(rest));
    return triangles;
}

bool is_convex(const Corners& corners) {
    const std::size_t n = corners.size();
    for (std::size_t i = 0; i < n; ++i) {
        if (turn(corners[i], corners[(i + 1) % n], corners[(i + 2) % n]) < 0) return false;
    }
    return true;
}

/// Both in one, where they share a side and stay convex; else nothing.
Corners joined(const Corners& a, const Corners& b) {
    for (std::size_t i = 0; i < a.size(); ++i) {
        for (std::size_t j = 0; j < b.size(); ++j) {
            const bool share = a[i] == b[(j + 1) % b.size()] && a[(i + 1) % a.size()] == b[j];
            if (!share) continue;
            Corners both;
            for (std::size_t k = 1; k <= a.size(); ++k)
                both.push_back(a[(i + k) % a.size()]);
            for (std::size_t k = 2; k < b.size(); ++k)
                both.push_back(b[(j + k) % b.size()]);
            if (is_convex(both)) return both;
        }
    }
    return {};
}

bool join_some(std::vector<Corners>& pieces) {
    for (std::size_t i = 0; i < pieces.size(); ++i) {
        for (std::size_t j = i + 1; j < pieces.size(); ++j) {
            Corners both = joined(pieces[i], pieces[j]);
            if (both.empty()) continue;
            pieces[i] = std::move(both);
            pieces.erase(pieces.begin() + static_cast<std::ptrdiff_t>(j));
            return true;
        }
    }
    return false;
}

}  // namespace

namespace parts {

Area area_of(std::span<const Vector3> outline) {
    Area sum;
    const double way = signed_area(outline) < 0 ? -1 : 1;
    for (std::size_t i = 0; i < outline.size(); ++i) {
        const Vector3& a = outline[i];
        const Vector3& b = outline[(i + 1) % outline.size()];
        const double twice = way * cross_z(a, b);
        sum.area += twice / 2;
        sum.centre = sum.centre + Vector3{a.x + b.x, a.y + b.y, 0} * (twice / 6);
        sum.xx += twice * (a.x * a.x + a.x * b.x + b.x * b.x) / 12;
        sum.yy += twice * (a.y * a.y + a.y * b.y + b.y * b.y) / 12;
        sum.xy += twice * (2 * a.x * a.y + a.x * b.y + b.x * a.y + 2 * b.x * b.y) / 24;
    }
    sum.centre = sum.centre * (1 / sum.area);
    sum.xx -= sum.area * sum.centre.x * sum.centre.x;
    sum.yy -= sum.area * sum.centre.y * sum.centre.y;
    sum.xy -= sum.area * sum.centre.x * sum.centre.y;
    return sum;
}

}  // namespace parts

std::vector<std::vector<Vector3>> convex_pieces(std::span<const Vector3> outline) {
    std::vector<Corners> pieces = triangles_of(cleaned(outline));
    while (join_some(pieces)) {
    }
    return pieces;
}

}  // namespace hopcoil
