#include "net_contacts.hpp"

#include <algorithm>
#include <cmath>

#include "../base/vectors.hpp"
#include "net_solver.hpp"

namespace hopcoil {

namespace {

/// The search for near pairs is repeated after so many substeps, with a margin for the motion in
/// between.
constexpr int substeps_between_searches = 4;
constexpr double search_margin = 0.5;
constexpr std::size_t pairs_for_each_point = 12;

/// 0.8 of the shortest link: points further apart than that let no others through.
double default_distance(const NetStructure& structure) noexcept {
    double shortest = unbounded_length_m;
    for (const NetLink& link : structure.links) {
        if (link.longest_m > 0) shortest = std::min(shortest, link.longest_m);
    }
    return shortest < unbounded_length_m ? 0.8 * shortest : 0;
}

}  // namespace

NetContacts::NetContacts(const NetStructure& structure, const NetSettings& settings,
                         NetMethod method)
    : thickness_m_{settings.thickness_m},
      friction_{settings.friction},
      has_self_{settings.has_self_contact},
      inverse_masses_{net::inverse_masses(structure)},
      normals_(structure.points.size()),
      speeds_(structure.points.size()),
      placed_(net::most_shapes) {
    const bool has_balls = method != NetMethod::implicit;
    for (std::uint32_t i = 0; i < structure.points.size(); ++i) {
        const NetPoint& point = structure.points[i];
        radii_.push_back(point.radius_m);
        rest_.push_back(point.position);
        if (has_balls && point.radius_m > 0) balls_.push_back(i);
    }
    if (!has_self_) return;
    apart_m_ =
        settings.contact_distance_m > 0 ? settings.contact_distance_m : default_distance(structure);
    has_self_ = apart_m_ > 0;
    cells_.resize(rest_.size());
    pairs_.resize(pairs_for_each_point * rest_.size());
}

void NetContacts::begin(const NetInputs& inputs, double remaining_s) noexcept {
    ground_ = inputs.ground;
    remaining_s_ = remaining_s;
    highest_ = ground_ != nullptr ? ground_->highest(-remaining_s) : 0;
    shape_count_ = std::min(inputs.shapes.size(), placed_.size());
    for (std::size_t i = 0; i < shape_count_; ++i) {
        placed_[i] = inputs.shapes[i];
        ContactShape& earlier = placed_[i];
        earlier.position = earlier.position - earlier.velocity * remaining_s;
        if (earlier.angular_velocity == Vector3{}) continue;
        earlier.rotation = turned_by(earlier.angular_velocity * -remaining_s) * earlier.rotation;
    }
}

template <class Visit>
void NetContacts::for_each_surface(std::size_t point, const Vector3& place,
                                   const Visit& visit) const noexcept {
    const double keep = thickness_m_ + radii_[point];
    if (ground_ != nullptr && place.y < highest_ + keep) {
        constexpr double above = 0.5;  // a point that much below a surface is under it
        // `place` may be moved by the visit: in a corner there are two.
        for (int surface = 0; surface < 2; ++surface) {
            const GroundDistance near = ground_->distance_to(place, above, -remaining_s_);
            if (near.metres >= keep) break;
            visit(Surface{near.metres - keep, near.normal,
                          ground_->velocity_at(place, near.part, -remaining_s_), friction_});
        }
    }
    for (const ContactShape& shape : std::span{placed_}.first(shape_count_)) {
        const ShapeDistance away = distance_to(shape, place);
        if (away.metres >= keep) continue;
        visit(Surface{away.metres - keep, away.normal, velocity_at(shape, place), shape.friction});
    }
}

bool NetContacts::finds_any(std::span<const Vector3> x) const noexcept {
    bool found = false;
    for (std::size_t i = 0; i < x.size() && !found; ++i)
        for_each_surface(i, x[i], [&](const Surface&) { found = true; });
    if (found || balls_.empty()) return found;
    for (const std::uint32_t ball : balls_) {
        const double reach = radii_[ball] + thickness_m_;
        for (std::size_t i = 0; i < x.size(); ++i) {
            const Vector3 way = x[i] - x[ball];
            const double least = reach + radii_[i];
            if (i != ball && dot(way, way) < least * least) return true;
        }
    }
    return false;
}

void NetContacts::resolve_surfaces(std::size_t point, std::span<Vector3> x,
                                   std::span<const Vector3> x_start, std::span<Vector3> base,
                                   double h, std::span<std::uint8_t> touches) noexcept {
    for_each_surface(point, x[point], [&](const Surface& surface) {
        const double depth = -surface.metres;
        const Vector3 slip = x[point] - x_start[point] - surface.velocity * h;
        const double inward = -dot(slip, surface.normal);
        // Depth from before this substep is taken away without adding velocity.
        const double before = depth - std::max(0.0, inward);
        if (before > 0) base[point] = base[point] + surface.normal * before;
        x[point] = x[point] + surface.normal * depth;
        const Vector3 along = slip + surface.normal * inward;
        const double way = norm(along);
        const double grip = surface.friction * std::min(depth, std::max(0.0, inward));
        if (way > 0) x[point] = x[point] - along * std::min(1.0, grip / way);
        touches[point] |= net::touching | net::on_surface;
        normals_[point] = surface.normal;
        speeds_[point] = surface.velocity;
    });
}

void NetContacts::resolve_pair(const Pair& pair, std::span<Vector3> x,
                               std::span<const Vector3> x_start,
                               std::span<std::uint8_t> touches) noexcept {
    const double wa = inverse_masses_[pair.a];
    const double wb = inverse_masses_[pair.b];
    const Vector3 way = x[pair.b] - x[pair.a];
    const double square = dot(way, way);
    if (square >= pair.least_m * pair.least_m || !(wa + wb > 0)) return;
    const double length = std::sqrt(square);
    const Vector3 n = unit(way, {0, 1, 0});
    const double depth = pair.least_m - length;
    Vector3 out = n * depth;
    const Vector3 slip = (x[pair.b] - x_start[pair.b]) - (x[pair.a] - x_start[pair.a]);
    const Vector3 along = slip - n * dot(slip, n);
    const double sideways = norm(along);
    if (sideways > 0) out = out - along * std::min(1.0, friction_ * depth / sideways);
    x[pair.a] = x[pair.a] - out * (wa / (wa + wb));
    x[pair.b] = x[pair.b] + out * (wb / (wa + wb));
    mark(pair.a, touches);
    mark(pair.b, touches);
}

void NetContacts::resolve_balls(std::span<Vector3> x, std::span<const Vector3> x_start,
                                std::span<std::uint8_t> touches) noexcept {
    for (const std::uint32_t ball : balls_) {
        const double reach = radii_[ball] + thickness_m_;
        for (std::uint32_t i = 0; i < x.size(); ++i) {
            if (i == ball || (radii_[i] > 0 && i < ball)) continue;
            const double least = radii_[i] > 0 ? radii_[ball] + radii_[i] : reach;
            const Vector3 way = x[i] - x[ball];
            if (dot(way, way) < least * least) resolve_pair({ball, i, least}, x, x_start, touches);
        }
    }
}

/// Finds pairs that may touch before the next search.
void NetContacts::find_pairs(std::span<const Vector3> x) noexcept {
    const double reach = apart_m_ * (1 + search_margin);
    cells_.sort(
        x.size(), [&](std::size_t i) { return x[i]; }, reach, [](std::size_t) { return true; });
    pair_count_ = 0;
    for (std::uint32_t i = 0; i < x.size(); ++i) {
        cells_.for_each_near(x[i], [&](std::uint32_t other) {
            if (other <= i || pair_count_ >= pairs_.size()) return;
            const Vector3 way = x[other] - x[i];
            if (dot(way, way) >= reach * reach) return;
            const double least = std::min(apart_m_, norm(rest_[other] - rest_[i]));
            pairs_[pair_count_++] = {i, other, least};
        });
    }
}

void NetContacts::resolve(std::span<Vector3> x, std::span<const Vector3> x_start,
                          std::span<Vector3> base, double h,
                          std::span<std::uint8_t> touches) noexcept {
    for (std::uint8_t& each : touches)
        each = static_cast<std::uint8_t>((each & net::touching) != 0 ? net::touched_before : 0);
    depth_m_ = 0;
    if (!has_any()) return;
    if (has_self_) {
        if (until_search_-- == 0) {
            find_pairs(x);
            until_search_ = substeps_between_searches - 1;
        }
        for (std::size_t i = 0; i < pair_count_; ++i)
            resolve_pair(pairs_[i], x, x_start, touches);
    }
    resolve_balls(x, x_start, touches);
    for (std::size_t i = 0; i < x.size(); ++i) {
        if (inverse_masses_[i] > 0) resolve_surfaces(i, x, x_start, base, h, touches);
    }
    for (std::size_t i = 0; i < x.size(); ++i) {
        if ((touches[i] & net::touching) == 0 || inverse_masses_[i] == 0) continue;
        for_each_surface(i, x[i], [&](const Surface& surface) {
            depth_m_ = std::max(depth_m_, -surface.metres);
        });
    }
}

Vector3 NetContacts::without_inward(std::size_t point, const Vector3& velocity) const noexcept {
    const double inward = dot(velocity - speeds_[point], normals_[point]);
    return inward < 0 ? velocity - normals_[point] * inward : velocity;
}

}  // namespace hopcoil
