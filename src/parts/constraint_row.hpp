#pragma once

#include <cstdint>
#include <limits>

#include "parts_body.hpp"

namespace hopcoil {
namespace parts {

/// One number of the parts' places that is held: dC/dt = direction (v_b - v_a) + on_a w_a +
/// on_b w_b.
///
/// Model   docs/parts.md (4): C at the end of the substep is `target` - `softness` times the
///         impulse; `softness` 0 holds it whatever it takes.
struct Row {
    std::uint32_t a = 0;
    std::uint32_t b = 0;
    Vector3 direction{};
    Vector3 on_a{};
    Vector3 on_b{};
    Vector3 turned_a{};  ///< inverse inertia times on_a
    Vector3 turned_b{};
    double value = 0;  ///< C, as it stands
    double target = 0;
    double softness = 0;  ///< metres (radians) per newton second
    double impulse = 0;
    double sign = 1;  ///< C is this times what is measured beyond `offset`
    double offset = 0;
    double at_start = 0;       ///< C as the substep began
    bool pushes_only = false;  ///< its impulse is never below 0
    bool is_active = true;
    bool is_capped = false;   ///< its spring pulls with all it has
    std::uint32_t owner = 0;  ///< index of its connection
    std::uint32_t component = 0;

    /// C counts the other way.
    void turn_round() noexcept {
        sign = -sign;
        direction = direction * -1;
        on_a = on_a * -1;
        on_b = on_b * -1;
        turned_a = turned_a * -1;
        turned_b = turned_b * -1;
    }
    void see(double measured) noexcept { value = sign * (measured - offset); }
    [[nodiscard]] double error() const noexcept { return value - target + softness * impulse; }

    void finish(const Body& body_a, const Body& body_b) noexcept {
        if (body_a.is_flat || body_b.is_flat) {
            direction.z = 0;
            on_a = {0, 0, on_a.z};
            on_b = {0, 0, on_b.z};
            // What the plane holds already leaves nothing but rounding.
            const double left = dot(direction, direction) + (dot(on_a, on_a) + dot(on_b, on_b));
            if (left < 1e-18) {
                on_a = {};
                on_b = {};
                direction = {};
            }
        }
        turned_a = body_a.inverse * on_a;
        turned_b = body_b.inverse * on_b;
    }
    /// What it does to its own C.
    [[nodiscard]] double give(const Body& body_a, const Body& body_b) const noexcept {
        return (body_a.inverse_now + body_b.inverse_now) * dot(direction, direction) +
               (dot(on_a, turned_a) + dot(on_b, turned_b));
    }
    /// How fast C changes.
    [[nodiscard]] double rate(const Body& body_a, const Body& body_b) const noexcept {
        return dot(direction, body_b.velocity - body_a.velocity) +
               (dot(on_a, body_a.spin()) + dot(on_b, body_b.spin()));
    }
    void apply(Body& body_a, Body& body_b, double impulse_now, double h) const noexcept {
        body_a.change(direction * -impulse_now, on_a * impulse_now, h);
        body_b.change(direction * impulse_now, on_b * impulse_now, h);
    }
    void shift(Body& body_a, Body& body_b, double amount) const noexcept {
        body_a.shift(direction * -amount, on_a * amount);
        body_b.shift(direction * amount, on_b * amount);
    }
    /// What an impulse of one row does to the C of another, by a body that both are on.
    [[nodiscard]] static double coupling(const Row& i, const Row& j, const Body* bodies) noexcept {
        double sum = 0;
        if (i.a == j.a || i.b == j.b) {
            const double along = dot(i.direction, j.direction);
            if (i.a == j.a) sum += bodies[i.a].inverse_now * along + dot(i.on_a, j.turned_a);
            if (i.b == j.b) sum += bodies[i.b].inverse_now * along + dot(i.on_b, j.turned_b);
        }
        if (i.a == j.b || i.b == j.a) {
            const double along = -dot(i.direction, j.direction);
            if (i.a == j.b) sum += bodies[i.a].inverse_now * along + dot(i.on_a, j.turned_b);
            if (i.b == j.a) sum += bodies[i.b].inverse_now * along + dot(i.on_b, j.turned_a);
        }
        return sum;
    }
};

}  // namespace parts
}  // namespace hopcoil
