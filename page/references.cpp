#include "page/references.hpp"

#include <algorithm>
#include <filesystem>
#include <string>
#include <system_error>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/io/text_file.hpp>

#include "page/answers.hpp"
#include "page/columns_text.hpp"

namespace hopcoil::page {
namespace {

constexpr std::uintmax_t largest_file = std::uintmax_t{32} << 20U;
constexpr std::size_t most_kept_rows = 20'000;

std::filesystem::path folder_of(const scene::Scene& scene) {
    const std::filesystem::path folder = std::filesystem::path{scene.file}.parent_path();
    return folder.empty() ? std::filesystem::path{"."} : folder;
}

std::vector<std::string> names_beside(const scene::Scene& scene) {
    std::vector<std::string> names;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator{folder_of(scene), none}) {
        const std::string name = entry.path().filename().string();
        const bool fits = io::is_take_file(name) && entry.is_regular_file(none) &&
                          entry.file_size(none) <= largest_file;
        if (fits) names.push_back(name);
    }
    std::sort(names.begin(), names.end());
    return names;
}

std::string answer_with(const scene::Scene& scene, const std::string& name, const Take& take) {
    if (take.row_count() == 0) {
        throw RequestProblem{bad_request, fmt::format("{}: it has no rows", name)};
    }
    Json channels = Json::array();
    for (const RecordedChannel& channel : take.channels())
        channels.push_back({{"name", channel.name}, {"unit", channel.unit}});
    const Json answer{{"made_by", made_by_live(scene)}, {"name", name}, {"channels", channels}};
    return with_key(answer.dump(-1, ' ', false, Json::error_handler_t::replace), "take",
                    columns_text(take, {}, most_kept_rows));
}

}  // namespace

Json references_answer(const scene::Scene& scene) {
    return {{"made_by", made_by_live(scene)}, {"references", names_beside(scene)}};
}

std::string reference_answer(const scene::Scene& scene, const std::string& name) {
    const std::vector<std::string> names = names_beside(scene);
    if (std::find(names.begin(), names.end(), name) == names.end()) {
        throw RequestProblem{not_found, fmt::format("there is no reference '{}' beside the scene{}",
                                                    name, io::did_you_mean(name, names))};
    }
    return answer_with(scene, name, io::read_take((folder_of(scene) / name).string()));
}

Json frames_answer(const scene::Scene& scene) {
    Json pictures = Json::array();
    for (const scene::PictureSettings& picture : scene.pictures) {
        if (picture.references.empty()) continue;
        pictures.push_back({{"name", picture.name},
                            {"from_s", picture.references_from_s},
                            {"every_s", picture.references_every_s},
                            {"count", picture.references.size()}});
    }
    return {{"made_by", made_by_live(scene)}, {"pictures", std::move(pictures)}};
}

std::string frame_answer(const scene::Scene& scene, const std::string& picture, std::size_t index) {
    for (const scene::PictureSettings& each : scene.pictures) {
        if (each.name != picture || index >= each.references.size()) continue;
        return io::read_text_file(each.references[index]);
    }
    throw RequestProblem{not_found, fmt::format("there is no picture {} of '{}'", index, picture)};
}

std::string sent_reference_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"name", "text"});
    const std::string name = request.text("name");
    const std::string text = request.text("text");
    if (text.size() > largest_file) throw RequestProblem{too_much, "the file is too large"};
    return answer_with(scene, name, io::take_from_text(text, name));
}

}  // namespace hopcoil::page
