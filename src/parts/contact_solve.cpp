// Solving contacts: impacts, friction, rolling, and penetration.

#include <algorithm>
#include <cmath>

#include "contacts.hpp"

namespace hopcoil::parts {
namespace {

/// Penetration that is tolerated: a stack whose parts are pushed out entirely never comes to rest.
constexpr double slop_m = 0.0005;
constexpr double pushed_part = 0.2;
constexpr double most_push_m = 0.01;

}  // namespace

Vector3 Contacts::relative_velocity(const Contact& contact,
                                    std::span<const Body> bodies) const noexcept {
    const auto velocity_of = [&](std::uint32_t body, const Vector3& arm) {
        return bodies[body].velocity + cross(spins_[body], arm);
    };
    return velocity_of(contact.a, contact.arm_a) - velocity_of(contact.b, contact.arm_b) -
           contact.surface;
}

double Contacts::normal_speed(const Contact& contact, std::span<const Body> bodies) const noexcept {
    return dot(relative_velocity(contact, bodies), contact.normal);
}

void Contacts::strike(Body& body, Vector3& spin, const Vector3& impulse, const Vector3& turning,
                      double h) noexcept {
    body.change(impulse, turning, h);
    spin = spin + body.inverse * turning;
}

void Contacts::strike(const Contact& contact, std::span<Body> bodies, const Vector3& impulse,
                      double h) noexcept {
    strike(bodies[contact.a], spins_[contact.a], impulse, cross(contact.arm_a, impulse), h);
    const Vector3 back = impulse * -1;
    strike(bodies[contact.b], spins_[contact.b], back, cross(contact.arm_b, back), h);
}

void Contacts::apply_last(std::span<Body> bodies, double h) noexcept {
    for (Contact& contact : active()) {
        contact.lasting_s = h;
        const Vector3 impulse = contact.normal * contact.impulse + contact.rubbing;
        bodies[contact.a].strike(impulse, contact.arm_a, h);
        bodies[contact.b].strike(impulse * -1, contact.arm_b, h);
        if (contact.rolling_m > 0) {
            bodies[contact.a].change({}, contact.resisting, h);
            bodies[contact.b].change({}, contact.resisting * -1, h);
        }
    }
    catch_up(bodies);
}

/// Along the normal: no further approach, or a rebound after an impact. Returns the change of
/// speed.
double Contacts::press(Contact& contact, std::span<Body> bodies) noexcept {
    const double speed = normal_speed(contact, bodies);
    const double before = contact.impulse;
    contact.impulse = std::max(before + (contact.target - speed) / contact.give, 0.0);
    strike(contact, bodies, contact.normal * (contact.impulse - before), contact.lasting_s);
    return std::abs(contact.impulse - before) * contact.give;
}

void Contacts::rub(Contact& contact, std::span<Body> bodies) noexcept {
    if (contact.impulse == 0 && contact.rubbing == Vector3{}) return;
    const Vector3 sliding = across(relative_velocity(contact, bodies), contact.normal);
    const double speed = norm(sliding);
    const Vector3 before = contact.rubbing;
    Vector3 wanted = before;
    if (speed > 1e-12) {
        const Vector3 way = sliding * (1 / speed);
        const double give = give_of(bodies[contact.a], contact.arm_a, way) +
                            give_of(bodies[contact.b], contact.arm_b, way);
        wanted = before - way * (speed / give);
    }
    const double most = contact.friction * contact.impulse;
    const double size = norm(wanted);
    const bool slips = size > most;
    if (slips) wanted = wanted * (most / size);
    contact.rubbing = wanted;
    contact.slips = slips;
    strike(contact, bodies, wanted - before, contact.lasting_s);
}

void Contacts::resist_rolling(Contact& contact, std::span<Body> bodies, double h) noexcept {
    Body& a = bodies[contact.a];
    Body& b = bodies[contact.b];
    const Vector3 spin = spins_[contact.a] - spins_[contact.b];
    const double speed = norm(spin);
    const Vector3 before = contact.resisting;
    Vector3 wanted = before;
    if (speed > 1e-12) {
        const Vector3 axis = spin * (1 / speed);
        const double give = dot(axis, a.inverse * axis) + dot(axis, b.inverse * axis);
        if (give > 0) wanted = before - axis * (speed / give);
    }
    const double most = contact.rolling_m * contact.impulse;
    const double size = norm(wanted);
    if (size > most) wanted = wanted * (most / size);
    contact.resisting = wanted;
    strike(a, spins_[contact.a], {}, wanted - before, h);
    strike(b, spins_[contact.b], {}, before - wanted, h);
}

/// Whether it bounces in this substep: when, and at which speed.
bool Contacts::find_bounce(Contact& contact, double approach, double h) const noexcept {
    const double pull = norm(gravity_) * h;
    const bool hits =
        contact.restitution > 0 && approach < -2 * pull - 1e-6 && contact.gap + approach * h < 0;
    if (!hits) return false;
    // The blow falls within the substep; until then the contact speeds up as all things do.
    const double falling = dot(gravity_, contact.normal);
    const double first_s = std::clamp(contact.gap / -approach, 0.0, h);
    const double mean = approach + falling * (first_s - h) / 2;
    const double at_s = std::clamp(contact.gap / -mean, 0.0, h);
    const double speed = approach + falling * (at_s - h / 2);
    contact.lasting_s = h - at_s;
    contact.target =
        std::max(-contact.restitution * speed + falling * (contact.lasting_s - h / 2), 0.0);
    contact.is_struck = true;
    contact.closing = std::max(contact.closing, -approach);
    return true;
}

/// Passes an impact on through bodies that touch: contacts that close at the same time are solved
/// together, those that this closes in the next round.
void Contacts::pass_on_blows(std::span<Body> bodies, double h) noexcept {
    constexpr int most_rounds = 32;
    constexpr int most_sweeps = 20;
    constexpr double settled_m_per_s = 1e-6;
    bool goes_on = true;
    for (int round = 0; round < most_rounds && goes_on; ++round) {
        double change = 1;
        for (int sweep = 0; sweep < most_sweeps && change > settled_m_per_s; ++sweep) {
            change = 0;
            for (Contact& contact : active()) {
                if (contact.is_blow) change = std::max(change, press(contact, bodies));
            }
        }
        goes_on = false;
        for (Contact& contact : active()) {
            contact.is_blow = find_bounce(contact, normal_speed(contact, bodies), h);
            goes_on = goes_on || contact.is_blow;
        }
    }
    for (Contact& contact : active()) {
        if (contact.is_struck) contact.target = std::max(normal_speed(contact, bodies), 0.0);
    }
}

bool Contacts::solve(std::span<Body> bodies, double h) noexcept {
    constexpr int most_sweeps = 20;
    constexpr double settled_m_per_s = 1e-4;
    for (std::size_t i = 0; i < bodies.size(); ++i)
        spins_[i] = bodies[i].spin();
    bool has_blows = false;
    for (Contact& contact : active()) {
        contact.lasting_s = h;
        contact.target = -std::max(contact.gap, 0.0) / h;
        contact.is_struck = false;
        contact.is_blow = false;
        contact.closing = 0;
        if (contact.impulse > 0) continue;
        const double speed = normal_speed(contact, bodies);
        contact.closing = std::max(-speed, 0.0);
        contact.is_blow = find_bounce(contact, speed, h);
        has_blows = has_blows || contact.is_blow;
    }
    if (has_blows) pass_on_blows(bodies, h);
    // Once impulses have grown over a few substeps, one sweep changes almost nothing.
    double change = 1;
    for (int sweep = 0; sweep < most_sweeps && change > settled_m_per_s; ++sweep) {
        change = 0;
        for (Contact& contact : active()) {
            change = std::max(change, press(contact, bodies));
            rub(contact, bodies);
            if (contact.rolling_m > 0) resist_rolling(contact, bodies, h);
        }
    }
    catch_up(bodies);
    return std::any_of(active().begin(), active().end(),
                       [](const Contact& each) { return each.impulse > 0; });
}

double Contacts::depth_of(const Contact& contact, std::span<const Body> bodies) const noexcept {
    const Body& a = bodies[contact.a];
    const Body& b = bodies[contact.b];
    const Vector3 apart = to_world({a.position, a.rotation}, contact.local_a) -
                          to_world({b.position, b.rotation}, contact.local_b);
    return -dot(apart, contact.normal);
}

bool Contacts::are_deep(std::span<const Body> bodies) const noexcept {
    return std::any_of(active().begin(), active().end(), [&](const Contact& contact) {
        return contact.impulse > 0 || depth_of(contact, bodies) > slop_m;
    });
}

void Contacts::push_apart(std::span<Body> bodies) noexcept {
    for (Contact& contact : active()) {
        Body& a = bodies[contact.a];
        Body& b = bodies[contact.b];
        const Placement place_a{a.position, a.rotation};
        const Placement place_b{b.position, b.rotation};
        const double depth = depth_of(contact, bodies);
        deepest_ = std::max(deepest_, contact.impulse > 0 ? depth : 0.0);
        if (depth > slop_m) {
            const Vector3 amount =
                contact.normal *
                (pushed_part * std::min(depth - slop_m, most_push_m) / contact.give);
            a.shift(amount, cross(contact.arm_a, amount));
            b.shift(amount * -1, cross(contact.arm_b, amount) * -1);
        }
        if (contact.impulse == 0 || contact.slips || contact.surface != Vector3{}) {
            contact.is_stuck = false;
            continue;
        }
        if (!contact.is_stuck) {
            contact.is_stuck = true;
            contact.stuck_a = contact.local_a;
            contact.stuck_b = to_local(place_b, to_world(place_a, contact.local_a));
            continue;
        }
        const Vector3 slid =
            across(to_world(place_a, contact.stuck_a) - to_world(place_b, contact.stuck_b),
                   contact.normal);
        const double way = norm(slid);
        if (!(way > 1e-9) || way > most_push_m) continue;
        const Vector3 along_it = slid * (1 / way);
        const double give =
            give_of(a, contact.arm_a, along_it) + give_of(b, contact.arm_b, along_it);
        const Vector3 amount = along_it * (-pushed_part * way / give);
        a.shift(amount, cross(contact.arm_a, amount));
        b.shift(amount * -1, cross(contact.arm_b, amount) * -1);
    }
}

}  // namespace hopcoil::parts
