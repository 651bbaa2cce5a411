#include <algorithm>
#include <cstddef>
#include <filesystem>
#include <stdexcept>
#include <string>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {
namespace {

std::string numbers_of(const Tuning& tuning, const char* between) {
    return fmt::format("frequency_hz = {}{}damping_ratio = {}{}lead = {}", tuning.frequency_hz,
                       between, tuning.damping_ratio, between, tuning.lead);
}

std::string quoted(const std::string& text) {
    std::string result{'"'};
    for (const char c : text) {
        if (c == '"' || c == '\\') result += '\\';
        // A line is a line: what would end it is a space.
        const bool is_control = static_cast<unsigned char>(c) < 0x20 || c == 0x7f;
        result += is_control ? ' ' : c;
    }
    result += '"';
    return result;
}

std::string table_of(const SharedTuning& tuning) {
    std::string text = fmt::format("[tuning.{}]\n", tuning.name);
    if (!tuning.about.empty()) text += fmt::format("about = {}\n", quoted(tuning.about));
    if (tuning.whole) text += numbers_of(*tuning.whole, "\n") + '\n';
    const auto add_part = [&](const char* part, const std::optional<Tuning>& numbers) {
        if (numbers) text += fmt::format("{} = {{ {} }}\n", part, numbers_of(*numbers, ", "));
    };
    add_part("position", tuning.position);
    add_part("rotation", tuning.rotation);
    add_part("scale", tuning.scale);
    return text;
}

/// Where a line begins with a text, behind blanks; npos when none does.
std::size_t find_line(const std::string& text, const std::string& beginning, std::size_t from) {
    while (from < text.size()) {
        const std::size_t start = text.find_first_not_of(" \t", from);
        if (start == std::string::npos) return start;
        if (text.compare(start, beginning.size(), beginning) == 0) return from;
        const std::size_t end = text.find('\n', from);
        if (end == std::string::npos) return end;
        from = end + 1;
    }
    return std::string::npos;
}

void require_sayable(const SharedTuning& tuning) {
    if (!is_name(tuning.name)) {
        throw std::invalid_argument{fmt::format(
            "'{}' cannot name a tuning: expected letters, digits, '_' and '-'", tuning.name)};
    }
    bool has_numbers = false;
    for (const auto& part : {tuning.whole, tuning.position, tuning.rotation, tuning.scale}) {
        if (!part) continue;
        require_valid(*part);
        has_numbers = true;
    }
    if (!has_numbers) throw std::invalid_argument{"a tuning to save has to have numbers"};
}

}  // namespace

bool is_name(const std::string& name) {
    return !name.empty() && std::all_of(name.begin(), name.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
               c == '_' || c == '-';
    });
}

void save_tuning(const std::string& path, const SharedTuning& tuning) {
    require_sayable(tuning);
    std::string text;
    bool is_there = false;
    if (std::filesystem::exists(path)) {
        const std::vector<SharedTuning> all = read_tunings(path);  // that it is a tuning file
        is_there = std::any_of(all.begin(), all.end(),
                               [&](const SharedTuning& each) { return each.name == tuning.name; });
        text = io::read_text_file(path);
    }
    const std::size_t start =
        is_there ? find_line(text, fmt::format("[tuning.{}]", tuning.name), 0) : std::string::npos;
    if (is_there && start == std::string::npos) {
        io::refuse_input({path, 0, 0}, "tuning." + tuning.name,
                         fmt::format("it cannot be replaced where it stands; expected it under a "
                                     "heading [tuning.{}]",
                                     tuning.name));
    }
    if (is_there) {
        const std::size_t body = text.find('\n', start);
        std::size_t end = body == std::string::npos ? body : find_line(text, "[", body + 1);
        // Comments right above the next heading are its own.
        while (end != std::string::npos && end > start) {
            const std::size_t before = text.rfind('\n', end - 2);
            const std::size_t line = before == std::string::npos ? 0 : before + 1;
            if (line <= start || (text[line] != '#' && text[line] != '\n')) break;
            end = line;
        }
        text.replace(start, end == std::string::npos ? end : end - start, table_of(tuning));
    } else {
        if (!text.empty() && text.back() != '\n') text += '\n';
        if (!text.empty()) text += '\n';
        text += table_of(tuning);
    }
    require_toml(text, path);  // what was there may have been laid out as this does not expect
    io::write_text_file(path, text);
}

}  // namespace hopcoil::scene
