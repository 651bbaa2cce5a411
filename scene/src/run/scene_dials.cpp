#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <cstdlib>
#include <span>
#include <stdexcept>
#include <string_view>
#include <type_traits>
#include <utility>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/scene_dials.hpp>

namespace hopcoil::scene {
namespace {

/// Without which of several it is: "rope.links.3.rest_m" as "rope.links.*.rest_m".
std::string of_any_number(const std::string& path) {
    std::string any;
    for (std::size_t from = 0; from <= path.size();) {
        const std::size_t to = std::min(path.find('.', from), path.size());
        const std::string part = path.substr(from, to - from);
        const bool is_number =
            !part.empty() && part.find_first_not_of("0123456789") == std::string::npos;
        any += fmt::format("{}{}", from == 0 ? "" : ".", is_number ? "*" : part);
        from = to + 1;
    }
    return any;
}

[[noreturn]] void refuse_unknown(const std::string& pattern, const Scene& scene,
                                 const std::vector<SceneDial>& dials) {
    const auto owner = [](const std::string& path) {
        return path.substr(0, path.find('.'));
    };
    std::vector<std::string> paths;
    std::vector<std::string> owners;
    std::vector<std::string> beside;  // of the same owner
    for (const SceneDial& dial : dials) {
        paths.push_back(dial.path);
        if (owners.empty() || owners.back() != owner(dial.path)) owners.push_back(owner(dial.path));
        if (owner(dial.path) == owner(pattern)) beside.push_back(dial.path);
    }
    for (const SceneNumber& number : scene.tuning_numbers) {
        paths.push_back(number.path);
        const std::string name = number.path.substr(0, number.path.rfind('.'));
        if (owner(pattern) == owner(number.path)) beside.push_back(number.path);
        if (owners.empty() || owners.back() != name) owners.push_back(name);
    }
    std::vector<std::string> listed;
    for (const std::string& path : beside.empty() ? owners : beside) {
        std::string any = of_any_number(path);
        if (std::find(listed.begin(), listed.end(), any) == listed.end())
            listed.push_back(std::move(any));
    }
    std::string text =
        fmt::format("nothing to set is named '{}'{}\n{}", pattern, io::did_you_mean(pattern, paths),
                    beside.empty() ? "there are numbers of:" : "there is:");
    for (const std::string& each : listed)
        text += "\n  " + each;
    throw std::invalid_argument{text};
}

DialStatus set_dial(Scene& scene, const SceneDial& dial, double value);
DialStatus set_number(Scene& scene, const std::string& path, double value);

/// Puts a change beside the others, in place of an earlier one of the same number.
void note(std::vector<SceneNumber>& changes, const std::string& path, double value) {
    const auto found = std::find_if(changes.begin(), changes.end(),
                                    [&](const SceneNumber& each) { return each.path == path; });
    if (found == changes.end()) {
        changes.push_back({path, value});
    } else {
        found->value = value;
    }
}

/// What the key behind a number's path says of its unit: "kicks.0.velocity_m_per_s.1" is in m/s.
std::string unit_in(const std::string& path) {
    constexpr std::string_view digits = "0123456789.";
    const std::string key = path.substr(0, path.find_last_not_of(digits) + 1);
    const std::string places = path.substr(key.size());
    // Of a point [time, x, y] the first number.
    if (key.find(".through_") != std::string::npos && places.ends_with(".0")) return "s";
    constexpr std::array<std::pair<std::string_view, std::string_view>, 9> units{
        {{"_m_per_s", "m/s"},
         {"_rad_per_s", "rad/s"},
         {"_deg_per_s", "deg/s"},
         {"_per_s", "1/s"},
         {"_m", "m"},
         {"_rad", "rad"},
         {"_deg", "deg"},
         {"_s", "s"},
         {"_hz", "Hz"}}};
    for (const auto& [ending, unit] : units) {
        if (key.ends_with(ending)) return std::string{unit};
    }
    return "";
}

/// Six digits, without an exponent where that is shorter: 114.592, 1000000.
std::string in_few_digits(double value) {
    const std::string digits = fmt::format("{:.6g}", value);
    return std::abs(value) < 1e7 ? fmt::format("{}", std::strtod(digits.c_str(), nullptr)) : digits;
}

/// Nothing is known of a number except its place: its slider reaches to its double and its
/// opposite.
SceneDial number_dial(const SceneNumber& number, std::size_t index) {
    const double reach = number.value == 0 ? 1 : 2 * std::abs(number.value);
    SceneDial dial{.path = number.path,
                   .hard = {-unbounded, unbounded},
                   .slider = {-reach, reach},
                   .default_value = number.value,
                   .number = index};
    dial.unit = unit_in(number.path);
    if (dial.unit == "s" || dial.unit == "Hz") dial.slider.least = 0;
    return dial;
}

}  // namespace

std::string range_in_words(const DialRange& range) {
    const std::string least = in_few_digits(range.least);
    const std::string most = in_few_digits(range.most);
    const bool from = range.least > -unbounded;
    const bool to = range.most < unbounded;
    if (from && to) return fmt::format("a number from {} to {}", least, most);
    if (from) return fmt::format("a number of {} or more", least);
    return to ? fmt::format("a number of {} or less", most) : "a finite number";
}

std::vector<SceneDial> dials_of(const Scene& scene) {
    std::vector<SceneDial> all;
    for (std::size_t i = 0; i < scene.systems.size(); ++i) {
        const SceneSystem& system = scene.systems[i];
        const std::vector<SpecDial> dials = system.spec->dials();
        for (std::size_t k = 0; k < dials.size(); ++k) {
            all.push_back({.path = fmt::format("{}.{}", system.name, dials[k].path),
                           .unit = dials[k].unit,
                           .hard = dials[k].hard,
                           .slider = dials[k].slider,
                           .scale = dials[k].scale,
                           .default_value = dials[k].default_value,
                           .names = dials[k].names,
                           .system = i,
                           .index = k});
        }
    }
    for (std::size_t i = 0; i < scene.numbers.size(); ++i)
        all.push_back(number_dial(scene.numbers[i], i));
    return all;
}

std::string value_in_words(const SceneDial& dial, double value) {
    const bool is_index = value >= 0 && value < static_cast<double>(dial.names.size());
    return is_index ? dial.names[static_cast<std::size_t>(value)] : fmt::format("{}", value);
}

std::optional<double> value_from(const Scene& scene, const std::string& pattern,
                                 const std::string& text) {
    double value = 0;
    const auto read = std::from_chars(text.data(), text.data() + text.size(), value);
    if (!text.empty() && read.ec == std::errc{} && read.ptr == text.data() + text.size())
        return value;
    for (const SceneDial& dial : dials_of(scene)) {
        if (dial.names.empty() || !matches(pattern, dial.path)) continue;
        const auto found = std::find(dial.names.begin(), dial.names.end(), text);
        if (found != dial.names.end()) return static_cast<double>(found - dial.names.begin());
        throw std::invalid_argument{fmt::format("{} cannot be '{}': expected {}{}", dial.path, text,
                                                io::any_of(dial.names),
                                                io::did_you_mean(text, dial.names))};
    }
    return std::nullopt;
}

double value_of(const Scene& scene, const SceneDial& dial) {
    if (dial.number) return scene.numbers.at(*dial.number).value;
    return scene.systems.at(dial.system).spec->dial(dial.index);
}

DialStatus set_value(Scene& scene, const SceneDial& dial, double value) {
    if (dial.number) return set_number(scene, dial.path, value);
    const DialStatus status = set_dial(scene, dial, value);
    if (status == DialStatus::set) note(scene.dial_changes, dial.path, value);
    return status;
}

namespace {

DialStatus set_dial(Scene& scene, const SceneDial& dial, double value) {
    return scene.systems.at(dial.system).spec->set_dial(dial.index, value);
}

/// The scene's files with other numbers in them. Errors: those of read_scene.
Scene read_with(const Scene& scene, const std::vector<SceneNumber>& numbers) {
    std::vector<SceneNumber> changes = scene.number_changes;
    for (const SceneNumber& each : numbers) {
        if (!std::isfinite(each.value)) throw std::runtime_error{"expected a finite number"};
        note(changes, each.path, each.value);
    }
    return read_scene(scene.file, scene.kinds ? *scene.kinds : std::vector<SystemKind>{},
                      scene.seed, changes);
}

/// Reads the files again with other numbers in them, and sets again what was set since.
DialStatus set_numbers(Scene& scene, const std::vector<SceneNumber>& numbers) {
    try {
        Scene fresh = read_with(scene, numbers);
        const std::vector<SceneDial> dials = dials_of(fresh);
        for (const SceneNumber& change : scene.dial_changes) {
            for (const SceneDial& dial : dials) {
                if (!dial.number && dial.path == change.path) set_dial(fresh, dial, change.value);
            }
        }
        fresh.dial_changes = scene.dial_changes;
        fresh.changes = scene.changes;
        fresh.rate_hz = scene.rate_hz;
        scene = std::move(fresh);
        return DialStatus::set;
    } catch (const std::runtime_error&) {  // the file has problems with such a number
        return DialStatus::refused;
    }
}

DialStatus set_number(Scene& scene, const std::string& path, double value) {
    return set_numbers(scene, {{path, value}});
}

/// Says the first problem that the files would have.
[[noreturn]] void refuse_numbers(const Scene& scene, const std::vector<SceneNumber>& numbers) {
    std::string problem = "the scene does not read with it";
    try {
        static_cast<void>(read_with(scene, numbers));
    } catch (const std::runtime_error& problems) {
        problem = problems.what();
    }
    throw std::invalid_argument{fmt::format("{} cannot be {}: {}", numbers.back().path,
                                            numbers.back().value,
                                            problem.substr(0, problem.find('\n')))};
}

[[noreturn]] void refuse_value(const Scene& scene, const SceneDial& dial, double value) {
    if (dial.number) refuse_numbers(scene, {{dial.path, value}});
    throw std::invalid_argument{
        fmt::format("{} cannot be {}: expected {}", dial.path, value,
                    dial.names.empty() ? range_in_words(dial.hard) : io::any_of(dial.names))};
}

}  // namespace

void set_values(Scene& scene, const std::vector<SceneNumber>& values) {
    const std::vector<SceneDial> dials = dials_of(scene);
    Scene changed = scene;
    std::vector<SceneNumber> numbers;
    for (const SceneNumber& each : values) {
        const auto dial = std::find_if(dials.begin(), dials.end(),
                                       [&](const SceneDial& d) { return d.path == each.path; });
        if (dial == dials.end()) refuse_unknown(each.path, scene, dials);
        if (dial->number) {
            numbers.push_back(each);
        } else if (set_value(changed, *dial, each.value) != DialStatus::set) {
            refuse_value(changed, *dial, each.value);
        }
    }
    if (!numbers.empty() && set_numbers(changed, numbers) != DialStatus::set)
        refuse_numbers(changed, numbers);
    scene = std::move(changed);
}

std::size_t set_matching(Scene& scene, const std::string& pattern, double value) {
    const std::vector<SceneDial> dials = dials_of(scene);
    Scene changed = scene;
    std::size_t count = 0;
    std::string words = fmt::format("{}", value);
    for (const SceneDial& dial : dials) {
        if (!matches(pattern, dial.path)) continue;
        ++count;
        words = value_in_words(dial, value);
        if (set_value(changed, dial, value) == DialStatus::set) continue;
        refuse_value(changed, dial, value);
    }
    std::vector<SceneNumber> shared;
    for (const SceneNumber& number : scene.tuning_numbers) {
        if (count == 0 && matches(pattern, number.path)) shared.push_back({number.path, value});
    }
    if (count + shared.size() == 0) refuse_unknown(pattern, scene, dials);
    if (!shared.empty() && set_numbers(changed, shared) != DialStatus::set)
        refuse_numbers(changed, shared);
    count += shared.size();
    changed.changes.push_back(fmt::format("{}={}", pattern, words));
    scene = std::move(changed);
    return count;
}

std::size_t choose_matching(Scene& scene, const std::string& pattern, const std::string& name) {
    const std::optional<double> value = value_from(scene, pattern, name);
    if (value) return set_matching(scene, pattern, *value);
    const std::vector<SceneDial> dials = dials_of(scene);
    for (const SceneDial& dial : dials) {
        if (!matches(pattern, dial.path)) continue;
        throw std::invalid_argument{fmt::format("{} cannot be '{}': expected {}", dial.path, name,
                                                range_in_words(dial.hard))};
    }
    refuse_unknown(pattern, scene, dials);
}

}  // namespace hopcoil::scene
