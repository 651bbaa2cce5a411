#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/take/key_reduction.hpp>
#include <hopcoil/take/take_edit.hpp>

#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/scene_changes.hpp"
#include "tool/scene_report.hpp"

namespace hopcoil::tool {
namespace {

/// A channel as keys: a curve for each of its numbers.
struct Baked {
    RecordedChannel channel;
    std::vector<std::string> columns;
    double tolerance = 0;  ///< in the channel's unit; of a rotation in radians
    ReducedRows keys;
};

/// What is to be baked, and what it is of.
struct Source {
    Take take;
    io::ModelChannels channels;
};

[[noreturn]] void refuse(const std::string& what) {
    throw UsageProblem{"hopcoil bake: " + what};
}

/// A column of a table from elsewhere may be in degrees.
bool in_degrees(const RecordedChannel& channel) {
    return channel.name.ends_with("_deg");
}

bool is_angle(const RecordedChannel& channel) {
    return channel.kind == ChannelKind::scalar && (channel.unit == "rad" || in_degrees(channel));
}

bool is_turn(const RecordedChannel& channel) {
    return channel.kind == ChannelKind::rotation || is_angle(channel);
}

/// The stretch that was asked for, at the rate that was asked for, as a loop if that was.
void edit(Take& take, const BakeOptions& options) {
    if (options.from_s || options.to_s) {
        take = trimmed(take, options.from_s.value_or(take.times_s().front()),
                       options.to_s.value_or(take.times_s().back()));
    }
    if (options.rate_hz) take = resampled(take, *options.rate_hz);
    if (options.loop_over_s) take = looped(take, *options.loop_over_s);
}

Source source_of(const BakeOptions& options) {
    Source source;
    if (options.source.extension() == ".toml") {
        scene::Scene scene = scene::read_scene(options.source.string(), options.seed);
        make_changes(scene, options.changes, "bake");
        scene.record.clear();
        scene::run(scene, source.take);
        source.take.set_made_by(made_by_scene("bake", scene).dump());
        source.channels = scene::model_channels_of(scene, source.take);
    } else {
        source.take = io::read_take(options.source);
        if (source.take.row_count() == 0) {
            refuse(fmt::format("{}: it has no rows", options.source.string()));
        }
        source.channels.nodes = io::nodes_of(source.take);
    }
    try {
        edit(source.take, options);
    } catch (const InvalidValue& problem) {
        refuse(problem.what());
    }
    return source;
}

bool can_be_baked(const RecordedChannel& channel) {
    return channel.kind != ChannelKind::flag && channel.kind != ChannelKind::event;
}

/// The channels that were named, or every value; all there are when nothing is called a value.
std::vector<std::size_t> chosen_channels(const Take& take, const std::vector<std::string>& named) {
    std::vector<std::string> all;
    std::vector<std::size_t> chosen;
    for (std::size_t i = 0; i < take.channels().size(); ++i) {
        const RecordedChannel& channel = take.channels()[i];
        all.push_back(channel.name);
        const bool is_value = channel.name.find(".value") != std::string::npos;
        if (named.empty() && is_value && can_be_baked(channel)) chosen.push_back(i);
    }
    for (const std::string& name : named) {
        if (name.find('*') != std::string::npos) {
            const std::size_t before = chosen.size();
            for (std::size_t i = 0; i < all.size(); ++i) {
                if (scene::matches(name, all[i]) && can_be_baked(take.channels()[i]))
                    chosen.push_back(i);
            }
            if (chosen.size() > before) continue;
        }
        const auto channel = take.find_channel(name);
        if (!channel) {
            refuse("--channel: " + io::there_is_no("channel", name, all));
        }
        if (!can_be_baked(take.channels()[*channel])) {
            refuse(fmt::format("--channel: '{}' is a flag or an event, which has no keys", name));
        }
        chosen.push_back(*channel);
    }
    for (std::size_t i = 0; chosen.empty() && named.empty() && i < all.size(); ++i) {
        if (can_be_baked(take.channels()[i])) chosen.push_back(i);
    }
    return chosen;
}

KeyShape shape_of(const BakeOptions& options) {
    return options.shape == "straight" ? KeyShape::straight : KeyShape::cubic;
}

Baked bake(const Take& take, std::size_t index, const BakeOptions& options) {
    Baked baked{.channel = take.channels()[index], .columns = {}, .keys = {}};
    const Take::Columns place = take.columns_of(index);
    std::vector<std::vector<double>> columns;
    for (std::size_t k = place.first; k < place.first + place.count; ++k) {
        columns.push_back(take.column(k));
        baked.columns.push_back(take.column_names()[k]);
    }
    const bool degrees = in_degrees(baked.channel);
    baked.tolerance = options.tolerance;
    if (is_turn(baked.channel)) {
        baked.tolerance = options.angle_tolerance_deg * (degrees ? 1 : math::pi / 180);
    }
    if (is_angle(baked.channel)) {
        columns[0] = scene::unwrapped(std::move(columns[0]), degrees ? 360 : 2 * math::pi);
    }
    const RowKind kind =
        baked.channel.kind == ChannelKind::rotation ? RowKind::rotation : RowKind::vector;
    try {
        baked.keys =
            reduce_rows(take.times_s(), columns, kind, {baked.tolerance, shape_of(options)});
    } catch (const InvalidValue& problem) {
        refuse(fmt::format("{}: {}", baked.channel.name, problem.what()));
    }
    return baked;
}

std::string to_csv(const std::vector<Baked>& all) {
    const bool several = all.size() > 1 || all.front().columns.size() > 1;
    std::string text = several ? "channel,time_s,value,slope_before,slope_after\n"
                               : "time_s,value,slope_before,slope_after\n";
    for (const Baked& baked : all) {
        for (std::size_t k = 0; k < baked.columns.size(); ++k) {
            for (const CurveKey& key : baked.keys.curves[k].keys()) {
                if (several) text += baked.columns[k] + ',';
                text += fmt::format("{},{},{},{}\n", key.time_s, key.value, key.slope_before,
                                    key.slope_after);
            }
        }
    }
    return text;
}

/// A number, or a list of one for each component.
Json numbers_of(const Baked& baked, std::size_t key, double CurveKey::*member) {
    Json numbers = Json::array();
    for (const KeyCurve& curve : baked.keys.curves)
        numbers.push_back(curve.keys()[key].*member);
    return numbers.size() == 1 ? numbers[0] : numbers;
}

Json to_json(const std::vector<Baked>& all, const Source& source, const BakeOptions& options) {
    Json json{{"made_by", source.take.made_by().empty() ? made_by("bake")
                                                        : Json::parse(source.take.made_by())},
              {"channels", Json::array()}};
    json["made_by"]["source"] = options.source.string();
    json["made_by"]["shape"] = options.shape;
    for (const Baked& baked : all) {
        Json channel{{"name", baked.channel.name},
                     {"unit", in_degrees(baked.channel) ? "deg" : baked.channel.unit},
                     {"components", baked.columns.size()},
                     {"samples", baked.keys.samples},
                     {"tolerance", baked.tolerance},
                     {"largest_error", baked.keys.largest_error},
                     {"keys", Json::array()}};
        for (std::size_t i = 0; i < baked.keys.curves.front().keys().size(); ++i) {
            channel["keys"].push_back(
                {{"time_s", baked.keys.curves.front().keys()[i].time_s},
                 {"value", numbers_of(baked, i, &CurveKey::value)},
                 {"slope_before", numbers_of(baked, i, &CurveKey::slope_before)},
                 {"slope_after", numbers_of(baked, i, &CurveKey::slope_after)}});
        }
        json["channels"].push_back(std::move(channel));
    }
    return json;
}

void print_summary(const std::vector<Baked>& all) {
    std::size_t samples = 0;
    std::size_t keys = 0;
    for (const Baked& baked : all) {
        const std::size_t count = baked.keys.curves.front().keys().size();
        const bool radians = is_turn(baked.channel) && !in_degrees(baked.channel);
        const std::string unit = is_turn(baked.channel)       ? " deg"
                                 : baked.channel.unit.empty() ? ""
                                                              : " " + baked.channel.unit;
        fmt::print("{:<24} {:>7} samples -> {:>5} keys, largest error {:.3g}{}\n",
                   baked.channel.name, baked.keys.samples, count,
                   baked.keys.largest_error * (radians ? 180 / math::pi : 1), unit);
        samples += baked.keys.samples;
        keys += count;
    }
    fmt::print("{:.3g} times fewer keys than samples\n",
               static_cast<double>(samples) / static_cast<double>(keys));
}

/// A model whose nodes have the take's keys, each part of a node its own.
ExitCode bake_model(const Source& source, const BakeOptions& options) {
    if (!options.channels.empty()) {
        refuse("--channel does not go with a model: it has a node for all that moves");
    }
    if (source.channels.empty()) {
        refuse(fmt::format("{}: nothing in it is a place or a turn, so there is no node to make",
                           options.source.string()));
    }
    io::ModelSettings settings{
        .distance = KeyReductionSettings{options.tolerance, shape_of(options)},
        .angle_rad = options.angle_tolerance_deg * math::pi / 180};
    io::BakedModel baked = io::model_of(source.take, source.channels, settings);
    Json origin =
        source.take.made_by().empty() ? made_by("bake") : Json::parse(source.take.made_by());
    origin["source"] = options.source.string();
    origin["motion"] = options.source.extension() == ".toml" ? "simulated" : "source";
    baked.model.made_by = origin.dump();
    baked.model.animation = options.source.stem().string();
    io::write_model(options.out, baked.model);
    if (options.json) {
        print_json({{"made_by", origin},
                    {"nodes", baked.model.nodes.size()},
                    {"samples", baked.samples},
                    {"keys", baked.keys},
                    {"largest_error_m", baked.largest_error_m},
                    {"largest_error_rad", baked.largest_error_rad},
                    {"files", {{"model", options.out.string()}}}});
        return ExitCode::done;
    }
    fmt::print(
        "{} node{}, {} samples -> {} keys, largest error {:.3g} m, {:.3g} deg\nwritten: {}\n",
        baked.model.nodes.size(), baked.model.nodes.size() == 1 ? "" : "s", baked.samples,
        baked.keys, baked.largest_error_m, baked.largest_error_rad * 180 / math::pi,
        options.out.string());
    return ExitCode::done;
}

}  // namespace

ExitCode run_bake(const BakeOptions& options) {
    const bool as_json = options.out.extension() == ".json";
    if (!options.out.empty() && !as_json && !io::is_model_file(options.out) &&
        options.out.extension() != ".csv") {
        refuse(fmt::format("--out {}: expected a name that ends in .csv, .json, .gltf or .glb",
                           options.out.string()));
    }
    const bool is_scene = options.source.extension() == ".toml";
    if (!is_scene && !io::is_take_file(options.source)) {
        refuse(fmt::format("{}: expected a scene (.toml) or a take (.csv, .json)",
                           options.source.string()));
    }
    if (!options.changes.changes.empty() && !is_scene) {
        refuse("--set goes with a scene: a take is what it is");
    }
    const Source source = source_of(options);
    if (io::is_model_file(options.out)) return bake_model(source, options);
    std::vector<Baked> all;
    for (const std::size_t channel : chosen_channels(source.take, options.channels))
        all.push_back(bake(source.take, channel, options));
    const auto json = [&] {
        return to_json(all, source, options);
    };
    if (!options.out.empty()) {
        io::write_text_file(options.out, as_json ? json().dump(2) + '\n' : to_csv(all));
    }
    if (options.json) {
        print_json(json());
        return ExitCode::done;
    }
    print_summary(all);
    if (!options.out.empty()) fmt::print("written: {}\n", options.out.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
