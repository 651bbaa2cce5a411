#include <filesystem>
#include <string>

#include <fmt/format.h>

#include <hopcoil/scene/csv.hpp>

#include "read_movers.hpp"

namespace hopcoil::scene {
namespace {

/// A curve of its own, from a table of keys beside the scene.
void read_keys(TableReader& reader, CurveMoveTuning& curve) {
    const auto csv = reader.text("csv");
    const auto column = reader.text("column");
    const std::string time_column = reader.text("time_column").value_or("time_s");
    if (!reader.has("column")) {
        reader.problem("csv", "expected a key 'column' beside it, naming a column of the file");
    }
    if (!csv || !column) return;
    read_beside(reader, "csv", [&] {
        const KeyCurve keys =
            key_curve_from(read_csv(reader.folder() / *csv), time_column, *column);
        const double first = keys.keys().front().value;
        const double last = keys.keys().back().value;
        if (first != 0 || last != 1 || !(keys.end_s() > keys.start_s())) {
            reader.problem("csv", fmt::format("expected keys that go from 0 to 1, found {} to {}",
                                              first, last));
        }
        curve.curve = keys;
        try_to(reader, [&] { require_valid(curve); });
    });
}

}  // namespace

PursuitTuning read_pursuit(TableReader& reader, Shape& shape) {
    PursuitTuning pursuit;
    if (!reader.has_any("max_speed")) {
        reader.problem("", "expected a key 'max_speed_per_s' (max_speed_m_per_s, ...)");
    }
    pursuit.max_speed = in_unit(reader, "max_speed", shape).value_or(pursuit.max_speed);
    pursuit.max_acceleration =
        in_unit(reader, "max_acceleration", shape).value_or(pursuit.max_acceleration);
    try_to(reader, [&] { require_valid(pursuit); });
    return pursuit;
}

SettleParameters read_settle(TableReader& reader, Shape& shape) {
    SettleParameters settle;
    SettleTuning& tuning = settle.tuning;
    tuning.duration_s = reader.number("duration_s").value_or(tuning.duration_s);
    tuning.overshoot_percent =
        reader.number("overshoot_percent").value_or(tuning.overshoot_percent);
    const toml::array* heights = reader.array("swing_percent");
    for (std::size_t i = 0; heights != nullptr && i < heights->size(); ++i) {
        const auto percent = heights->get(i)->value<double>();
        if (!percent || i >= tuning.swing_percent.size()) {
            reader.problem("swing_percent",
                           fmt::format("expected up to {} numbers", tuning.swing_percent.size()));
            break;
        }
        tuning.swing_percent[i] = *percent;
    }
    const auto low = in_shape(reader, "low_stop", shape, OneForAll::yes);
    const auto high = in_shape(reader, "high_stop", shape, OneForAll::yes);
    const double least_s = reader.number("least_duration_s").value_or(0);
    const bool may_shorten = reader.flag("may_shorten_travel").value_or(false);
    for (std::size_t i = 0; i < most_numbers; ++i) {
        Stops& stops = settle.stops[i];
        if (low) stops.low = (*low)[i];
        if (high) stops.high = (*high)[i];
        stops.least_duration_s = least_s;
        stops.may_shorten_travel = may_shorten;
    }
    try_to(reader, [&] {
        require_valid(tuning);
        for (std::size_t i = 0; i < shape.count.value_or(1); ++i)
            require_valid(settle.stops[i]);
    });
    return settle;
}

CurveMoveTuning read_curve(TableReader& reader) {
    CurveMoveTuning curve;
    curve.duration_s = reader.number("duration_s").value_or(curve.duration_s);
    for (const char* key : {"column", "time_column"}) {
        const bool alone = !reader.has("csv") && reader.text(key).has_value();
        if (alone) reader.problem(key, "expected a key 'csv' beside it, naming a file of keys");
    }
    for (const char* key : {"family", "way", "parameter"}) {
        const bool beside = reader.has("csv") && reader.has(key);
        if (beside) reader.problem(key, "expected an ease or keys from a file, found both");
    }
    if (reader.has("csv")) {
        read_keys(reader, curve);
        return curve;
    }
    const auto family = reader.choice("family");
    const auto way = reader.choice("way");
    const auto parameter = reader.number("parameter");
    try_to(reader, [&] {
        const EaseFamily shape = ease_family_of(family.value_or("sine"));
        curve.curve = Ease{shape, ease_way_of(way.value_or("in_out")),
                           parameter.value_or(default_parameter(shape))};
        require_valid(curve);
    });
    return curve;
}

}  // namespace hopcoil::scene
