// A body of points in a net: six points with a full orientation, and limbs of rope.

#include "net_body.hpp"

#include <algorithm>
#include <array>

#include <hopcoil/base/math.hpp>

#include "jointed.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::array<const char*, BodyOfPoints::corners> corner_names{"right", "left",   "below",
                                                                      "above", "behind", "ahead"};

NetLimb read_limb(KindReader& reader) {
    NetLimb limb{.rope = {.length_m = 0.5, .segments = 6}};
    const std::string on = reader.choice("on").value_or("");
    if (!reader.has("on")) reader.problem("", "expected a key 'on'");
    const auto found = std::find(corner_names.begin(), corner_names.end(), on);
    if (found != corner_names.end())
        limb.from = static_cast<std::uint32_t>(found - corner_names.begin());
    limb.rope.length_m = reader.number("length_m").value_or(limb.rope.length_m);
    limb.rope.segments = reader.whole_number("segments", 1, 1000).value_or(limb.rope.segments);
    limb.rope.mass_kg_per_m = reader.number("mass_kg_per_m").value_or(limb.rope.mass_kg_per_m);
    reader.try_to([&] { require_valid(limb.rope); });
    return limb;
}

}  // namespace

std::size_t BodyOfPoints::point_count() const {
    std::size_t count = corners;
    for (const NetLimb& limb : limbs)
        count += limb.rope.segments + 1;
    return count;
}

NetStructure BodyOfPoints::build(const Placement& placement) const {
    NetStructure made = oriented_body(body, placement);
    const LinkStrength joint{0.3 * body.stiffness_n_per_m, body.damping_n_s_per_m};
    for (const NetLimb& limb : limbs) {
        const std::uint32_t first = made.add(rope(limb.rope, {made.points[limb.from].position}));
        made.points[first].is_pinned = false;
        attach(made, limb.from, first, joint);
    }
    return made;
}

std::vector<std::size_t> BodyOfPoints::parents() const {
    std::vector<std::size_t> all{0, 1, 2, 3, 4, 5};
    for (const NetLimb& limb : limbs) {
        all.push_back(limb.from);
        for (std::size_t i = 0; i < limb.rope.segments; ++i)
            all.push_back(all.size() - 1);
    }
    return all;
}

void read_body_of_points(KindReader& reader, NetParts& parts) {
    BodyOfPoints made;
    made.body.half_size_m = three(reader, "half_size_m").value_or(made.body.half_size_m);
    made.body.mass_kg = reader.number("mass_kg").value_or(made.body.mass_kg);
    made.body.stiffness_n_per_m =
        reader.number("stiffness_n_per_m").value_or(made.body.stiffness_n_per_m);
    made.body.damping_n_s_per_m =
        reader.number("damping_n_s_per_m").value_or(made.body.damping_n_s_per_m);
    made.velocity = three(reader, "velocity_m_per_s").value_or(Vector3{});
    made.turn_rate = three(reader, "turn_rate_deg_per_s").value_or(Vector3{}) * (math::pi / 180);
    reader.each_table("limbs", "limb",
                      [&](KindReader& one) { made.limbs.push_back(read_limb(one)); });
    if (reader.try_to([&] { require_valid(made.body); })) parts.made_of = std::move(made);
}

std::vector<View> views_of(const BodyOfPoints& body, std::size_t middle_port, const NetLook& look) {
    Part box;
    box.shapes.push_back({.half_size_m = body.body.half_size_m});
    std::vector<View> views{view_of(box, "", middle_port)};
    views.front().look.order = look.order;
    if (!look.colours.empty()) views.front().look.colour = look.colours.front();
    if (body.limbs.empty()) return views;
    views.push_back({.type = View::Type::branches,
                     .name = "limbs",
                     .position = 0,
                     .radius_m = std::vector<double>(
                         body.point_count(), look.radius_m.empty() ? 0.01 : look.radius_m.front()),
                     .colours = look.colours,
                     .parents = body.parents()});
    views.back().look.order = look.order;
    return views;
}

ValueAndVelocity middle_of(const std::array<ValueAndVelocity, BodyOfPoints::corners>& corners) {
    Vector3 place{};
    Vector3 velocity{};
    for (const ValueAndVelocity& each : corners) {
        place = place + vector_of(each.value) * (1.0 / BodyOfPoints::corners);
        velocity = velocity + vector_of(each.velocity) * (1.0 / BodyOfPoints::corners);
    }
    return {array_of(place), array_of(velocity)};
}

/// Each of its axes e turns with e x e' = w - e (e.w); of three at right angles they add up to 2 w.
ValueAndVelocity facing_of(const std::array<ValueAndVelocity, BodyOfPoints::corners>& corners) {
    std::array<Vector3, BodyOfPoints::corners> places{};
    for (std::size_t i = 0; i < places.size(); ++i)
        places[i] = vector_of(corners[i].value);
    Vector3 twice{};
    for (std::size_t i = 0; i < places.size(); i += 2) {
        const Vector3 axis = places[i + 1] - places[i];
        const Vector3 rate = vector_of(corners[i + 1].velocity) - vector_of(corners[i].velocity);
        const double square = dot(axis, axis);
        if (square > 0) twice = twice + cross(axis, rate) * (1 / square);
    }
    return {array_of(frame_of(places).rotation), array_of(twice * 0.5)};
}

}  // namespace hopcoil::scene
