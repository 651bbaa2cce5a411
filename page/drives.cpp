#include "page/drives.hpp"

#include <algorithm>
#include <filesystem>
#include <string>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "page/answers.hpp"

namespace hopcoil::page {
namespace {

constexpr std::size_t most_drives = 16;
constexpr std::size_t most_drive_samples = 200'000;

/// A target moved by hand: a value of it at each time.
struct Drive {
    std::size_t target = 0;
    std::vector<double> times_s{};
    std::vector<std::vector<double>> components{};
};

Drive read_drive(const scene::Scene& scene, const Request& request) {
    Drive drive{.target = target_named(scene, request.text("target")),
                .times_s = request.list("times_s", most_drive_samples)};
    const scene::SceneTarget& target = scene.targets[drive.target];
    if (target.is_driven() || target.is_where_it_ends) {
        throw RequestProblem{bad_request,
                             fmt::format("the target '{}' has no course of its own", target.name)};
    }
    const std::size_t size = target.path.size();
    const std::vector<double> values =
        request.list("values", most_drive_samples * scene::most_numbers);
    if (drive.times_s.empty() || values.size() != drive.times_s.size() * size) {
        throw RequestProblem{bad_request, fmt::format("values: expected {} for each of {} times, "
                                                      "found {}",
                                                      size, drive.times_s.size(), values.size())};
    }
    drive.components.resize(size);
    for (std::size_t i = 0; i < values.size(); ++i)
        drive.components[i % size].push_back(values[i]);
    return drive;
}

scene::Trajectory trajectory_of(const Drive& drive, scene::ValueKind kind) {
    std::vector<scene::Target> components;
    for (const std::vector<double>& each : drive.components) {
        components.emplace_back(scene::RecordTarget{drive.times_s, each, scene::AfterEnd::hold});
    }
    return {kind, std::move(components)};
}

}  // namespace

std::size_t target_named(const scene::Scene& scene, const std::string& name) {
    std::vector<std::string> names;
    for (std::size_t i = 0; i < scene.targets.size(); ++i) {
        if (scene.targets[i].name == name) return i;
        names.push_back(scene.targets[i].name);
    }
    throw RequestProblem{bad_request, io::there_is_no("target", name, names)};
}

void use_drives(scene::Scene& scene, const Request& request) {
    for (const Request& each : request.each("drives", most_drives)) {
        each.finish({"target", "times_s", "values"});
        const Drive drive = read_drive(scene, each);
        scene::SceneTarget& target = scene.targets[drive.target];
        try {
            target.path = trajectory_of(drive, target.kind());
        } catch (const InvalidValue& problem) {
            throw RequestProblem{bad_request, fmt::format("drives: {}", problem.what())};
        }
    }
}

Json keep_drive_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"name", "replace", "target", "times_s", "values"});
    const Drive drive = read_drive(scene, request);
    const scene::SceneTarget& target = scene.targets[drive.target];
    const std::string name = request.text("name");
    if (!scene::is_name(name)) {
        throw RequestProblem{bad_request, "name: expected letters, digits, '_' and '-'"};
    }
    const std::filesystem::path file =
        std::filesystem::path{scene.file}.parent_path() / (name + ".csv");
    if (std::filesystem::exists(file) && !request.flag("replace", false)) {
        throw RequestProblem{conflict,
                             fmt::format("there is a file {} already", file.filename().string())};
    }
    const bool is_rotation = target.kind() == scene::ValueKind::rotation;
    const bool is_one = drive.components.size() == 1;
    const RecordedChannel channel{
        .name = scene::channel_name(target.name, "value", target.unit),
        .kind = is_rotation ? ChannelKind::rotation
                            : (is_one ? ChannelKind::scalar : ChannelKind::vector),
        .components = drive.components.size(),
        .unit = target.unit};
    Take take;
    take.begin(std::span{&channel, 1});
    for (std::size_t i = 0; i < drive.times_s.size(); ++i) {
        std::vector<double> row;
        for (const std::vector<double>& each : drive.components)
            row.push_back(each[i]);
        take.row(drive.times_s[i], row);
    }
    io::write_take(file.string(), take);
    return {{"made_by", made_by_live(scene)},
            {"written", file.string()},
            {"columns", take.column_names()}};
}

}  // namespace hopcoil::page
