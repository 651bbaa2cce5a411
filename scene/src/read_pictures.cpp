#include "read_pictures.hpp"

#include <algorithm>
#include <array>

#include <fmt/format.h>

namespace hopcoil::scene {
namespace {

/// Where in a list a choice stands; the first when it is missing.
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
    body.joined_to = reader.text("joined_to").value_or("");
    const auto& bodies = declared.bodies;
    const bool is_there = std::find(bodies.begin(), bodies.end(), body.joined_to) != bodies.end();
    if (!body.joined_to.empty() && !is_there) {
        reader.problem("joined_to",
                       fmt::format("there is no body '{}'; there is {}{}", body.joined_to,
                                   any_of(bodies), did_you_mean(body.joined_to, bodies)));
    }
}

std::optional<MoverPart> PictureReader::part(TableReader& reader, const std::string& key) {
    const auto name = reader.text(key);
    if (!name) return std::nullopt;
    const auto found = movers_.find_leader(*name);
    if (!found && movers_.is_unread(*name)) return std::nullopt;
    if (!found || found->component) {
        reader.problem(
            key, fmt::format("nothing that moves is named '{}'; there is {}{}", *name,
                             any_of(declared_.movers), did_you_mean(*name, declared_.movers)));
        return std::nullopt;
    }
    const ValueKind kind = scene_.targets[scene_.movers[found->mover].target].kind();
    const bool is_amount = kind == ValueKind::vector || kind == ValueKind::number;
    const bool is_turn = kind == ValueKind::rotation || kind == ValueKind::angle;
    if (!(key == "rotation" ? is_turn : is_amount)) {
        reader.problem(
            key, fmt::format("expected a mover of {}", key == "rotation" ? "a rotation or an angle"
                                                                         : "a number or a vector"));
    }
    return MoverPart{found->mover, found->part};
}

void PictureReader::read_body(TableReader& reader, const std::string& name) {
    movers_.refuse_taken(reader, name);
    Body body{.name = name};
    body.position = part(reader, "position");
    body.rotation = part(reader, "rotation");
    body.scale = part(reader, "scale");
    body.axis = chosen(reader, "axis", std::array{"x", "y", "z"});
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
