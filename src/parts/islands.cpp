#include "islands.hpp"

namespace hopcoil::parts {
namespace {

constexpr double falls_asleep_after_s = 0.5;

bool is_slow(const Body& body, double limit) {
    const Vector3 spin = body.angular_velocity();
    const double edge = dot(spin, spin) * body.radius * body.radius;
    return dot(body.velocity, body.velocity) + edge < limit * limit;
}

}  // namespace

std::uint32_t Islands::root(std::uint32_t body) noexcept {
    while (parents_[body] != body) {
        parents_[body] = parents_[parents_[body]];
        body = parents_[body];
    }
    return body;
}

/// What is driven, or the world, joins nothing; while it moves nothing on it rests.
void Islands::join(std::span<const Body> bodies, std::uint32_t a, std::uint32_t b) noexcept {
    const bool a_moves = bodies[a].inverse_mass > 0;
    const bool b_moves = bodies[b].inverse_mass > 0;
    if (a_moves && b_moves) {
        const std::uint32_t root_a = root(a);
        const std::uint32_t root_b = root(b);
        parents_[root_a > root_b ? root_a : root_b] = root_a > root_b ? root_b : root_a;
        return;
    }
    const Body& fixed = bodies[a_moves ? b : a];
    if (fixed.velocity != Vector3{} || fixed.momentum != Vector3{})
        is_restless_[a_moves ? a : b] = 1;
}

void Islands::update(std::span<Body> bodies, const Connections& connections,
                     const Contacts& contacts, double dt, double sleep_speed) noexcept {
    const auto count = static_cast<std::uint32_t>(bodies.size());
    for (std::uint32_t i = 0; i < count; ++i) {
        parents_[i] = i;
        Body& body = bodies[i];
        body.slow_s = is_slow(body, sleep_speed) ? body.slow_s + dt : 0;
        is_restless_[i] = body.slow_s < falls_asleep_after_s ? 1 : 0;
    }
    for (const Connection& each : connections.all()) {
        if (each.holds) join(bodies, each.a(), each.b());
    }
    for (const Contact& each : contacts.all()) {
        if (each.impulse == 0) continue;
        join(bodies, each.a, each.b);
        if (each.surface != Vector3{}) is_restless_[each.a] = 1;
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        if (is_restless_[i] != 0 && bodies[i].inverse_mass > 0) is_restless_[root(i)] = 1;
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        Body& body = bodies[i];
        if (body.inverse_mass == 0 || body.is_asleep || is_restless_[root(i)] != 0) continue;
        body.is_asleep = true;
        body.island = root(i);
        body.velocity = {};
        body.momentum = {};
    }
}

}  // namespace hopcoil::parts
