#include "page/request.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>

namespace hopcoil::page {
namespace {

constexpr std::size_t most_named = 100'000;

std::string shortened(const Json& json) {
    constexpr std::size_t most = 60;
    std::string text = json.dump(-1, ' ', true, Json::error_handler_t::replace);
    if (text.size() > most) text = text.substr(0, most) + "...";
    return text;
}

}  // namespace

Request Request::from_text(const std::string& text) {
    try {
        return {Json::parse(text.empty() ? "{}" : text), ""};
    } catch (const Json::exception& problem) {
        throw RequestProblem{bad_request,
                             fmt::format("the request is not JSON: {}", problem.what())};
    }
}

// Braces would make a list of the one object.
Request::Request(Json json, std::string where) : json_(std::move(json)), where_{std::move(where)} {
    if (!json_.is_object()) {
        throw RequestProblem{
            bad_request, fmt::format("{}: expected an object, found {}",
                                     where_.empty() ? "the request" : where_, shortened(json_))};
    }
}

std::string Request::place(const std::string& key) const {
    return where_.empty() ? key : where_ + '.' + key;
}

void Request::refuse(const std::string& key, const std::string& expected) const {
    const std::string found = has(key) ? shortened(json_.at(key)) : "nothing";
    throw RequestProblem{bad_request,
                         fmt::format("{}: expected {}, found {}", place(key), expected, found)};
}

double Request::number_from(const Json& json, const std::string& key) const {
    const bool finite = json.is_number() && std::isfinite(json.get<double>());
    if (finite) return json.get<double>();
    throw RequestProblem{bad_request, fmt::format("{}: expected a finite number, found {}",
                                                  place(key), shortened(json))};
}

double Request::number(const std::string& key, double least, double most,
                       std::optional<double> otherwise) const {
    if (!has(key) && otherwise) return *otherwise;
    const std::string expected = fmt::format("a number from {} to {}", least, most);
    if (!has(key) || !json_.at(key).is_number()) refuse(key, expected);
    const double value = json_.at(key).get<double>();
    if (!(value >= least && value <= most)) refuse(key, expected);
    return value;
}

std::string Request::text(const std::string& key,
                          const std::optional<std::string>& otherwise) const {
    if (!has(key) && otherwise) return *otherwise;
    if (!has(key) || !json_.at(key).is_string()) refuse(key, "a text");
    return json_.at(key).get<std::string>();
}

bool Request::flag(const std::string& key, bool otherwise) const {
    if (!has(key)) return otherwise;
    if (!json_.at(key).is_boolean()) refuse(key, "true or false");
    return json_.at(key).get<bool>();
}

std::vector<std::string> Request::texts(const std::string& key) const {
    std::vector<std::string> result;
    if (!has(key)) return result;
    if (!json_.at(key).is_array()) refuse(key, "a list of texts");
    for (const Json& each : json_.at(key)) {
        if (!each.is_string()) refuse(key, "a list of texts");
        result.push_back(each.get<std::string>());
    }
    return result;
}

std::vector<scene::SceneNumber> Request::numbers(const std::string& key) const {
    std::vector<scene::SceneNumber> result;
    if (!has(key)) return result;
    const Json& object = json_.at(key);
    if (!object.is_object() || object.size() > most_named) {
        refuse(key, "an object of numbers by their paths, such as {\"lamp.frequency_hz\": 2}");
    }
    for (const auto& [path, value] : object.items())
        result.push_back({path, number_from(value, fmt::format("{}.{}", key, path))});
    return result;
}

std::vector<Request> Request::each(const std::string& key, std::size_t most) const {
    std::vector<Request> result;
    if (!has(key)) return result;
    const Json& list = json_.at(key);
    if (!list.is_array() || list.size() > most)
        refuse(key, fmt::format("a list of at most {} objects", most));
    for (std::size_t i = 0; i < list.size(); ++i)
        result.emplace_back(list.at(i), fmt::format("{}.{}", place(key), i));
    return result;
}

std::vector<double> Request::list_from(const Json& json, const std::string& key,
                                       std::size_t most) const {
    if (!json.is_array() || json.size() > most) {
        throw RequestProblem{bad_request,
                             fmt::format("{}: expected a list of at most {} numbers, found {}",
                                         place(key), most, shortened(json))};
    }
    std::vector<double> numbers;
    numbers.reserve(json.size());
    for (const Json& each : json)
        numbers.push_back(number_from(each, key));
    return numbers;
}

std::vector<double> Request::list(const std::string& key, std::size_t most) const {
    return list_from(has(key) ? json_.at(key) : Json{}, key, most);
}

std::string Request::as_text(const std::string& key) const {
    return has(key) ? json_.at(key).dump() : "";
}

std::vector<Request::NamedNumbers> Request::lists(const std::string& key, std::size_t most) const {
    std::vector<NamedNumbers> result;
    if (!has(key)) return result;
    const Json& object = json_.at(key);
    if (!object.is_object()) refuse(key, "an object of lists of numbers by their names");
    for (const auto& [name, list] : object.items())
        result.push_back({name, list_from(list, fmt::format("{}.{}", key, name), most)});
    return result;
}

void Request::finish(const std::vector<std::string>& known) const {
    for (const auto& [key, value] : json_.items()) {
        if (std::find(known.begin(), known.end(), key) != known.end()) continue;
        throw RequestProblem{bad_request,
                             fmt::format("{}: unknown key; expected {}{}", place(key),
                                         io::any_of(known), io::did_you_mean(key, known))};
    }
}

}  // namespace hopcoil::page
