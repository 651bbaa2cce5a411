#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/spring/named_tunings.hpp>

namespace hopcoil::scene {
namespace {

std::vector<std::string> dial_paths(const SceneSystem& system) {
    std::vector<std::string> paths;
    for (const SpecDial& dial : system.spec->dials())
        paths.push_back(dial.path);
    return paths;
}

[[noreturn]] void refuse_path(const SceneSystem& system, const std::string& path) {
    const std::vector<std::string> paths = dial_paths(system);
    throw std::invalid_argument{fmt::format("'{}' has no dial '{}'{}; it has {}", system.name, path,
                                            io::did_you_mean(path, paths), io::any_of(paths))};
}

void add_tuning(NamedSettings& settings, const std::string& prefix, const Tuning& tuning) {
    for (const Dial<Tuning>& dial : Tuning::dials())
        settings.numbers.push_back({prefix + std::string{dial.path}, dial.get(tuning)});
}

const double* number_in(const NamedSettings& settings, const std::string& path) {
    const auto found = std::find_if(settings.numbers.begin(), settings.numbers.end(),
                                    [&](const SceneNumber& each) { return each.path == path; });
    return found == settings.numbers.end() ? nullptr : &found->value;
}

const SceneChoice* choice_in(const NamedSettings& settings, const std::string& path) {
    const auto found = std::find_if(settings.choices.begin(), settings.choices.end(),
                                    [&](const SceneChoice& each) { return each.path == path; });
    return found == settings.choices.end() ? nullptr : &*found;
}

void require_dials(const SceneSystem& system, const NamedSettings& settings) {
    const std::vector<std::string> paths = dial_paths(system);
    const auto require = [&](const auto& each) {
        if (std::find(paths.begin(), paths.end(), each.path) == paths.end())
            refuse_path(system, each.path);
    };
    std::for_each(settings.numbers.begin(), settings.numbers.end(), require);
    std::for_each(settings.choices.begin(), settings.choices.end(), require);
}

double between(double first, double second, double amount, DialScale scale) {
    if (amount == 0) return first;
    if (amount == 1) return second;
    const bool in_octaves = scale == DialScale::logarithmic && first > 0 && second > 0;
    return in_octaves ? math::exp(math::log(first) + amount * math::log(second / first))
                      : first + (second - first) * amount;
}

}  // namespace

NamedSettings settings_of(const SceneSystem& system, const std::string& name,
                          const std::vector<std::string>& patterns) {
    NamedSettings settings{.name = name, .kind = system.spec->kind()};
    const std::vector<SpecDial> dials = system.spec->dials();
    for (const std::string& pattern : patterns) {
        const bool is_known = std::any_of(dials.begin(), dials.end(), [&](const SpecDial& dial) {
            return matches(pattern, dial.path);
        });
        if (!is_known) refuse_path(system, pattern);
    }
    for (std::size_t i = 0; i < dials.size(); ++i) {
        const bool is_wanted = std::any_of(
            patterns.begin(), patterns.end(),
            [&](const std::string& pattern) { return matches(pattern, dials[i].path); });
        // No cap at all is what is left out.
        const double value = system.spec->dial(i);
        if (!is_wanted || !std::isfinite(value)) continue;
        if (dials[i].names.empty()) {
            settings.numbers.push_back({dials[i].path, value});
        } else {
            settings.choices.push_back(
                {dials[i].path, dials[i].names.at(static_cast<std::size_t>(value))});
        }
    }
    return settings;
}

NamedSettings settings_from(const SharedTuning& tuning) {
    NamedSettings settings{.name = tuning.name, .about = tuning.about};
    if (tuning.whole) add_tuning(settings, "", *tuning.whole);
    if (tuning.position) add_tuning(settings, "position.", *tuning.position);
    if (tuning.rotation) add_tuning(settings, "rotation.", *tuning.rotation);
    if (tuning.scale) add_tuning(settings, "scale.", *tuning.scale);
    return settings;
}

NamedSettings find_settings(const Scene& scene, const std::string& name) {
    std::vector<std::string> names;
    for (const NamedSettings& each : scene.settings) {
        if (each.name == name) return each;
        names.push_back(each.name);
    }
    if (const auto tuning = find_tuning(name))
        return settings_from({.name = name, .whole = *tuning});
    for (const NamedTuning& each : named_tunings())
        names.emplace_back(each.name);
    throw std::invalid_argument{fmt::format("there are no settings named '{}'; there is {}{}", name,
                                            io::any_of(names), io::did_you_mean(name, names))};
}

std::size_t apply_settings(Scene& scene, const std::string& pattern,
                           const NamedSettings& settings) {
    for (const SceneSystem& system : scene.systems) {
        if (settings.kind.empty() || !matches(pattern, system.name)) continue;
        if (system.spec->kind() == settings.kind) continue;
        throw std::invalid_argument{fmt::format("the settings '{}' are of a {}; '{}' is a {}",
                                                settings.name, settings.kind, system.name,
                                                system.spec->kind())};
    }
    Scene changed = scene;
    std::size_t count = 0;
    for (const SceneNumber& each : settings.numbers)
        count += set_matching(changed, fmt::format("{}.{}", pattern, each.path), each.value);
    for (const SceneChoice& each : settings.choices)
        count += choose_matching(changed, fmt::format("{}.{}", pattern, each.path), each.name);
    changed.changes = scene.changes;
    changed.changes.push_back(fmt::format("{}={}", pattern, settings.name));
    scene = std::move(changed);
    return count;
}

NamedSettings blend(const SceneSystem& system, const NamedSettings& first,
                    const NamedSettings& second, double amount) {
    if (!(amount >= 0 && amount <= 1)) throw InvalidValue{"amount", amount, "0 to 1"};
    NamedSettings blended{.name = fmt::format("{}:{}:{}", first.name, second.name, amount),
                          .kind = first.kind.empty() ? second.kind : first.kind};
    require_dials(system, first);
    require_dials(system, second);
    const std::vector<SpecDial> dials = system.spec->dials();
    for (std::size_t i = 0; i < dials.size(); ++i) {
        const SceneChoice* const chosen = choice_in(amount < 0.5 ? first : second, dials[i].path);
        if (chosen != nullptr) blended.choices.push_back(*chosen);
        const double* const from = number_in(first, dials[i].path);
        const double* const to = number_in(second, dials[i].path);
        if (from == nullptr && to == nullptr) continue;
        const double own = system.spec->dial(i);
        blended.numbers.push_back(
            {dials[i].path, between(from == nullptr ? own : *from, to == nullptr ? own : *to,
                                    amount, dials[i].scale)});
    }
    return blended;
}

}  // namespace hopcoil::scene
