#include <algorithm>
#include <cstring>
#include <string>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/io/base64.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/live_scene.hpp>

#include "page/answers.hpp"
#include "page/columns_text.hpp"

namespace hopcoil::page {
namespace {

constexpr std::size_t most_frames = 2000;
constexpr double longest_frame_s = 1.0;
constexpr double latest_s = 3600;

std::size_t target_named(const scene::Scene& scene, const std::string& name) {
    std::vector<std::string> names;
    for (std::size_t i = 0; i < scene.targets.size(); ++i) {
        if (scene.targets[i].name == name) return i;
        names.push_back(scene.targets[i].name);
    }
    throw RequestProblem{
        bad_request, fmt::format("there is no target '{}'; there is {}{}", name, io::any_of(names),
                                 io::did_you_mean(name, names))};
}

void take_up(scene::LiveScene& live, const Request& request) {
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

std::string state_text(const scene::LiveScene& live) {
    const std::vector<std::byte> state = live.save();
    std::string bytes(state.size(), '\0');
    std::memcpy(bytes.data(), state.data(), state.size());
    return io::to_base64(bytes);
}

}  // namespace

Json step_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"values", "state", "from_s", "let_go", "frames"});
    scene::LiveScene live{with_values(scene, request)};
    take_up(live, request);
    for (const std::string& name : request.texts("let_go"))
        live.let_go(target_named(live.scene(), name));
    Take take;
    take.begin(live.channels());
    take.row(live.time_s(), live.row());
    for (const Request& frame : request.each("frames", most_frames)) {
        frame.finish({"dt", "hold"});
        hold_targets(live, frame);
        live.step(frame.number("dt", 0, longest_frame_s));
        take.row(live.time_s(), live.row());
    }
    Json answer{{"made_by", made_by_live(live.scene())}, {"state", state_text(live)}};
    answer["take"] = Json::parse(columns_text(take, {}, most_frames + 1));
    return answer;
}

}  // namespace hopcoil::page
