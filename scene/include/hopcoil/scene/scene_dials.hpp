#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// A number of a scene that a person may tune: the dial of a system, or any other number in its
/// files.
struct SceneDial {
    std::string path{};  ///< "lamp.frequency_hz", "string.tassel.lead", "hook.moves.0.jump_to_m"
    std::string unit{};
    DialRange hard{};
    DialRange slider{};
    DialScale scale = DialScale::linear;
    double default_value = 0.0;
    std::vector<std::string> names{};     ///< of a choice: of the whole numbers from 0 on
    std::size_t system = 0;               ///< index into Scene::systems
    std::size_t index = 0;                ///< among that system's dials
    std::optional<std::size_t> number{};  ///< index into Scene::numbers, for any other
};

/// "a number from 0 to 1", "a number of 0 or more": what a dial takes.
[[nodiscard]] std::string range_in_words(const DialRange& range);

/// "0.25"; of a choice the name of its value.
[[nodiscard]] std::string value_in_words(const SceneDial& dial, double value);

/// Every dial of every system, in the scene's order; then the other numbers of its files.
[[nodiscard]] std::vector<SceneDial> dials_of(const Scene& scene);

[[nodiscard]] double value_of(const Scene& scene, const SceneDial& dial);
/// `refused`, with nothing changed, for an invalid number. A number of the files is changed by
/// reading them anew.
DialStatus set_value(Scene& scene, const SceneDial& dial, double value);

/// Sets dials by their whole paths, all at once: files are read again once at most. What was
/// changed before stays changed.
/// Errors  std::invalid_argument, with nothing changed: no dial has a path (the nearest is named),
///         or refuses its number.
void set_values(Scene& scene, const std::vector<SceneNumber>& values);

/// Sets every dial whose path matches; `*` stands for any letters, dots among them. A pattern that
/// no dial has may be of a tuning's numbers in another form than its dials ("lamp.tuning.mass_kg"),
/// or of the scene's named tunings ("tuning.brass.lead"): then all that use them change. Returns
/// how many numbers were set; the scene remembers the change (`Scene::changes`).
///
///     set_matching(scene, "string.*.damping_ratio", 0.3);
///
/// Errors  std::invalid_argument, with nothing changed: no dial matches (the nearest path is
///         named), or one of them refuses the number.
std::size_t set_matching(Scene& scene, const std::string& pattern, double value);
/// The same of dials that are a choice, by one of their names.
/// Errors  std::invalid_argument, with nothing changed: no choice has that path, or that name.
std::size_t choose_matching(Scene& scene, const std::string& pattern, const std::string& name);

/// The number that a text means for the dials that match: for a choice the index of a name such as
/// "trot"; otherwise the text as a number; nothing if it is none.
/// Errors  std::invalid_argument for a choice that has no such name.
[[nodiscard]] std::optional<double> value_from(const Scene& scene, const std::string& pattern,
                                               const std::string& text);

}  // namespace hopcoil::scene
