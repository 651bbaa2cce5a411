#include "scene_builder.hpp"

#include <algorithm>
#include <charconv>
#include <numeric>

#include <fmt/format.h>

#include "../targets/target_start.hpp"

namespace hopcoil::scene {
namespace {

bool contains(const std::vector<std::string>& names, const std::string& name) {
    return std::find(names.begin(), names.end(), name) != names.end();
}

/// "x" is 0, "w" is 3; as columns are named.
std::optional<std::size_t> component_named(const std::string& name) {
    static const std::string axes = "xyzw";
    if (name.size() != 1 || axes.find(name) == std::string::npos) return std::nullopt;
    return axes.find(name);
}

std::optional<std::size_t> index_named(const std::string& name) {
    std::size_t index = 0;
    const auto read = std::from_chars(name.data(), name.data() + name.size(), index);
    const bool is_whole = read.ec == std::errc{} && read.ptr == name.data() + name.size();
    return is_whole ? std::optional{index} : std::nullopt;
}

}  // namespace

void SceneBuilder::add(SceneSystem system, std::size_t place_in_files) {
    places_.push_back(place_in_files);
    scene_.systems.push_back(std::move(system));
}

void SceneBuilder::put_in_order() {
    std::vector<std::size_t> order(places_.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(),
                     [&](std::size_t a, std::size_t b) { return places_[a] < places_[b]; });
    std::vector<SceneSystem> sorted;
    std::vector<std::size_t> new_place(order.size());
    sorted.reserve(order.size());
    for (const std::size_t i : order) {
        new_place[i] = sorted.size();
        sorted.push_back(std::move(scene_.systems[i]));
    }
    scene_.systems = std::move(sorted);
    for (SceneSystem& system : scene_.systems) {
        for (std::size_t& field : system.fields)
            field = field == not_connected ? field : new_place[field];
    }
    for (SceneTarget& target : scene_.targets) {
        if (target.source) target.source->output.system = new_place[target.source->output.system];
        for (Layer& layer : target.layers)
            layer.source.output.system = new_place[layer.source.output.system];
    }
    for (Body& body : scene_.bodies) {
        for (auto* output : {&body.position, &body.rotation, &body.scale}) {
            if (*output) (*output)->system = new_place[(*output)->system];
        }
    }
}

/// All of an output, or one of its values.
std::optional<Source> SceneBuilder::find_whole_output(const std::string& name) const {
    for (std::size_t i = 0; i < scene_.systems.size(); ++i) {
        const SceneSystem& system = scene_.systems[i];
        if (name != system.name && !name.starts_with(system.name + '.')) continue;
        const std::vector<Port> ports = system.spec->outputs();
        if (ports.empty()) continue;
        const auto source_of = [&](std::size_t port, std::size_t index) {
            return Source{.output = {i, port}, .index = index};
        };
        if (name == system.name) {
            const std::size_t port = system.spec->main_output();
            return source_of(port, ports[port].count - 1);
        }
        for (std::size_t port = 0; port < ports.size(); ++port) {
            const std::string whole = output_name(system, ports[port]);
            if (name == whole) return source_of(port, ports[port].count - 1);
            if (!name.starts_with(whole + '.')) continue;
            const auto index = index_named(name.substr(whole.size() + 1));
            if (index && *index < ports[port].count && ports[port].count > 1)
                return source_of(port, *index);
        }
    }
    return std::nullopt;
}

std::optional<Source> SceneBuilder::find_output(const std::string& name) const {
    if (auto whole = find_whole_output(name)) return whole;
    const std::size_t dot = name.rfind('.');
    if (dot == std::string::npos) return std::nullopt;
    const auto component = component_named(name.substr(dot + 1));
    auto whole = component ? find_whole_output(name.substr(0, dot)) : std::nullopt;
    if (!whole) return std::nullopt;
    const Port port = scene_.systems[whole->output.system].spec->outputs().at(whole->output.port);
    if (port.kind != ValueKind::vector || *component >= port.components) return std::nullopt;
    whole->component = component;
    return whole;
}

ValueArray SceneBuilder::start_of_target(std::size_t index) {
    return start_of(scene_.targets.at(index), [&](const Source& source) {
        return started(source.output.system).output(source.output.port, source.index);
    });
}

const RunningSystem& SceneBuilder::started(std::size_t index) {
    started_.resize(scene_.systems.size());
    if (started_[index] != nullptr) return *started_[index];
    const SceneSystem& system = scene_.systems[index];
    std::vector<InputSample> samples;
    for (const std::size_t target : system.targets)
        samples.push_back({{start_of_target(target), {}}, false});
    std::vector<const RunningSystem*> fields;
    for (const std::size_t field : system.fields)
        fields.push_back(field == not_connected ? nullptr : &started(field));
    started_[index] = system.spec->start_running({samples, fields, 0});
    return *started_[index];
}

SceneTarget SceneBuilder::driven_target(const std::string& name, const Source& source) {
    const Port port = scene_.systems[source.output.system].spec->outputs().at(source.output.port);
    const std::size_t count = source.component ? 1 : port.components;
    const ValueAndVelocity now =
        started(source.output.system).output(source.output.port, source.index);
    const ValueArray start = source.seen({now.value, {}}, count).value;
    std::vector<Target> components;
    for (std::size_t i = 0; i < count; ++i)
        components.emplace_back(MovesTarget{start[i], {}, {}});
    return {.name = name,
            .unit = port.unit,
            .path = Trajectory{source.component ? ValueKind::number : port.kind, components},
            .is_made_of_moves = true,
            .source = source};
}

/// What another system does is a target too; the take shows it beside the one that asks for it.
std::size_t SceneBuilder::target_driven_by(const Source& source, const std::string& system) {
    SceneTarget made = driven_target(system + ".target", source);
    const auto is_same = [&](const SceneTarget& each) {
        return each.source && each.name.starts_with(system + ".target") &&
               each.source->output == source.output && each.source->index == source.index &&
               each.source->component == source.component;
    };
    const auto has_its_channel = [&](const SceneTarget& each) {
        return each.name == made.name && each.unit == made.unit;
    };
    auto& all = scene_.targets;
    const auto same = std::find_if(all.begin(), all.end(), is_same);
    if (same != all.end()) return static_cast<std::size_t>(same - all.begin());
    for (int n = 2; std::any_of(all.begin(), all.end(), has_its_channel); ++n)
        made.name = fmt::format("{}.target{}", system, n);
    all.push_back(std::move(made));
    return all.size() - 1;
}

std::optional<std::size_t> SceneBuilder::find_target(TableReader& reader, const std::string& key,
                                                     const std::string& system) {
    const auto name = reader.text(key);
    if (!name) return std::nullopt;
    const auto found = std::find_if(scene_.targets.begin(), scene_.targets.end(),
                                    [&](const SceneTarget& each) { return each.name == *name; });
    if (found != scene_.targets.end())
        return static_cast<std::size_t>(found - scene_.targets.begin());
    if (contains(declared_.targets, *name)) return std::nullopt;  // it could not be read
    if (const auto source = find_output(*name)) return target_driven_by(*source, system);
    if (is_unread(*name)) return std::nullopt;
    if (contains(declared_.systems, name->substr(0, name->find('.')))) {
        reader.problem(key, no_such_output(*name));
        return std::nullopt;
    }
    std::vector<std::string> known = declared_.targets;
    const std::vector<std::string> moving = with_outputs();
    known.insert(known.end(), moving.begin(), moving.end());
    std::erase(known, system);
    reader.problem(key, io::there_is_no("target", *name, known));
    return std::nullopt;
}

std::optional<std::size_t> SceneBuilder::find_field(TableReader& reader, const std::string& key,
                                                    const std::type_info& type) const {
    const auto name = reader.text(key);
    if (!name) return std::nullopt;
    std::vector<std::string> known;
    std::string other_kind = contains(declared_.targets, *name) ? "target" : "";
    for (std::size_t i = 0; i < scene_.systems.size(); ++i) {
        const SceneSystem& system = scene_.systems[i];
        const bool has_field = system.spec->has_field(type);
        if (has_field && system.name == *name) return i;
        if (has_field) known.push_back(system.name);
        if (system.name == *name) other_kind = system.spec->kind();
    }
    if (is_unread(*name)) return std::nullopt;
    const std::string there_is = known.empty() ? "" : ": " + io::any_of(known);
    reader.problem(key, other_kind.empty() ? io::there_is_no(key, *name, known)
                                           : fmt::format("expected a {}{}; '{}' is a [{}.NAME]",
                                                         key, there_is, *name, other_kind));
    return std::nullopt;
}

void SceneBuilder::drive_by_previous_step(std::size_t target, TableReader& reader,
                                          const std::string& name, const Source& source) {
    awaited_.push_back(
        {target, name, source, {reader.position_of("follows"), reader.path() + ".follows", ""}});
}

void SceneBuilder::resolve_previous_steps(std::vector<io::Problem>& problems) {
    for (Awaited& each : awaited_) {
        const auto found = find_output(each.name);
        SceneTarget& target = scene_.targets[each.target];
        if (!found) {
            if (is_unread(each.name)) continue;
            each.problem.message = no_such_output(each.name);
            problems.push_back(each.problem);
            continue;
        }
        const SceneTarget seen = driven_target(target.name, *found);
        if (seen.kind() != target.kind() || seen.unit != target.unit ||
            seen.path.size() != target.path.size()) {
            each.problem.message = "it has another unit, or as many numbers, than the start here";
            problems.push_back(each.problem);
            continue;
        }
        each.source.output = found->output;
        each.source.index = found->index;
        each.source.component = found->component;
        target.source = each.source;
    }
}

bool SceneBuilder::is_unread(const std::string& name) const {
    for (const std::string& declared : declared_.systems) {
        if (name != declared && !name.starts_with(declared + ".")) continue;
        const bool is_read =
            std::any_of(scene_.systems.begin(), scene_.systems.end(),
                        [&](const SceneSystem& system) { return system.name == declared; });
        if (!is_read) return true;
    }
    return false;
}

/// The names of all systems, without those that are known to have no output.
std::vector<std::string> SceneBuilder::with_outputs() const {
    std::vector<std::string> names = declared_.systems;
    for (const SceneSystem& system : scene_.systems) {
        if (system.spec->outputs().empty()) std::erase(names, system.name);
    }
    return names;
}

std::string SceneBuilder::no_such_output(const std::string& name) const {
    const std::string owner = name.substr(0, name.find('.'));
    for (const SceneSystem& system : scene_.systems) {
        if (system.name != owner) continue;
        const std::vector<Port> ports = system.spec->outputs();
        if (ports.empty()) {
            return fmt::format(
                "'{}' is a [{}.NAME], which has no place or rotation that could be "
                "followed",
                owner, system.spec->kind());
        }
        std::vector<std::string> outputs;
        for (const Port& port : ports) {
            const std::string whole = output_name(system, port);
            outputs.push_back(whole);
            if (port.count > 1)
                outputs.push_back(fmt::format("{}.0 to {}.{}", whole, whole, port.count - 1));
        }
        return fmt::format("'{}' has no output '{}'; it has {}", owner, name, io::any_of(outputs));
    }
    if (contains(declared_.targets, name)) {
        return fmt::format(
            "'{}' is a [target.NAME]; expected what a system puts out, such as a "
            "[follower.NAME] of it",
            name);
    }
    const std::vector<std::string> known = with_outputs();
    return fmt::format("nothing that moves is named '{}'; there is {}{}", name, io::any_of(known),
                       io::did_you_mean(name, known));
}

void SceneBuilder::complain_of_output(TableReader& reader, const std::string& key,
                                      const std::string& name) const {
    if (!is_unread(name)) reader.problem(key, no_such_output(name));
}

void SceneBuilder::refuse_taken(TableReader& reader, const std::string& name) {
    if (contains(declared_.targets, name))
        reader.problem("", fmt::format("a target has the name '{}' already", name));
    if (contains(names_, name))
        reader.problem("", fmt::format("another system has the name '{}' already", name));
    names_.push_back(name);
}

}  // namespace hopcoil::scene
