#include "page/columns_text.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <iterator>

#include <fmt/format.h>

#include <hopcoil/scene/pattern.hpp>

namespace hopcoil::page {
namespace {

/// JSON has no word for what is not finite.
void append_number(std::string& text, double number) {
    const auto narrow = static_cast<float>(number);
    if (std::isfinite(narrow)) {
        fmt::format_to(std::back_inserter(text), "{}", narrow);
    } else {
        text += "null";
    }
}

std::vector<std::size_t> chosen_rows(std::size_t count, std::size_t most) {
    std::vector<std::size_t> rows;
    if (count == 0) return rows;
    const std::size_t stride = count <= most ? 1 : (count + most - 2) / (most - 1);
    for (std::size_t row = 0; row < count; row += stride)
        rows.push_back(row);
    if (rows.back() != count - 1) rows.push_back(count - 1);
    return rows;
}

bool is_chosen(const std::vector<std::string>& patterns, const std::string& name) {
    return patterns.empty() ||
           std::any_of(patterns.begin(), patterns.end(),
                       [&](const std::string& pattern) { return scene::matches(pattern, name); });
}

}  // namespace

std::string list_text(const std::vector<double>& numbers) {
    std::string text{'['};
    for (const double number : numbers) {
        if (text.size() > 1) text += ',';
        append_number(text, number);
    }
    text += ']';
    return text;
}

std::string columns_text(const Take& take, const std::vector<std::string>& patterns,
                         std::size_t most_rows) {
    const std::vector<std::size_t> rows =
        chosen_rows(take.row_count(), std::max<std::size_t>(most_rows, 2));
    std::string text{R"({"times_s":[)"};
    for (const std::size_t row : rows) {
        if (text.back() != '[') text += ',';
        fmt::format_to(std::back_inserter(text), "{:.9g}", take.times_s()[row]);
    }
    text += R"(],"columns":{)";
    bool is_first = true;
    for (std::size_t channel = 0; channel < take.channels().size(); ++channel) {
        if (!is_chosen(patterns, take.channels()[channel].name)) continue;
        const Take::Columns place = take.columns_of(channel);
        for (std::size_t k = place.first; k < place.first + place.count; ++k) {
            fmt::format_to(std::back_inserter(text), "{}\"{}\":[", is_first ? "" : ",",
                           take.column_names()[k]);
            is_first = false;
            for (const std::size_t row : rows) {
                if (text.back() != '[') text += ',';
                append_number(text, take.row(row)[k]);
            }
            text += ']';
        }
    }
    return text + "}}";
}

std::string with_key(std::string object, std::string_view key, std::string_view value) {
    object.pop_back();  // its closing brace
    fmt::format_to(std::back_inserter(object), "{}\"{}\":{}}}", object.size() > 1 ? "," : "", key,
                   value);
    return object;
}

}  // namespace hopcoil::page
