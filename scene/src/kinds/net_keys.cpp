// The keys of a table [net.NAME] and of those inside it.

#include <hopcoil/stepping/scheme.hpp>

#include "net_spec.hpp"
#include "read_mover.hpp"

namespace hopcoil::scene {
namespace {

std::vector<KeyFacts> net_keys() {
    using enum KeyType;
    std::vector<std::string> schemes;
    for (const SchemeFacts& facts : all_schemes())
        schemes.emplace_back(facts.name);
    return {
        {"cloth", table, "it is a cloth", "none", {}, {"cloth"}},
        {"rope", table, "it is a rope", "none", {}, {"rope"}},
        {"soft_ball", table, "it is a soft ball", "none", {}, {"soft ball"}},
        {"body", table, "it is a body of six points, with limbs", "none", {}, {"body of points"}},
        {"own_points", tables, "it is of points and links of your own", "none", {}, {"net point"}},
        {"links", tables, "of `own_points`, what holds them together", "none", {}, {"net link"}},
        {"bends", tables, "of `own_points`, what keeps angles", "none", {}, {"net bend"}},
        {"at_m", vector,
         "where it is: the middle of a cloth or ball, the start of a rope that hangs", "[0, 0, 0]"},
        {"turned_deg", vector,
         "how it is turned: an axis times degrees; a cloth is upright and seen from +Z otherwise",
         "[0, 0, 0]"},
        {"pins", tables, "what is held, and by what", "none", {}, {"pin"}},
        {"balls", tables, "loose balls that it catches", "none", {}, {"ball"}},
        {"shapes", tables, "what it cannot pass", "none", {}, {"net shape"}},
        {"forces", tables, "lasting forces", "none", {}, {"force"}},
        {"method",
         choice,
         "how it is stepped; `automatic` takes forces where their stable step allows it, otherwise "
         "positions",
         "`automatic`",
         {"automatic", "forces", "positions", "implicit"}},
        {"scheme", choice, "of the method forces", "`semi_implicit_euler`", schemes},
        {"substeps", whole_number, "of each frame", "chosen by the stable step"},
        {"iterations", whole_number, "of the method implicit, a step", "8"},
        {"frame_hz", number, "frames a second, that substeps are of", "60"},
        {"tethers", flag, "`false`: positions without keeping points within reach of their pins",
         "`true`"},
        {"self_contact", flag, "`true`: it does not pass through itself", "`false`"},
        dial_key({"contact_distance_m", number, "between its points, when it touches itself",
                  "0.8 of the shortest link"}),
        dial_key({"stiffness_factor", number, "of all links", "1"}),
        dial_key({"bending_factor", number, "of all bends", "1"}),
        dial_key({"damping_factor", number, "of all damping", "1"}),
        dial_key({"drag_per_s", number, "slows everything, as still water would", "0"}),
        dial_key({"air_density_kg_per_m3", number, "0: no air", "1.2"}),
        dial_key({"drag_coefficient", number, "of the air", "1.2"}),
        dial_key({"lift_coefficient", number,
                  "the part of it that pushes along the surface's "
                  "normal",
                  "0.6"}),
        dial_key({"thickness_m", number, "how far it keeps from what it touches", "0.005"}),
        dial_key({"friction", number, "on the ground and on balls", "0.5"}),
        dial_key({"height_error_percent", number,
                  "how much too low it may hang, that substeps of positions are chosen for", "2"}),
        dial_key({"gravity_m_per_s2", number, "downward", "9.80665"}),
        {"wind", field, "a wind that blows it", "none"},
        {"ground", field, "what it lands on", "none"},
        {"radius_m", numbers, "how thick a rope is drawn", "a line"},
        {"colours", texts, "as \"#c86432\"", "the next of the palette"},
        {"order", number, "in pictures without depth, drawn over those of a lower one", "0"}};
}

std::vector<KeyFacts> where_keys() {
    using enum KeyType;
    return {{"where",
             choice,
             "an edge or corner of a cloth, an end of a rope, the middle of a soft ball",
             "by `points`",
             {"top", "bottom", "left", "right", "top_left", "top_right", "bottom_left",
              "bottom_right", "start", "end", "middle"}},
            {"patch_m", number, "at a corner: the size of the patch that is meant", "0: one point"},
            {"points", numbers, "which points, by their numbers from 0", "by `where`"}};
}

std::vector<KeyFacts> with_keys(std::vector<KeyFacts> first, const std::vector<KeyFacts>& more) {
    first.insert(first.end(), more.begin(), more.end());
    return first;
}

}  // namespace

std::vector<TableFacts> net_tables() {
    using enum KeyType;
    return {
        {"net", "`[net.NAME]`",
         "A cloth, a rope or a soft body: points joined by links, stepped as physics. `NAME.3` is "
         "its fourth point, `NAME.BALL` a ball.",
         net_keys()},
        {"cloth",
         "A cloth",
         "The same numbers look the same on every grid.",
         {{"width_m", number, "of its rows", "1"},
          {"height_m", number, "of its columns", "1"},
          {"columns", whole_number, "of points", "33"},
          {"rows", whole_number, "of points", "33"},
          dial_key({"mass_kg_per_m2", number, "how heavy it is", "0.2"}),
          dial_key({"stretch_n_per_m", number,
                    "of a strip: force for each metre of width, over "
                    "stretch",
                    "500"}),
          dial_key({"shear_n_per_m", number, "the same over shear", "50"}),
          dial_key(
              {"bending_n_m", number, "of a strip: moment for each metre, over curvature", "1e-4"}),
          dial_key({"stretch_damping_n_s_per_m", number, "of a strip, over the rate of stretch",
                    "0.1"})}},
        {"rope",
         "A rope",
         "With two ends pinned to places it hangs between them at the start; with one, down from "
         "there.",
         {{"length_m", number, "at rest", "1"},
          {"segments", whole_number, "how many links", "20"},
          {"end_m", vector, "where its end is, if that is not carried",
           "it hangs down from its start"},
          {"pulls_only", flag, "`false`: it can be pushed as well", "`true`"},
          dial_key({"mass_kg_per_m", number, "how heavy it is", "0.2"}),
          dial_key({"stretch_n", number, "force over relative stretch", "2000"}),
          dial_key({"stretch_damping_n_s", number, "force over rate of stretch", "5"}),
          dial_key({"bending_n_m2", number, "bending moment over curvature", "0"}),
          dial_key({"diameter_m", number, "what the air sees of it", "0.01"})}},
        {"soft ball",
         "A soft ball",
         "A skin held to its middle, which is its last point.",
         {{"radius_m", number, "at rest", "0.25"},
          {"refinement", whole_number, "12, 42, 162, 642 points of skin", "2"},
          dial_key({"mass_kg", number, "of all of it", "1"}),
          dial_key({"stiffness_n_per_m", number, "when its halves are pulled apart", "2000"}),
          dial_key({"damping_n_s_per_m", number, "the same", "4"})}},
        {"body of points",
         "A body of points",
         "Six points with a full orientation: `NAME.middle` is where it is, `NAME.facing` how it "
         "is turned.",
         {{"half_size_m", vector, "half of its width, height and length", "[0.1, 0.1, 0.1]"},
          {"mass_kg", number, "of all six", "1"},
          {"stiffness_n_per_m", number, "of the links between them", "20000"},
          {"damping_n_s_per_m", number, "the same", "10"},
          {"velocity_m_per_s", vector, "with which it is thrown: x, y, z", "[0, 0, 0]"},
          {"turn_rate_deg_per_s", vector, "how fast it turns then about x, y and z", "[0, 0, 0]"},
          {"limbs", tables, "ropes that hang from it", "none", {}, {"limb"}}}},
        {"limb",
         "A limb of a body of points",
         "A rope; it hangs straight down at the start.",
         {{"on",
           choice,
           "where it is fastened",
           "required",
           {"right", "left", "below", "above", "behind", "ahead"}},
          {"length_m", number, "at rest", "0.5"},
          {"segments", whole_number, "how many links", "6"},
          {"mass_kg_per_m", number, "how heavy it is", "0.2"}}},
        {"net point",
         "A point of a net of your own",
         "",
         {{"at_m", vector, "where it is", "required"},
          {"mass_kg", number, "how heavy it is", "1"}}},
        {"net link",
         "A link of a net of your own",
         "",
         {{"from", whole_number, "a point, counted from 0", "required"},
          {"to", whole_number, "another", "required"},
          {"type",
           choice,
           "a rope only pulls, a strut only pushes",
           "`spring`",
           {"spring", "rope", "strut"}},
          {"rest_m", number, "its length", "as far as the points are apart"},
          {"shortest_m", number, "it pushes below that", "by `type`"},
          {"longest_m", number, "it pulls above that", "by `type`"},
          {"stiffness_n_per_m", number, "how firm", "1000"},
          {"damping_n_s_per_m", number, "over the rate of its length", "0"}}},
        {"net bend",
         "A bend of a net of your own",
         "Keeps the angle between two points at a third.",
         {{"from", whole_number, "a point, counted from 0", "required"},
          {"middle", whole_number, "where the angle is", "required"},
          {"to", whole_number, "the other point", "required"},
          {"angle_deg", number, "180 is straight", "180"},
          {"stiffness_nm_per_rad", number, "how firm", "1"}}},
        {"pin", "A pin of a net", "Keeps points where they are, or carries them along.",
         with_keys(with_keys(where_keys(), mount_keys()),
                   {{"until_s", number, "when it lets go", "never"}})},
        {"ball",
         "A ball of a net",
         "Loose: it lies on the net, and the net gives way.",
         {{"name", text, "its own: it is `NET.NAME`", "required"},
          {"at_m", vector, "its middle", "required"},
          {"velocity_m_per_s", vector, "with which it is let go: x, y, z", "[0, 0, 0]"},
          {"radius_m", number, "its size", "0.1"},
          {"mass_kg", number, "how heavy it is", "0.5"},
          {"held_until_s", number, "it stays in the air until then", "0"}}},
        shape_table("net shape", "A shape that a net cannot pass"),
        {"force", "A lasting force on a net", "",
         with_keys(where_keys(),
                   {{"newtons", vector, "on each of the points: x, y, z", "required"}})}};
}

}  // namespace hopcoil::scene
