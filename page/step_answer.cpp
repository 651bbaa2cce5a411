#include <algorithm>
#include <cstring>
#include <map>
#include <optional>
#include <string>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/io/base64.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/scene_dials.hpp>

#include "page/answers.hpp"
#include "page/columns_text.hpp"
#include "page/drives.hpp"

namespace hopcoil::page {
namespace {

constexpr std::size_t most_frames = 2000;
constexpr double longest_frame_s = 1.0;
constexpr double latest_s = 3600;

void load_start(scene::LiveScene& live, const Request& request) {
    if (!request.has("state")) {
        live.advance_to(request.number("from_s", 0, latest_s, 0));
        return;
    }
    const auto bytes = io::from_base64(request.text("state"));
    if (!bytes) throw RequestProblem{bad_request, "state: expected base64"};
    const bool loaded = live.load(std::as_bytes(std::span{bytes->data(), bytes->size()}));
    if (!loaded || live.time_s() > latest_s) {
        throw RequestProblem{bad_request,
                             "state: it is none of this scene; begin anew, without one"};
    }
}

void hold_targets(scene::LiveScene& live, const Request& frame) {
    for (const auto& [name, numbers] : frame.lists("hold", scene::most_numbers)) {
        const std::size_t target = target_named(live.scene(), name);
        const std::size_t wanted = live.scene().targets[target].path.size();
        if (numbers.size() != wanted) {
            throw RequestProblem{bad_request, fmt::format("hold.{}: expected {} numbers, found {}",
                                                          name, wanted, numbers.size())};
        }
        scene::ValueArray place;
        std::copy(numbers.begin(), numbers.end(), place.numbers.begin());
        live.hold(target, place);
    }
}

/// A sudden change of velocity of outputs, by their names.
void push_systems(scene::LiveScene& live, const Request& frame) {
    for (const auto& [name, numbers] : frame.lists("push", scene::most_numbers)) {
        std::vector<std::string> names;
        bool is_pushed = false;
        for (std::size_t i = 0; i < live.scene().systems.size(); ++i) {
            const scene::SceneSystem& system = live.scene().systems[i];
            const std::vector<scene::Port> ports = system.spec->outputs();
            for (std::size_t port = 0; port < ports.size(); ++port) {
                names.push_back(scene::output_name(system, ports[port]));
                if (names.back() != name) continue;
                scene::ValueArray velocity;
                std::copy(numbers.begin(), numbers.end(), velocity.numbers.begin());
                if (!live.push(i, velocity, port)) {
                    throw RequestProblem{bad_request, fmt::format("push.{}: a {} has no velocity "
                                                                  "that could change at once",
                                                                  name, system.spec->kind())};
                }
                is_pushed = true;
            }
        }
        if (is_pushed) continue;
        throw RequestProblem{bad_request,
                             fmt::format("push: there is no '{}'; there is {}{}", name,
                                         io::any_of(names), io::did_you_mean(name, names))};
    }
}

/// The point of an output that a name means, "sheet.44"; nothing for another output.
std::optional<std::size_t> index_in(const std::string& name, const std::string& output) {
    if (!name.starts_with(output + '.')) return std::nullopt;
    const std::string digits = name.substr(output.size() + 1);
    const bool is_number = !digits.empty() && digits.size() < 9 &&
                           digits.find_first_not_of("0123456789") == std::string::npos;
    return is_number ? std::optional<std::size_t>{std::stoul(digits)} : std::nullopt;
}

/// Points of nets that a hand pulls in this frame; all others are let go.
void grab_points(scene::LiveScene& live, const Request& frame) {
    const auto wanted = frame.lists("grab", scene::most_numbers);
    std::vector<bool> is_found(wanted.size());
    for (std::size_t i = 0; i < live.scene().systems.size(); ++i) {
        const scene::SceneSystem& system = live.scene().systems[i];
        const std::vector<scene::Port> ports = system.spec->outputs();
        if (!ports.empty()) live.grab(i, std::nullopt);
        for (std::size_t port = 0; port < ports.size(); ++port) {
            const std::string output = scene::output_name(system, ports[port]);
            for (std::size_t k = 0; k < wanted.size(); ++k) {
                const auto index = index_in(wanted[k].name, output);
                if (!index || wanted[k].numbers.size() != ports[port].components) continue;
                scene::ValueArray place;
                std::copy(wanted[k].numbers.begin(), wanted[k].numbers.end(),
                          place.numbers.begin());
                is_found[k] = live.grab(i, place, port, *index);
            }
        }
    }
    for (std::size_t k = 0; k < wanted.size(); ++k) {
        if (is_found[k]) continue;
        throw RequestProblem{bad_request,
                             fmt::format("grab.{}: expected a point of a net, NAME.NUMBER, and as "
                                         "many numbers as it has",
                                         wanted[k].name)};
    }
}

/// Turns the dials of a scene under way to the values of a request, or back to those of the files.
void turn_dials(scene::LiveScene& live, const scene::Scene& files, const Request& request) {
    const std::vector<scene::SceneNumber> values = request.numbers("values");
    std::map<std::string, double> wanted;
    for (const scene::SceneDial& dial : scene::dials_of(files))
        wanted[dial.path] = scene::value_of(files, dial);
    for (const scene::SceneNumber& each : values)
        wanted[each.path] = each.value;
    for (const scene::SceneDial& dial : scene::dials_of(live.scene())) {
        const double value = wanted[dial.path];
        if (scene::value_of(live.scene(), dial) == value) continue;
        if (live.set(dial, value) == DialStatus::set) continue;
        throw RequestProblem{bad_request, fmt::format("{} cannot be {}", dial.path, value)};
    }
}

/// The scene where the request goes on from: the one under way, or one made from its state.
scene::LiveScene started(const scene::Scene& files, const Request& request, const std::string& key,
                         LiveCache& cache) {
    if (request.has("state")) {
        if (auto kept = cache.take(key)) {
            if (kept->values != request.as_text("values")) turn_dials(kept->live, files, request);
            return std::move(kept->live);
        }
    }
    scene::LiveScene live{with_values(files, request)};
    load_start(live, request);
    return live;
}

std::string state_text(const scene::LiveScene& live) {
    const std::vector<std::byte> state = live.save();
    std::string bytes(state.size(), '\0');
    std::memcpy(bytes.data(), state.data(), state.size());
    return io::to_base64(bytes);
}

}  // namespace

Json step_answer(const LiveFile::Snapshot& now, const Request& request, LiveCache& cache) {
    request.finish({"values", "state", "from_s", "let_go", "frames", "drives", "channels"});
    const auto key = [&](const std::string& state) {
        return fmt::format("{} {} {}", now.revision, request.as_text("drives"), state);
    };
    scene::LiveScene live = started(*now.scene, request, key(request.text("state", "")), cache);
    for (const std::string& name : request.texts("let_go"))
        live.let_go(target_named(live.scene(), name));
    Take take;
    take.begin(live.channels());
    take.row(live.time_s(), live.row());
    for (const Request& frame : request.each("frames", most_frames)) {
        frame.finish({"dt", "hold", "push", "grab"});
        hold_targets(live, frame);
        push_systems(live, frame);
        grab_points(live, frame);
        live.step(frame.number("dt", 0, longest_frame_s));
        take.row(live.time_s(), live.row());
    }
    std::string state = state_text(live);
    Json answer{{"made_by", made_by_live(live.scene())}};
    answer["take"] = Json::parse(columns_text(take, request.texts("channels"), most_frames + 1));
    cache.put({key(state), request.as_text("values"), std::move(live)});
    answer["state"] = std::move(state);
    return answer;
}

}  // namespace hopcoil::page
