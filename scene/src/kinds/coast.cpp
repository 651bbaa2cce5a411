// [coast.NAME]

#include <algorithm>
#include <cmath>

#include <hopcoil/follow/coast.hpp>
#include <hopcoil/scene/scene_dials.hpp>

#include "../read/read_moves.hpp"
#include "mover_kind.hpp"

namespace hopcoil::scene {

template <>
struct MoverTraits<CoastParameters> : UsualMoverTraits<CoastParameters> {
    static constexpr const char* kind = "coast";
    static std::string in_words(const CoastParameters& coast, std::size_t /*port*/) {
        return fmt::format("its speed halves every {:.4g} s", coast.tuning.slowing_half_life_s);
    }
    template <class T>
    static Coast<T> make(const CoastParameters& parameters, const T& start) {
        Coast<T> coast{parameters.tuning, start};
        coast.set_bounds(from_array<T>(parameters.low), from_array<T>(parameters.high));
        return coast;
    }
    template <class P>
    static auto& with_dials(P& parameters, std::size_t /*port*/) {
        return parameters.tuning;
    }
    static std::vector<double> stops(const CoastParameters& coast) {
        return {coast.low[0], coast.high[0]};
    }
    static double observation_time_s(const CoastParameters& coast, double /*size*/) {
        return 8 * coast.tuning.slowing_half_life_s;
    }
    static std::vector<std::string> warnings(const CoastParameters& coast, double used_s,
                                             const std::string& name) {
        return {
            fmt::format("{}: to end on a snap point its speed halved every {:.3g} s, not every "
                        "{:.3g} s as asked",
                        name, used_s, coast.tuning.slowing_half_life_s)};
    }
    /// How far it goes is known in advance; it creeps up to it and stays.
    static KickResponse kick(const CoastParameters& parameters, double velocity) {
        Coast<double> coast{parameters.tuning, 0.0};
        coast.launch(velocity);
        KickResponse response;
        response.furthest = coast.end();
        response.furthest_time_s = Figure::none("it creeps up to it");
        response.return_time_s = Figure::none("nothing brings it back");
        response.settling_time_s =
            parameters.tuning.slowing_half_life_s * std::log2(100 / settling_band_percent);
        response.peak_velocity = std::abs(velocity);
        return response;
    }
    static std::vector<std::pair<std::string, double>> solve(const CoastParameters& /*now*/,
                                                             std::size_t /*port*/,
                                                             double /*overshoot_percent*/,
                                                             double /*settling_time_s*/) {
        throw std::invalid_argument{"it has no target to overshoot or settle on"};
    }
};

namespace {

/// Errors  std::invalid_argument for a place outside the bounds.
void require_inside(const CoastParameters& coast, const MoverShape& shape, const ValueArray& place,
                    const std::string& what) {
    const bool in_degrees = shape.unit == "rad";
    const double per_unit = in_degrees ? 180 / math::pi : 1;
    for (std::size_t i = 0; i < shape.size; ++i) {
        if (place[i] >= coast.low[i] && place[i] <= coast.high[i]) continue;
        const DialRange bounds{std::max(coast.low[i] * per_unit, -unbounded),
                               std::min(coast.high[i] * per_unit, unbounded)};
        throw std::invalid_argument{fmt::format("{} {:.6g} is outside the bounds: expected {}{}",
                                                what, place[i] * per_unit, range_in_words(bounds),
                                                in_degrees ? ", in degrees" : "")};
    }
}

}  // namespace

AnySpec mover_spec(const CoastParameters& coast, const MoverShape& shape, MoverStart start) {
    require_valid(coast.tuning);
    for (std::size_t i = 0; i < shape.size; ++i)
        require_bounds(coast.low[i], coast.high[i]);
    require_inside(coast, shape, start.value.value_or(ValueArray{}), "start");
    for (const ValueArray& point : coast.snap_points)
        require_inside(coast, shape, point, "snap_points:");
    return std::make_unique<MoverSpec<CoastParameters>>(coast, shape, std::move(start));
}

namespace {

CoastParameters read_coast_parameters(KindReader& reader, Shape& shape) {
    CoastParameters coast;
    CoastTuning& tuning = coast.tuning;
    TableReader& table = reader.table();
    tuning.slowing_half_life_s =
        reader.number("slowing_half_life_s").value_or(tuning.slowing_half_life_s);
    tuning.resting_speed = in_unit(table, "resting_speed", shape).value_or(tuning.resting_speed);
    tuning.restitution = reader.number("restitution").value_or(tuning.restitution);
    const std::string at_bound = reader.choice("at_bound").value_or("stop");
    tuning.at_bound = at_bound == "bounce"   ? AtBound::bounce
                      : at_bound == "spring" ? AtBound::spring
                                             : AtBound::stop;
    tuning.spring = reader.tuning("spring", tuning.spring);
    coast.low = in_shape(table, "low", shape, OneForAll::yes).value_or(coast.low);
    coast.high = in_shape(table, "high", shape, OneForAll::yes).value_or(coast.high);
    for (const Quantity& point : table.quantities("snap_points")) {
        if (const auto place = in_shape(table, point, shape)) coast.snap_points.push_back(*place);
    }
    return coast;
}

/// It has no target: the take shows where it will come to rest.
SceneTarget resting_target(const std::string& name, const MoverStart& start, const Shape& shape) {
    std::vector<Target> components;
    const double last_throw_s = start.kicks.empty() ? 0 : std::max(0.0, start.kicks.back().at_s);
    const ValueArray place = start.value.value_or(ValueArray{});
    for (std::size_t i = 0; i < shape.count.value_or(1); ++i)
        components.emplace_back(MovesTarget{place[i], {Jump{last_throw_s, place[i]}}, {}});
    return {.name = name + ".target",
            .unit = shape.unit.value_or(""),
            .path = Trajectory{kind_of(shape), std::move(components)},
            .is_made_of_moves = true,
            .is_where_it_ends = true};
}

void read_coast(KindReader& reader) {
    MoverStart start;
    Shape shape;
    read_mover_start(reader.table(), start, shape, true);
    read_watch(reader.table(), start, shape);
    const CoastParameters coast = read_coast_parameters(reader, shape);
    reader.try_to([&] {
        SceneTarget target = resting_target(reader.name(), start, shape);
        AnySpec spec = mover_spec(coast, shape_of(target), std::move(start));
        reader.add(std::move(spec), {reader.add_target(std::move(target))});
    });
}

}  // namespace

SystemKind coast_kind() {
    using enum KeyType;
    return {
        "coast",
        {{"coast",
          "`[coast.NAME]`",
          "Thrown, and slowed by friction. It has no target; `NAME.target` of the take is where it "
          "will come to rest. Its kicks are throws.",
          {{"start", place, "value at the start", "0"},
           {"initial_velocity", speed, "velocity of the first throw", "none"},
           watch_key(),
           {"kicks", tables, "further throws", "none", {}, {"kick"}},
           dial_key(
               {"slowing_half_life_s", number, "time in which friction halves its speed", "0.3"}),
           dial_key({"resting_speed", top_speed, "speed below which it is at rest", "0.01"}),
           {"low", place, "lower bound", "none"},
           {"high", place, "upper bound", "none"},
           {"at_bound", choice, "what happens at a bound", "`stop`", {"stop", "bounce", "spring"}},
           dial_key({"restitution", number, "part of the speed that is left after a bounce, 0 to 1",
                     "0.5"}),
           {"spring", tuning, "spring that brings it back to a bound or a snap point",
            "2 Hz, damping ratio 1, lead 0"},
           {"snap_points", places, "places, one of which it comes to rest at", "anywhere"}}}},
        {},
        read_coast};
}

}  // namespace hopcoil::scene
