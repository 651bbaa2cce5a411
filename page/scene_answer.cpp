#include <algorithm>
#include <cmath>
#include <filesystem>
#include <optional>
#include <string>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/version.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "page/answers.hpp"

namespace hopcoil::page {
namespace {

using scene::ValueKind;

const char* name_of(ValueKind kind) {
    switch (kind) {
        case ValueKind::number:
            return "number";
        case ValueKind::angle:
            return "angle";
        case ValueKind::vector:
            return "vector";
        case ValueKind::rotation:
            break;
    }
    return "rotation";
}

const char* name_of(scene::BodyShape shape) {
    switch (shape) {
        case scene::BodyShape::diamond:
            return "diamond";
        case scene::BodyShape::disc:
            return "disc";
        case scene::BodyShape::arrow:
            return "arrow";
        case scene::BodyShape::box:
            break;
    }
    return "box";
}

const char* name_of(scene::PictureSettings::View view) {
    switch (view) {
        case scene::PictureSettings::View::side:
            return "side";
        case scene::PictureSettings::View::top:
            return "top";
        case scene::PictureSettings::View::end:
            return "end";
        case scene::PictureSettings::View::slanted:
            break;
    }
    return "slanted";
}

/// What a range has no end at is null.
Json bound(double number) {
    return std::abs(number) < unbounded ? Json(number) : Json(nullptr);
}

Json targets_of(const scene::Scene& scene) {
    Json list = Json::array();
    for (const scene::SceneTarget& target : scene.targets) {
        list.push_back({{"name", target.name},
                        {"kind", name_of(target.kind())},
                        {"unit", target.unit},
                        {"numbers", target.path.size()},
                        {"channel", scene::channel_name(target.name, "value", target.unit)},
                        {"is_driven", target.is_driven()},
                        {"can_be_held", !target.is_where_it_ends}});
    }
    return list;
}

/// Of several values the last one stands for all in charts.
std::string last_value_of(const std::string& channel, const scene::Port& port) {
    return port.count == 1 ? channel : fmt::format("{}.{}", channel, port.count - 1);
}

std::string colour_text(const scene::Colour& colour) {
    const auto part = [&](std::size_t i) {
        return static_cast<int>(std::lround(255 * std::clamp(colour.at(i), 0.0, 1.0)));
    };
    return fmt::format("#{:02x}{:02x}{:02x}", part(0), part(1), part(2));
}

const char* kind_of(const scene::View& view) {
    if (scene::is_line(view)) return "line";
    if (view.type == scene::View::Type::skeleton) return "bones";
    if (view.type == scene::View::Type::branches) return "branches";
    if (view.type == scene::View::Type::mesh) return "mesh";
    if (!view.age.empty()) return "dots";
    return view.type == scene::View::Type::points ? "rings" : "prints";
}

/// What is seen as points.
Json lines_json(const scene::Scene& scene, const Take& take) {
    Json list = Json::array();
    const auto channel = [&](const std::optional<std::size_t>& index) {
        return index ? Json(take.channels()[*index].name) : Json(nullptr);
    };
    for (const scene::LineChannel& line : scene::lines_of(scene, take)) {
        Json colours = Json::array();
        for (const scene::Colour& colour : line.view.colours)
            colours.push_back(colour_text(colour));
        list.push_back({{"name", line.name},
                        {"system", scene.systems[line.system].name},
                        {"kind", kind_of(line.view)},
                        {"alive", channel(line.alive)},
                        {"age", channel(line.age)},
                        {"turn", channel(line.turn)},
                        {"trail_s", line.view.trail_s},
                        {"note", channel(line.note)},
                        {"words", line.view.words},
                        {"parents", line.view.parents},
                        {"triangles", line.view.triangles},
                        {"channel", take.channels()[line.channel].name},
                        {"count", take.channels()[line.channel].count},
                        {"radius_m", line.view.radius_m},
                        {"smooth", line.view.is_smooth},
                        {"colours", std::move(colours)},
                        {"order", line.view.look.order}});
    }
    return list;
}

/// Whether its velocity can change at once: tried on the scene as it starts.
bool can_be_pushed(scene::LiveScene& live, std::size_t system, std::size_t port) {
    return live.push(system, scene::ValueArray{}, port);
}

/// Whether a hand can pull it: tried on the scene as it starts.
bool can_be_grabbed(scene::LiveScene& live, std::size_t system, std::size_t port) {
    const bool can = live.grab(system, scene::ValueArray{}, port);
    if (can) live.grab(system, std::nullopt, port);
    return can;
}

Json names_of_targets(const scene::Scene& scene, const scene::SceneSystem& system) {
    Json names = Json::array();
    for (const std::size_t target : system.targets)
        names.push_back(scene.targets[target].name);
    return names;
}

/// What charts show of a system in place of its value.
Json charted_of(const scene::SceneSystem& system) {
    const std::string signal = system.spec->charted_signal();
    if (signal.empty()) return nullptr;
    const std::string channel = fmt::format("{}.{}", system.name, signal);
    return {{"name", signal},
            {"value_kind", "number"},
            {"unit", ""},
            {"channel", channel},
            {"whole_channel", channel}};
}

Json movers_of(const scene::Scene& scene, scene::LiveScene& live) {
    Json list = Json::array();
    for (std::size_t each = 0; each < scene.systems.size(); ++each) {
        const scene::SceneSystem& system = scene.systems[each];
        const std::vector<scene::Port> ports = system.spec->outputs();
        const scene::StepResponder* const responder = system.spec->step_responder();
        for (std::size_t i = 0; i < ports.size(); ++i) {
            const scene::Port& port = ports[i];
            list.push_back(
                {{"name", scene::output_name(system, port)},
                 {"system", system.name},
                 {"kind", system.spec->kind()},
                 {"value_kind", name_of(port.kind)},
                 {"unit", port.unit},
                 {"numbers", port.components},
                 {"count", port.count},
                 {"target", system.targets.empty()
                                ? Json(nullptr)
                                : Json(scene.targets[system.targets.front()].name)},
                 {"targets", names_of_targets(scene, system)},
                 {"can_be_pushed", can_be_pushed(live, each, i)},
                 {"can_be_grabbed", can_be_grabbed(live, each, i)},
                 {"words", system.spec->in_words(i)},
                 {"channel", last_value_of(scene::value_channel(system, port), port)},
                 {"whole_channel", scene::value_channel(system, port)},
                 {"charted", i == 0 ? charted_of(system) : Json(nullptr)},
                 {"has_tuning", responder != nullptr && responder->tuning(i).has_value()}});
        }
    }
    return list;
}

/// How much of a dial's path names the output that it belongs to, or the whole system.
std::size_t owner_length(const scene::SceneSystem& system, const std::string& path) {
    std::size_t longest = system.name.size();
    for (const scene::Port& port : system.spec->outputs()) {
        const std::string name = scene::output_name(system, port);
        if (path.starts_with(name + '.')) longest = std::max(longest, name.size());
    }
    return longest;
}

/// What an owner of numbers is: "follower", "wind", "target" or "body".
std::string kind_of(const scene::Scene& scene, const std::string& owner) {
    for (const scene::SceneSystem& system : scene.systems) {
        if (system.name == owner || owner.starts_with(system.name + '.'))
            return std::string{system.spec->kind()};
    }
    for (const scene::SceneTarget& target : scene.targets) {
        if (target.name == owner) return "target";
    }
    return "body";
}

Json dials_json(const scene::Scene& scene) {
    Json list = Json::array();
    for (const scene::SceneDial& dial : scene::dials_of(scene)) {
        // A number of the files may have dots in its name; its owner has none.
        const std::size_t dot =
            dial.number ? dial.path.find('.') : owner_length(scene.systems[dial.system], dial.path);
        const std::string owner = dial.path.substr(0, dot);
        list.push_back({{"path", dial.path},
                        {"owner", owner},
                        {"owner_kind", kind_of(scene, owner)},
                        {"name", dial.path.substr(dot + 1)},
                        {"unit", dial.unit},
                        {"hard", {bound(dial.hard.least), bound(dial.hard.most)}},
                        {"slider", {dial.slider.least, dial.slider.most}},
                        {"scale", dial.scale == DialScale::logarithmic ? "logarithmic" : "linear"},
                        {"default", dial.default_value},
                        {"value", scene::value_of(scene, dial)}});
        if (!dial.names.empty()) list.back()["names"] = dial.names;
    }
    return list;
}

/// What is to be drawn, and which channels place, turn and size it.
Json solid_json(const io::Solid& solid) {
    return {{"corners", solid.corners_m}, {"faces", solid.faces}};
}

Json scenery_json(const scene::Scene& scene) {
    Json list = Json::array();
    for (const scene::Scenery& each : scene::scenery_of(scene)) {
        list.push_back({{"name", each.name},
                        {"solid", solid_json(each.solid)},
                        {"colour", colour_text(each.colour)}});
    }
    return list;
}

Json bodies_of(const scene::Scene& scene, const Take& take) {
    std::vector<io::NodeChannels> nodes = scene::nodes_of(scene, take);
    scene::spread_out(nodes, scene);
    Json list = Json::array();
    const auto channel = [&](const std::optional<std::size_t>& index) {
        return index ? Json(take.channels()[*index].name) : Json(nullptr);
    };
    for (const io::NodeChannels& node : nodes) {
        const scene::Body* body = scene::body_named(scene, node.name);
        const auto usual = node.rotation ? scene::BodyShape::diamond : scene::BodyShape::disc;
        Json json{{"name", node.name},
                  {"position", channel(node.position)},
                  {"rotation", channel(node.rotation)},
                  {"scale", channel(node.scale)},
                  {"at_m", node.at_m},
                  {"axis", node.axis},
                  {"turn_axis", node.turn_axis},
                  {"pivot_m", body == nullptr ? std::array<double, 3>{} : body->pivot_m},
                  {"shape", name_of(body == nullptr ? usual : body->shape.value_or(usual))},
                  {"length_m", nullptr},
                  {"joined_to", nullptr}};
        if (body != nullptr && body->look.colour) json["colour"] = colour_text(*body->look.colour);
        if (body != nullptr) json["order"] = body->look.order;
        if (node.length_m) json["length_m"] = *node.length_m;
        if (body != nullptr && body->length_m) json["length_m"] = *body->length_m;
        if (node.colour) json["colour"] = colour_text(*node.colour);
        if (!node.solid.empty()) {
            json["solid"] = solid_json(node.solid);
            json["length_m"] = 1;
        }
        if (body != nullptr && !body->joined_to.empty()) json["joined_to"] = body->joined_to;
        list.push_back(std::move(json));
    }
    return list;
}

/// Where the scene's own pictures look from; from above, where everything only turns about Y.
const char* view_of(const scene::Scene& scene, const Json& bodies) {
    if (!scene.pictures.empty()) return name_of(scene.pictures.front().view);
    bool any_place = false;
    for (const Json& body : bodies)
        any_place = any_place || !body["position"].is_null();
    return bodies.empty() || any_place ? "side" : "top";
}

}  // namespace

Json made_by_live(const scene::Scene& scene) {
    return {{"program", "hopcoil"},
            {"version", std::string{version}},
            {"command", "live"},
            {"interface", interface_version},
            {"scene", std::filesystem::path{scene.file}.filename().string()},
            {"seed", scene.is_random ? Json(scene.seed) : Json(nullptr)}};
}

Json scene_answer(const LiveFile::Snapshot& snapshot) {
    scene::Scene scene = *snapshot.scene;
    scene.record.clear();  // the page shows all of it, whatever a take keeps
    scene::LiveScene live{scene};
    Take take;
    take.begin(live.channels());
    Json bodies = bodies_of(scene, take);
    const char* const view = view_of(scene, bodies);
    return {{"made_by", made_by_live(scene)},
            {"revision", snapshot.revision},
            {"problem", snapshot.problem.empty() ? Json(nullptr) : Json(snapshot.problem)},
            {"title", scene.title},
            {"file", scene.file},
            {"duration_s", scene.duration_s},
            {"rate_hz", scene.rate_hz},
            {"view", view},
            {"targets", targets_of(scene)},
            {"movers", movers_of(scene, live)},
            {"bodies", std::move(bodies)},
            {"lines", lines_json(scene, take)},
            {"scenery", scenery_json(scene)},
            {"dials", dials_json(scene)}};
}

}  // namespace hopcoil::page
