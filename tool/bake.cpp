#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/scene/csv.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/text_file.hpp>
#include <hopcoil/take/key_reduction.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/scene_changes.hpp"

namespace hopcoil::tool {
namespace {

/// A recorded motion to be baked.
struct Motion {
    std::string name;
    std::vector<double> times_s;
    std::vector<double> values;
};

struct Baked {
    std::string name;
    std::string unit;  ///< of the values: "rad", "deg", "m" or empty
    double tolerance = 0;
    ReducedKeys keys;
};

[[noreturn]] void refuse(const std::string& what) {
    throw UsageProblem{"hopcoil bake: " + what};
}

std::string unit_of(const std::string& column) {
    for (const char* unit : {"rad", "deg", "m"}) {
        if (column.ends_with(std::string{"_"} + unit)) return unit;
    }
    return {};
}

bool is_angle(const std::string& unit) {
    return unit == "rad" || unit == "deg";
}

double turn_in(const std::string& unit) {
    return unit == "deg" ? 360 : 2 * math::pi;
}

/// The columns that were named, or every value; all there are when nothing is called a value.
std::vector<std::string> chosen_columns(const std::vector<std::string>& all,
                                        const std::vector<std::string>& named) {
    std::vector<std::string> columns = named;
    for (const std::string& name : named) {
        if (std::find(all.begin(), all.end(), name) != all.end()) continue;
        refuse(fmt::format("--column: there is no column '{}'; there is {}{}", name,
                           scene::any_of(all), scene::did_you_mean(name, all)));
    }
    if (columns.empty()) {
        std::copy_if(
            all.begin(), all.end(), std::back_inserter(columns),
            [](const std::string& name) { return name.find(".value") != std::string::npos; });
    }
    return columns.empty() ? all : columns;
}

std::vector<Motion> motions_of_scene(const BakeOptions& options) {
    scene::Scene scene = scene::read_scene(options.source.string(), options.seed);
    make_changes(scene, options.changes, "bake");
    Take take;
    scene::run(scene, take);
    std::vector<Motion> motions;
    for (const std::string& name : chosen_columns(take.column_names(), options.columns))
        motions.push_back({name, take.times_s(), take.column(*take.find_column(name))});
    return motions;
}

std::vector<Motion> motions_of_take(const BakeOptions& options) {
    const scene::CsvTable table = scene::read_csv(options.source);
    if (table.rows.empty()) refuse(fmt::format("{}: it has no rows", options.source.string()));
    const std::vector<double> times_s = scene::number_column(table, "time_s");
    std::vector<std::string> all;
    std::copy_if(table.header.begin(), table.header.end(), std::back_inserter(all),
                 [](const std::string& name) { return name != "time_s"; });
    if (all.empty())
        refuse(fmt::format("{}: expected a column beside time_s", options.source.string()));
    std::vector<Motion> motions;
    for (const std::string& name : chosen_columns(all, options.columns))
        motions.push_back({name, times_s, scene::number_column(table, name)});
    return motions;
}

Baked bake(Motion motion, const BakeOptions& options) {
    const std::string unit = unit_of(motion.name);
    double tolerance = options.tolerance;
    if (is_angle(unit)) {
        motion.values = scene::unwrapped(std::move(motion.values), turn_in(unit));
        tolerance = options.angle_tolerance_deg * (unit == "rad" ? math::pi / 180 : 1);
    }
    try {
        if (options.loop_over_s) {
            motion.values = looped(motion.times_s, motion.values, *options.loop_over_s,
                                   is_angle(unit) ? turn_in(unit) : 0);
        }
        const KeyShape shape = options.shape == "straight" ? KeyShape::straight : KeyShape::cubic;
        return {motion.name, unit, tolerance,
                reduce_keys(motion.times_s, motion.values, {tolerance, shape})};
    } catch (const InvalidValue& problem) {
        refuse(fmt::format("{}: {}", motion.name, problem.what()));
    }
}

std::string to_csv(const std::vector<Baked>& all) {
    const bool several = all.size() > 1;
    std::string text = several ? "channel,time_s,value,slope_before,slope_after\n"
                               : "time_s,value,slope_before,slope_after\n";
    for (const Baked& baked : all) {
        for (const CurveKey& key : baked.keys.curve.keys()) {
            if (several) text += baked.name + ',';
            text += fmt::format("{},{},{},{}\n", key.time_s, key.value, key.slope_before,
                                key.slope_after);
        }
    }
    return text;
}

Json to_json(const std::vector<Baked>& all, const BakeOptions& options) {
    Json json{{"made_by", made_by("bake")}, {"channels", Json::array()}};
    json["made_by"]["source"] = options.source.string();
    json["made_by"]["shape"] = options.shape;
    if (!options.changes.empty()) json["made_by"]["set"] = options.changes;
    for (const Baked& baked : all) {
        Json channel{{"name", baked.name},
                     {"unit", baked.unit},
                     {"samples", baked.keys.samples},
                     {"tolerance", baked.tolerance},
                     {"largest_error", baked.keys.largest_error},
                     {"keys", Json::array()}};
        for (const CurveKey& key : baked.keys.curve.keys()) {
            channel["keys"].push_back({{"time_s", key.time_s},
                                       {"value", key.value},
                                       {"slope_before", key.slope_before},
                                       {"slope_after", key.slope_after}});
        }
        json["channels"].push_back(std::move(channel));
    }
    return json;
}

void print_summary(const std::vector<Baked>& all) {
    std::size_t samples = 0;
    std::size_t keys = 0;
    for (const Baked& baked : all) {
        const std::size_t count = baked.keys.curve.keys().size();
        const bool angle = baked.unit == "rad";
        fmt::print("{:<24} {:>7} samples -> {:>5} keys, largest error {:.3g}{}\n", baked.name,
                   baked.keys.samples, count,
                   baked.keys.largest_error * (angle ? 180 / math::pi : 1),
                   angle                ? " deg"
                   : baked.unit.empty() ? ""
                                        : " " + baked.unit);
        samples += baked.keys.samples;
        keys += count;
    }
    fmt::print("{:.3g} times fewer keys than samples\n",
               static_cast<double>(samples) / static_cast<double>(keys));
}

}  // namespace

ExitCode run_bake(const BakeOptions& options) {
    const bool as_json = options.out.extension() == ".json";
    if (!options.out.empty() && !as_json && options.out.extension() != ".csv") {
        refuse(fmt::format("--out {}: expected a name that ends in .csv or .json",
                           options.out.string()));
    }
    if (!options.changes.empty() && options.source.extension() != ".toml") {
        refuse("--set goes with a scene: a take is what it is");
    }
    std::vector<Baked> all;
    for (Motion& motion : options.source.extension() == ".toml" ? motions_of_scene(options)
                                                                : motions_of_take(options)) {
        all.push_back(bake(std::move(motion), options));
    }
    if (!options.out.empty()) {
        scene::write_text_file(options.out,
                               as_json ? to_json(all, options).dump(2) + '\n' : to_csv(all));
    }
    if (options.json) {
        print_json(to_json(all, options));
        return ExitCode::done;
    }
    print_summary(all);
    if (!options.out.empty()) fmt::print("written: {}\n", options.out.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
