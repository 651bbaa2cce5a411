#include "contacts.hpp"

#include <algorithm>
#include <cmath>

namespace hopcoil::parts {
namespace {

/// Solids of the world have keys of their own.
constexpr std::uint64_t world_key = std::uint64_t{1} << 63;
constexpr std::uint64_t ground_key = std::uint64_t{3} << 62;
constexpr std::uint64_t face_key = ground_key | (std::uint64_t{1} << 61);

double speed_of(const ContactShape& shape) {
    return norm(shape.velocity) +
           norm(shape.angular_velocity) * (norm(shape.half_size_m) + shape.radius_m);
}

/// Where a point would touch the ground.
struct GroundSpot {
    bool exists = false;
    std::uint32_t part = 0;
    Vector3 normal{};
    Vector3 place{};
    double height = 0;  ///< of the point over it, along the normal
};

GroundSpot spot_under(const Ground& ground, const Vector3& point, double radius, double ahead) {
    constexpr double from_above_m = 0.3;
    constexpr double deep_m = 0.01;
    const GroundPoint under = ground.surface_under(point.x, point.z, point.y + from_above_m, ahead);
    if (!under.exists) return {};
    const double height = (point.y - under.height) * under.normal.y;
    // It may be under a deck instead.
    if (height < -deep_m && !(ground.surface_distance(point, from_above_m, ahead).metres < 0))
        return {};
    const Vector3 place = point - under.normal * height;
    GroundSpot spot{true, under.part, under.normal, place, height};
    // What is round touches a curved ground beside the place below its middle.
    constexpr int most_looks = 3;
    for (int look = 0; radius > 0 && look < most_looks; ++look) {
        const Vector3 last = spot.place;
        const GroundPoint beside =
            ground.surface_under(last.x, last.z, point.y + from_above_m, ahead);
        const bool is_curved = beside.exists && beside.part == spot.part &&
                               beside.normal != spot.normal &&
                               std::abs(beside.height - last.y) < 0.2 * radius;
        if (!is_curved) break;
        spot.normal = beside.normal;
        spot.height = dot(point - Vector3{last.x, beside.height, last.z}, beside.normal);
        spot.place = point - spot.normal * spot.height;
    }
    return spot;
}

/// Distinguishes normals by their rough direction: a floor, a wall, a slope.
std::uint64_t direction_code(const Vector3& normal) {
    const auto fifth = [](double part) {
        return static_cast<std::uint64_t>(std::floor(2 * part + 2.5));
    };
    return (25 * fifth(normal.x) + 5 * fifth(normal.y)) + fifth(normal.z);
}

}  // namespace

Contacts::Contacts(const PartsStructure& structure, const PartsSettings& settings,
                   std::span<const Body> bodies)
    : colliders_{structure, bodies},
      world_{static_cast<std::uint32_t>(bodies.size() - 1)},
      gravity_{settings.gravity},
      friction_{settings.friction},
      restitution_{settings.restitution} {
    now_.resize(24 * colliders_.all().size() + 64);
    before_.resize(now_.size());
    spins_.resize(bodies.size());
}

void Contacts::forget() noexcept {
    count_ = 0;
    active_ = 0;
    count_before_ = 0;
}

void Contacts::go_back() noexcept {
    now_.swap(before_);
    count_ = count_before_;
    last_h_ = last_h_before_;
    for (std::size_t i = 0; i < count_; ++i)
        now_[i].is_recalled = false;
}

double Contacts::driven_work(std::span<const Body> bodies) const noexcept {
    double work = 0;
    for (const Contact& contact : active()) {
        const Vector3 impulse = contact.normal * contact.impulse + contact.rubbing;
        const Body& a = bodies[contact.a];
        const Body& b = bodies[contact.b];
        if (b.inverse_mass == 0) {
            work += dot(impulse, contact.surface + b.velocity_at(contact.arm_b)) +
                    dot(contact.resisting, b.momentum);
        }
        if (a.inverse_mass == 0)
            work -= dot(impulse, a.velocity_at(contact.arm_a)) + dot(contact.resisting, a.momentum);
    }
    return work;
}

void Contacts::begin_step(std::span<Body> bodies, double dt) noexcept {
    colliders_.find_pairs(bodies, dt);
}

double Contacts::margin_of(const Body& body, double h) const noexcept {
    const double speed = norm(body.velocity) + body.radius * norm(body.spin());
    return speed * h + 2 * norm(gravity_) * h * h + 0.001;
}

/// Contacts of the last substep are in the same order as those of this one, and those with one key
/// are next to each other: the search goes on where the last one ended.
std::size_t Contacts::first_with(std::uint64_t key) noexcept {
    for (std::size_t k = 0; k < count_before_; ++k) {
        const std::size_t i = from_ + k < count_before_ ? from_ + k : from_ + k - count_before_;
        if (before_[i].key != key) continue;
        from_ = i;
        return i;
    }
    return count_before_;
}

/// The contact of the substep before, between the same solids, that is nearest.
void Contacts::recall(Contact& contact, const Placement& place_a, const Placement& place_b,
                      double h) noexcept {
    constexpr double near_m = 0.03;
    Contact* best = nullptr;
    double least = near_m * near_m;
    for (std::size_t i = first_with(contact.key);
         i < count_before_ && before_[i].key == contact.key; ++i) {
        Contact& old = before_[i];
        if (old.is_recalled) continue;
        const Vector3 way = old.local_a - contact.local_a;
        const double square = dot(way, way);
        if (square >= least) continue;
        least = square;
        best = &old;
    }
    if (best == nullptr) return;
    best->is_recalled = true;
    const double scale = last_h_ > 0 ? h / last_h_ : 1;
    contact.impulse = best->impulse * scale;
    contact.rubbing = across(best->rubbing, contact.normal) * scale;
    contact.resisting = best->resisting * scale;
    contact.is_stuck = best->is_stuck;
    // The slip so far is kept while the place of contact moves on, as on a wheel that rolls.
    const Vector3 slid =
        across(to_world(place_a, best->stuck_a) - to_world(place_b, best->stuck_b), contact.normal);
    contact.stuck_a = contact.local_a;
    contact.stuck_b = to_local(place_b, to_world(place_a, contact.local_a) - slid);
}

void Contacts::add(std::uint64_t key, std::uint32_t a, std::span<Body> bodies,
                   const Surface& surface, const Vector3& normal, const TouchPoint& point,
                   double h) noexcept {
    if (count_ == now_.size()) return;
    Body& body = bodies[a];
    Body& other = bodies[surface.body];
    Contact& contact = now_[count_];
    contact = {};
    contact.key = key;
    contact.a = a;
    contact.b = surface.body;
    contact.normal = normal;
    if (body.is_flat) {
        contact.normal = unit({normal.x, normal.y, 0}, {});
        if (contact.normal == Vector3{}) return;
    }
    const Placement place_a{body.position, body.rotation};
    const Placement place_b{other.position, other.rotation};
    contact.local_a = to_local(place_a, point.on_a);
    contact.local_b = to_local(place_b, point.on_b);
    const Vector3 middle = (point.on_a + point.on_b) * 0.5;
    contact.arm_a = middle - body.position;
    contact.arm_b = middle - other.position;
    contact.surface = surface.velocity;
    contact.gap = point.gap;
    contact.friction = std::sqrt(body.friction * surface.friction);
    contact.restitution = std::max(body.restitution, surface.restitution);
    contact.rolling_m = body.rolling_m + surface.rolling_m;
    contact.give = give_of(body, contact.arm_a, contact.normal) +
                   give_of(other, contact.arm_b, contact.normal);
    if (!(contact.give > 0)) return;
    recall(contact, place_a, place_b, h);
    ++count_;
}

void Contacts::find_pairs(std::span<Body> bodies, double h) noexcept {
    for (const ColliderPair& pair : colliders_.pairs()) {
        const std::uint32_t a = colliders_.all()[pair.a].body;
        const std::uint32_t b = colliders_.all()[pair.b].body;
        if (!bodies[a].moves() && !bodies[b].moves()) continue;
        const double margin = margin_of(bodies[a], h) + margin_of(bodies[b], h);
        const Touch touch =
            touch_of(colliders_.convex(pair.a, bodies), colliders_.convex(pair.b, bodies), margin,
                     bodies[a].velocity - bodies[b].velocity);
        const Surface surface{
            b, {}, bodies[b].friction, bodies[b].restitution, bodies[b].rolling_m};
        const std::uint64_t key = ((std::uint64_t{pair.a} + 1) << 31) | (std::uint64_t{pair.b} + 1);
        for (std::size_t k = 0; k < touch.count; ++k)
            add(key, a, bodies, surface, touch.normal, touch.points[k], h);
    }
}

void Contacts::find_shapes(std::span<Body> bodies, const PartsInputs& inputs, double h,
                           double remaining_s) noexcept {
    for (std::size_t s = 0; s < inputs.shapes.size(); ++s) {
        ContactShape shape = inputs.shapes[s];
        shape.position = shape.position - shape.velocity * (remaining_s + h);
        if (shape.angular_velocity != Vector3{}) {
            shape.rotation =
                turned_by(shape.angular_velocity * -(remaining_s + h)) * shape.rotation;
        }
        const ShapeSolid solid = solid_of(shape);
        for (std::size_t i = 0; i < colliders_.all().size(); ++i) {
            if (bodies[colliders_.all()[i].body].moves())
                touch_shape(world_key | (s << 32) | i, i, bodies, shape, solid, h);
        }
    }
}

void Contacts::touch_shape(std::uint64_t key, std::size_t collider, std::span<Body> bodies,
                           const ContactShape& shape, const ShapeSolid& solid, double h) noexcept {
    const std::uint32_t a = colliders_.all()[collider].body;
    const double margin = margin_of(bodies[a], h) + speed_of(shape) * h;
    if (distance_to(shape, bodies[a].position).metres > bodies[a].radius + margin) return;
    const Convex own = colliders_.convex(collider, bodies);
    const Touch touch =
        shape.type == ContactShape::Type::plane
            ? touch_of(own, shape.position, along(solid.axes, {0, 1, 0}), margin)
            : touch_of(own, convex_of(solid), margin, bodies[a].velocity - shape.velocity);
    for (std::size_t k = 0; k < touch.count; ++k) {
        const Surface surface{world_, velocity_at(shape, touch.points[k].on_b), shape.friction,
                              restitution_, 0};
        add(key, a, bodies, surface, touch.normal, touch.points[k], h);
    }
}

void Contacts::find_ground(std::span<Body> bodies, const Ground& ground, double h,
                           double remaining_s) noexcept {
    const double ahead = -remaining_s - h;
    for (std::size_t i = 0; i < colliders_.all().size(); ++i) {
        const std::uint32_t a = colliders_.all()[i].body;
        if (!bodies[a].moves()) continue;
        const double margin = margin_of(bodies[a], h);
        const Convex own = colliders_.convex(i, bodies);
        for (const Vector3& point : own.points) {
            const GroundSpot under = spot_under(ground, point, own.radius, ahead);
            const double gap = under.height - own.radius;
            if (!under.exists || gap > margin) continue;
            const Surface surface{world_, ground.velocity_at(under.place, under.part, ahead),
                                  friction_, restitution_, 0};
            add(ground_key | i, a, bodies, surface, under.normal,
                {point - under.normal * own.radius, under.place, gap}, h);
        }
        find_boxes(i, bodies, ground, ahead, h);
        find_faces(i, bodies, ground, ahead, h);
    }
}

/// What is round meets all faces of the ground; of the others, corners come to the surface, and
/// their sides meet walls and outer edges.
void Contacts::find_faces(std::size_t collider, std::span<Body> bodies, const Ground& ground,
                          double ahead, double h) noexcept {
    const std::uint32_t a = colliders_.all()[collider].body;
    const Body& body = bodies[a];
    const Convex own = colliders_.convex(collider, bodies);
    const double margin = margin_of(body, h);
    faces_.begin(own, body.velocity, margin);
    ground.visit_faces(body.position, body.radius + margin, ahead, faces_.choice(), faces_);
    for (FaceTouches::Group& group : faces_.groups()) {
        const std::uint64_t key = face_key | (direction_code(group.normal) << 32) | collider;
        for (const TouchPoint& point : keep_four(group.all(), group.normal)) {
            const Surface surface{world_, ground.velocity_at(point.on_b, group.part, ahead),
                                  friction_, restitution_, 0};
            add(key, a, bodies, surface, group.normal, point, h);
        }
    }
}

/// Boxes of the ground are met from all sides.
void Contacts::find_boxes(std::size_t collider, std::span<Body> bodies, const Ground& ground,
                          double ahead, double h) noexcept {
    const Body& body = bodies[colliders_.all()[collider].body];
    constexpr double most_box_way_m = 0.05;  // of one that moves, in a substep
    const double near = body.radius + margin_of(body, h) + most_box_way_m;
    const std::size_t count = ground.boxes_near(body.position, near, ahead, boxes_);
    for (std::size_t k = 0; k < std::min(count, boxes_.size()); ++k) {
        ContactShape& shape = boxes_[k].shape;
        shape.friction = friction_;
        const std::uint64_t key = ground_key | ((std::uint64_t{boxes_[k].index} + 1) << 32);
        touch_shape(key | collider, collider, bodies, shape, solid_of(shape), h);
    }
}

void Contacts::find(std::span<Body> bodies, const PartsInputs& inputs, double h,
                    double remaining_s) noexcept {
    now_.swap(before_);
    count_before_ = count_;
    last_h_before_ = last_h_;
    from_ = 0;
    count_ = 0;
    deepest_ = 0;
    colliders_.place(bodies);
    find_pairs(bodies, h);
    find_shapes(bodies, inputs, h, remaining_s);
    if (inputs.ground != nullptr) find_ground(bodies, *inputs.ground, h, remaining_s);
    active_ = count_;
    keep_sleeping(bodies);
    last_h_ = h;
}

/// What sleeps goes on touching what it touched, and wakes with those impulses. What is driven
/// touches nothing that stands still.
void Contacts::keep_sleeping(std::span<const Body> bodies) noexcept {
    const auto sleeps = [&](std::uint32_t body) {
        return bodies[body].is_asleep && bodies[body].inverse_mass > 0;
    };
    for (std::size_t i = 0; i < count_before_ && count_ < now_.size(); ++i) {
        const Contact& old = before_[i];
        const bool moves = bodies[old.a].moves() || bodies[old.b].moves();
        if (!moves && (sleeps(old.a) || sleeps(old.b))) now_[count_++] = old;
    }
}

}  // namespace hopcoil::parts
