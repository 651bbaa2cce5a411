#include "jointed.hpp"
#include "read_mover.hpp"

namespace hopcoil::scene {
namespace {

using enum KeyType;

std::vector<KeyFacts> with_mount(std::vector<KeyFacts> keys) {
    for (const KeyFacts& each : mount_keys())
        keys.push_back(each);
    return keys;
}

TableFacts part_table() {
    std::vector<KeyFacts> keys =
        joined({{"name", text, "its own", "required"},
                {"at_m", vector, "where it is at the start", "[0, 0, 0]"},
                {"turned_deg", vector, "how it is turned: an axis times degrees", "[0, 0, 0]"}},
               part_shape_keys());
    keys = joined(std::move(keys),
                  {{"mass_kg", number, "rather than by its density", "by its density"},
                   {"driven", flag, "`true`: it goes where its `to` and `facing` do", "`false`"},
                   {"friction", number, "where it touches", "0.5"},
                   {"restitution", number, "of a bounce: 0 to 1", "0"},
                   {"rolling_m", number, "resistance to rolling: torque over force", "0"},
                   {"drag_per_s", number, "of its velocity", "0"},
                   {"turning_drag_per_s", number, "of its angular velocity", "0"},
                   {"colour", text, "as \"#c86432\"", "the next of the palette"}});
    return {"part", "A part", "", with_mount(std::move(keys))};
}

std::vector<KeyFacts> joint_keys() {
    return {{"lowest_rad", number, "limit of a hinge", "none"},
            {"highest_rad", number, "limit of a hinge", "none"},
            {"lowest_m", number, "limit of a slide", "none"},
            {"highest_m", number, "limit of a slide", "none"},
            {"most_lean_rad", number, "limit of a ball: of its X axis", "none"},
            {"most_twist_rad", number, "limit of a ball: about its X axis, either way", "none"},
            {"touch", flag, "`true`: the two parts collide", "`false`"},
            {"group", text, "the group whose spring it has", "none"}};
}

TableFacts joint_table() {
    std::vector<KeyFacts> keys{
        {"name", text, "its own", "`a-b`"},
        {"type", choice, "how the two can move", "`hinge`", {"hinge", "ball", "slide", "fixed"}},
        {"a", text, "a part", "what does not move"},
        {"b", text, "another part", "required"},
        {"at_m", vector, "where it is at the start", "[0, 0, 0]"},
        {"axis", vector, "that a hinge turns about, a slide moves along; the X axis of a ball",
         "[0, 0, 1]"}};
    for (const KeyFacts& each : joint_keys())
        keys.push_back(each);
    return {"part joint", "A joint of parts", "", std::move(keys)};
}

TableFacts row_table() {
    std::vector<KeyFacts> keys{{"parts", texts, "in order", "required"},
                               {"axis", vector, "of all hinges", "[0, 0, 1]"},
                               {"anchors", numbers, "where the hinges are, x, y, z, x, y, z, ...",
                                "halfway between the centres"}};
    for (const KeyFacts& each : joint_keys())
        keys.push_back(each);
    return {"part row", "A row of hinges", "One between each part and the next.", std::move(keys)};
}

TableFacts link_table() {
    return {"part link",
            "A link of parts",
            "Holds the distance of a point of one part from a point of another.",
            {{"a", text, "a part", "what does not move"},
             {"b", text, "another part", "required"},
             {"point_a_m", vector, "in the part's frame", "[0, 0, 0]"},
             {"point_b_m", vector, "in the part's frame", "[0, 0, 0]"},
             {"shortest_m", number, "below it, it pushes", "as far apart as they are"},
             {"longest_m", number, "above it, it pulls", "as far apart as they are"},
             {"group", text, "the group whose stiffness and damping it has", "it is hard"}}};
}

}  // namespace

std::vector<KeyFacts> part_shape_keys() {
    return {{"type",
             choice,
             "its shape; a capsule lies along Y",
             "`box`",
             {"box", "sphere", "capsule", "outline"}},
            {"half_size_m", vector, "of a box; along Y of a capsule; along Z of an outline",
             "[0.1, 0.1, 0.1]"},
            {"radius_m", number, "of a sphere or capsule", "0.1"},
            {"outline", numbers, "corners in metres in its XY plane, in order: x, y, x, y, ...",
             "none"},
            {"density_kg_per_m3", number, "of what it is made of", "500"},
            {"solid", flag, "`false`: nothing touches it", "`true`"}};
}

std::vector<TableFacts> parts_tables() {
    std::vector<KeyFacts> own{
        {"parts", tables, "what it is made of", "required", {}, {"part"}},
        {"joints", tables, "what holds the parts together", "none", {}, {"part joint"}},
        {"rows", tables, "rows of hinges", "none", {}, {"part row"}},
        {"links", tables, "springs and rods between points of parts", "none", {}, {"part link"}},
        {"groups", tables, "the numbers of springs and links", "none", {}, {"part group"}},
        {"blows", tables, "sudden pushes", "none", {}, {"part blow"}},
        {"shapes", tables, "what the parts cannot pass", "none", {}, {"part shape"}},
        {"ground", field, "a ground that they fall on", "none"},
        {"contact_points", KeyType::whole_number,
         "how many spots that touch are recorded and drawn", "0"},
        {"flat", flag, "`true`: nothing leaves the XY plane", "`false`"},
        dial_key({"substeps", number, "of every 1/60 s", "12"}),
        dial_key({"link_stiffness_factor", number, "over the stiffness of all links", "1"}),
        dial_key({"link_damping_factor", number, "over the damping of all links", "1"}),
        dial_key({"spring_stiffness_factor", number, "over the stiffness of all springs", "1"}),
        dial_key({"spring_damping_factor", number, "over the damping of all springs", "1"}),
        dial_key({"friction", number, "of the ground", "0.5"}),
        dial_key({"restitution", number, "of the ground and of shapes", "0"}),
        dial_key({"drag_per_s", number, "of all velocities", "0"}),
        dial_key({"sleep_speed_m_per_s", number,
                  "what is slower for half a second sleeps; 0 "
                  "for never",
                  "0.01"}),
        dial_key({"gravity_m_per_s2", number, "downward", "9.80665"}),
        {"order", number, "in pictures without depth, drawn over those of a lower one", "0"}};
    return {{"parts", "`[parts.NAME]`",
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
             {{"name", text, "its own", "required"},
              dial_key({"stiffness", number, "N m/rad of joints; N/m of slides and links", "0"}),
              dial_key({"damping", number, "N m s/rad of joints; N s/m of slides and links", "0"}),
              dial_key({"wanted", number, "the position that joints are drawn to: rad, or m", "0"}),
              dial_key({"most", number, "the largest torque, N m (of a slide N)", "1e9"})}},
            {"part blow",
             "A blow",
             "",
             {{"at_s", number, "when it falls", "0"},
              {"part", text, "which part it falls on", "required"},
              {"place_m", vector, "in the part's frame", "[0, 0, 0]"},
              {"newton_seconds", vector, "x, y, z", "required"}}},
            shape_table("part shape", "A shape that parts cannot pass")};
}

}  // namespace hopcoil::scene
