// The keys of a table [net.NAME] and of those inside it.

#include <hopcoil/stepping/scheme.hpp>

#include "../read/picture_keys.hpp"
#include "net_spec.hpp"
#include "read_mover.hpp"

namespace hopcoil::scene {
namespace {

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<KeyFacts> net_keys() {
    using enum KeyType;
    std::vector<std::string> schemes;
    for (const SchemeFacts& facts : all_schemes())
        schemes.emplace_back(facts.name);
    return {
        {"cloth", table, "makes it a cloth", "none", {}, {"cloth"}},
        {"rope", table, "makes it a rope", "none", {}, {"rope"}},
        {"soft_ball", table, "makes it a soft ball", "none", {}, {"soft ball"}},
        {"body",
         table,
         "makes it a body of six points, with limbs",
         "none",
         {},
         {"body of points"}},
        {"own_points",
         tables,
         "makes it a net of these points, joined by `links` and `bends`",
         "none",
         {},
         {"net point"}},
        {"links", tables, "links between `own_points`", "none", {}, {"net link"}},
        {"bends", tables, "angle springs between `own_points`", "none", {}, {"net bend"}},
        {"at_m", vector,
         "where it is at the start: the middle of a cloth or ball, the upper end of a hanging rope",
         "[0, 0, 0]"},
        {"turned_deg", vector,
         "rotation at the start: an axis times degrees; a cloth that is not turned is upright and "
         "faces +Z",
         "[0, 0, 0]"},
        {"to", source,
         "place that carries it: `at_m` counts from there, and pins without a `to` of their own go "
         "with it",
         "it is in the world"},
        {"facing", source, "rotation that turns what `to` carries", "it does not turn"},
        {"pins", tables, "points that are held, and what holds them", "none", {}, {"pin"}},
        {"balls", tables, "loose balls that land on it", "none", {}, {"ball"}},
        {"shapes", tables, "obstacles", "none", {}, {"net shape"}},
        {"forces", tables, "lasting forces on chosen points", "none", {}, {"force"}},
        {"method",
         choice,
         "how it is stepped; `automatic` takes `forces` where their stable step allows it, "
         "otherwise `positions`, or `implicit` where a ball is far heavier than the points",
         "`automatic`",
         {"automatic", "forces", "positions", "implicit"}},
        {"scheme", choice, "integration scheme of the method `forces`", "`semi_implicit_euler`",
         schemes},
        {"substeps", whole_number, "substeps in each frame of `frame_hz`",
         "chosen by the stable step"},
        {"iterations", whole_number, "iterations a step, of the method `implicit`", "8"},
        {"frame_hz", number, "frames a second, which `substeps` divide", "60"},
        {"tethers", flag,
         "`false`: the method `positions` does not keep points within reach of their pins",
         "`true`"},
        {"self_contact", flag, "`true`: it cannot pass through itself", "`false`"},
        dial_key({"contact_distance_m", number, "distance at which its points touch each other",
                  "0.8 of the shortest link"}),
        dial_key({"stiffness_factor", number, "factor on the stiffness of all links", "1"}),
        dial_key({"bending_factor", number, "factor on the stiffness of all bends", "1"}),
        dial_key({"damping_factor", number, "factor on all damping", "1"}),
        dial_key({"drag_per_s", number, "drag of a still medium: deceleration over velocity", "0"}),
        dial_key({"air_density_kg_per_m3", number, "density of the air; 0: no air", "1.2"}),
        dial_key({"drag_coefficient", number, "drag coefficient of its surface", "1.2"}),
        dial_key({"lift_coefficient", number,
                  "part of the drag coefficient that acts along the surface's normal", "0.6"}),
        dial_key({"thickness_m", number, "distance that it keeps from what it touches", "0.005"}),
        dial_key({"friction", number, "coefficient of friction on the ground and on balls", "0.5"}),
        dial_key({"height_error_percent", number,
                  "how much too low it may hang, in percent; the substeps of `positions` are "
                  "chosen by it",
                  "2"}),
        dial_key({"gravity_m_per_s2", number, "gravity, downward", "9.80665"}),
        {"wind", field, "wind that acts on it", "none"},
        {"ground", field, "ground that it lands on", "none"},
        {"radius_m", numbers, "radius of a rope in pictures", "a line"},
        {"colours", texts, "colours, as in \"#c86432\"", "the next of the palette"},
        order_key()};
}

std::vector<KeyFacts> where_keys() {
    using enum KeyType;
    return {
        {"where",
         choice,
         "edge or corner of a cloth, end of a rope, or middle of a soft ball",
         "by `points`",
         {"top", "bottom", "left", "right", "top_left", "top_right", "bottom_left", "bottom_right",
          "start", "end", "middle"}},
        {"patch_m", number, "at a corner: size of the square patch that is meant", "0: one point"},
        {"points", numbers, "points by their numbers, from 0", "by `where`"}};
}

std::vector<KeyFacts> with_keys(std::vector<KeyFacts> first, const std::vector<KeyFacts>& more) {
    first.insert(first.end(), more.begin(), more.end());
    return first;
}

}  // namespace

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<TableFacts> net_tables() {
    using enum KeyType;
    return {
        {"net", "`[net.NAME]`",
         "A cloth, a rope or a soft body: points joined by links, stepped as physics. `NAME.3` is "
         "its fourth point, `NAME.BALL` a ball.",
         net_keys()},
        {"cloth",
         "A cloth",
         "The same numbers look the same whatever the number of points.",
         {{"width_m", number, "width, along its rows", "1"},
          {"height_m", number, "height, along its columns", "1"},
          {"columns", whole_number, "points along its width", "33"},
          {"rows", whole_number, "points along its height", "33"},
          dial_key({"mass_kg_per_m2", number, "mass for each square metre", "0.2"}),
          dial_key(
              {"stretch_n_per_m", number,
               "stiffness against stretch: force for each metre of width, over relative stretch",
               "500"}),
          dial_key({"shear_n_per_m", number,
                    "stiffness against shear: force for each metre of width, over shear angle",
                    "50"}),
          dial_key({"bending_n_m", number,
                    "stiffness against bending: moment for each metre of width, over curvature",
                    "1e-4"}),
          dial_key({"stretch_damping_n_s_per_m", number,
                    "damping of stretch: force for each metre of width, over the rate of stretch",
                    "0.1"})}},
        {"rope",
         "A rope",
         "At the start it hangs between its two pinned ends, or straight down from the one that is "
         "pinned.",
         {{"length_m", number, "length at rest", "1"},
          {"segments", whole_number, "number of links", "20"},
          {"end_m", vector, "where its other end is, unless a pin carries that",
           "it hangs down from its start"},
          {"pulls_only", flag, "`false`: its links also resist being pushed together", "`true`"},
          dial_key({"mass_kg_per_m", number, "mass for each metre", "0.2"}),
          dial_key({"stretch_n", number, "stiffness against stretch: force over relative stretch",
                    "2000"}),
          dial_key({"stretch_damping_n_s", number,
                    "damping of stretch: force over the rate of relative stretch", "5"}),
          dial_key(
              {"bending_n_m2", number, "stiffness against bending: moment over curvature", "0"}),
          dial_key({"diameter_m", number, "diameter that the air acts on", "0.01"})}},
        {"soft ball",
         "A soft ball",
         "A skin whose points are tied to its middle, which is its last point.",
         {{"radius_m", number, "radius at rest", "0.25"},
          {"refinement", whole_number, "0, 1, 2 or 3: 12, 42, 162 or 642 points of skin", "2"},
          dial_key({"mass_kg", number, "mass of the whole ball", "1"}),
          dial_key(
              {"stiffness_n_per_m", number, "stiffness against pulling its halves apart", "2000"}),
          dial_key({"damping_n_s_per_m", number, "damping of the same motion", "4"})}},
        {"body of points",
         "A body of points",
         "Six points with a full orientation: `NAME.middle` is where it is, `NAME.facing` how it "
         "is turned.",
         {{"half_size_m", vector, "half of its width, height and length", "[0.1, 0.1, 0.1]"},
          {"mass_kg", number, "mass of all six points together", "1"},
          {"stiffness_n_per_m", number, "stiffness of the links between them", "20000"},
          {"damping_n_s_per_m", number, "damping of the same motion", "10"},
          {"velocity_m_per_s", vector, "velocity at the start: x, y, z", "[0, 0, 0]"},
          {"turn_rate_deg_per_s", vector, "angular velocity at the start, about x, y and z",
           "[0, 0, 0]"},
          {"limbs", tables, "limbs: ropes that hang from it", "none", {}, {"limb"}}}},
        {"limb",
         "A limb of a body of points",
         "A rope that hangs straight down at the start.",
         {{"on",
           choice,
           "point of the body that it hangs from",
           "required",
           {"right", "left", "below", "above", "behind", "ahead"}},
          {"length_m", number, "length at rest", "0.5"},
          {"segments", whole_number, "number of links", "6"},
          {"mass_kg_per_m", number, "mass for each metre", "0.2"}}},
        {"net point",
         "A point of a net of your own",
         "",
         {{"at_m", vector, "where it is at the start", "required"},
          {"mass_kg", number, "its mass", "1"}}},
        {"net link",
         "A link of a net of your own",
         "",
         {{"from", whole_number, "one point, counted from 0", "required"},
          {"to", whole_number, "another point", "required"},
          {"type",
           choice,
           "a `rope` only pulls, a `strut` only pushes, a `spring` does both",
           "`spring`",
           {"spring", "rope", "strut"}},
          {"rest_m", number, "length at rest", "as far as the points are apart"},
          {"shortest_m", number, "length below which it pushes", "by `type`"},
          {"longest_m", number, "length above which it pulls", "by `type`"},
          {"stiffness_n_per_m", number, "its stiffness", "1000"},
          {"damping_n_s_per_m", number, "damping: force over the rate of its length", "0"}}},
        {"net bend",
         "A bend of a net of your own",
         "Keeps the angle at one point between two others.",
         {{"from", whole_number, "one point, counted from 0", "required"},
          {"middle", whole_number, "point at which the angle is kept", "required"},
          {"to", whole_number, "other point", "required"},
          {"angle_deg", number, "angle at rest; 180 is straight", "180"},
          {"stiffness_nm_per_rad", number, "its stiffness", "1"}}},
        {"pin", "A pin of a net", "Holds points where they are, or carries them along.",
         with_keys(with_keys(where_keys(), mount_keys()),
                   {{"until_s", number, "time at which it lets go", "never"}})},
        {"ball",
         "A ball of a net",
         "A loose ball: it lies on the net, which gives way to it.",
         {{"name", text, "its name; it is recorded as `NET.NAME`", "required"},
          {"at_m", vector, "its centre", "required"},
          {"velocity_m_per_s", vector, "velocity when it is let go: x, y, z", "[0, 0, 0]"},
          {"radius_m", number, "its radius", "0.1"},
          {"mass_kg", number, "its mass", "0.5"},
          {"held_until_s", number, "time until which it is held where it is", "0"}}},
        shape_table("net shape", "A shape that a net cannot pass"),
        {"force", "A lasting force on a net", "",
         with_keys(where_keys(),
                   {{"newtons", vector, "force on each of the points: x, y, z", "required"}})}};
}

}  // namespace hopcoil::scene
