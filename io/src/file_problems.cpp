#include <algorithm>
#include <limits>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <hopcoil/io/file_problems.hpp>

namespace hopcoil::io {
namespace {

std::string lines_of(const std::vector<Problem>& problems) {
    std::string text;
    for (const Problem& problem : problems) {
        if (!text.empty()) text += '\n';
        text += to_text(problem);
    }
    return text;
}

/// Optimal string alignment distance.
std::size_t slips_between(std::string_view a, std::string_view b) {
    std::vector<std::vector<std::size_t>> slips(a.size() + 1,
                                                std::vector<std::size_t>(b.size() + 1));
    for (std::size_t i = 0; i <= a.size(); ++i)
        slips[i][0] = i;
    for (std::size_t j = 0; j <= b.size(); ++j)
        slips[0][j] = j;
    for (std::size_t i = 1; i <= a.size(); ++i) {
        for (std::size_t j = 1; j <= b.size(); ++j) {
            const std::size_t wrong = a[i - 1] == b[j - 1] ? 0 : 1;
            slips[i][j] =
                std::min({slips[i - 1][j] + 1, slips[i][j - 1] + 1, slips[i - 1][j - 1] + wrong});
            const bool swapped = i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1];
            if (swapped) slips[i][j] = std::min(slips[i][j], slips[i - 2][j - 2] + 1);
        }
    }
    return slips[a.size()][b.size()];
}

}  // namespace

std::string to_text(const Problem& problem) {
    const FilePosition& at = problem.position;
    std::string text = at.file;
    if (at.line > 0) text += fmt::format(":{}:{}", at.line, at.column);
    if (!problem.key.empty()) text += ": " + problem.key;
    return text + ": " + problem.message;
}

InputProblems::InputProblems(std::vector<Problem> problems)
    : std::runtime_error{lines_of(problems)}, problems_{std::move(problems)} {}

void refuse_input(const FilePosition& position, const std::string& key,
                  const std::string& message) {
    std::vector<Problem> problems(1);
    problems.front() = {position, key, message};
    throw InputProblems{std::move(problems)};
}

std::string nearest_name(std::string_view name, const std::vector<std::string>& candidates) {
    constexpr std::size_t longest = 80;  // nobody mistypes a novel
    if (name.size() > longest) return {};
    std::string nearest;
    std::size_t fewest = std::max<std::size_t>(2, name.size() / 3) + 1;
    for (const std::string& candidate : candidates) {
        const std::size_t slips = slips_between(name, candidate);
        // A name cut short, or with a unit forgotten, is near whatever its length.
        const bool begins_alike = name.size() >= 3 && candidate.starts_with(name);
        const std::size_t distance = begins_alike ? std::min<std::size_t>(slips, 2) : slips;
        if (distance < fewest && distance < candidate.size()) {
            fewest = distance;
            nearest = candidate;
        }
    }
    return nearest;
}

std::string did_you_mean(std::string_view name, const std::vector<std::string>& candidates) {
    const std::string nearest = nearest_name(name, candidates);
    return nearest.empty() ? std::string{} : fmt::format("; did you mean '{}'?", nearest);
}

std::string there_is_no(std::string_view what, std::string_view name,
                        const std::vector<std::string>& known) {
    return fmt::format("there is no {} '{}'{}{}{}", what, name, known.empty() ? "" : "; there is ",
                       any_of(known), did_you_mean(name, known));
}

std::string any_of(const std::vector<std::string>& names) {
    if (names.size() < 2) return fmt::format("{}", fmt::join(names, ""));
    return fmt::format("{} or {}", fmt::join(names.begin(), names.end() - 1, ", "), names.back());
}

}  // namespace hopcoil::io
