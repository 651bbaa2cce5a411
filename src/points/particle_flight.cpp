#include "particle_flight.hpp"

#include <algorithm>
#include <cmath>

#include "../base/vectors.hpp"

namespace hopcoil {

namespace {
constexpr double touching_m = 1e-5;
constexpr int most_looks = 96;
constexpr int looks_before_half = 16;
constexpr int most_bounces = 3;
constexpr double far_m = 1e30;
/// A place this far below a surface, or less, is inside the ground.
constexpr double looked_above_m = 0.5;
/// How far a box of the ground may move in a step and still be met on its way.
constexpr double most_box_way_m = 0.1;
/// A contact so early in a step and so slow continues the sliding of the step before.
constexpr double sliding_s = 1e-4;
constexpr double sliding_m_per_s = 1e-3;
/// Where a path passes through the front of a face.
class WallSearch final : public FaceVisitor {
  public:
    WallSearch(const Vector3& from, const Vector3& to, double radius) noexcept
        : from_{from}, way_{to - from}, radius_{radius} {}

    void visit(const GroundFace& face) noexcept override {
        const double closing = -dot(way_, face.normal);
        const double away = dot(from_ - face.corners[0], face.normal) - radius_;
        if (!(closing > 0) || away < -touching_m || away > closing) return;
        const double at = std::max(away / closing, 0.0);
        const bool is_met = nearest_on(face, from_ + way_ * at).metres <= radius_ + touching_m;
        if (is_met) part_ = std::min(part_, at);
    }
    [[nodiscard]] double part() const noexcept { return part_; }

  private:
    Vector3 from_;
    Vector3 way_;
    double radius_;
    double part_ = 2;
};

}  // namespace

ParticleSurfaces::ParticleSurfaces(std::span<const ContactShape> shapes, const Ground* ground,
                                   const ParticleSettings& settings) noexcept
    : shapes_{shapes},
      ground_{ground},
      settings_{settings},
      is_level_{ground != nullptr && ground->is_level()},
      floor_m_{is_level_ ? ground->highest(0) + settings.radius_m : 0} {}

void ParticleSurfaces::set_step(double h, double remaining_s) noexcept {
    remaining_s_ = remaining_s;
    free_ = {settings_.gravity_m_per_s2, settings_.drag_per_s, h};
    clear_above_m_ = shapes_.empty() ? -far_m : far_m;
    if (ground_ != nullptr && shapes_.empty())
        clear_above_m_ = ground_->highest(-remaining_s) + settings_.radius_m + touching_m;
}

FlightState ParticleSurfaces::after(const FlightState& from, const Vector3& wind,
                                    double h) const noexcept {
    const FreeFlight flight = h == free_.h_s ? free_
                                             : FreeFlight{settings_.gravity_m_per_s2,
                                                          settings_.drag_per_s, std::max(h, 0.0)};
    return {
        from.place + from.velocity * flight.way_s + wind * flight.drift_s +
            Vector3{0, flight.fallen_m, 0},
        from.velocity * flight.kept + wind * flight.gone + Vector3{0, flight.gained_m_per_s, 0}};
}

ParticleSurfaces::Surface ParticleSurfaces::surface_seen(const GroundDistance& near,
                                                         const Vector3& place,
                                                         double ahead_s) const noexcept {
    if (near.metres >= far_m) return {far_m, {0, 1, 0}, {}, settings_.friction};
    return {near.metres - settings_.radius_m, near.normal,
            ground_->velocity_at(place, near.part, ahead_s), settings_.friction};
}

ParticleSurfaces::Surface ParticleSurfaces::surface_of(const ContactShape& shape,
                                                       const Vector3& place,
                                                       double before_s) const noexcept {
    const Vector3 seen = place + shape.velocity * (remaining_s_ + before_s);
    const ShapeDistance away = distance_to(shape, seen);
    return {away.metres - settings_.radius_m, away.normal, velocity_at(shape, seen),
            shape.friction};
}

ParticleSurfaces::Surface ParticleSurfaces::ground_near(const Vector3& place,
                                                        double ahead_s) const noexcept {
    if (is_level_) return {place.y - floor_m_, {0, 1, 0}, {}, settings_.friction};
    return surface_seen(ground_->distance_to(place, looked_above_m, ahead_s), place, ahead_s);
}

ParticleSurfaces::Surface ParticleSurfaces::nearest(const Vector3& place,
                                                    double before_s) const noexcept {
    const double ahead_s = -remaining_s_ - before_s;
    Surface found{far_m, {0, 1, 0}, {}, settings_.friction};
    if (ground_ != nullptr) found = ground_near(place, ahead_s);
    for (const ContactShape& shape : shapes_) {
        const Surface other = surface_of(shape, place, before_s);
        if (other.metres < found.metres) found = other;
    }
    return found;
}

/// What is in the way of a velocity: the nearest surface, or in a corner another one that is
/// touched as well.
ParticleSurfaces::Surface ParticleSurfaces::met(const FlightState& now,
                                                double before_s) const noexcept {
    const auto closes = [&](const Surface& surface) {
        return dot(now.velocity - surface.velocity, surface.normal) < 0;
    };
    const Surface first = nearest(now.place, before_s);
    if (closes(first) || first.metres < -touching_m) return first;
    const auto is_met = [&](const Surface& other) {
        return other.metres < 2 * touching_m && closes(other);
    };
    for (const ContactShape& shape : shapes_) {
        const Surface other = surface_of(shape, now.place, before_s);
        if (is_met(other)) return other;
    }
    if (ground_ == nullptr) return first;
    const double ahead_s = -remaining_s_ - before_s;
    if (is_level_) {
        const Surface floor = ground_near(now.place, ahead_s);
        return is_met(floor) ? floor : first;
    }
    for (const GroundDistance& near :
         {ground_->surface_distance(now.place, looked_above_m, ahead_s),
          ground_->distance_to(now.place, looked_above_m, ahead_s)}) {
        const Surface other = surface_seen(near, now.place, ahead_s);
        if (is_met(other)) return other;
    }
    return first;
}

/// Advances along the path by distances in which the surface cannot be, until it is met: nothing is
/// missed, however long the path.
template <class Find>
double ParticleSurfaces::part_until(const Vector3& from, const Vector3& to, Convexity convexity,
                                    const Find& surface_at) const noexcept {
    const Vector3 way = to - from;
    const double length = norm(way);
    if (!(length > 0)) return 2;
    const Vector3 along = way * (1 / length);
    const bool is_convex = convexity == Convexity::convex;
    // Nothing is met above the highest point of the ground.
    const double sinks = from.y - (clear_above_m_ - touching_m);
    double gone = sinks > 0 && along.y < 0 ? std::min(sinks / -along.y, length) : 0;
    for (int look = 0; look < most_looks; ++look) {
        const Surface surface = surface_at(from + along * gone);
        const double closing = -dot(along, surface.normal);
        const bool closes = closing > 0;
        if (is_convex && !closes) return 2;
        // A slope can rise toward the particle, so it may move less far than straight down.
        double ahead = std::max(0.6 * surface.metres, closes ? touching_m : length / most_looks);
        if (closes) {
            // As far as to the surface, if it is as flat as here.
            const double rest = std::max(surface.metres / closing, -touching_m);
            const bool is_near = surface.metres < touching_m;
            // To the surface itself: the place does not depend on the steps of the search.
            if (is_near && rest <= 10 * touching_m) return std::max(0.0, gone + rest) / length;
            // A convex surface lies behind the plane through its nearest point. Along any other
            // surface a shallow path would take too many evaluations.
            const bool skips = is_near || look >= looks_before_half;
            if (is_convex || skips) ahead = std::max(ahead, is_convex ? rest : 0.5 * rest);
        }
        gone += ahead;
        if (gone >= length) return 2;
    }
    return gone / length;
}

double ParticleSurfaces::first_contact(const Vector3& from, const Vector3& to,
                                       double left_s) const noexcept {
    const double part = first_solid(from, to, left_s);
    return ground_ == nullptr ? part : std::min(part, first_ground(from, to));
}

double ParticleSurfaces::first_ground(const Vector3& from, const Vector3& to) const noexcept {
    if (is_level_) {
        const double sinks = from.y - to.y;
        return sinks > 0 ? std::max(from.y - floor_m_, 0.0) / sinks : 2;
    }
    return part_until(from, to, Convexity::any, [this](const Vector3& at) {
        return surface_seen(ground_->surface_distance(at, looked_above_m, -remaining_s_), at,
                            -remaining_s_);
    });
}

/// Of shapes and boxes.
double ParticleSurfaces::first_solid(const Vector3& from, const Vector3& to,
                                     double left_s) const noexcept {
    // One by one: the distance to the nearest surface does not tell when another one is met.
    double part = 2;
    // As the shape sees it, which is where it is at the end.
    const auto look_at = [&](const Vector3& velocity, const auto& surface_at) {
        part =
            std::min(part, part_until(from + velocity * left_s, to, Convexity::convex, surface_at));
    };
    for (const ContactShape& shape : shapes_)
        look_at(shape.velocity, [&](const Vector3& at) { return surface_of(shape, at, 0); });
    if (ground_ == nullptr || is_level_) return part;
    const Vector3 middle = (from + to) * 0.5;
    const double near = 0.5 * norm(to - from) + settings_.radius_m + most_box_way_m;
    const std::size_t count = ground_->boxes_near(middle, near, -remaining_s_, boxes_);
    for (const GroundBox& box : std::span{boxes_}.first(std::min(count, boxes_.size()))) {
        look_at(box.shape.velocity, [&](const Vector3& at) {
            const ShapeDistance away = distance_to(box.shape, at);
            return Surface{away.metres - settings_.radius_m, away.normal, {}, 0};
        });
    }
    return std::min(part, first_wall(from, to));
}

/// Walls of models: where the path passes through the front of a face.
double ParticleSurfaces::first_wall(const Vector3& from, const Vector3& to) const noexcept {
    WallSearch search{from, to, settings_.radius_m};
    const double near = 0.5 * norm(to - from) + settings_.radius_m + touching_m;
    ground_->visit_faces((from + to) * 0.5, near, -remaining_s_, FaceChoice::steep, search);
    return search.part();
}

bool ParticleSurfaces::supports(const Vector3& place) const noexcept {
    const Surface surface = nearest(place, 0);
    return std::abs(surface.metres) < resting_m && surface.velocity == Vector3{};
}

bool ParticleSurfaces::sweeps(const Vector3& place) const noexcept {
    return std::any_of(shapes_.begin(), shapes_.end(), [&](const ContactShape& shape) {
        if (shape.velocity == Vector3{}) return false;
        return part_until(place + shape.velocity * free_.h_s, place, Convexity::convex,
                          [&](const Vector3& at) { return surface_of(shape, at, 0); }) <= 1;
    });
}

void ParticleSurfaces::bounce(FlightState& now, const Surface& surface) const noexcept {
    const Vector3 relative = now.velocity - surface.velocity;
    const double into = -dot(relative, surface.normal);
    if (into <= 0) return;
    const Vector3 along = relative + surface.normal * into;
    const double speed = norm(along);
    const double lost = surface.friction * (1 + settings_.restitution) * into;
    const double kept = speed > 0 ? std::max(0.0, 1 - lost / speed) : 0;
    now.velocity =
        surface.velocity + along * kept + surface.normal * (settings_.restitution * into);
}

/// A particle that hardly bounces slides along the surface. Returns whether it comes to rest.
bool ParticleSurfaces::slide(FlightState& now, const Surface& surface, const Vector3& wind,
                             double h) const noexcept {
    const Vector3& n = surface.normal;
    const Vector3 relative = after(now, wind, h).velocity - surface.velocity;
    const Vector3 along = relative - n * dot(relative, n);
    const double speed = norm(along);
    const double weight = settings_.gravity_m_per_s2 * n.y;
    const double lost = surface.friction * std::max(0.0, weight) * h;
    const double kept = speed > 0 ? std::max(0.0, 1 - lost / speed) : 0;
    now.velocity = surface.velocity + along * kept;
    const Vector3 from = now.place + n * (2 * touching_m);
    const double part = first_solid(from, from + now.velocity * h, h);
    if (part <= 1) {
        now.place = from + now.velocity * (h * part);
        bounce(now, met(now, h * (1 - part)));
        return false;
    }
    now.place = now.place + now.velocity * h;
    const Surface there = nearest(now.place, 0);
    if (there.metres < 10 * touching_m) now.place = now.place - there.normal * there.metres;
    return kept == 0 && surface.velocity == Vector3{} && weight > 0;
}

FlightOutcome ParticleSurfaces::fly(FlightState& now, const Vector3& wind,
                                    double h) const noexcept {
    FlightOutcome outcome;
    double left = h;
    for (int k = 0; k <= most_bounces && left > 0; ++k) {
        const FlightState next = after(now, wind, left);
        if (std::min(now.place.y, next.place.y) > clear_above_m_) {
            now = next;
            break;
        }
        const double part = first_contact(now.place, next.place, left);
        if (part > 1) {
            now = next;
            break;
        }
        const double taken = part * left;
        const Vector3 place = now.place + (next.place - now.place) * part;
        now = {place, after(now, wind, taken).velocity};
        if (!outcome.meets) {
            outcome.meets = outcome.hits = true;
            outcome.hit_after_s = h - left + taken;
            outcome.hit_place = now.place;
            outcome.hit_velocity = now.velocity;
        }
        left -= taken;
        const Surface surface = met(now, left);
        if (surface.metres < 0) now.place = now.place - surface.normal * surface.metres;
        if (settings_.dies_on_contact) break;
        const double closing = -dot(now.velocity - surface.velocity, surface.normal);
        const bool is_slow = closing < slow_hit_m_per_s;
        if (is_slow || k == most_bounces) {
            const bool slides_on =
                k == 0 && outcome.hit_after_s < sliding_s && closing < sliding_m_per_s;
            outcome.hits = outcome.hits && !slides_on;
            outcome.rests = slide(now, surface, wind, left);
            break;
        }
        bounce(now, surface);
    }
    return outcome;
}

}  // namespace hopcoil
