#include "take_text.hpp"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <string_view>

#include <fmt/compile.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/take/take.hpp>

#include "channel_names.hpp"

namespace hopcoil::io {
namespace {

std::string json_text(const std::string& text) {
    using Json = nlohmann::json;
    return Json(text).dump(-1, ' ', false, Json::error_handler_t::replace);
}

/// The longest that a number can be, and what stands between two.
constexpr std::size_t most_letters = 26;

char* put_number(char* at, double number) {
    return fmt::format_to(at, FMT_COMPILE("{}"), number);
}

/// A whole number is read back as one, which has no negative zero.
char* put_json_number(char* at, double number) {
    if (number != 0 || !std::signbit(number)) return put_number(at, number);
    constexpr std::string_view negative_zero = "-0.0";
    return std::copy(negative_zero.begin(), negative_zero.end(), at);
}

/// Room for so many numbers at the end of a text, filled by `put`, which answers where it ended.
template <class Put>
void append_numbers(std::string& text, std::size_t count, const Put& put) {
    const std::size_t start = text.size();
    text.resize(start + count * most_letters);
    char* const begin = text.data() + start;
    text.resize(start + static_cast<std::size_t>(put(begin) - begin));
}

}  // namespace

void append_csv_header(std::string& text, std::span<const RecordedChannel> channels) {
    text += "time_s";
    for (const std::string& name : column_names_of(channels)) {
        text += ',';
        text += csv_field(name);
    }
    text += '\n';
}

void append_csv_row(std::string& text, double time_s, std::span<const double> numbers) {
    append_numbers(text, numbers.size() + 1, [&](char* at) {
        at = put_number(at, time_s);
        for (const double number : numbers) {
            *at++ = ',';
            at = put_number(at, number);
        }
        *at++ = '\n';
        return at;
    });
}

void append_json_header(std::string& text, std::span<const RecordedChannel> channels,
                        const std::string& made_by) {
    text += "{\n\"take\": 1,\n\"made_by\": ";
    text += made_by.empty() ? "{}" : nlohmann::json::parse(made_by).dump();
    text += ",\n\"channels\": [";
    for (std::size_t i = 0; i < channels.size(); ++i) {
        const RecordedChannel& channel = channels[i];
        text += i == 0 ? "\n" : ",\n";
        text += fmt::format(R"({{"name": {}, "kind": "{}", "components": {}, "unit": {})",
                            json_text(channel.name), name_of(channel.kind), channel.components,
                            json_text(channel.unit));
        if (channel.count > 1) text += fmt::format(R"(, "count": {})", channel.count);
        if (!channel.alive.empty())
            text += fmt::format(R"(, "alive": {})", json_text(channel.alive));
        text += '}';
    }
    text += "\n],\n\"rows\": [";
}

void append_json_row(std::string& text, double time_s, std::span<const double> numbers,
                     bool is_first) {
    text += is_first ? "\n[" : ",\n[";
    append_numbers(text, numbers.size() + 1, [&](char* at) {
        at = put_json_number(at, time_s);
        for (const double number : numbers) {
            *at++ = ',';
            *at++ = ' ';
            at = put_json_number(at, number);
        }
        *at++ = ']';
        return at;
    });
}

void append_json_end(std::string& text, const std::string& ended_early) {
    text += "\n]";
    if (!ended_early.empty()) text += ",\n\"ended_early\": " + json_text(ended_early);
    text += "\n}\n";
}

}  // namespace hopcoil::io
