#include "works.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace hopcoil {

using parts::Body;
using parts::Connection;

namespace {

/// A rotation faster than this in a substep could not be followed.
constexpr double most_turn_rad = 0.5;
constexpr double most_way_m = 0.1;
/// A sleeping part wakes when something moves as near to it as this.
constexpr double wakes_within_m = 0.05;

bool moves(const ContactShape& shape) {
    return shape.velocity != Vector3{} || shape.angular_velocity != Vector3{};
}

/// Whether a face that is visited moves.
class MovingFace final : public FaceVisitor {
  public:
    explicit MovingFace(const Ground& ground) noexcept : ground_{ground} {}
    void visit(const GroundFace& face) noexcept override {
        found_ = found_ || ground_.velocity_at(face.corners[0], face.part, 0) != Vector3{};
    }
    [[nodiscard]] bool is_found() const noexcept { return found_; }

  private:
    const Ground& ground_;
    bool found_ = false;
};

bool has_moving_ground_near(const Ground& ground, const Body& body) {
    const double near = body.radius + wakes_within_m;
    std::array<GroundBox, 8> found{};
    const std::size_t count = ground.boxes_near(body.position, near, 0, found);
    const std::span<const GroundBox> boxes{found.data(), std::min(count, found.size())};
    const bool has_box = std::any_of(boxes.begin(), boxes.end(),
                                     [](const GroundBox& each) { return moves(each.shape); });
    if (has_box) return true;
    MovingFace moving{ground};
    ground.visit_faces(body.position, near, 0, FaceChoice::edged, moving);
    return moving.is_found();
}

Vector3 grab_force(const Body& body, const Vector3& arm, const PartGrab& grab, double h) {
    const Vector3 way = grab.target - (body.position + arm);
    const double give = parts::give_of(body, arm, unit(way, {0, 1, 0}));
    if (!(give > 0)) return {};
    const double stiffness =
        std::min(grab.most_force_n / parts::grab_reach_m, 0.2 / (give * h * h));
    const double damping = std::min(2 * std::sqrt(stiffness / give), 0.4 / (give * h));
    const Vector3 force = way * stiffness - body.velocity_at(arm) * damping;
    const double size = norm(force);
    return size > grab.most_force_n ? force * (grab.most_force_n / size) : force;
}

}  // namespace

PartsWorks::PartsWorks(const PartsStructure& structure, const PartsSettings& given)
    : settings{given},
      bodies{parts::bodies_of(structure)},
      before{bodies},
      masses{parts::masses_of(structure)},
      connections{structure, given, bodies},
      contacts{structure, given, bodies},
      islands{bodies.size()},
      air{structure, bodies} {
    touches.resize(24 * contacts.colliders().all().size() + 64);
    impacts.resize(64);
    carried.resize(bodies.size());
    places.resize(bodies.size());
}

void PartsWorks::wake(std::uint32_t body) noexcept {
    if (!bodies[body].is_asleep) {
        bodies[body].slow_s = 0;
        return;
    }
    const std::uint32_t island = bodies[body].island;
    for (Body& each : bodies) {
        if (!each.is_asleep || each.island != island) continue;
        each.is_asleep = false;
        each.slow_s = 0;
    }
}

void PartsWorks::wake_all() noexcept {
    for (Body& each : bodies) {
        each.is_asleep = false;
        each.slow_s = 0;
    }
}

/// Sleepers that something moves into, or that are pulled.
void PartsWorks::wake_touched(const PartsInputs& inputs) noexcept {
    const auto is_fast = [&](const Body& body) {
        if (body.inverse_mass == 0) return body.velocity != Vector3{} || body.momentum != Vector3{};
        const double limit = 2 * settings.sleep_speed_m_per_s;
        const Vector3 spin = body.angular_velocity();
        return !body.is_asleep &&
               dot(body.velocity, body.velocity) + dot(spin, spin) * body.radius * body.radius >
                   limit * limit;
    };
    for (const PartForce& force : inputs.forces) {
        if (force.newtons != Vector3{} || force.torque_nm != Vector3{}) wake(force.part);
    }
    for (const PartGrab& grab : inputs.grabs)
        wake(grab.part);
    for (std::uint32_t i = 0; i < masses.size(); ++i) {
        if (bodies[i].is_asleep && air.can_move(i, bodies[i], settings)) wake(i);
    }
    const auto look = [&](std::uint32_t a, std::uint32_t b) {
        if (bodies[a].is_asleep && is_fast(bodies[b])) wake(a);
        if (bodies[b].is_asleep && is_fast(bodies[a])) wake(b);
    };
    for (const Connection& each : connections.all()) {
        if (each.holds) look(each.a(), each.b());
    }
    for (const parts::ColliderPair& pair : contacts.colliders().pairs()) {
        const auto solids = contacts.colliders().all();
        look(solids[pair.a].body, solids[pair.b].body);
    }
    for (const ContactShape& shape : inputs.shapes) {
        if (!moves(shape)) continue;
        for (std::uint32_t i = 0; i < bodies.size(); ++i) {
            if (!bodies[i].is_asleep) continue;
            const double away = distance_to(shape, bodies[i].position).metres;
            if (away < bodies[i].radius + wakes_within_m) wake(i);
        }
    }
}

/// Sleepers whose ground moves, has gone or is at another height.
void PartsWorks::wake_where_ground_moves(const Ground* ground) noexcept {
    constexpr double moved_m = 0.0005;  // what touches may be so deep, and its spot beside it
    constexpr double from_above_m = 0.3;
    const auto stays = [&](const Vector3& spot) {
        if (ground == nullptr) return false;
        const GroundDistance now = ground->distance_to(spot, from_above_m, 0);
        return std::abs(now.metres) < moved_m &&
               ground->velocity_at(spot, now.part, 0) == Vector3{};
    };
    for (const parts::Contact& each : contacts.all()) {
        if (bodies[each.a].is_asleep && each.is_on_ground() && !stays(each.local_b)) wake(each.a);
    }
    if (ground == nullptr) return;
    for (std::uint32_t i = 0; i < bodies.size(); ++i) {
        if (bodies[i].is_asleep && has_moving_ground_near(*ground, bodies[i])) wake(i);
    }
}

/// Moves a driven part, and with it everything that hangs only on it.
void PartsWorks::carry(std::uint32_t driven, const Placement& to) noexcept {
    const Placement way = to * parts::inverse(parts::placement_of(bodies[driven]));
    std::size_t count = 0;
    carried[count++] = driven;
    for (std::size_t next = 0; next < count; ++next) {
        for (const Connection& each : connections.all()) {
            if (!each.holds) continue;
            for (const auto& [from, other] :
                 {std::pair{each.a(), each.b()}, std::pair{each.b(), each.a()}}) {
                const auto end = carried.begin() + static_cast<std::ptrdiff_t>(count);
                const bool is_new = std::find(carried.begin(), end, other) == end;
                if (from == carried[next] && is_new && bodies[other].inverse_mass > 0)
                    carried[count++] = other;
            }
        }
    }
    for (std::size_t i = 0; i < count; ++i) {
        Body& body = bodies[carried[i]];
        const Placement moved = way * Placement{body.position, body.rotation};
        body.position = moved.position;
        body.rotation = normalized(moved.rotation);
        if (body.inverse_mass == 0) continue;
        body.velocity = rotated(way.rotation, body.velocity);
        body.momentum = rotated(way.rotation, body.momentum);
    }
}

bool PartsWorks::can_be_free(std::uint32_t body) const noexcept {
    return bodies[body].inverse_inertia.x > 0;
}

void PartsWorks::set_driven(std::uint32_t body, bool is_driven) noexcept {
    Body& one = bodies[body];
    if ((one.inverse_mass == 0) == is_driven) return;
    wake(body);
    const Vector3 spin = one.angular_velocity();
    one.inverse_mass = is_driven ? 0 : 1 / one.mass;
    one.momentum = is_driven ? spin : one.momentum_of(spin);
    allow_energy();
}

/// Sets the targets of joints for the step, and wakes the parts that they move.
void PartsWorks::aim(std::span<const JointTarget> targets, double dt) noexcept {
    for (Connection& each : connections.all())
        each.stay_aimed();
    bool leaps = false;
    for (const JointTarget& target : targets) {
        Connection& joint = connections.all()[target.joint];
        if (!joint.aim(target, dt)) continue;
        wake_ends(joint);
        leaps = true;
    }
    for (const Connection& each : connections.all()) {
        if (each.moves_its_parts()) wake_ends(each);
    }
    // A leap changes the energy that is stored in its spring.
    if (leaps) allow_energy();
}

void PartsWorks::wake_ends(const Connection& joint) noexcept {
    wake(joint.a());
    wake(joint.b());
}

bool PartsWorks::drive(std::span<const std::uint32_t> driven, std::span<const Placement> to,
                       double dt, double h) noexcept {
    bool leaps = false;
    for (std::size_t i = 0; i < driven.size(); ++i) {
        Body& body = bodies[driven[i]];
        body.velocity = {};
        body.momentum = {};
        if (to.empty() || !(dt > 0)) continue;
        const Placement target{to[i].position, normalized(to[i].rotation)};
        const Placement at = target * body.own;
        const Vector3 way = at.position - body.position;
        const Vector3 turn = rotation_vector(at.rotation * conjugate(body.rotation));
        const double speed = norm(way) / dt;
        const double spin = norm(turn) / dt;
        if (speed * h > most_way_m || spin * h > most_turn_rad) {
            carry(driven[i], target);
            leaps = true;
            continue;
        }
        body.velocity = way * (1 / dt);
        body.momentum = turn * (1 / dt);
    }
    return leaps;
}

void PartsWorks::move_on(double h) noexcept {
    for (Body& body : bodies) {
        if (body.inverse_mass == 0) {
            body.position = body.position + body.velocity * h;
            if (body.momentum != Vector3{})
                body.rotation = normalized(turned_by(body.momentum * h) * body.rotation);
            continue;
        }
        if (!body.moves()) continue;
        body.velocity = body.velocity + settings.gravity * h;
        if (body.is_flat) body.velocity.z = 0;
        const double drag = settings.drag_per_s + body.drag_per_s;
        if (drag > 0) body.velocity = body.velocity * (1 / (1 + drag * h));
        const double turning = settings.drag_per_s + body.turning_drag_per_s;
        if (turning > 0) body.momentum = body.momentum * (1 / (1 + turning * h));
        const double turn = norm(body.spin()) * h;
        if (turn > most_turn_rad) {
            body.momentum = body.momentum * (most_turn_rad / turn);
            is_guarded = true;
        }
        body.move(h);
    }
}

double PartsWorks::energy() const noexcept {
    double sum = connections.energy(bodies);
    for (const Body& body : bodies) {
        if (body.inverse_mass == 0) continue;
        sum += body.kinetic_energy() - body.mass * dot(settings.gravity, body.position);
    }
    return sum;
}

void PartsWorks::allow_energy() noexcept {
    allowed_j = energy();
    last_work_j = 0;
    double moving = connections.energy(bodies);
    for (const Body& body : bodies) {
        if (body.inverse_mass > 0) moving += body.kinetic_energy();
    }
    scale_j = std::max(scale_j, moving);
}

/// Half of the work of a substep falls before its beginning, and half of the one before after it.
/// What is found swings about the truth by as much as a fall through a few substeps gives, and by a
/// part of all that moves and is drawn.
double PartsWorks::excess_j(double h) noexcept {
    // Velocities are those of half a substep before: of a stiff spring that is much, of one that is
    // stiffer than the substep can follow it no longer matters.
    const double stiffness = connections.largest_load() * h * h;
    const double share = 0.005 + (stiffness <= 1 ? 0.25 * std::sqrt(stiffness) : 0);
    constexpr double fall_s = 0.02;
    constexpr double remembered_s = 5;
    double moving = connections.energy_at_start();
    double smoothly = moving;
    double height = 0;
    double mass = 0;
    for (const Body& body : bodies) {
        if (body.inverse_mass == 0) continue;
        if (body.moves()) {
            moving += body.mean_kinetic_energy();
            smoothly += body.kinetic_energy_of_mean();
        }
        height -= body.mass * dot(settings.gravity, body.from);
        mass += body.mass;
    }
    const double work = given_j + connections.driven_work(bodies, h) + contacts.driven_work(bodies);
    allowed_j += 0.5 * (last_work_j + work);
    last_work_j = work;
    const double fall = dot(settings.gravity, settings.gravity) * fall_s * fall_s;
    const double excess = smoothly + height - allowed_j - share * scale_j - 0.5 * mass * fall -
                          1e-9 * (1 + std::abs(height));
    scale_j = std::max(scale_j * (1 - std::min(h / remembered_s, 1.0)), moving);
    allowed_j = std::min(allowed_j, moving + height);
    return excess;
}

void PartsWorks::apply_forces(const PartsInputs& inputs, double h) noexcept {
    given_j = 0;
    const auto strike = [&](std::uint32_t part, const Vector3& impulse, const Vector3& arm,
                            const Vector3& turning) {
        Body& body = bodies[part];
        const Vector3 speed = body.velocity_at(arm);
        const Vector3 spin = body.spin();
        body.strike(impulse, arm, 0);
        body.change({}, turning, 0);
        given_j +=
            0.5 * (dot(impulse, speed + body.velocity_at(arm)) + dot(turning, spin + body.spin()));
    };
    for (const PartForce& force : inputs.forces) {
        const Body& body = bodies[force.part];
        strike(force.part, force.newtons * h,
               rotated(body.rotation, parts::to_local(body.own, force.place)), force.torque_nm * h);
    }
    for (const PartGrab& grab : inputs.grabs) {
        const Body& body = bodies[grab.part];
        const Vector3 arm = rotated(body.rotation, parts::to_local(body.own, grab.place));
        strike(grab.part, grab_force(body, arm, grab, h) * h, arm, {});
    }
    air.blow(bodies, settings, h,
             [&](std::uint32_t part, const Vector3& impulse, const Vector3& turning) {
                 strike(part, impulse, {}, turning);
             });
}

double PartsWorks::energy_of_place() const noexcept {
    double sum = connections.energy(bodies);
    for (const Body& body : bodies)
        sum -= body.inverse_mass > 0 ? body.mass * dot(settings.gravity, body.position) : 0;
    return sum;
}

/// Penetrating solids are separated, and joints are drawn together; not where that would stretch
/// springs.
void PartsWorks::remove_errors() noexcept {
    constexpr double share = 0.001;
    const double gap = connections.largest_gap(bodies);
    if (gap == 0 && !contacts.are_deep(bodies)) return;
    for (std::size_t i = 0; i < bodies.size(); ++i)
        places[i] = {bodies[i].position, bodies[i].rotation};
    const double before_j = energy_of_place();
    contacts.push_apart(bodies);
    connections.draw_together(bodies);
    const double fall = dot(settings.gravity, settings.gravity) * 1e-6;
    double mass = 0;
    for (const Body& body : bodies)
        mass += body.inverse_mass > 0 ? body.mass : 0;
    constexpr double pushed_m = 0.002;
    const bool is_good = energy_of_place() - before_j <= share * scale_j + mass * fall &&
                         connections.largest_gap(bodies) <= std::max(gap, pushed_m);
    if (is_good) return;
    for (std::size_t i = 0; i < bodies.size(); ++i) {
        bodies[i].position = places[i].position;
        bodies[i].rotation = places[i].rotation;
    }
}

bool PartsWorks::try_substep(const PartsInputs& inputs, double h, double remaining_s,
                             bool has_to) noexcept {
    for (Body& body : bodies)
        body.begin();
    contacts.find(bodies, inputs, h, remaining_s);
    connections.begin(bodies, h, remaining_s);
    apply_forces(inputs, h);
    move_on(h);
    contacts.apply_last(bodies, h);
    constexpr double solved = 1e-5;
    constexpr double held = 5e-3;
    double error = connections.solve(bodies, h);
    if (!(error < (has_to ? held : solved))) return false;
    if (contacts.solve(bodies, h)) {
        error = connections.settle(bodies, h);
        if (!(error < held)) return false;
    }
    const double excess = excess_j(h);
    if (!(excess <= 0)) return false;
    note_impacts();
    remove_errors();
    is_guarded = is_guarded || error > solved;
    return true;
}

void PartsWorks::note_impacts() noexcept {
    constexpr double least_m_per_s = 0.05;
    for (const parts::Contact& contact : std::as_const(contacts).active()) {
        if (contact.closing < least_m_per_s || contact.impulse == 0) continue;
        const std::uint32_t other = contact.b + 1 == bodies.size() ? no_part : contact.b;
        const auto end = impacts.begin() + static_cast<std::ptrdiff_t>(impact_count);
        auto met = std::find_if(impacts.begin(), end, [&](const PartImpact& each) {
            return each.part == contact.a && each.other == other;
        });
        if (met == end) {
            if (impact_count == impacts.size()) return;
            ++impact_count;
            *met = {.part = contact.a, .other = other};
        }
        if (contact.closing <= met->speed_m_per_s) continue;
        met->speed_m_per_s = contact.closing;
        met->normal = contact.normal;
        met->place = bodies[contact.a].position + contact.arm_a;
    }
}

/// If even the smallest pieces fail, everything stays where it was for that long, and loses half of
/// its speed.
void PartsWorks::stop_here() noexcept {
    bodies = before;
    for (Body& body : bodies) {
        if (body.inverse_mass == 0) continue;
        body.velocity = body.velocity * 0.5;
        body.momentum = body.momentum * 0.5;
    }
    contacts.forget();
    is_guarded = true;
    allowed_j = std::max(allowed_j, energy());
}

void PartsWorks::substep(const PartsInputs& inputs, double h, double remaining_s) noexcept {
    constexpr std::array<int, 3> pieces{1, 8, 64};
    before = bodies;
    const double allowed = allowed_j;
    const double last_work = last_work_j;
    const double scale = scale_j;
    const std::size_t impacts_before = impact_count;
    for (const int count : pieces) {
        const bool is_last = count == pieces.back();
        const double piece = h / count;
        int done = 0;
        while (done < count &&
               try_substep(inputs, piece, remaining_s + (count - done - 1) * piece, is_last))
            ++done;
        if (done == count && is_finite()) return;
        // Only the first piece begins where the contacts of the last substep are known.
        if (done == 0) contacts.go_back();
        bodies = before;
        allowed_j = allowed;
        last_work_j = last_work;
        scale_j = scale;
        impact_count = impacts_before;
    }
    stop_here();
}

bool PartsWorks::is_finite() const noexcept {
    constexpr double most = 1e9;
    return std::all_of(bodies.begin(), bodies.end(), [](const Body& body) {
        for (const Vector3& v : {body.position, body.velocity, body.momentum}) {
            if (!(dot(v, v) < most * most)) return false;
        }
        return std::isfinite(body.rotation.w) && length_of(body.rotation) > 0.5;
    });
}

}  // namespace hopcoil
