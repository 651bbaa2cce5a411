#include "read_pictures.hpp"

#include <algorithm>
#include <array>

#include <fmt/format.h>

namespace hopcoil::scene {
namespace {

/// The index of a choice in a list; the first when it is missing.
template <std::size_t n>
std::size_t chosen(TableReader& reader, const std::string& key,
                   const std::array<const char*, n>& choices) {
    const auto name = reader.choice(key);
    for (std::size_t i = 0; i < n; ++i) {
        if (name && *name == choices[i]) return i;
    }
    return 0;
}

void require_more_than_none(TableReader& reader, const std::string& key, double number) {
    if (!(number > 0)) {
        reader.problem(key, fmt::format("expected a number above 0, found {}", number));
    }
}

}  // namespace

namespace {

std::optional<Colour> colour_from(TableReader& reader, const std::string& key,
                                  const std::string& text) {
    const bool is_colour = text.size() == 7 && text.front() == '#' &&
                           text.find_first_not_of("0123456789abcdefABCDEF", 1) == std::string::npos;
    if (!is_colour) {
        reader.problem(key, fmt::format("expected a colour such as \"#c86432\", found '{}'", text));
        return std::nullopt;
    }
    Colour colour{};
    for (std::size_t i = 0; i < colour.size(); ++i)
        colour.at(i) = std::stoi(text.substr(1 + 2 * i, 2), nullptr, 16) / 255.0;
    return colour;
}

}  // namespace

std::optional<Colour> read_colour(TableReader& reader, const std::string& key) {
    const auto text = reader.text(key);
    return text ? colour_from(reader, key, *text) : std::nullopt;
}

std::vector<Colour> read_colours(TableReader& reader, const std::string& key) {
    std::vector<Colour> colours;
    for (const std::string& text : reader.texts(key)) {
        if (const auto colour = colour_from(reader, key, text)) colours.push_back(*colour);
    }
    return colours;
}

void read_look(TableReader& reader, Body& body, const DeclaredNames& declared) {
    if (reader.has("shape")) {
        body.shape = static_cast<BodyShape>(
            chosen(reader, "shape", std::array{"diamond", "disc", "arrow", "box"}));
    }
    body.length_m = reader.number("length_m");
    if (body.length_m) require_more_than_none(reader, "length_m", *body.length_m);
    if (const auto at = reader.quantity("at_m")) {
        if (at->count != 3) reader.problem("at_m", "expected three numbers, x, y and z");
        body.at_m = {at->value[0], at->value[1], at->value[2]};
    }
    if (const auto pivot = reader.quantity("pivot_m")) {
        if (pivot->count != 3) reader.problem("pivot_m", "expected three numbers, x, y and z");
        body.pivot_m = {pivot->value[0], pivot->value[1], pivot->value[2]};
    }
    body.look.colour = read_colour(reader, "colour");
    body.look.order = reader.number("order").value_or(0);
    body.joined_to = reader.text("joined_to").value_or("");
    const auto& bodies = declared.bodies;
    const bool is_there = std::find(bodies.begin(), bodies.end(), body.joined_to) != bodies.end();
    if (!body.joined_to.empty() && !is_there) {
        reader.problem("joined_to", io::there_is_no("body", body.joined_to, bodies));
    }
}

std::optional<OutputRef> PictureReader::output(TableReader& reader, const std::string& key) {
    const auto name = reader.text(key);
    if (!name) return std::nullopt;
    const auto found = builder_.find_output(*name);
    if (!found || found->component) {
        builder_.complain_of_output(reader, key, *name);
        return std::nullopt;
    }
    const Port port = scene_.systems[found->output.system].spec->outputs().at(found->output.port);
    const bool is_amount = port.kind == ValueKind::vector || port.kind == ValueKind::number;
    const bool is_turn = port.kind == ValueKind::rotation || port.kind == ValueKind::angle;
    if (!(key == "rotation" ? is_turn : is_amount)) {
        reader.problem(key, fmt::format("expected {}", key == "rotation" ? "a rotation or an angle"
                                                                         : "a number or a vector"));
    }
    if (port.count > 1) {
        reader.problem(key, fmt::format("'{}' has {} places and a body needs one: name a spot of "
                                        "'carried', or a [follower.NAME] of '{}'",
                                        *name, port.count, *name));
        return std::nullopt;
    }
    return found->output;
}

void PictureReader::read_body(TableReader& reader, const std::string& name) {
    builder_.refuse_taken(reader, name);
    Body body{.name = name};
    body.position = output(reader, "position");
    body.rotation = output(reader, "rotation");
    body.scale = output(reader, "scale");
    body.axis = chosen(reader, "axis", std::array{"x", "y", "z"});
    body.turn_axis = chosen(reader, "turn_axis", std::array{"y", "x", "z"});
    body.turn_axis = body.turn_axis == 0 ? 1 : body.turn_axis == 1 ? 0 : 2;
    read_look(reader, body, declared_);
    if (reader.raw().empty()) {
        reader.problem("", "expected one of position, rotation, scale and at_m");
    }
    scene_.bodies.push_back(std::move(body));
}

void PictureReader::read_picture(TableReader& reader, const std::string& name) {
    PictureSettings picture{.name = name};
    picture.kind = static_cast<PictureSettings::Kind>(
        chosen(reader, "kind", std::array{"paths", "strip", "film"}));
    picture.view = static_cast<PictureSettings::View>(
        chosen(reader, "view", std::array{"side", "top", "end", "slanted"}));
    picture.from_s = reader.number("from_s").value_or(0);
    picture.to_s = reader.number("to_s");
    picture.every_s = reader.number("every_s");
    if (picture.from_s < 0) reader.problem("from_s", "expected 0 or more");
    if (picture.to_s && !(*picture.to_s > picture.from_s)) {
        reader.problem("to_s", fmt::format("expected a time after from_s, {}, found {}",
                                           picture.from_s, *picture.to_s));
    }
    if (picture.every_s) require_more_than_none(reader, "every_s", *picture.every_s);
    picture.bodies = reader.texts("bodies");
    picture.around = reader.texts("around");
    picture.compare = reader.texts("compare");
    picture.references = reader.texts("references");
    for (auto* files : {&picture.compare, &picture.references}) {
        for (std::string& file : *files)
            file = (reader.folder() / file).string();
    }
    picture.references_from_s = reader.number("references_from_s").value_or(0);
    picture.references_every_s =
        reader.number("references_every_s").value_or(picture.references_every_s);
    picture.rate_hz = reader.number("rate_hz").value_or(picture.rate_hz);
    picture.speed = reader.number("speed").value_or(picture.speed);
    require_more_than_none(reader, "references_every_s", picture.references_every_s);
    require_more_than_none(reader, "rate_hz", picture.rate_hz);
    require_more_than_none(reader, "speed", picture.speed);
    picture.format = reader.choice("format").value_or("png");
    scene_.pictures.push_back(std::move(picture));
}

}  // namespace hopcoil::scene
