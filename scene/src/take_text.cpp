#include "take_text.hpp"

#include <array>
#include <cmath>
#include <iterator>
#include <string_view>

#include <fmt/compile.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <hopcoil/take/take.hpp>

#include "channel_names.hpp"
#include "csv_text.hpp"

namespace hopcoil::scene {
namespace {

std::string quoted(const std::string& text) {
    using Json = nlohmann::json;
    return Json(text).dump(-1, ' ', false, Json::error_handler_t::replace);
}

/// A whole number is read back as one, which has no negative zero.
void append_json_number(std::string& text, double number) {
    if (number == 0 && std::signbit(number)) {
        text += "-0.0";
    } else {
        append_number(text, number);
    }
}

}  // namespace

void append_number(std::string& text, double number) {
    std::array<char, 40> digits;
    char* const end = fmt::format_to(digits.data(), FMT_COMPILE("{}"), number);
    text.append(digits.data(), end);
}

void append_csv_header(std::string& text, std::span<const RecordedChannel> channels) {
    text += "time_s";
    for (const std::string& name : column_names_of(channels)) {
        text += ',';
        text += csv_field(name);
    }
    text += '\n';
}

void append_csv_row(std::string& text, double time_s, std::span<const double> numbers) {
    append_number(text, time_s);
    for (const double number : numbers) {
        text += ',';
        append_number(text, number);
    }
    text += '\n';
}

void append_json_header(std::string& text, std::span<const RecordedChannel> channels,
                        const std::string& made_by) {
    text += "{\n\"take\": 1,\n\"made_by\": ";
    text += made_by.empty() ? "{}" : nlohmann::json::parse(made_by).dump();
    text += ",\n\"channels\": [";
    for (std::size_t i = 0; i < channels.size(); ++i) {
        const RecordedChannel& channel = channels[i];
        text += i == 0 ? "\n" : ",\n";
        text += fmt::format(R"({{"name": {}, "kind": "{}", "components": {}, "unit": {}}})",
                            quoted(channel.name), name_of(channel.kind), channel.components,
                            quoted(channel.unit));
    }
    text += "\n],\n\"rows\": [";
}

void append_json_row(std::string& text, double time_s, std::span<const double> numbers,
                     bool is_first) {
    text += is_first ? "\n[" : ",\n[";
    append_json_number(text, time_s);
    for (const double number : numbers) {
        text += ", ";
        append_json_number(text, number);
    }
    text += ']';
}

void append_json_end(std::string& text) {
    text += "\n]\n}\n";
}

}  // namespace hopcoil::scene
