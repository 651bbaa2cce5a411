#include "../read/picture_keys.hpp"
#include "jointed.hpp"
#include "read_mover.hpp"

namespace hopcoil::scene {
namespace {

std::vector<KeyFacts> with_mount(std::vector<KeyFacts> keys) {
    for (const KeyFacts& each : mount_keys())
        keys.push_back(each);
    return keys;
}

TableFacts part_table() {
    using enum KeyType;
    std::vector<KeyFacts> keys =
        joined({{"name", text, "its name", "required"},
                {"at_m", vector, "its place at the start", "[0, 0, 0]"},
                {"turned_deg", vector, "its rotation: an axis times degrees", "[0, 0, 0]"},
                {"velocity_m_per_s", vector, "velocity at the start: x, y, z", "[0, 0, 0]"},
                {"spin_deg_per_s", vector,
                 "angular velocity at the start: an axis times degrees a second", "[0, 0, 0]"}},
               part_shape_keys());
    keys =
        joined(std::move(keys),
               {{"mass_kg", number, "its mass, instead of by its density", "by its density"},
                {"driven", flag, "`true`: it is moved by its `to` and `facing` alone", "`false`"},
                {"friction", number, "its coefficient of friction", "0.5"},
                {"restitution", number,
                 "its restitution: part of the speed that is left after a bounce, 0 to 1", "0"},
                {"rolling_m", number, "rolling resistance: torque over normal force", "0"},
                {"drag_per_s", number, "drag on its velocity: deceleration over velocity", "0"},
                {"turning_drag_per_s", number, "the same for its angular velocity", "0"},
                {"colour", text, "colour, as in \"#c86432\"", "the next of the palette"}});
    return {"part", "A part", "", with_mount(std::move(keys))};
}

std::vector<KeyFacts> joint_keys() {
    using enum KeyType;
    return {{"lowest_rad", number, "lower limit of a hinge", "none"},
            {"highest_rad", number, "upper limit of a hinge", "none"},
            {"lowest_m", number, "lower limit of a slide", "none"},
            {"highest_m", number, "upper limit of a slide", "none"},
            {"most_lean_rad", number, "limit of a ball: largest angle of its X axis from the start",
             "none"},
            {"most_twist_rad", number,
             "limit of a ball: largest twist about its X axis, either way", "none"},
            {"touch", flag, "`true`: the two parts collide with each other", "`false`"},
            {"group", text, "group whose spring it has", "none"},
            {"target", source,
             "what its spring draws it toward: an angle for a hinge, a place along its axis for a "
             "slide, a rotation for a ball",
             "what its group wants"}};
}

TableFacts joint_table() {
    using enum KeyType;
    std::vector<KeyFacts> keys{
        {"name", text, "its name", "`a-b`"},
        {"type",
         choice,
         "how the two parts can move",
         "`hinge`",
         {"hinge", "ball", "slide", "fixed"}},
        {"a", text, "one part; without it the joint or link is to the world", "what does not move"},
        {"b", text, "other part", "required"},
        {"at_m", vector, "its place at the start", "[0, 0, 0]"},
        {"axis", vector,
         "axis that a hinge turns about or a slide moves along; of a ball its X axis",
         "[0, 0, 1]"}};
    for (const KeyFacts& each : joint_keys())
        keys.push_back(each);
    return {"part joint", "A joint of parts", "", std::move(keys)};
}

TableFacts row_table() {
    using enum KeyType;
    std::vector<KeyFacts> keys{
        {"parts", texts, "parts in order; there is a hinge between each and the next", "required"},
        {"axis", vector, "axis of all hinges", "[0, 0, 1]"},
        {"anchors", numbers, "places of the hinges: x, y, z, x, y, z, ...",
         "halfway between the centres"}};
    for (const KeyFacts& each : joint_keys())
        keys.push_back(each);
    return {"part row", "A row of hinges", "A hinge between each part and the next.",
            std::move(keys)};
}

TableFacts link_table() {
    using enum KeyType;
    return {"part link",
            "A link of parts",
            "Holds the distance between a point of one part and a point of another.",
            {{"a", text, "one part; without it the joint or link is to the world",
              "what does not move"},
             {"b", text, "other part", "required"},
             {"point_a_m", vector, "point of `a`, in its frame", "[0, 0, 0]"},
             {"point_b_m", vector, "point of `b`, in its frame", "[0, 0, 0]"},
             {"shortest_m", number, "distance below which it pushes", "as far apart as they are"},
             {"longest_m", number, "distance above which it pulls", "as far apart as they are"},
             {"group", text, "group whose stiffness and damping it has", "it is hard"}}};
}

std::vector<KeyFacts> own_keys() {
    using enum KeyType;
    return {
        {"parts", tables, "its rigid parts", "required", {}, {"part"}},
        {"joints", tables, "joints between parts, or to the world", "none", {}, {"part joint"}},
        {"rows", tables, "rows of hinges, each from a list of parts", "none", {}, {"part row"}},
        {"links",
         tables,
         "springs, ropes and rods between points of parts",
         "none",
         {},
         {"part link"}},
        {"groups",
         tables,
         "numbers that joints and links share by the group's name",
         "none",
         {},
         {"part group"}},
        {"blows", tables, "impulses on parts", "none", {}, {"part blow"}},
        {"shapes", tables, "obstacles", "none", {}, {"part shape"}},
        {"ground", field, "ground that they fall on", "none"},
        {"wind", field, "wind that blows against them", "none"},
        {"contact_points", KeyType::whole_number,
         "number of contact points that are recorded and drawn", "0"},
        {"flat", flag, "`true`: nothing leaves the XY plane", "`false`"},
        dial_key({"substeps", whole_number, "substeps in every 1/60 s", "12"}),
        dial_key({"link_stiffness_factor", number, "factor on the stiffness of all links", "1"}),
        dial_key({"link_damping_factor", number, "factor on the damping of all links", "1"}),
        dial_key({"spring_stiffness_factor", number,
                  "factor on the stiffness of all springs of joints", "1"}),
        dial_key({"spring_damping_factor", number, "factor on the damping of all springs of joints",
                  "1"}),
        dial_key({"friction", number, "coefficient of friction of the ground", "0.5"}),
        dial_key({"restitution", number, "restitution of the ground and of shapes, 0 to 1", "0"}),
        dial_key({"drag_per_s", number, "drag on all velocities: deceleration over velocity", "0"}),
        dial_key({"air_density_kg_per_m3", number, "density of the air of the wind", "1.2"}),
        dial_key({"drag_coefficient", number,
                  "drag coefficient of flat sides; capsules have 0.9 and spheres 0.4 of it",
                  "1.2"}),
        dial_key({"sleep_speed_m_per_s", number,
                  "speed below which a part falls asleep after half a second; 0: never", "0.01"}),
        dial_key({"gravity_m_per_s2", number, "gravity, downward", "9.80665"}),
        order_key()};
}

}  // namespace

std::vector<KeyFacts> part_shape_keys() {
    using enum KeyType;
    return {
        {"type",
         choice,
         "its shape; a capsule lies along Y",
         "`box`",
         {"box", "sphere", "capsule", "outline"}},
        {"half_size_m", vector,
         "half of a box's size; the y of a capsule is half the length of its axis, the z of an "
         "outline half its thickness",
         "[0.1, 0.1, 0.1]"},
        {"radius_m", number, "radius of a sphere or capsule", "0.1"},
        {"outline", numbers,
         "corners of an outline in its XY plane, in metres and in order: x, y, x, y, ...", "none"},
        {"density_kg_per_m3", number, "its density, which gives its mass", "500"},
        {"solid", flag, "`false`: it touches nothing", "`true`"}};
}

std::vector<TableFacts> parts_tables() {
    using enum KeyType;
    std::vector<KeyFacts> own = own_keys();
    return {
        {"parts", "`[parts.NAME]`",
         "Rigid parts with joints, links, springs and contact. `NAME.PART` is where a part is, "
         "`NAME.PART.facing` how it is turned. With `to` or `facing` its driven parts go "
         "along, and all parts start in that frame.",
         with_mount(std::move(own))},
        part_table(),
        joint_table(),
        row_table(),
        link_table(),
        {"part group",
         "A group of springs or links",
         "",
         {{"name", text, "its name", "required"},
          dial_key({"stiffness", number,
                    "stiffness: N m/rad of hinges and balls, N/m of slides and links", "0"}),
          dial_key({"damping", number,
                    "damping: N m s/rad of hinges and balls, N s/m of slides and links", "0"}),
          dial_key({"wanted", number, "position that joints are drawn to: rad, of slides m", "0"}),
          dial_key({"wanted_rate", number,
                    "rate that the damping draws joints to, as a motor: rad/s, of slides m/s",
                    "0"}),
          dial_key(
              {"most", number, "largest torque in N m, of slides largest force in N", "1e9"})}},
        {"part blow",
         "A blow",
         "",
         {{"at_s", number, "time of the blow", "0"},
          {"part", text, "part that it hits", "required"},
          {"place_m", vector, "where it hits, in the part's frame", "[0, 0, 0]"},
          {"newton_seconds", vector, "impulse in N s: x, y, z", "required"}}},
        shape_table("part shape", "A shape that parts cannot pass")};
}

}  // namespace hopcoil::scene
