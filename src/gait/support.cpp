#include <algorithm>
#include <limits>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/support.hpp>

namespace hopcoil {
namespace {

/// Above 0 where c lies to the left of the way from a to b, seen from above with x to the left and
/// z ahead: counter-clockwise.
double turn(const Vector3& a, const Vector3& b, const Vector3& c) noexcept {
    return (b.z - a.z) * (c.x - a.x) - (b.x - a.x) * (c.z - a.z);
}

double flat_distance(const Vector3& a, const Vector3& b) noexcept {
    return math::sqrt((a.x - b.x) * (a.x - b.x) + (a.z - b.z) * (a.z - b.z));
}

Vector3 nearest_on_stretch(const Vector3& spot, const Vector3& a, const Vector3& b) noexcept {
    const double dx = b.x - a.x;
    const double dz = b.z - a.z;
    const double square = dx * dx + dz * dz;
    const double along = square > 0 ? ((spot.x - a.x) * dx + (spot.z - a.z) * dz) / square : 0;
    const double part = std::clamp(along, 0.0, 1.0);
    return {a.x + part * dx, 0, a.z + part * dz};
}

constexpr std::size_t most_feet = 64;

}  // namespace

std::size_t support_polygon(std::span<const Vector3> feet,
                            std::span<std::size_t> corners) noexcept {
    if (feet.empty()) return 0;
    // Walks around the hull from one foot to the next.
    std::size_t first = 0;
    for (std::size_t i = 1; i < feet.size(); ++i) {
        const bool before =
            feet[i].x < feet[first].x || (feet[i].x == feet[first].x && feet[i].z < feet[first].z);
        if (before) first = i;
    }
    std::size_t count = 0;
    std::size_t at = first;
    do {
        corners[count++] = at;
        std::size_t next = at;
        for (std::size_t i = 0; i < feet.size(); ++i) {
            if (i == at || flat_distance(feet[i], feet[at]) == 0) continue;
            const double side = next == at ? -1 : turn(feet[at], feet[next], feet[i]);
            const bool further =
                side == 0 && flat_distance(feet[at], feet[i]) > flat_distance(feet[at], feet[next]);
            if (side < 0 || further) next = i;
        }
        if (next == at) break;
        at = next;
    } while (at != first && count < feet.size());
    return count;
}

double support_margin(std::span<const Vector3> feet, const Vector3& spot) noexcept {
    constexpr double nowhere = -1e9;
    if (feet.empty()) return nowhere;
    std::size_t corners[most_feet];
    const std::span<const Vector3> some = feet.first(std::min(most_feet, feet.size()));
    const std::size_t count = support_polygon(some, corners);
    double least = std::numeric_limits<double>::infinity();
    bool is_inside = count > 2;
    for (std::size_t k = 0; k < count; ++k) {
        const Vector3& a = some[corners[k]];
        const Vector3& b = some[corners[(k + 1) % count]];
        least = std::min(least, flat_distance(spot, nearest_on_stretch(spot, a, b)));
        is_inside = is_inside && turn(a, b, spot) >= 0;
    }
    return is_inside ? least : -least;
}

Vector3 nearest_supported(std::span<const Vector3> feet, const Vector3& spot) noexcept {
    if (feet.empty() || support_margin(feet, spot) >= 0) return spot;
    std::size_t corners[most_feet];
    const std::span<const Vector3> some = feet.first(std::min(most_feet, feet.size()));
    const std::size_t count = support_polygon(some, corners);
    Vector3 best = some[corners[0]];
    double least = flat_distance(spot, best);
    for (std::size_t k = 0; k < count; ++k) {
        const Vector3 near =
            nearest_on_stretch(spot, some[corners[k]], some[corners[(k + 1) % count]]);
        const double far = flat_distance(spot, near);
        if (far >= least) continue;
        least = far;
        best = near;
    }
    return {best.x, spot.y, best.z};
}

double stretches_apart(const Vector3& a, const Vector3& b, const Vector3& c,
                       const Vector3& d) noexcept {
    const Vector3 u = b - a;
    const Vector3 v = d - c;
    const Vector3 w = a - c;
    const double uu = dot(u, u);
    const double uv = dot(u, v);
    const double vv = dot(v, v);
    const double uw = dot(u, w);
    const double vw = dot(v, w);
    const double both = uu * vv - uv * uv;
    const auto within = [](double part) {
        return std::clamp(part, 0.0, 1.0);
    };
    double s = both > 1e-12 * uu * vv ? within((uv * vw - vv * uw) / both) : 0;
    const double t = vv > 0 ? within((uv * s + vw) / vv) : 0;
    s = uu > 0 ? within((uv * t - uw) / uu) : 0;
    return length_of(w + u * s - v * t);
}

}  // namespace hopcoil
