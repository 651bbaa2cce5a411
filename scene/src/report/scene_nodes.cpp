#include <algorithm>

#include <fmt/format.h>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_nodes.hpp>

namespace hopcoil::scene {
namespace {

/// The channel of an output, where each of its values is one.
std::optional<std::size_t> channel_of(const Scene& scene, const Take& take,
                                      const OutputRef& output) {
    const SceneSystem& system = scene.systems[output.system];
    return take.find_channel(value_channel(system, system.spec->outputs().at(output.port)));
}

bool is_part_of(const Body& body, const OutputRef& output) {
    return body.position == output || body.rotation == output || body.scale == output;
}

/// What a system is seen as, unless it is part of a body that the scene names.
void add_body_view(std::vector<io::NodeChannels>& nodes, const Scene& scene, const Take& take,
                   std::size_t system, const View& view) {
    io::NodeChannels node{.name = scene.systems[system].name};
    if (!view.name.empty()) node.name += '.' + view.name;
    bool is_there = false;
    const auto put_port = [&](const std::optional<std::size_t>& port,
                              std::optional<std::size_t>& channel) {
        if (!port) return;
        const OutputRef output{system, *port};
        const bool is_part =
            std::any_of(scene.bodies.begin(), scene.bodies.end(),
                        [&](const Body& body) { return is_part_of(body, output); });
        if (!is_part) channel = channel_of(scene, take, output);
        is_there = is_there || channel.has_value();
    };
    put_port(view.position, node.position);
    put_port(view.rotation, node.rotation);
    put_port(view.scale, node.scale);
    if (!view.radius_m.empty()) node.length_m = 2 * view.radius_m.front();
    node.colour = view.look.colour;
    node.order = view.look.order;
    node.solid = view.solid;
    if (is_there) nodes.push_back(std::move(node));
}

}  // namespace

std::vector<io::NodeChannels> nodes_of(const Scene& scene, const Take& take) {
    std::vector<io::NodeChannels> nodes;
    for (const Body& body : scene.bodies) {
        io::NodeChannels node{
            .name = body.name, .at_m = body.at_m, .axis = body.axis, .turn_axis = body.turn_axis};
        if (body.position) node.position = channel_of(scene, take, *body.position);
        if (body.rotation) node.rotation = channel_of(scene, take, *body.rotation);
        if (body.scale) node.scale = channel_of(scene, take, *body.scale);
        nodes.push_back(std::move(node));
    }
    for (std::size_t i = 0; i < scene.systems.size(); ++i) {
        for (const View& view : scene.systems[i].spec->views()) {
            if (view.type == View::Type::body) add_body_view(nodes, scene, take, i, view);
        }
    }
    return nodes;
}

bool is_line(const View& view) {
    return view.type == View::Type::line || view.type == View::Type::tube;
}

std::vector<LineChannel> lines_of(const Scene& scene, const Take& take) {
    std::vector<LineChannel> lines;
    for (std::size_t i = 0; i < scene.systems.size(); ++i) {
        for (const View& view : scene.systems[i].spec->views()) {
            const bool has_points =
                is_line(view) || view.type == View::Type::points ||
                view.type == View::Type::footprint || view.type == View::Type::mesh ||
                view.type == View::Type::branches || view.type == View::Type::skeleton;
            if (!has_points || !view.position) continue;
            const auto channel = channel_of(scene, take, {i, *view.position});
            if (!channel) continue;
            const std::string& name = scene.systems[i].name;
            const auto signal = [&](const std::string& of) {
                return of.empty() ? std::nullopt
                                  : take.find_channel(fmt::format("{}.{}", name, of));
            };
            lines.push_back({.name = view.name.empty() ? name : name + '.' + view.name,
                             .system = i,
                             .channel = *channel,
                             .rotation = view.rotation
                                             ? channel_of(scene, take, {i, *view.rotation})
                                             : std::nullopt,
                             .alive = signal(view.alive),
                             .age = signal(view.age),
                             .turn = signal(view.turn),
                             .note = signal(view.note),
                             .view = view});
        }
    }
    return lines;
}

std::vector<Scenery> scenery_of(const Scene& scene) {
    std::vector<Scenery> all;
    for (const SceneSystem& system : scene.systems) {
        for (Scenery& each : system.spec->scenery()) {
            if (each.is_floor) continue;
            each.name = each.name.empty() ? system.name : system.name + '.' + each.name;
            all.push_back(std::move(each));
        }
    }
    return all;
}

bool has_floor(const Scene& scene) {
    return std::any_of(scene.systems.begin(), scene.systems.end(), [](const SceneSystem& system) {
        const std::vector<Scenery> scenery = system.spec->scenery();
        return std::any_of(scenery.begin(), scenery.end(),
                           [](const Scenery& each) { return each.is_floor; });
    });
}

namespace {

/// What came in for a body that goes where targets do, untouched.
void add_source(std::vector<io::NodeChannels>& nodes, const Scene& scene, const Take& take,
                const SceneSystem& system, const View& view) {
    const auto channel_in = [&](const std::optional<std::size_t>& index) {
        std::optional<std::size_t> channel;
        if (!index || *index >= system.targets.size()) return channel;
        const SceneTarget& target = scene.targets[system.targets[*index]];
        return take.find_channel(channel_name(target.name, "value", target.unit));
    };
    io::NodeChannels node{.name = system.name + '.' + view.name + ".source", .is_source = true};
    node.position = channel_in(view.source_position);
    node.rotation = channel_in(view.source_rotation);
    if (node.position || node.rotation) nodes.push_back(std::move(node));
}

}  // namespace

io::ModelChannels model_channels_of(const Scene& scene, const Take& take) {
    io::ModelChannels all{.nodes = nodes_of(scene, take)};
    for (Scenery& each : scenery_of(scene)) {
        all.nodes.push_back(
            {.name = std::move(each.name), .colour = each.colour, .solid = std::move(each.solid)});
    }
    for (const SceneSystem& system : scene.systems) {
        for (const View& view : system.spec->views())
            add_source(all.nodes, scene, take, system, view);
    }
    for (const LineChannel& line : lines_of(scene, take)) {
        if (line.view.is_aid) continue;
        if (line.view.type == View::Type::skeleton && line.rotation) {
            all.skeletons.push_back({.position = line.channel,
                                     .rotation = *line.rotation,
                                     .joints = line.view.joints,
                                     .parents = line.view.parents});
        }
        if (line.view.type == View::Type::branches) {
            all.branches.push_back({.name = line.name,
                                    .channel = line.channel,
                                    .parents = line.view.parents,
                                    .radius_m = line.view.radius_m,
                                    .colours = line.view.colours});
        }
        if (line.view.type == View::Type::mesh) {
            all.meshes.push_back({.name = line.name,
                                  .channel = line.channel,
                                  .triangles = line.view.triangles,
                                  .texture = line.view.texture,
                                  .colours = line.view.colours});
        }
        if (line.age && line.alive) {
            all.dots.push_back({.name = line.name,
                                .position = line.channel,
                                .alive = *line.alive,
                                .age = *line.age,
                                .turn = line.turn,
                                .radius_m = line.view.radius_m});
        }
        if (!is_line(line.view)) continue;
        all.tubes.push_back({.name = line.name,
                             .channel = line.channel,
                             .radius_m = line.view.radius_m,
                             .colours = line.view.colours});
    }
    return all;
}

const Body* body_named(const Scene& scene, const std::string& name) {
    const auto found = std::find_if(scene.bodies.begin(), scene.bodies.end(),
                                    [&](const Body& body) { return body.name == name; });
    return found == scene.bodies.end() ? nullptr : &*found;
}

void spread_out(std::vector<io::NodeChannels>& nodes, const Scene& scene) {
    constexpr double apart_m = 1.5;
    double next_m = 0;
    for (io::NodeChannels& node : nodes) {
        const bool stands = node.position || body_named(scene, node.name) != nullptr;
        if (stands) continue;
        node.at_m[0] = next_m;
        next_m += apart_m;
    }
}

}  // namespace hopcoil::scene
