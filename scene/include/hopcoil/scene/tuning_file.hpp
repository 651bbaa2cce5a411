#pragma once

#include <optional>
#include <string>
#include <vector>

#include <hopcoil/follow/pose.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil::scene {

/// A tuning with a name: for anything, or for some or all parts of a pose.
struct SharedTuning {
    std::string name{};
    std::string about{};  ///< a line on what it feels like
    std::optional<Tuning> whole{};
    std::optional<Tuning> position{};
    std::optional<Tuning> rotation{};
    std::optional<Tuning> scale{};

    /// A tuning for each part: its own, or else that for anything, or else `otherwise`.
    [[nodiscard]] PoseTuning for_pose(const PoseTuning& otherwise = {}) const;
};

/// Reads a tuning file (TOML; docs/keys.md lists its keys), in the file's order.
/// Errors  FileProblem; InputProblems: the first error of syntax, or else everything that is wrong.
[[nodiscard]] std::vector<SharedTuning> read_tunings(const std::string& path);

/// Whether a file holds tunings and nothing else. Errors: as read_tunings.
[[nodiscard]] bool is_tuning_file(const std::string& path);

/// The name of a file in a folder with a tuning of this name, for a hint; empty if there is none.
[[nodiscard]] std::string file_with_tuning(const std::string& folder, const std::string& name);

/// Puts a tuning into a tuning file, which is made if it is not there: in place of the one that has
/// its name, or else at the end. Everything else in the file stays as it is, comments too.
/// Errors  std::invalid_argument for a name that cannot be one, or a tuning without numbers;
///         InvalidValue; FileProblem and InputProblems, the file untouched.
void save_tuning(const std::string& path, const SharedTuning& tuning);

/// Letters, digits, '_' and '-', at least one.
[[nodiscard]] bool is_name(const std::string& name);

}  // namespace hopcoil::scene
