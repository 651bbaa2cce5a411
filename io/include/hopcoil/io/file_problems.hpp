#pragma once

#include <cstddef>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace hopcoil::io {

/// A position in a text file; lines and columns count from 1, 0 is unknown.
struct FilePosition {
    std::string file{};
    std::size_t line = 0;
    std::size_t column = 0;
};

/// One thing that is wrong in a file.
struct Problem {
    FilePosition position{};
    std::string key{};      ///< "follower.vane.tuning.frequency_hz"; empty without one
    std::string message{};  ///< what is wrong, what was expected, the nearest valid name
};

/// "vane.toml:12:9: follower.vane.tuning.lead: expected a finite number, found nan"
[[nodiscard]] std::string to_text(const Problem& problem);

/// Thrown for an invalid file: `what()` has a line for every problem found in it.
class InputProblems : public std::runtime_error {
  public:
    explicit InputProblems(std::vector<Problem> problems);
    [[nodiscard]] const std::vector<Problem>& problems() const noexcept { return problems_; }

  private:
    std::vector<Problem> problems_;
};

/// Throws InputProblems with one problem.
[[noreturn]] void refuse_input(const FilePosition& position, const std::string& key,
                               const std::string& message);

/// A file cannot be opened, read or written.
class FileProblem : public std::runtime_error {
  public:
    using std::runtime_error::runtime_error;
};

/// The candidate that `name` was most likely meant to be: the one reached by the fewest typing
/// slips (a letter too many, missing, wrong, or two swapped); empty when none is near.
[[nodiscard]] std::string nearest_name(std::string_view name,
                                       const std::vector<std::string>& candidates);

/// "; did you mean 'lead'?", or nothing when no candidate is near.
[[nodiscard]] std::string did_you_mean(std::string_view name,
                                       const std::vector<std::string>& candidates);

/// "there is no part 'lamb'; there is hook or lamp; did you mean 'lamp'?", for "part".
[[nodiscard]] std::string there_is_no(std::string_view what, std::string_view name,
                                      const std::vector<std::string>& known);

/// "a", "a or b", "a, b or c"
[[nodiscard]] std::string any_of(const std::vector<std::string>& names);

}  // namespace hopcoil::io
