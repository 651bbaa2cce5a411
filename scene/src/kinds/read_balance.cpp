#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_pictures.hpp"
#include "balance.hpp"
#include "balancing.hpp"
#include "jointed.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::size_t most_things = 50;
/// Default colours of trunk, head, legs and arms.
constexpr std::array<Colour, 4> plain{
    {{0.25, 0.36, 0.45}, {0.78, 0.56, 0.4}, {0.22, 0.22, 0.24}, {0.36, 0.42, 0.48}}};

/// The sizes that a table may set one by one.
struct SizeKey {
    const char* key;
    double BalanceBuild::*size;
    const char* meaning;
};
constexpr std::array<SizeKey, 9> size_keys{{
    {"leg_length_m", &BalanceBuild::leg_length_m, "length of a stretched leg, from hip to sole"},
    {"ankle_height_m", &BalanceBuild::ankle_height_m, "height of the ankle over the sole"},
    {"hip_width_m", &BalanceBuild::hip_width_m, "distance between the hips"},
    {"torso_length_m", &BalanceBuild::torso_length_m, "length from hips to shoulders"},
    {"head_length_m", &BalanceBuild::head_length_m, "length from shoulders to the top of the head"},
    {"shoulder_width_m", &BalanceBuild::shoulder_width_m, "distance between the shoulders"},
    {"arm_length_m", &BalanceBuild::arm_length_m,
     "length from shoulder to hand; 0: it has no arms"},
    {"foot_length_m", &BalanceBuild::foot_length_m, "length of a foot, from heel to toe"},
    {"foot_width_m", &BalanceBuild::foot_width_m, "width of a sole"},
}};

/// One table [balance.NAME] being read.
class BalanceReader {
  public:
    explicit BalanceReader(KindReader& reader) : reader_{reader} {}

    void read() {
        read_build();
        read_rig();
        reader_.dials(made_.settings);
        made_.at = three(reader_, "at_m");
        if (const auto yaw_deg = reader_.number("yaw_deg"))
            made_.yaw_rad = *yaw_deg * math::pi / 180;
        const bool goal_is_good = read_goal();
        reader_.each_table("things", "thing", [&](KindReader& one) { read_thing(one); });
        reader_.each_table("blows", "balance blow", [&](KindReader& one) { read_blow(one); });
        reader_.each_table("pushes", "balance push", [&](KindReader& one) { read_push(one); });
        reader_.each_table("states", "balance state", [&](KindReader& one) { read_state(one); });
        reader_.each_table("grips", "grip", [&](KindReader& one) { read_grip(one); });
        made_.shapes = read_shapes(reader_, mounts_, "balance shape");
        made_.colours = read_colours(reader_.table(), "colours");
        if (made_.colours.empty()) made_.colours.assign(plain.begin(), plain.end());
        made_.order = reader_.number("order").value_or(0);
        made_.shows_limits = reader_.flag("shows_limits").value_or(false);
        const std::size_t ground = reader_.field<Ground>("ground");
        const std::size_t wind = reader_.field<Wind>("wind");
        if (!goal_is_good) return;
        reader_.try_to([&] {
            reader_.add(std::make_unique<BalanceSpec>(std::move(made_)),
                        std::move(mounts_.targets()), {ground, wind});
        });
    }

  private:
    void read_build() {
        BalanceBuild& build = made_.settings.build;
        const double usual = build.leg_length_m + build.torso_length_m + build.head_length_m;
        const double height_m = reader_.number("height_m").value_or(usual);
        const double mass_kg = reader_.number("mass_kg").value_or(build.mass_kg);
        reader_.try_to([&] { build = body_of_height(height_m, mass_kg); });
        made_.settings.stance_width_m *= height_m / usual;
        made_.settings.lift_m *= height_m / usual;
        for (const SizeKey& each : size_keys) {
            if (const auto given = reader_.number(each.key)) build.*each.size = *given;
        }
    }

    /// Skeleton, the joints of the body, and an animation, from a model beside the scene.
    void read_rig() {
        const ModelKeys keys = read_model_keys(reader_, "joints");
        std::optional<BalanceJoints> names;
        reader_.one_table("joints", "body joints",
                          [&](KindReader& one) { names = read_joints(one); });
        if (!keys.skeleton) return;
        if (!names) {
            reader_.problem("skeleton", "expected 'joints' beside it: hips, knees and ankles");
            return;
        }
        BalanceBuild& build = made_.settings.build;
        made_.rig = read_model_rig<BalanceRig>(reader_, keys, "joints", [&](Skeleton skeleton) {
            BalanceRig rig{std::move(skeleton), *names};
            build = rig.build(build.mass_kg);
            return rig;
        });
    }

    static BalanceJoints read_joints(KindReader& one) {
        BalanceJoints names;
        const auto both = [&](const char* key, std::array<std::string, 2>& to, bool has_to) {
            const std::vector<std::string> given = one.table().texts(key);
            if (given.size() == 2) to = {given[0], given[1]};
            if (given.size() == 2 || (given.empty() && !has_to)) return;
            one.problem(one.has(key) ? key : "",
                        fmt::format("expected a key '{}' with two names, left and right", key));
        };
        both("hips", names.hips, true);
        both("knees", names.knees, true);
        both("ankles", names.ankles, true);
        const bool has_arms = one.has("shoulders") || one.has("elbows") || one.has("hands");
        both("shoulders", names.shoulders, has_arms);
        both("elbows", names.elbows, has_arms);
        both("hands", names.hands, has_arms);
        names.pelvis = one.text("pelvis").value_or("");
        names.chest = one.text("chest").value_or("");
        names.head = one.text("head").value_or("");
        return names;
    }

    /// Whether what it follows and faces could be read.
    bool read_goal() {
        if (reader_.has("target")) {
            const auto target = reader_.target("target");
            if (!target) return false;
            const SceneTarget& goal = reader_.target_at(*target);
            if (goal.kind() != ValueKind::vector || goal.path.size() != 3) {
                reader_.problem("target", "expected a place: a vector of three numbers");
                return false;
            }
            made_.target = mounts_.targets().size();
            mounts_.targets().push_back(*target);
        }
        if (!reader_.has("facing")) return true;
        const auto facing = reader_.target("facing");
        if (!facing) return false;
        const SceneTarget& turn = reader_.target_at(*facing);
        if (turn.kind() != ValueKind::rotation && turn.unit != "rad") {
            reader_.problem("facing", "expected a rotation, or an angle about Y");
            return false;
        }
        made_.faces_an_angle = turn.kind() != ValueKind::rotation;
        made_.facing = mounts_.targets().size();
        mounts_.targets().push_back(*facing);
        return true;
    }

    static double time_at(KindReader& one, const char* key) {
        const double time_s = one.number(key).value_or(0);
        if (!(time_s >= 0)) one.problem(key, "expected 0 or more");
        return time_s;
    }

    void read_thing(KindReader& one) {
        BalanceThing thing;
        const std::span<const char* const> own = body_part_names(true);
        std::vector<std::string> taken{own.begin(), own.end()};
        for (const BalanceThing& each : made_.things)
            taken.push_back(each.name);
        thing.name = one.own_name(taken);
        const PartShape shape = read_part_shape(one);
        Part& part = thing.part;
        part.placement = {three(one, "at_m").value_or(Vector3{}), turn_at(one)};
        part.mass_kg = one.number("mass_kg").value_or(0);
        part.friction = one.number("friction").value_or(part.friction);
        part.restitution = one.number("restitution").value_or(0);
        part.rolling_m = one.number("rolling_m").value_or(0);
        thing.thrown_at_s = one.number("thrown_at_s");
        const Vector3 velocity = three(one, "velocity_m_per_s").value_or(Vector3{});
        thing.colour = read_colour(one.table(), "colour");
        if (!one.try_to([&] { require_valid(shape); })) return;
        part.shapes = {shape};
        if (made_.things.size() >= most_things) {
            one.problem("", fmt::format("expected at most {} things", most_things));
            return;
        }
        if (thing.thrown_at_s) {
            BalanceEvent event{.what = BalanceEvent::What::throws,
                               .at_s = time_at(one, "thrown_at_s"),
                               .vector = velocity};
            event.part = static_cast<std::uint32_t>(made_.things.size());
            made_.events.push_back(event);
        } else if (one.has("velocity_m_per_s")) {
            one.problem("velocity_m_per_s", "expected a key 'thrown_at_s' beside it");
        }
        made_.things.push_back(std::move(thing));
    }

    void read_blow(KindReader& one) {
        BalanceEvent event{.what = BalanceEvent::What::blow, .at_s = time_at(one, "at_s")};
        const std::string name = one.text("part").value_or("torso");
        const std::vector<std::string> names = made_.part_names();
        const auto found = std::find(names.begin(), names.end(), name);
        event.place = three(one, "place_m").value_or(Vector3{});
        const auto newton_seconds = three(one, "newton_seconds");
        if (!newton_seconds) {
            if (!one.has("newton_seconds")) one.problem("", "expected a key 'newton_seconds'");
            return;
        }
        if (found == names.end()) {
            one.problem("part", io::there_is_no("part", name, names));
            return;
        }
        event.part = static_cast<std::uint32_t>(found - names.begin());
        event.vector = *newton_seconds;
        made_.events.push_back(event);
    }

    void read_push(KindReader& one) {
        BalanceEvent event{.what = BalanceEvent::What::push, .at_s = time_at(one, "at_s")};
        if (!one.has("velocity_m_per_s")) one.problem("", "expected a key 'velocity_m_per_s'");
        event.vector = three(one, "velocity_m_per_s").value_or(Vector3{});
        made_.events.push_back(event);
    }

    void read_state(KindReader& one) {
        const std::string to = one.choice("to").value_or("limp");
        const double at_s = time_at(one, "at_s");
        BalanceState state = BalanceState::limp;
        if (to == "rises") state = BalanceState::rises;
        if (to == "stands") state = BalanceState::stands;
        if (to == "animated") state = BalanceState::animated;
        if (to == "animated" && !(made_.rig && made_.rig->clip))
            one.problem("to", "expected a 'skeleton' with a 'clip' for that");
        made_.events.push_back({.what = BalanceEvent::What::state, .at_s = at_s, .state = state});
    }

    void read_grip(KindReader& one) {
        BalanceEvent takes{.what = BalanceEvent::What::takes_hold, .at_s = time_at(one, "at_s")};
        const std::string name = one.text("thing").value_or("");
        const std::string hand = one.choice("hand").value_or("right");
        takes.grip.hand = hand == "left" ? 0 : 1;
        takes.grip.place = three(one, "place_m").value_or(Vector3{});
        takes.grip.most_force_n = one.number("most_force_n").value_or(takes.grip.most_force_n);
        const std::optional<double> until_s = one.number("until_s");
        if (!(takes.grip.most_force_n >= 0)) one.problem("most_force_n", "expected 0 or more");
        if (until_s && !(*until_s > takes.at_s))
            one.problem("until_s", "expected a time after 'at_s'");
        std::vector<std::string> names;
        for (const BalanceThing& each : made_.things)
            names.push_back(each.name);
        const auto found = std::find(names.begin(), names.end(), name);
        if (found == names.end()) {
            one.problem(one.has("thing") ? "thing" : "",
                        names.empty()
                            ? "expected a list 'things' beside it, of what it can hold"
                            : fmt::format("expected a key 'thing', one of 'things': {}{}",
                                          io::any_of(names), io::did_you_mean(name, names)));
            return;
        }
        if (made_.settings.build.arm_length_m == 0) {
            one.problem("", "expected a body with arms: arm_length_m above 0");
            return;
        }
        takes.grip.thing = static_cast<std::uint32_t>(found - names.begin());
        made_.events.push_back(takes);
        if (until_s)
            made_.events.push_back({.what = BalanceEvent::What::lets_go, .at_s = *until_s});
    }

    KindReader& reader_;
    BalancingBody made_;
    Mounts mounts_;
};

void read_balance(KindReader& reader) {
    BalanceReader{reader}.read();
}

}  // namespace

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<TableFacts> balance_tables() {
    using enum KeyType;
    std::vector<KeyFacts> own{
        {"target", source, "place that it walks to", "it stays"},
        {"facing", source, "direction that it faces: a rotation, or an angle about Y", "its way"},
        {"at_m", vector, "place that it stands at at the start", "the start of its target"},
        {"yaw_deg", number, "direction that it faces at the start, counter-clockwise from above",
         "that of `facing`, or 0"},
        {"ground", field, "ground that it stands on", "flat, at 0"},
        {"wind", field, "wind that blows against it", "none"},
        {"height_m", number, "height of the body; all sizes are in proportion to it", "1.7"},
        {"mass_kg", number, "mass of the body", "70"}};
    for (const SizeKey& each : size_keys)
        own.push_back({each.key, number, each.meaning, "by its height"});
    own = joined(
        std::move(own),
        {dial_key({"ride_height", number, "height of its hips over the ground, in leg lengths",
                   "0.955"}),
         dial_key({"ride_hz", number, "frequency of the spring that holds that height", "1.9"}),
         dial_key(
             {"ride_damping", number, "damping ratio of the spring that holds its height", "0.9"}),
         dial_key({"upright_hz", number, "frequency of the spring that keeps it upright", "1.3"}),
         dial_key({"upright_damping", number, "damping ratio of the spring that keeps it upright",
                   "0.9"}),
         dial_key({"posture_hz", number, "frequency of the springs of its joints", "4"}),
         dial_key({"help", number,
                   "largest torque from outside, over its weight times the height of its centre of "
                   "mass; 0 to 0.2",
                   "0"}),
         dial_key({"rise_help", number, "the same while it gets up", "0.15"}),
         dial_key({"stance_width_m", number, "distance between its feet while it stands",
                   "by its height"}),
         dial_key({"step_time_s", number, "duration of a step that keeps its balance", "0.26"}),
         dial_key({"walk_step_s", number, "duration of a step while it walks", "0.44"}),
         dial_key({"reaction_s", number, "delay from losing its balance to a step", "0.15"}),
         dial_key({"foot_speed_m_per_s", number, "highest speed of a stepping foot", "4"}),
         dial_key({"step_reach", number, "how far from its hips it steps, in leg lengths", "0.5"}),
         dial_key({"lift_m", number, "height of a step over the ground below it", "by its height"}),
         dial_key({"most_speed_m_per_s", number, "highest speed while it walks", "1.3"}),
         dial_key({"most_turn_rate_rad_per_s", number, "highest turn rate", "2.5"}),
         dial_key({"fall_tilt_rad", number, "tilt of its trunk beyond which it falls", "1.05"}),
         dial_key({"fall_lean_rad", number,
                   "lean of its centre of mass over its feet beyond which it falls", "0.7"}),
         dial_key({"lies_s", number,
                   "time that it lies before it gets up; below 0: until it is told to", "0.6"}),
         dial_key({"rise_s", number, "time that it takes to get up", "1.3"}),
         dial_key({"substeps", whole_number, "substeps of its parts in every 1/60 s", "8"}),
         {"skeleton", text, "glTF model whose joints follow the body; sizes are taken from it",
          "none"},
         {"joints", table, "names of the model's joints", "none", {}, {"body joints"}},
         {"clip", text,
          "animation of the model: for its other joints, and for the whole body while it is "
          "animated",
          "none"},
         {"things", tables, "parts that hit it, or that it takes hold of", "none", {}, {"thing"}},
         {"blows", tables, "impulses on single parts", "none", {}, {"balance blow"}},
         {"pushes",
          tables,
          "sudden changes of the whole body's velocity",
          "none",
          {},
          {"balance push"}},
         {"states",
          tables,
          "changes of state: limp, getting up, standing, animated",
          "none",
          {},
          {"balance state"}},
         {"grips", tables, "when its hands hold a thing", "none", {}, {"grip"}},
         {"shapes", tables, "obstacles", "none", {}, {"balance shape"}},
         {"colours", texts, "colours of trunk, head, legs and arms",
          "slate, tan, dark grey and grey"},
         order_key(),
         {"shows_limits", flag, "`true`: the limits of its joints are drawn", "`false`"}});
    std::vector<KeyFacts> thing = joined(
        {{"name", text, "its name", "required"},
         {"at_m", vector, "its place at the start, from which it may be thrown", "[0, 0, 0]"},
         {"turned_deg", vector, "its rotation: an axis times degrees", "[0, 0, 0]"}},
        part_shape_keys());
    thing = joined(std::move(thing),
                   {{"mass_kg", number, "its mass, instead of by its density", "by its density"},
                    {"friction", number, "its coefficient of friction", "0.5"},
                    {"restitution", number,
                     "its restitution: part of the speed that is left after a bounce, 0 to 1", "0"},
                    {"rolling_m", number, "rolling resistance: torque over normal force", "0"},
                    {"thrown_at_s", number,
                     "time at which it is thrown; it stays at its place until then", "it is free"},
                    {"velocity_m_per_s", vector, "velocity at the start: x, y, z", "[0, 0, 0]"},
                    {"colour", text, "colour, as in \"#c86432\"", "the next of the palette"}});
    return {{"balance", "`[balance.NAME]`",
             "A body that stands on two feet, walks, steps to keep its balance, falls and gets up "
             "again. `NAME` is its centre of mass, `NAME.facing` how its pelvis is turned, "
             "`NAME.foot1` its left sole, `NAME.PART` where a part is, `NAME.PART.facing` how that "
             "is turned.",
             std::move(own)},
            {"body joints",
             "The joints of a body",
             "Names of the skeleton's joints; of a pair, left before right.",
             {{"hips", texts, "joints at the upper ends of the thighs", "required"},
              {"knees", texts, "joints between thighs and shins", "required"},
              {"ankles", texts, "joints at the lower ends of the shins", "required"},
              {"pelvis", text, "joint that the hips hang on", "the parent of the hips"},
              {"chest", text, "joint that turns with the torso", "none"},
              {"head", text, "joint that turns with the head", "none"},
              {"shoulders", texts, "joints at the upper ends of the upper arms", "no arms"},
              {"elbows", texts, "joints between upper arms and forearms", "no arms"},
              {"hands", texts, "joints at the ends of the forearms", "no arms"}}},
            {"thing", "A thing beside a body", "", std::move(thing)},
            {"balance blow",
             "A blow on a body",
             "",
             {{"at_s", number, "time of the blow", "0"},
              {"part", text, "part or thing that it hits", "`torso`"},
              {"place_m", vector, "where it hits, in the part's frame", "[0, 0, 0]"},
              {"newton_seconds", vector, "impulse in N s: x, y, z", "required"}}},
            {"balance push",
             "A push of a body",
             "",
             {{"at_s", number, "time at which it happens", "0"},
              {"velocity_m_per_s", vector, "change of its velocity: x, y, z", "required"}}},
            {"balance state",
             "A change of a body's state",
             "",
             {{"at_s", number, "time at which it happens", "0"},
              {"to",
               choice,
               "new state; `animated`: it moves as its clip does",
               "`limp`",
               {"limp", "rises", "stands", "animated"}}}},
            {"grip",
             "A hand that has a thing",
             "",
             {{"at_s", number, "time at which it takes hold", "0"},
              {"until_s", number, "time at which it lets go; the thing keeps its velocity",
               "to the end"},
              {"thing", text, "name of the thing", "required"},
              {"place_m", vector, "where it is held, in the thing's frame", "[0, 0, 0]"},
              {"hand", choice, "which hand", "`right`", {"left", "right"}},
              {"most_force_n", number, "largest force of the hand", "200"}}},
            shape_table("balance shape", "A shape that a body cannot pass")};
}

SystemKind balance_kind() {
    return {"balance", balance_tables(), {}, read_balance};
}

}  // namespace hopcoil::scene
