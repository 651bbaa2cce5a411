#include "reading.hpp"

#include <cmath>

namespace hopcoil::scene {
namespace {

std::string unit_in_words(const std::string& unit) {
    if (unit == "rad") return "an angle (_deg or _rad)";
    return unit == "m" ? "a length (_m)" : "a number without unit";
}

}  // namespace

std::string key_of_field(const TableReader& reader, const std::string& field) {
    std::string spelled = reader.as_spelled(field);
    if (reader.has(spelled)) return spelled;
    for (const auto& [key, node] : reader.raw()) {
        std::string text{key.str()};
        if (text.starts_with(field + '_') && (node.is_number() || node.is_array())) return text;
    }
    return {};
}

double required(TableReader& reader, const std::string& key) {
    if (!reader.has(key)) reader.problem("", fmt::format("expected a key '{}'", key));
    return reader.number(key).value_or(1);
}

std::optional<double> whole_number(TableReader& reader, const std::string& key, double least,
                                   double most) {
    const std::optional<double> value = reader.number(key);
    if (!value) return std::nullopt;
    if (*value >= least && *value <= most && *value == std::floor(*value)) return value;
    reader.problem(key,
                   fmt::format("expected a whole number, {} to {}, found {}", least, most, *value));
    return std::nullopt;
}

std::vector<double> number_list(TableReader& reader, const std::string& key) {
    std::vector<double> numbers;
    const toml::node* const node = reader.raw().get(key);
    if (node != nullptr && node->is_number()) {
        if (const auto one = reader.number(key)) numbers.push_back(*one);
        return numbers;
    }
    const toml::array* const list = reader.array(key);
    for (std::size_t i = 0; list != nullptr && i < list->size(); ++i) {
        const auto number = list->get(i)->value<double>();
        if (!number || !std::isfinite(*number)) {
            reader.problem(
                key, fmt::format("expected finite numbers, found {}", kind_of(*list->get(i))));
            break;
        }
        numbers.push_back(*number);
    }
    return numbers;
}

namespace {

void agree_on_unit(TableReader& reader, const Quantity& quantity, Shape& shape) {
    if (shape.unit && *shape.unit != quantity.unit) {
        reader.problem(quantity.key,
                       fmt::format("it is {}, but what it goes with is {}",
                                   unit_in_words(quantity.unit), unit_in_words(*shape.unit)));
    }
    if (!shape.unit) shape.unit = quantity.unit;
}

std::string count_in_words(const Shape& shape) {
    if (shape.kind == ValueKind::rotation) return "three turns, about x, y and z";
    return shape.count == 1 ? "one number" : fmt::format("a list of {} numbers", *shape.count);
}

}  // namespace

std::optional<ValueArray> in_shape(TableReader& reader, const Quantity& quantity, Shape& shape,
                                   OneForAll one) {
    agree_on_unit(reader, quantity, shape);
    if (!shape.count) shape.count = quantity.count;
    if (one == OneForAll::yes && !quantity.is_list) return ValueArray::all(quantity.value[0]);
    if (quantity.count == *shape.count) return quantity.value;
    reader.problem(
        quantity.key,
        fmt::format("expected {}, found {}", count_in_words(shape),
                    quantity.is_list ? fmt::format("a list of {}", quantity.count) : "one number"));
    return std::nullopt;
}

std::optional<ValueArray> in_shape(TableReader& reader, const std::string& key, Shape& shape,
                                   OneForAll one) {
    const std::optional<Quantity> quantity = reader.quantity(key);
    return quantity ? in_shape(reader, *quantity, shape, one) : std::nullopt;
}

std::optional<double> in_unit(TableReader& reader, const std::string& key, Shape& shape) {
    const std::optional<Quantity> quantity = reader.quantity(key);
    if (!quantity) return std::nullopt;
    agree_on_unit(reader, *quantity, shape);
    if (!quantity->is_list) return quantity->value[0];
    reader.problem(quantity->key, "expected one number: it is a length, whatever the direction");
    return std::nullopt;
}

ValueArray factors(TableReader& reader, const std::string& key, const Shape& shape) {
    Shape plain{.unit = "", .count = shape.count};
    return in_shape(reader, key, plain, OneForAll::yes).value_or(ValueArray::all(1));
}

}  // namespace hopcoil::scene
