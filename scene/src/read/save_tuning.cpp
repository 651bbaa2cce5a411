#include <algorithm>
#include <cmath>
#include <cstddef>
#include <filesystem>
#include <stdexcept>
#include <string>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/scene/named_settings.hpp>
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

std::string table_of(const NamedSettings& settings) {
    std::string text = fmt::format("[settings.{}]\n", settings.name);
    if (!settings.about.empty()) text += fmt::format("about = {}\n", quoted(settings.about));
    if (!settings.kind.empty()) text += fmt::format("kind = {}\n", quoted(settings.kind));
    std::vector<std::string> entries;
    for (const SceneNumber& each : settings.numbers)
        entries.push_back(fmt::format("{} = {}", each.path, each.value));
    for (const SceneChoice& each : settings.choices)
        entries.push_back(fmt::format("{} = {}", each.path, quoted(each.name)));
    return fmt::format("{}numbers = {{ {} }}\n", text, fmt::join(entries, ", "));
}

void require_name(const std::string& name) {
    if (is_name(name)) return;
    throw std::invalid_argument{
        fmt::format("'{}' cannot be a name: expected letters, digits, '_' and '-'", name)};
}

void require_complete(const SharedTuning& tuning) {
    require_name(tuning.name);
    bool has_numbers = false;
    for (const auto& part : {tuning.whole, tuning.position, tuning.rotation, tuning.scale}) {
        if (!part) continue;
        require_valid(*part);
        has_numbers = true;
    }
    if (!has_numbers) throw std::invalid_argument{"a tuning to save has to have numbers"};
}

/// Where a table ends: at the next heading, and the comments right above that.
std::size_t end_of_table(const std::string& text, std::size_t start) {
    const std::size_t body = text.find('\n', start);
    std::size_t end = body == std::string::npos ? body : find_line(text, "[", body + 1);
    while (end != std::string::npos && end > start) {
        const std::size_t before = text.rfind('\n', end - 2);
        const std::size_t line = before == std::string::npos ? 0 : before + 1;
        if (line <= start || (text[line] != '#' && text[line] != '\n')) break;
        end = line;
    }
    return end;
}

/// Puts a table into a tuning file: in place of the one of its name, or at the end.
void save_table(const std::string& path, const std::string& name, const std::string& table) {
    std::string text;
    bool is_there = false;
    if (std::filesystem::exists(path)) {
        static_cast<void>(read_tunings(path));  // that it is a tuning file
        static_cast<void>(read_settings(path));
        is_there = static_cast<bool>(parse_toml(path).at_path(name));
        text = io::read_text_file(path);
    }
    const std::size_t start =
        is_there ? find_line(text, fmt::format("[{}]", name), 0) : std::string::npos;
    if (is_there && start == std::string::npos) {
        io::refuse_input({path, 0, 0}, name,
                         fmt::format("it cannot be replaced where it stands; expected it under a "
                                     "heading [{}]",
                                     name));
    }
    if (is_there) {
        const std::size_t end = end_of_table(text, start);
        text.replace(start, end == std::string::npos ? end : end - start, table);
    } else {
        if (!text.empty() && text.back() != '\n') text += '\n';
        if (!text.empty()) text += '\n';
        text += table;
    }
    require_toml(text, path);  // what was there may have been laid out as this does not expect
    io::write_text_file(path, text);
}

}  // namespace

bool is_name(const std::string& name) {
    return !name.empty() && std::all_of(name.begin(), name.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
               c == '_' || c == '-';
    });
}

void save_tuning(const std::string& path, const SharedTuning& tuning) {
    require_complete(tuning);
    save_table(path, "tuning." + tuning.name, table_of(tuning));
}

void save_settings(const std::string& path, const NamedSettings& settings) {
    require_name(settings.name);
    if (settings.numbers.empty() && settings.choices.empty())
        throw std::invalid_argument{"settings to save have to have numbers"};
    for (const SceneNumber& each : settings.numbers) {
        if (!std::isfinite(each.value)) throw InvalidValue{each.path, each.value, "finite"};
    }
    save_table(path, "settings." + settings.name, table_of(settings));
}

}  // namespace hopcoil::scene
