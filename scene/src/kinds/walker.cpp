// [walker.NAME]: a body on legs that goes where its target is.

#include "walker.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>

#include <fmt/format.h>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_pictures.hpp"
#include "model_rig.hpp"
#include "mounts.hpp"
#include "read_mover.hpp"
#include "running_walker.hpp"
#include "vectors.hpp"
#include "walker_report.hpp"

namespace hopcoil::scene {
namespace {

std::string planted_signal(std::size_t leg) {
    return fmt::format("leg{}.planted", leg + 1);
}

std::string reason_signal(std::size_t leg) {
    return fmt::format("leg{}.reason", leg + 1);
}

class WalkerSpec final : public SystemSpec {
  public:
    explicit WalkerSpec(WalkerParts parts) : parts_{std::move(parts)} {
        require_valid(parts_.settings);
    }
    [[nodiscard]] const WalkerParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<WalkerSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "walker"; }
    [[nodiscard]] bool has_field(const std::type_info& type) const override {
        return type == typeid(EventSource) || type == typeid(FootEvents);
    }
    [[nodiscard]] std::string in_words(std::size_t port) const override {
        if (port > 0) return "";
        const WalkerLimits limits = limits_of(parts_.settings);
        return fmt::format("{} legs of {:.3g} m, up to {:.3g} m/s ahead and {:.3g} m/s sideways",
                           parts_.settings.leg_count, parts_.settings.leg_length_m,
                           limits.most_speed_ahead, limits.most_speed_sideways);
    }
    [[nodiscard]] std::vector<Port> outputs() const override {
        std::vector<Port> ports{
            {.quantity = "position", .unit = "m", .kind = ValueKind::vector, .components = 3},
            {.name = "facing", .kind = ValueKind::rotation, .components = 4},
            {.name = "gaze", .kind = ValueKind::rotation, .components = 4}};
        const auto add_points = [&](std::string name, std::size_t count) {
            ports.push_back({.name = std::move(name),
                             .quantity = "position",
                             .unit = "m",
                             .kind = ValueKind::vector,
                             .components = 3,
                             .count = count,
                             .has_velocity = false});
        };
        add_points("wanted", parts_.settings.leg_count);
        for (std::size_t i = 0; i < parts_.settings.leg_count; ++i)
            add_points(fmt::format("leg{}", i + 1), leg_points);
        for (std::size_t i = 0; i < parts_.settings.leg_count; ++i)
            add_points(fmt::format("foot{}", i + 1), foot_points);
        if (parts_.rig != nullptr) {
            const std::size_t count = parts_.rig->joint_count();
            add_points("joints", count);
            ports.push_back({.name = "joints",
                             .quantity = "rotation",
                             .kind = ValueKind::rotation,
                             .components = 4,
                             .count = count,
                             .has_velocity = false});
        }
        return ports;
    }
    [[nodiscard]] std::vector<RecordedChannel> signals() const override {
        std::vector<RecordedChannel> all;
        const std::size_t legs = parts_.settings.leg_count;
        for (std::size_t i = 0; i < legs; ++i)
            all.push_back({.name = planted_signal(i), .kind = ChannelKind::flag});
        for (std::size_t i = 0; i < legs; ++i)
            all.push_back({.name = reason_signal(i)});
        for (const char* name : walker_signal::names)
            all.push_back({.name = name});
        all[2 * legs].kind = ChannelKind::flag;
        return all;
    }
    [[nodiscard]] std::vector<View> views() const override {
        std::vector<View> views;
        View body{.position = 0, .rotation = facing_port};
        body.look.order = parts_.look.order;
        views.push_back(std::move(body));
        for (std::size_t i = 0; i < parts_.settings.leg_count; ++i) {
            View leg{.type = View::Type::tube,
                     .name = fmt::format("leg{}", i + 1),
                     .position = first_leg_port + i,
                     .radius_m = {parts_.look.radius_m, 0.5 * parts_.look.radius_m},
                     .colours = parts_.look.colours};
            leg.look.order = parts_.look.order;
            View print = leg;
            View foot = leg;
            views.push_back(std::move(leg));
            // The feet of more legs are points.
            if (parts_.settings.leg_count <= 4) {
                foot.name = fmt::format("foot{}", i + 1);
                foot.position = first_leg_port + parts_.settings.leg_count + i;
                foot.radius_m = {0.6 * parts_.look.radius_m, 0.4 * parts_.look.radius_m};
                views.push_back(std::move(foot));
            }
            print.type = View::Type::footprint;
            print.radius_m = {parts_.settings.foot_radius_m};
            print.alive = planted_signal(i);
            print.note = reason_signal(i);
            print.words = {"stands", "waits",  "strides", "reaches",
                           "turns",  "tidies", "flies",   "slides"};
            views.push_back(std::move(print));
        }
        View wanted{.type = View::Type::points, .name = "wanted", .position = wanted_port};
        wanted.colours = parts_.look.colours;
        views.push_back(std::move(wanted));
        if (parts_.rig != nullptr) views.push_back(skeleton_view());
        return views;
    }
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        append_dials<WalkerSettings>(all, "", "");
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        return WalkerSettings::dials()[index].get(parts_.settings);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        return WalkerSettings::dials()[index].set(parts_.settings, value);
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningWalker>(parts_, inputs);
    }
    [[nodiscard]] double highest_hz() const override { return 15; }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override {
        return walker_report(*this, parts_, input);
    }

  private:
    [[nodiscard]] View skeleton_view() const {
        const std::size_t port = first_leg_port + 2 * parts_.settings.leg_count;
        View view{.type = View::Type::skeleton,
                  .name = "joints",
                  .position = port,
                  .rotation = port + 1,
                  .colours = parts_.look.colours};
        for (const Joint& joint : parts_.rig->rig.skeleton().joints) {
            view.parents.push_back(joint.parent);
            view.joints.push_back(joint.name);
        }
        return view;
    }

    WalkerParts parts_;
};

HopHabit read_hops(KindReader& reader, double leg_length_m) {
    const auto at_least_zero = [&](const char* key, double usual) {
        const double number = reader.number(key).value_or(usual);
        if (!(number >= 0 && number < 1e6)) {
            reader.problem(key, "expected a number from 0 up");
            return usual;
        }
        return number;
    };
    const double longest_m = at_least_zero("longest_hop_m", 3 * leg_length_m);
    if (longest_m == 0) reader.problem("longest_hop_m", "expected a number above 0");
    HopHabit habit{.over_m = at_least_zero("hops_over_m", 0),
                   .longest_m = longest_m,
                   .apex_m = at_least_zero("hop_apex_m", 0),
                   .wait_s = at_least_zero("hop_wait_s", 0.5)};
    reader.each_table("hops", "hop", [&](KindReader& one) {
        HopAt hop;
        for (auto& [key, number] : {std::pair{"at_s", &hop.at_s}, {"apex_m", &hop.apex_m}}) {
            *number = one.number(key).value_or(0);
            if (!(*number >= 0)) one.problem(key, "expected 0 or more");
        }
        hop.to = three(one, "to_m");
        habit.at.push_back(hop);
    });
    return habit;
}

/// Skeleton, the joints of its legs, and a clip, from a model beside the scene.
std::shared_ptr<const WalkerRig> read_rig(KindReader& reader) {
    const ModelKeys keys = read_model_keys(reader, "leg_joints");
    std::vector<LegNames> legs;
    reader.each_table("leg_joints", "leg_joints", [&](KindReader& one) {
        const auto name = [&](const char* key) {
            return one.text(key).value_or("");
        };
        legs.push_back({name("hip"), name("knee"), name("ankle"), name("toe")});
        for (const char* key : {"hip", "knee", "ankle"})
            if (!one.has(key)) one.problem("", fmt::format("expected a key '{}'", key));
    });
    if (!keys.skeleton) return nullptr;
    if (legs.empty()) {
        reader.problem("skeleton",
                       "expected 'leg_joints' beside it: hip, knee and ankle of each leg");
        return nullptr;
    }
    return read_model_rig<Rig>(reader, keys, "leg_joints", [&](Skeleton skeleton) {
        return Rig{std::move(skeleton), legs};
    });
}

void turn_knees(WalkerSettings& settings, const std::string& way) {
    for (WalkerLeg& leg : settings.legs) {
        if (way == "ahead") leg.pole = {0, 0, 1};
        if (way == "behind") leg.pole = {0, 0, -1};
        if (way == "outward") leg.pole = {leg.neutral.x > 0 ? 1.0 : -1.0, 1.2, 0};
    }
}

void read_walker(KindReader& reader) {
    const auto target = reader.target("target");
    if (!reader.has("target")) reader.problem("", "expected a key 'target': where it goes");
    const bool has_facing = reader.has("facing");
    std::optional<std::size_t> facing;
    if (has_facing) facing = reader.target("facing");
    const std::shared_ptr<const WalkerRig> rig = read_rig(reader);
    const std::size_t legs = reader.whole_number("legs", 2, 16).value_or(2);
    const double length_m =
        reader.number("leg_length_m").value_or(rig ? rig->rig.settings().leg_length_m : 0.95);
    if (rig) {
        for (const char* key : {"legs", "leg_length_m"})
            if (reader.has(key)) reader.problem(key, "the skeleton says this");
    }
    const double catch_up_s = reader.number("catch_up_s").value_or(0.35);
    const std::string knees = reader.choice("knees").value_or("");
    const HopHabit hops = read_hops(reader, length_m);
    const std::size_t ground = reader.field<Ground>("ground");
    reader.try_to([&] {
        WalkerParts parts{.settings = rig ? rig->rig.settings() : walker_with(legs, length_m),
                          .catch_up_s = catch_up_s,
                          .rig = rig};
        require_above_zero("catch_up_s", catch_up_s);
        parts.hops = hops;
        turn_knees(parts.settings, knees);
        reader.dials(parts.settings);
        parts.look = {.radius_m = reader.number("leg_radius_m").value_or(0.035 * length_m),
                      .colours = read_colours(reader.table(), "colours"),
                      .order = reader.number("order").value_or(0)};
        if (!target || (has_facing && !facing)) return;
        const SceneTarget& goal = reader.target_at(*target);
        if (goal.kind() != ValueKind::vector || goal.path.size() != 3) {
            reader.problem("target", "expected a place: a vector of three numbers");
            return;
        }
        std::vector<std::size_t> targets{*target};
        if (facing) {
            const SceneTarget& turn = reader.target_at(*facing);
            if (turn.kind() != ValueKind::rotation && turn.unit != "rad") {
                reader.problem("facing", "expected a rotation, or an angle about Y");
                return;
            }
            parts.facing = turn.kind() == ValueKind::rotation ? Facing::rotation : Facing::angle;
            targets.push_back(*facing);
        }
        reader.add(std::make_unique<WalkerSpec>(std::move(parts)), std::move(targets), {ground});
    });
}

}  // namespace

bool RunningWalker::retune(const SystemSpec& spec) {
    const WalkerParts& parts = dynamic_cast<const WalkerSpec&>(spec).parts();
    if (!walker_.try_retune(parts.settings)) return false;
    parts_ = parts;
    return true;
}

// NOLINTNEXTLINE(readability-function-size): a table
SystemKind walker_kind() {
    using enum KeyType;
    return {
        "walker",
        {{"walker",
          "`[walker.NAME]`",
          "A body on legs that goes where its target is, and plants its feet where the body will "
          "be. `NAME` is the middle between its hips, `NAME.facing` how it is turned, `NAME.gaze` "
          "where it looks, `NAME.leg1` hip, knee and sole of a leg, `NAME.foot1` heel and toe of "
          "its foot as it rolls.",
          {{"target", source, "place that it goes to", "required"},
           {"facing", source, "direction that it faces: a rotation, or an angle about Y",
            "along its way"},
           {"ground", field, "ground that it walks on", "a plane at 0"},
           {"legs", whole_number, "number of legs: even, 2 to 16", "2"},
           {"leg_length_m", number, "length of a stretched leg, from hip to sole", "0.95"},
           {"skeleton", text, "glTF model whose legs it drives; lengths are taken from it", "none"},
           {"leg_joints", tables, "legs of the skeleton", "none", {}, {"leg_joints"}},
           {"clip", text, "animation of that model that all other joints play in a loop",
            "as at rest"},
           {"catch_up_s", number, "time in which it catches up with its target", "0.35"},
           dial_key({"step_order", choice,
                     "which foot steps next: by need, under one of five policies (the first five); "
                     "or in the cycle of a gait, at a rate set by the speed",
                     "`groups_in_turn`", names_of(WalkerSettings::dials().front())}),
           {"hops_over_m", number,
            "distance from which on it hops to a target that stands still; 0: it always walks",
            "0"},
           {"longest_hop_m", number, "longest hop; targets further away take several",
            "3 leg lengths"},
           {"hop_apex_m", number,
            "height of the hips at the apex, over the higher end of the hop; 0: by the distance",
            "0"},
           {"hop_wait_s", number, "time that it looks at the landing spot before it hops", "0.5"},
           {"hops", tables, "hops at given times", "none", {}, {"hop"}},
           {"knees",
            choice,
            "direction that knees point in",
            "by its legs",
            {"ahead", "behind", "outward"}},
           dial_key({"lift_height", number, "height of a swing, in leg lengths", "0.06"}),
           dial_key({"step_time", number,
                     "duration of a slow swing, in units of sqrt(leg length / g)", "1.2"}),
           dial_key(
               {"most_acceleration_m_per_s2", number, "largest acceleration of the body", "4"}),
           dial_key({"most_turn_acceleration_rad_per_s2", number,
                     "largest angular acceleration of the body", "8"}),
           dial_key(
               {"slope_limit_rad", number, "slope of the steepest ground that it steps on", "0.6"}),
           dial_key({"bob_m", number, "how far the body rises over a foot that carries it",
                     "by its size"}),
           dial_key({"sway_m", number,
                     "how far the body sways to the side of a foot that carries it",
                     "by its size"}),
           dial_key(
               {"toe_pitch_rad", number, "angle that the toe of a swinging foot hangs by", "0.35"}),
           dial_key({"roll_rad", number, "angle that a heel rises by before its foot lifts",
                     "0.45 on two legs, 0.3 on four, else 0"}),
           dial_key({"lean_rad_s2_per_m", number,
                     "lean into an acceleration: angle over acceleration", "0.03"}),
           {"leg_radius_m", number, "radius of the legs in pictures", "0.035 leg lengths"},
           {"colours", texts, "colours of its legs, from hip to sole", "the next of the palette"},
           order_key()}},
         {"hop",
          "A hop of a walker",
          "Where there is no ground to land on, the hop is left out and the run reports it.",
          {{"at_s", number, "time at which it happens", "0"},
           {"to_m", vector, "where the middle of its feet lands",
            "on the run, at the speed it has"},
           {"apex_m", number,
            "height of the hips at the apex, over the higher end of the hop; 0: by the distance",
            "0"}}},
         {"leg_joints",
          "A leg of a walker's skeleton",
          "Joints of the model by their names; each is the parent of the next.",
          {{"hip", text, "joint at the upper end of the thigh", "required"},
           {"knee", text, "joint between thigh and shin", "required"},
           {"ankle", text, "joint at the lower end of the shin", "required"},
           {"toe", text, "joint that gives the direction of the foot and the height of the ankle",
            "none"}}}},
        {},
        read_walker};
}

}  // namespace hopcoil::scene
