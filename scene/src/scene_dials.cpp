#include <algorithm>
#include <span>
#include <stdexcept>
#include <type_traits>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/scene_dials.hpp>

namespace hopcoil::scene {
namespace {

/// Calls `visit` with the plain numbers, whose type has the dials, of a mover's part.
template <class Numbers, class Visit>
auto with_numbers(Numbers& numbers, std::size_t part, const Visit& visit) {
    return std::visit(
        [&](auto& each) {
            using Each = std::remove_cvref_t<decltype(each)>;
            if constexpr (std::is_same_v<Each, RelayNumbers>) {
                return visit(each.tunings.at(part));
            } else if constexpr (requires { each.tuning; }) {
                return visit(each.tuning);
            } else {
                return visit(each);
            }
        },
        numbers);
}

[[noreturn]] void refuse_unknown(const std::string& pattern, const std::vector<SceneDial>& dials) {
    std::vector<std::string> paths;
    paths.reserve(dials.size());
    for (const SceneDial& dial : dials)
        paths.push_back(dial.path);
    throw std::invalid_argument{fmt::format("nothing to set is named '{}'{}; there is {}", pattern,
                                            did_you_mean(pattern, paths), any_of(paths))};
}

}  // namespace

std::vector<SceneDial> dials_of(const Scene& scene) {
    std::vector<SceneDial> all;
    for (std::size_t i = 0; i < scene.movers.size(); ++i) {
        const SceneMover& mover = scene.movers[i];
        for (std::size_t part = 0; part < part_count(mover.numbers); ++part) {
            with_numbers(mover.numbers, part, [&](const auto& numbers) {
                const auto dials = numbers.dials();
                for (std::size_t k = 0; k < dials.size(); ++k) {
                    all.push_back(
                        {.path = fmt::format("{}{}.{}", mover.name,
                                             part_suffix(mover.numbers, part), dials[k].path),
                         .unit = std::string{dials[k].unit},
                         .hard = dials[k].hard,
                         .slider = dials[k].slider,
                         .scale = dials[k].scale,
                         .default_value = dials[k].default_value,
                         .mover = i,
                         .part = part,
                         .index = k});
                }
            });
        }
    }
    return all;
}

double value_of(const Scene& scene, const SceneDial& dial) {
    return with_numbers(scene.movers.at(dial.mover).numbers, dial.part, [&](const auto& numbers) {
        return numbers.dials()[dial.index].get(numbers);
    });
}

DialStatus set_value(Scene& scene, const SceneDial& dial, double value) {
    return with_numbers(scene.movers.at(dial.mover).numbers, dial.part, [&](auto& numbers) {
        return numbers.dials()[dial.index].set(numbers, value);
    });
}

std::size_t set_matching(Scene& scene, const std::string& pattern, double value) {
    const std::vector<SceneDial> dials = dials_of(scene);
    Scene changed = scene;
    std::size_t count = 0;
    for (const SceneDial& dial : dials) {
        if (!matches(pattern, dial.path)) continue;
        ++count;
        if (set_value(changed, dial, value) == DialStatus::set) continue;
        throw std::invalid_argument{fmt::format("{} cannot be {}: expected a number from {} to {}",
                                                dial.path, value, dial.hard.least, dial.hard.most)};
    }
    if (count == 0) refuse_unknown(pattern, dials);
    changed.changes.push_back(fmt::format("{}={}", pattern, value));
    scene = std::move(changed);
    return count;
}

}  // namespace hopcoil::scene
