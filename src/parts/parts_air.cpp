#include "parts_air.hpp"

#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>

#include "works.hpp"

namespace hopcoil {

const PartForce& Parts::wind_force(std::uint32_t part) const {
    return works_->air.force_on(part);
}

namespace parts {
namespace {

// Of the drag coefficient of a plate.
constexpr double share_of_sphere = 0.4;
constexpr double share_of_cylinder = 0.9;

// Two of these, either way of the middle, stand for a length as evenly as can be (Gauss).
const double gauss = 1 / std::sqrt(3.0);

}  // namespace

PartsAir::PartsAir(const PartsStructure& structure, std::span<const Body> bodies)
    : areas_(structure.parts.size()),
      winds_(structure.parts.size()),
      last_(structure.parts.size()),
      places_(structure.parts.size()),
      samples_(structure.parts.size()) {
    firsts_.reserve(structure.parts.size() + 1);
    firsts_.push_back(0);
    for (std::uint32_t i = 0; i < structure.parts.size(); ++i) {
        for (const PartShape& shape : structure.parts[i].shapes) {
            add(i, shape,
                inverse(bodies[i].own) *
                    Placement{shape.placement.position, normalized(shape.placement.rotation)});
        }
        firsts_.push_back(patches_.size());
    }
    for (const Patch& patch : patches_)
        areas_[patch.body] += patch.area_m2;
}

/// A rectangle, by its middle and half of each side, seen from where u turns to v
/// counter-clockwise.
void PartsAir::add_flat(std::uint32_t body, const Placement& own, const Vector3& middle,
                        const Vector3& u, const Vector3& v) {
    const Vector3 normal = cross(u, v);
    const double quarter = norm(normal);
    if (!(quarter > 0)) return;
    for (const double a : {-gauss, gauss}) {
        for (const double b : {-gauss, gauss}) {
            patches_.push_back({body, Shape::flat, to_world(own, middle + u * a + v * b),
                                rotated(own.rotation, normal * (1 / quarter)), quarter});
        }
    }
}

void PartsAir::add_outline(std::uint32_t body, const PartShape& shape, const Placement& own) {
    const double half = shape.half_size_m.z;
    double twice_area = 0;
    for (const std::vector<Vector3>& piece : convex_pieces(shape.outline)) {
        for (std::size_t i = 1; i + 1 < piece.size(); ++i) {
            const Vector3 middle = (piece[0] + piece[i] + piece[i + 1]) * (1.0 / 3);
            const double area = 0.5 * cross(piece[i] - piece[0], piece[i + 1] - piece[0]).z;
            for (const double side : {-1.0, 1.0}) {
                patches_.push_back({body, Shape::flat,
                                    to_world(own, {middle.x, middle.y, side * half}),
                                    rotated(own.rotation, {0, 0, side}), area});
            }
        }
    }
    const std::size_t count = shape.outline.size();
    for (std::size_t i = 0; i < count; ++i)
        twice_area += cross(shape.outline[i], shape.outline[(i + 1) % count]).z;
    const double way = twice_area > 0 ? 0.5 : -0.5;
    for (std::size_t i = 0; i < count; ++i) {
        const Vector3& from = shape.outline[i];
        const Vector3& to = shape.outline[(i + 1) % count];
        add_flat(body, own, {0.5 * (from.x + to.x), 0.5 * (from.y + to.y), 0},
                 {way * (to.x - from.x), way * (to.y - from.y), 0}, {0, 0, half});
    }
}

void PartsAir::add(std::uint32_t body, const PartShape& shape, const Placement& own) {
    using Type = PartShape::Type;
    const Vector3& half = shape.half_size_m;
    const double radius = shape.radius_m;
    const double disc = math::pi * radius * radius;
    if (shape.type == Type::sphere)
        patches_.push_back({body, Shape::round, own.position, {}, share_of_sphere * disc});
    if (shape.type == Type::capsule) {
        const Vector3 axis = rotated(own.rotation, {0, 1, 0});
        for (const double at : {-gauss, gauss}) {
            patches_.push_back({body, Shape::across, to_world(own, {0, at * half.y, 0}), axis,
                                share_of_cylinder * 2 * radius * half.y});
        }
        patches_.push_back({body, Shape::round, own.position, {}, share_of_sphere * disc});
    }
    if (shape.type == Type::box) {
        const Vector3 x{half.x, 0, 0};
        const Vector3 y{0, half.y, 0};
        const Vector3 z{0, 0, half.z};
        for (const double side : {-1.0, 1.0}) {
            add_flat(body, own, x * side, y * side, z);
            add_flat(body, own, y * side, z * side, x);
            add_flat(body, own, z * side, x * side, y);
        }
    }
    if (shape.type == Type::outline) add_outline(body, shape, own);
}

void PartsAir::find(const Wind* wind, double time_s, std::span<const Body> bodies) noexcept {
    blows_ = wind != nullptr;
    if (!blows_) {
        std::fill(last_.begin(), last_.end(), PartForce{});
        return;
    }
    for (std::size_t i = 0; i < places_.size(); ++i)
        places_[i] = bodies[i].position;
    wind->find(places_, time_s, samples_);
    for (std::size_t i = 0; i < places_.size(); ++i)
        winds_[i] = samples_[i].velocity;
}

bool PartsAir::can_move(std::uint32_t body, const Body& at,
                        const PartsSettings& settings) const noexcept {
    if (!blows_) return false;
    constexpr double least = 0.01;  // of its weight
    const Vector3& u = winds_[body];
    const double most_n =
        0.5 * settings.drag_coefficient * settings.air_density_kg_per_m3 * areas_[body] * dot(u, u);
    return most_n > least * at.mass * norm(settings.gravity);
}

/// All patches act at once. Drag that would stop a body within a substep is reduced.
PartsAir::Gust PartsAir::gust_on(std::uint32_t body, const Body& at, const PartsSettings& settings,
                                 double h) const noexcept {
    const double scale = 0.5 * settings.drag_coefficient * settings.air_density_kg_per_m3 * h;
    Gust gust;
    double slowing = 0;
    for (std::size_t i = firsts_[body]; i < firsts_[body + 1]; ++i) {
        const Patch& patch = patches_[i];
        const Vector3 arm = rotated(at.rotation, patch.place);
        const Vector3 u = winds_[body] - at.velocity_at(arm);
        const Vector3 direction = rotated(at.rotation, patch.direction);
        Vector3 along = u;
        if (patch.shape == Shape::flat) along = direction * std::min(dot(u, direction), 0.0);
        if (patch.shape == Shape::across) along = u - direction * dot(u, direction);
        const double speed = norm(along);
        if (!(speed > 0)) continue;
        const double drag = scale * patch.area_m2 * speed;
        slowing += drag * give_of(at, arm, along * (1 / speed));
        gust.impulse = gust.impulse + along * drag;
        gust.turning = gust.turning + cross(arm, along * drag);
    }
    const double part = slowing > 0.5 ? 1 / (0.5 + slowing) : 1;
    return {gust.impulse * part, gust.turning * part};
}

}  // namespace parts
}  // namespace hopcoil
