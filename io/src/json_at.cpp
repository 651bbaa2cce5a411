#include "json_at.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

namespace hopcoil::io {
namespace {

std::string in_words(const Json& value) {
    switch (value.type()) {
        case Json::value_t::object:
            return "an object";
        case Json::value_t::array:
            return "a list";
        case Json::value_t::string: {
            constexpr std::size_t longest = 40;
            const auto& text = value.get_ref<const std::string&>();
            return fmt::format("the string '{}{}'", text.substr(0, longest),
                               text.size() > longest ? "..." : "");
        }
        case Json::value_t::null:
            return "null";
        case Json::value_t::boolean:
            return value.get<bool>() ? "true" : "false";
        default:
            return fmt::format("the number {}", value.get<double>());
    }
}

}  // namespace

void JsonAt::fail(const std::string& message) const {
    refuse_input({file_, 0, 0}, pointer_.empty() ? "/" : pointer_, message);
}

void JsonAt::require_object() const {
    if (!value_->is_object()) fail(fmt::format("expected an object, found {}", in_words(*value_)));
}

JsonAt JsonAt::operator[](const std::string& key) const {
    const auto found = find(key);
    if (!found) fail(fmt::format("expected a key '{}'", key));
    return *found;
}

std::optional<JsonAt> JsonAt::find(const std::string& key) const {
    require_object();
    const auto found = value_->find(key);
    if (found == value_->end()) return std::nullopt;
    return JsonAt{*found, file_, pointer_ + '/' + key};
}

std::size_t JsonAt::size() const {
    if (!value_->is_array()) fail(fmt::format("expected a list, found {}", in_words(*value_)));
    return value_->size();
}

JsonAt JsonAt::operator[](std::size_t index) const {
    if (index >= size()) fail(fmt::format("expected more than {} entries", index));
    return JsonAt{(*value_)[index], file_, fmt::format("{}/{}", pointer_, index)};
}

std::string JsonAt::text() const {
    if (!value_->is_string()) fail(fmt::format("expected a string, found {}", in_words(*value_)));
    return value_->get<std::string>();
}

bool JsonAt::flag() const {
    if (!value_->is_boolean()) {
        fail(fmt::format("expected true or false, found {}", in_words(*value_)));
    }
    return value_->get<bool>();
}

double JsonAt::number() const {
    if (!value_->is_number() || !std::isfinite(value_->get<double>())) {
        fail(fmt::format("expected a finite number, found {}", in_words(*value_)));
    }
    return value_->get<double>();
}

std::size_t JsonAt::index() const {
    constexpr double most = 4e15;
    const double value = number();
    if (!(value >= 0 && value <= most && value == std::floor(value))) {
        fail(fmt::format("expected a whole number, 0 or more, found {}", value));
    }
    return static_cast<std::size_t>(value);
}

std::size_t JsonAt::index_or(const std::string& key, std::size_t otherwise) const {
    const auto found = find(key);
    return found ? found->index() : otherwise;
}

Json parse_json(const std::string& text, const std::string& file) {
    constexpr int deepest = 64;
    bool too_deep = false;
    const auto watch_depth = [&](int depth, Json::parse_event_t, Json&) {
        too_deep = too_deep || depth > deepest;
        return depth <= deepest;
    };
    const auto fail_at = [&](std::size_t byte, const std::string& message) {
        const std::size_t end = std::min(byte, text.size());
        const auto begin = text.begin();
        const auto line = 1 + std::count(begin, begin + static_cast<std::ptrdiff_t>(end), '\n');
        const std::size_t start = end == 0 ? std::string::npos : text.rfind('\n', end - 1);
        const std::size_t column = start == std::string::npos ? end + 1 : end - start;
        refuse_input({file, static_cast<std::size_t>(line), column}, "", message);
    };
    try {
        Json json = Json::parse(text, watch_depth);
        if (too_deep) {
            refuse_input({file, 0, 0}, "", fmt::format("nested deeper than {} levels", deepest));
        }
        return json;
    } catch (const Json::parse_error& error) {
        fail_at(error.byte == 0 ? 0 : error.byte - 1, "expected JSON: it is not well-formed here");
    } catch (const Json::exception& error) {
        fail_at(0, fmt::format("expected JSON: {}", error.what()));
    }
    return {};
}

}  // namespace hopcoil::io
