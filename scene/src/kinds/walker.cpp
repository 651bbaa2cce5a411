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

#include "../read/read_pictures.hpp"
#include "../run/step_length.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::size_t leg_points = 3;  // hip, knee, sole
constexpr std::size_t first_leg_port = 2;

struct WalkerLook {
    double radius_m = 0.0;
    std::vector<Colour> colours{};
    double order = 0.0;
};

/// What it faces.
enum class Facing : std::uint8_t { its_way, rotation, angle };

/// What a walker of a scene is made of.
struct WalkerParts {
    WalkerSettings settings{};
    double within_s = 0.35;
    Facing facing = Facing::its_way;
    ValueArray faces_first{};  ///< what it is told to face at the start
    WalkerLook look{};
};

const Ground& ground_of(const SystemInputs& inputs) {
    static const FlatGround flat;
    if (inputs.fields.empty() || inputs.fields[0] == nullptr) return flat;
    const auto* const ground = inputs.fields[0]->as_field<Ground>();
    return ground == nullptr ? flat : *ground;
}

Vector3 place_of(const SystemInputs& inputs) {
    return vector_of(inputs.targets[0].point.value);
}

/// A ground as it was so long ago.
class EarlierGround final : public Ground {
  public:
    EarlierGround(const Ground& ground, double ago_s) noexcept : ground_{ground}, ago_s_{ago_s} {}
    [[nodiscard]] GroundPoint under(double x, double z, double top,
                                    double ahead_s) const noexcept override {
        return ground_.under(x, z, top, ahead_s - ago_s_);
    }
    [[nodiscard]] GroundFrame frame(std::uint32_t part, double ahead_s) const noexcept override {
        return ground_.frame(part, ahead_s - ago_s_);
    }

  private:
    const Ground& ground_;
    double ago_s_;
};

class RunningWalker final : public RunningSystem {
  public:
    RunningWalker(const WalkerParts& parts, const SystemInputs& inputs)
        : parts_{parts},
          walker_{parts.settings, ground_of(inputs), place_of(inputs), yaw_at_start(parts, inputs)},
          place_{place_of(inputs)},
          time_s_{inputs.time_s},
          yaw_{walker_.yaw_rad()} {}

    bool advance(double time_s, const SystemInputs& inputs) override {
        const double dt = step_length_.from_to(time_s_, time_s);
        const ValueArray& v = inputs.targets[0].point.velocity;
        const Vector3 place = place_of(inputs);
        const Vector3 velocity{v[0], 0, v[2]};
        if (parts_.facing != Facing::its_way) yaw_ = yaw_of(parts_, inputs);
        if (!walk(place, velocity, ground_of(inputs), dt)) return false;
        place_ = place;
        time_s_ = time_s;
        return true;
    }
    bool push(std::size_t port, const ValueArray& delta_velocity) override {
        if (port != 0) return false;
        return walker_.push({delta_velocity[0], delta_velocity[1], delta_velocity[2]}) ==
               StepStatus::stepped;
    }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override {
        if (port == 0) return {array_of(walker_.position()), array_of(walker_.velocity())};
        if (port == 1) {
            const Quaternion q = walker_.rotation();
            return {ValueArray{{q.w, q.x, q.y, q.z}}, array_of({0, walker_.turn_rate(), 0})};
        }
        const std::size_t leg = port - first_leg_port;
        const Vector3 point = index == 0   ? walker_.hip(leg)
                              : index == 1 ? walker_.knee(leg)
                                           : walker_.feet()[leg].position;
        return {array_of(point), {}};
    }
    void read_signals(std::span<double> numbers) override {
        for (std::size_t i = 0; i < walker_.feet().size(); ++i)
            numbers[i] = walker_.feet()[i].planted ? 1 : 0;
    }
    bool retune(const SystemSpec& spec) override;
    void change(const SystemInputs& inputs) override { place_ = place_of(inputs); }
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double /*rate_hz*/) const override {
        std::vector<std::string> all;
        const WalkerLog& log = walker_.log();
        if (log.slowed_s > 0.05) {
            all.push_back(fmt::format(
                "{}: was held back for {:.3g} s, so that no leg is asked for more than its length",
                name, log.slowed_s));
        }
        if (log.no_foothold > 0) {
            all.push_back(fmt::format("{}: {} of {} steps found no good foothold", name,
                                      log.no_foothold, log.steps));
        }
        return all;
    }

  private:
    /// What it is told to face: a rotation, or an angle about Y.
    static double yaw_of(const WalkerParts& parts, const SystemInputs& inputs) {
        const ValueArray& value = inputs.targets[1].point.value;
        if (parts.facing == Facing::angle) return value[0];
        const Vector3 ahead = rotated({value[0], value[1], value[2], value[3]}, {0, 0, 1});
        return math::atan2(ahead.x, ahead.z);
    }
    static double yaw_at_start(const WalkerParts& parts, const SystemInputs& inputs) {
        if (parts.facing != Facing::its_way) return yaw_of(parts, inputs);
        const ValueArray& v = inputs.targets[0].point.velocity;
        return v[0] == 0 && v[2] == 0 ? 0 : math::atan2(v[0], v[2]);
    }
    /// In steps of a tick, each told anew: the same at every frame rate.
    bool walk(const Vector3& place, const Vector3& velocity, const Ground& ground, double dt) {
        const int parts = std::max(1, static_cast<int>(std::lround(dt / Walker::tick_s)));
        for (int i = 1; i <= parts; ++i) {
            const double part = static_cast<double>(i) / parts;
            const Vector3 now = place_ + (place - place_) * part;
            if (parts_.facing == Facing::its_way) face_the_way(now, velocity);
            const WalkCommand command = walker_.toward(now, yaw_, velocity, parts_.within_s);
            const EarlierGround then{ground, dt * (1 - part)};
            if (walker_.step(command, then, dt / parts) == StepStatus::rejected) return false;
        }
        return true;
    }
    /// Along its way, where there is one.
    void face_the_way(const Vector3& place, const Vector3& velocity) {
        constexpr double least_speed = 0.15;
        const Vector3 way = place - walker_.position();
        const Vector3 wanted = velocity + Vector3{way.x, 0, way.z} * (1 / parts_.within_s);
        const double near = 0.3 * parts_.settings.leg_length_m;
        const bool is_there =
            std::sqrt(way.x * way.x + way.z * way.z) < near && length_of(velocity) < least_speed;
        if (length_of(wanted) > least_speed && !is_there) yaw_ = math::atan2(wanted.x, wanted.z);
    }
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(walker_, place_, time_s_, yaw_, step_length_);
        fields.require(time_s_ >= 0);
    }

    WalkerParts parts_;
    Walker walker_;
    Vector3 place_;  ///< of its target, at the last step
    double time_s_;
    double yaw_;
    StepLength step_length_;
};

class WalkerSpec final : public SystemSpec {
  public:
    WalkerSpec(WalkerParts parts, const Vector3& start) : parts_{std::move(parts)}, start_{start} {
        require_valid(parts_.settings);
    }
    [[nodiscard]] const WalkerParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<WalkerSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "walker"; }
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
            {.name = "facing", .kind = ValueKind::rotation, .components = 4}};
        for (std::size_t i = 0; i < parts_.settings.leg_count; ++i) {
            ports.push_back({.name = fmt::format("leg{}", i + 1),
                             .quantity = "position",
                             .unit = "m",
                             .kind = ValueKind::vector,
                             .components = 3,
                             .count = leg_points,
                             .has_velocity = false});
        }
        return ports;
    }
    [[nodiscard]] std::vector<RecordedChannel> signals() const override {
        std::vector<RecordedChannel> all;
        for (std::size_t i = 0; i < parts_.settings.leg_count; ++i)
            all.push_back({.name = fmt::format("leg{}.planted", i + 1), .kind = ChannelKind::flag});
        return all;
    }
    [[nodiscard]] ValueArray start(std::size_t port, std::size_t index) const override {
        const std::array targets{InputSample{.point = {array_of(start_), {}}},
                                 InputSample{.point = {parts_.faces_first, {}}}};
        return RunningWalker{parts_, {.targets = targets}}.output(port, index).value;
    }
    [[nodiscard]] std::vector<View> views() const override {
        std::vector<View> views;
        View body{.position = 0, .rotation = 1};
        body.look.order = parts_.look.order;
        views.push_back(std::move(body));
        for (std::size_t i = 0; i < parts_.settings.leg_count; ++i) {
            View leg{.type = View::Type::tube,
                     .name = fmt::format("leg{}", i + 1),
                     .position = first_leg_port + i,
                     .radius_m = {parts_.look.radius_m, 0.5 * parts_.look.radius_m},
                     .colours = parts_.look.colours};
            leg.look.order = parts_.look.order;
            views.push_back(std::move(leg));
        }
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
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    WalkerParts parts_;
    Vector3 start_;
};

bool RunningWalker::retune(const SystemSpec& spec) {
    const WalkerParts& parts = dynamic_cast<const WalkerSpec&>(spec).parts();
    if (!walker_.try_retune(parts.settings)) return false;
    parts_ = parts;
    return true;
}

/// One leg in a take.
class LegRows {
  public:
    LegRows(const ReportInput& input, const Take& take, std::size_t leg, const Port& port)
        : take_{take},
          points_{take.columns_of(take.find_channel(value_channel(input.system, port)).value())},
          planted_{take.columns_of(take.find_channel(fmt::format("{}.leg{}.planted",
                                                                 input.system.name, leg + 1))
                                       .value())
                       .first} {}

    [[nodiscard]] Vector3 point(std::size_t row, std::size_t index) const {
        const auto numbers = take_.row(row).subspan(points_.first + 3 * index, 3);
        return {numbers[0], numbers[1], numbers[2]};
    }
    [[nodiscard]] bool planted(std::size_t row) const { return take_.row(row)[planted_] != 0; }

  private:
    const Take& take_;
    Take::Columns points_;
    std::size_t planted_;
};

/// What all steps of a run were like.
struct StepFigures {
    double steps = 0;
    double down = 0;  ///< rows in which a foot was, of all feet
    double reach_m = 0;
    double fastest = 0;
    std::vector<std::size_t> up{};  ///< feet in each row

    void add(const LegRows& rows, const std::vector<double>& times_s) {
        // Feet move in ticks: between rows that are nearer they stand and leap.
        const double spacing_s =
            times_s.back() / std::max(1.0, static_cast<double>(times_s.size()) - 1);
        const std::size_t apart =
            spacing_s < Walker::tick_s
                ? static_cast<std::size_t>(std::lround(Walker::tick_s / spacing_s))
                : 1;
        for (std::size_t row = 0; row < times_s.size(); ++row) {
            reach_m = std::max(reach_m, length_of(rows.point(row, 2) - rows.point(row, 0)));
            down += rows.planted(row) ? 1 : 0;
            up[row] += rows.planted(row) ? 0 : 1;
            if (row < apart) continue;
            steps += rows.planted(row - 1) && !rows.planted(row) ? 1 : 0;
            const double dt = times_s[row] - times_s[row - apart];
            const Vector3 moved = rows.point(row, 2) - rows.point(row - apart, 2);
            if (dt > 0) fastest = std::max(fastest, length_of(moved) / dt);
        }
    }
};

/// At its own height where the foot is down, and nothing where it is not.
ComponentCurve footfalls_of(const LegRows& rows, std::size_t row_count, std::size_t leg,
                            const std::string& name) {
    ComponentCurve bar{.name = name};
    for (std::size_t row = 0; row < row_count; ++row) {
        bar.values.push_back(rows.planted(row) ? static_cast<double>(leg + 1)
                                               : std::numeric_limits<double>::quiet_NaN());
    }
    return bar;
}

/// The body's place beside what it follows.
std::vector<ComponentCurve> way_of(const ReportInput& input, const Port& body) {
    const Take& take = input.take;
    const auto columns = take.columns_of(*take.find_channel(value_channel(input.system, body)));
    const SceneTarget& target = input.scene.targets[input.system.targets[0]];
    const auto followed = take.find_channel(channel_name(target.name, "value", target.unit));
    std::vector<ComponentCurve> curves;
    for (std::size_t k = 0; k < 3; ++k) {
        ComponentCurve curve{.name = std::string(1, "xyz"[k]),
                             .values = take.column(columns.first + k)};
        if (followed && k != 1) curve.targets = take.column(take.columns_of(*followed).first + k);
        curves.push_back(std::move(curve));
    }
    return curves;
}

/// Which foot is down when, and what the steps were like.
std::vector<SystemReport> WalkerSpec::report(const ReportInput& input) const {
    const std::vector<Port> ports = outputs();
    SystemReport report{.name = input.system.name,
                        .kind = kind(),
                        .target = input.scene.targets[input.system.targets[0]].name,
                        .words = in_words(0),
                        .value_kind = ValueKind::vector,
                        .unit = "m",
                        .components = way_of(input, ports[0])};
    SystemChart footfalls{.title = "feet down", .unit = "leg"};
    const std::vector<double>& times_s = input.fine.times_s();
    StepFigures all{.up = std::vector<std::size_t>(times_s.size())};
    for (std::size_t leg = 0; leg < parts_.settings.leg_count; ++leg) {
        const Port& port = ports[first_leg_port + leg];
        footfalls.curves.push_back(
            footfalls_of({input, input.take, leg, port}, input.take.row_count(), leg, port.name));
        all.add({input, input.fine, leg, port}, times_s);
    }
    const auto feet = static_cast<double>(parts_.settings.leg_count);
    const auto rows = static_cast<double>(times_s.size());
    report.figures = {
        {"steps", "steps", "", all.steps},
        {"steps_per_s", "steps a second", "", all.steps / std::max(times_s.back(), 1e-9)},
        {"duty_factor", "duty factor of a foot", "", all.down / (feet * rows)},
        {"most_feet_up", "most feet up", "",
         static_cast<double>(*std::max_element(all.up.begin(), all.up.end()))},
        {"reach_used_percent", "most of a leg used", "%",
         100 * all.reach_m / parts_.settings.leg_length_m},
        {"fastest_foot_m_per_s", "fastest foot", "m/s", all.fastest}};
    report.charts.push_back(std::move(footfalls));
    return {std::move(report)};
}

void read_walker(KindReader& reader) {
    const auto target = reader.target("target");
    if (!reader.has("target")) reader.problem("", "expected a key 'target': where it goes");
    const bool has_facing = reader.has("facing");
    std::optional<std::size_t> facing;
    if (has_facing) facing = reader.target("facing");
    const std::size_t legs = reader.whole_number("legs", 2, 16).value_or(2);
    const double length_m = reader.number("leg_length_m").value_or(0.95);
    const double within_s = reader.number("within_s").value_or(0.35);
    const std::string policy = reader.choice("policy").value_or("groups_in_turn");
    const std::string gait = reader.choice("gait").value_or("");
    const std::size_t ground = reader.field<Ground>("ground");
    reader.try_to([&] {
        WalkerParts parts{.settings = walker_with(legs, length_m), .within_s = within_s};
        require_above_zero("within_s", within_s);
        WalkerSettings& settings = parts.settings;
        reader.dials(settings);
        settings.policy = policy == "wait_for_both"   ? StepPolicy::wait_for_both
                          : policy == "one_at_a_time" ? StepPolicy::one_at_a_time
                                                      : StepPolicy::groups_in_turn;
        constexpr std::array gaits{"walk", "trot", "pace", "gallop", "wave"};
        const auto found = std::find(gaits.begin(), gaits.end(), gait);
        if (found != gaits.end()) {
            settings.policy = StepPolicy::in_a_gait;
            settings.gait = static_cast<Gait>(found - gaits.begin());
        }
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
            parts.faces_first = turn.path.before(0).value;
            targets.push_back(*facing);
        }
        const Vector3 start = vector_of(goal.path.before(0).value);
        reader.add(std::make_unique<WalkerSpec>(std::move(parts), start), std::move(targets),
                   {ground});
    });
}

}  // namespace

SystemKind walker_kind() {
    using enum KeyType;
    return {
        "walker",
        {{"walker",
          "`[walker.NAME]`",
          "A body on legs that goes where its target is, and plants its feet where the body will "
          "be. `NAME` is the middle between its hips, `NAME.facing` how it is turned, `NAME.leg1` "
          "hip, knee and sole of a leg.",
          {{"target", source, "where it goes: a place", "required"},
           {"facing", source, "a rotation, or an angle about Y, that it faces", "along its way"},
           {"ground", field, "what it walks on", "a plane at 0"},
           {"legs", whole_number, "2, or an even number up to 16", "2"},
           {"leg_length_m", number, "from hip to sole, stretched", "0.95"},
           {"within_s", number, "how soon it makes up for what it is behind its target", "0.35"},
           {"policy",
            choice,
            "which feet step next",
            "`groups_in_turn`",
            {"groups_in_turn", "wait_for_both", "one_at_a_time"}},
           {"gait",
            choice,
            "instead of a policy: feet go round in a cycle whose pace goes with the speed",
            "none",
            {"walk", "trot", "pace", "gallop", "wave"}},
           dial_key({"lift_height", number, "how high feet swing, in leg lengths", "0.06"}),
           dial_key({"step_time", number, "of a slow swing, in sqrt(leg length / g)", "1.2"}),
           dial_key({"most_acceleration", number, "of the body, m/s2", "4"}),
           dial_key({"most_turn_acceleration", number, "rad/s2", "8"}),
           dial_key({"slope_limit_rad", number, "steeper ground is not stepped on", "0.6"}),
           dial_key(
               {"bob_m", number, "how far it rises over a foot that carries it", "by its size"}),
           dial_key({"sway_m", number, "how far it sways over it", "by its size"}),
           dial_key({"lean", number, "radians of lean for each m/s2", "0.03"}),
           {"leg_radius_m", number, "how thick legs are drawn", "0.035 leg lengths"},
           {"colours", texts, "of its legs from hip to sole", "the next of the palette"},
           {"order", number, "in pictures without depth, drawn over those of a lower one", "0"}}}},
        {},
        read_walker};
}

}  // namespace hopcoil::scene
