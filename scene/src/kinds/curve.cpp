// [curve.NAME]

#include <filesystem>

#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/io/csv.hpp>

#include "mover_kind.hpp"

namespace hopcoil::scene {

template <>
struct MoverTraits<CurveMoveTuning> : UsualMoverTraits<CurveMoveTuning> {
    static constexpr const char* kind = "curve";
    static constexpr bool starts_anew = true;
    static std::string in_words(const CurveMoveTuning& curve, std::size_t /*port*/) {
        const Ease* ease = std::get_if<Ease>(&curve.curve);
        if (ease == nullptr) return fmt::format("keys over {:.4g} s", curve.duration_s);
        std::string shape =
            fmt::format("{} {}", ease_family_names().at(static_cast<std::size_t>(ease->family())),
                        ease_way_names().at(static_cast<std::size_t>(ease->way())));
        std::replace(shape.begin(), shape.end(), '_', ' ');
        return fmt::format("{}, {:.4g} s", shape, curve.duration_s);
    }
    template <class T>
    static CurveMove<T> make(const CurveMoveTuning& curve, const T& start) {
        return {curve, start};
    }
    static RotationCurve make_rotation(const CurveMoveTuning& curve, const Quaternion& start) {
        return {curve, start};
    }
    static double observation_time_s(const CurveMoveTuning& curve, double /*size*/) {
        return 1.2 * curve.duration_s;
    }
    static std::vector<std::pair<std::string, double>> solve(const CurveMoveTuning& /*now*/,
                                                             std::size_t /*port*/,
                                                             double overshoot_percent,
                                                             double settling_time_s) {
        require_no_overshoot("a move along a curve", overshoot_percent);
        return {{"duration_s", settling_time_s}};
    }
};

AnySpec mover_spec(const CurveMoveTuning& curve, const MoverShape& shape, MoverStart start) {
    require_valid(curve);
    return std::make_unique<MoverSpec<CurveMoveTuning>>(curve, shape, std::move(start));
}

namespace {

void use_keys(KindReader& reader, const std::string& key, const KeyCurve& keys,
              CurveMoveTuning& curve) {
    const double first = keys.keys().front().value;
    const double last = keys.keys().back().value;
    if (first != 0 || last != 1 || !(keys.end_s() > keys.start_s())) {
        reader.problem(
            key, fmt::format("expected keys that go from 0 to 1, found {} to {}", first, last));
    }
    curve.curve = keys;
}

/// A curve of its own, from a table of keys beside the scene.
void read_curve_keys(KindReader& reader, CurveMoveTuning& curve) {
    const auto csv = reader.text("csv");
    const auto column = reader.text("column");
    const std::string time_column = reader.text("time_column").value_or("time_s");
    if (!reader.has("column")) {
        reader.problem("csv", "expected a key 'column' beside it, naming a column of the file");
    }
    if (!csv || !column) return;
    read_beside(reader.table(), "csv", [&] {
        const KeyCurve keys =
            io::key_curve_from(io::read_csv(reader.table().folder() / *csv), time_column, *column);
        use_keys(reader, "csv", keys, curve);
    });
}

/// A curve of its own, from keys in the scene.
void read_own_keys(KindReader& reader, CurveMoveTuning& curve) {
    std::vector<double> times;
    std::vector<double> values;
    for (const TimedQuantity& each : reader.table().points("keys")) {
        times.push_back(each.time_s);
        values.push_back(each.place.value[0]);
    }
    if (times.empty()) return;
    reader.try_to([&] { use_keys(reader, "keys", KeyCurve::through(times, values), curve); });
}

void read_ease(KindReader& reader, CurveMoveTuning& curve) {
    const auto family = reader.choice("family");
    const auto way = reader.choice("way");
    const auto parameter = reader.number("parameter");
    reader.try_to([&] {
        const EaseFamily shape = ease_family_of(family.value_or("sine"));
        curve.curve = Ease{shape, ease_way_of(way.value_or("in_out")),
                           parameter.value_or(default_parameter(shape))};
    });
}

void read_curve(KindReader& reader) {
    MoverTable table = read_mover_table(reader, false, CanTurn::yes);
    CurveMoveTuning curve;
    curve.duration_s = reader.number("duration_s").value_or(curve.duration_s);
    for (const char* key : {"column", "time_column"}) {
        const bool alone = !reader.has("csv") && reader.text(key).has_value();
        if (alone) reader.problem(key, "expected a key 'csv' beside it, naming a file of keys");
    }
    for (const char* key : {"family", "way", "parameter"}) {
        const bool beside = (reader.has("csv") || reader.has("keys")) && reader.has(key);
        if (beside) reader.problem(key, "expected an ease or keys, found both");
    }
    if (reader.has("csv") && reader.has("keys"))
        reader.problem("keys", "expected keys here or from a file, found both");
    if (reader.has("keys")) {
        read_own_keys(reader, curve);
    } else if (reader.has("csv")) {
        read_curve_keys(reader, curve);
    } else {
        read_ease(reader, curve);
    }
    reader.try_to([&] { add_mover(reader, std::move(table), curve); });
}

}  // namespace

SystemKind curve_kind() {
    using enum KeyType;
    return {"curve",
            {{"curve", "`[curve.NAME]`",
              "Moves along a given curve whenever its target moves. For targets that jump, not for "
              "ones that move all the time.",
              joined(mover_keys(false),
                     {dial_key({"duration_s", number, "duration of a move", "0.5"}),
                      {"family", choice, "shape of the ease", "`sine`", ease_family_names()},
                      {"way", choice, "which end is eased", "`in_out`", ease_way_names()},
                      {"parameter", number,
                       "exponent of `power`, doublings of `exponential`, percent backward of "
                       "`past_and_back`, number of bounces or swings",
                       "the family's own"},
                      {"keys", trajectory,
                       "instead of an ease: points [time, part of the way from 0 to 1] of a smooth "
                       "curve; times are scaled to `duration_s`",
                       "an ease"},
                      {"csv", text, "instead of an ease: CSV file of such points", "an ease"},
                      {"column", text, "name of its column of values", "required with `csv`"},
                      {"time_column", text, "name of its column of times", "`time_s`"}})}},
            {},
            read_curve};
}

}  // namespace hopcoil::scene
