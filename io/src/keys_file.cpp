#include <algorithm>
#include <array>
#include <filesystem>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/keys_file.hpp>
#include <hopcoil/io/text_file.hpp>

#include "json_at.hpp"

namespace hopcoil::io {
namespace {

constexpr std::array<std::pair<const char*, double CurveKey::*>, 3> members{
    {{"value", &CurveKey::value},
     {"slope_before", &CurveKey::slope_before},
     {"slope_after", &CurveKey::slope_after}}};

std::vector<KeyedChannel> keys_in_table(const CsvTable& table) {
    const std::vector<double> times_s = number_column(table, "time_s");
    std::array<std::vector<double>, members.size()> columns;
    for (std::size_t k = 0; k < members.size(); ++k)
        columns.at(k) = number_column(table, members.at(k).first);
    const auto named = std::find(table.header.begin(), table.header.end(), "channel");
    const auto name_column = static_cast<std::size_t>(named - table.header.begin());
    std::vector<std::pair<std::string, std::vector<CurveKey>>> curves;
    for (std::size_t row = 0; row < times_s.size(); ++row) {
        const std::string name =
            named == table.header.end() ? std::string{} : table.rows[row][name_column];
        if (curves.empty() || curves.back().first != name) curves.emplace_back(name, 0);
        CurveKey key{.time_s = times_s[row]};
        for (std::size_t k = 0; k < members.size(); ++k)
            key.*members.at(k).second = columns.at(k)[row];
        curves.back().second.push_back(key);
    }
    std::vector<KeyedChannel> channels;
    for (auto& [name, keys] : curves) {
        try {
            channels.push_back({.name = name, .curves = {KeyCurve{std::move(keys)}}});
        } catch (const InvalidValue& problem) {
            refuse_input({table.file, 0, 0}, name, problem.what());
        }
    }
    return channels;
}

KeyedChannel channel_at(const JsonAt& json) {
    KeyedChannel channel{.name = json["name"].text(), .unit = json["unit"].text()};
    const std::size_t components = json["components"].index();
    if (components == 0) json["components"].fail("expected 1 or more");
    const JsonAt keys = json["keys"];
    for (std::size_t k = 0; k < components; ++k) {
        std::vector<CurveKey> curve;
        for (std::size_t i = 0; i < keys.size(); ++i) {
            CurveKey key{.time_s = keys[i]["time_s"].number()};
            for (const auto& [name, member] : members) {
                const JsonAt value = keys[i][name];
                key.*member = components == 1 ? value.number() : value[k].number();
            }
            curve.push_back(key);
        }
        try {
            channel.curves.emplace_back(std::move(curve));
        } catch (const InvalidValue& problem) {
            keys.fail(problem.what());
        }
    }
    return channel;
}

}  // namespace

std::vector<KeyedChannel> read_keys(const std::string& path) {
    if (std::filesystem::path{path}.extension() != ".json") return keys_in_table(read_csv(path));
    const Json json = parse_json(read_text_file(path), path);
    const JsonAt list = JsonAt{json, path}["channels"];
    std::vector<KeyedChannel> channels;
    for (std::size_t i = 0; i < list.size(); ++i)
        channels.push_back(channel_at(list[i]));
    return channels;
}

}  // namespace hopcoil::io
