#include <algorithm>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/scene/kinds/movers.hpp>

namespace hopcoil::scene {
namespace {

std::size_t index_of(const std::vector<std::string>& names, const std::string& name) {
    const auto found = std::find(names.begin(), names.end(), name);
    if (found == names.end()) throw std::out_of_range{name + " is not the name of an ease"};
    return static_cast<std::size_t>(found - names.begin());
}

}  // namespace

MoverShape shape_of(const SceneTarget& target) {
    return {target.kind(), target.path.size(), target.unit};
}

const std::vector<std::string>& ease_family_names() {
    static const std::vector<std::string> names{
        "power", "sine", "exponential", "circular", "past_and_back", "bouncing", "oscillating"};
    return names;
}

const std::vector<std::string>& ease_way_names() {
    static const std::vector<std::string> names{"in", "out", "in_out"};
    return names;
}

EaseFamily ease_family_of(const std::string& family) {
    return static_cast<EaseFamily>(index_of(ease_family_names(), family));
}

EaseWay ease_way_of(const std::string& way) {
    return static_cast<EaseWay>(index_of(ease_way_names(), way));
}

std::string in_words(const Tuning& tuning) {
    return fmt::format("{:.4g} Hz, damping ratio {:.4g}, lead {:.4g}", tuning.frequency_hz,
                       tuning.damping_ratio, tuning.lead);
}

}  // namespace hopcoil::scene
