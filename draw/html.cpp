#include "draw/html.hpp"

#include <filesystem>
#include <system_error>

#include <fmt/format.h>

#include <hopcoil/io/base64.hpp>
#include <hopcoil/io/text_file.hpp>

#include "draw/palette.hpp"

namespace hopcoil::draw {
namespace {

std::string escaped(std::string_view text) {
    std::string result;
    for (const char c : text) {
        switch (c) {
            case '&':
                result += "&amp;";
                break;
            case '<':
                result += "&lt;";
                break;
            case '>':
                result += "&gt;";
                break;
            case '"':
                result += "&quot;";
                break;
            default:
                result += c;
        }
    }
    return result;
}

/// Figures keep their paper by night: their lines are drawn for it.
constexpr std::string_view style = R"(
:root { color-scheme: light dark; --paper: #ffffff; --ink: #1d2830; --faint: #5b6770;
        --line: #dde2e6; --card: #f5f7f8; --warn: #8a3b12; --warn-paper: #fbeadb; }
@media (prefers-color-scheme: dark) {
  :root { --paper: #161d22; --ink: #e4e9ec; --faint: #9eabb4; --line: #34414a; --card: #1f282e;
          --warn: #f3c98b; --warn-paper: #3a2a18; } }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 1180px; padding: 28px 24px 40px; background: var(--paper);
       color: var(--ink); font: 16px/1.5 "DejaVu Sans", system-ui, sans-serif; }
h1 { font-size: 26px; line-height: 1.25; margin: 0 0 8px; }
h2 { font-size: 20px; line-height: 1.3; margin: 44px 0 8px; padding-top: 14px;
     border-top: 1px solid var(--line); }
p { margin: 0 0 12px; max-width: 46em; }
.lead, footer { color: var(--faint); }
.wide { overflow-x: auto; margin: 14px 0; }
figure { margin: 0; background: #ffffff; border: 1px solid var(--line); border-radius: 6px;
         min-width: 760px; }
figure.picture { min-width: 0; }
figure svg, figure img { display: block; width: 100%; height: auto; }
table { border-collapse: collapse; font-size: 14.5px; min-width: 100%; }
th, td { text-align: left; padding: 6px 16px 6px 0; border-bottom: 1px solid var(--line);
         vertical-align: top; }
thead th { color: var(--faint); font-weight: normal; white-space: nowrap; }
tbody th, td { white-space: nowrap; }
td.long { white-space: normal; min-width: 14em; }
.warnings { background: var(--warn-paper); color: var(--warn); border-radius: 6px;
            padding: 10px 16px; margin: 14px 0; }
.warnings p { margin: 0 0 4px; max-width: none; }
code { display: block; overflow-x: auto; white-space: pre; background: var(--card);
       border-radius: 6px; padding: 10px 14px; font: 14px/1.5 "DejaVu Sans Mono", monospace; }
footer { margin-top: 44px; font-size: 13.5px; }
@media (max-width: 600px) { body { padding: 18px 14px 30px; } h1 { font-size: 22px; } }
)";

void add_table(std::string& html, const Table& table) {
    if (table.rows.empty()) return;
    html += "<div class=\"wide\"><table>\n<thead><tr>";
    for (const std::string& heading : table.headings)
        html += fmt::format("<th scope=\"col\">{}</th>", escaped(heading));
    html += "</tr></thead>\n<tbody>\n";
    for (const std::vector<std::string>& row : table.rows) {
        html += "<tr>";
        for (std::size_t i = 0; i < row.size(); ++i) {
            constexpr std::size_t long_cell = 26;
            html += i == 0 ? fmt::format("<th scope=\"row\">{}</th>", escaped(row[i]))
                           : fmt::format("<td{}>{}</td>",
                                         row[i].size() > long_cell ? " class=\"long\"" : "",
                                         escaped(row[i]));
        }
        html += "</tr>\n";
    }
    html += "</tbody></table></div>\n";
}

void add_image(std::string& html, const EmbeddedImage& image) {
    const bool is_svg = image.file.extension() == ".svg";
    html += fmt::format(
        "<div class=\"wide\"><figure class=\"picture\"><img alt=\"{}\" "
        "src=\"data:image/{};base64,{}\"></figure></div>\n",
        escaped(image.says), is_svg ? "svg+xml" : "png",
        io::to_base64(io::read_text_file(image.file)));
}

void add_section(std::string& html, const ReportSection& section) {
    html += "<section>\n";
    if (!section.heading.empty()) html += fmt::format("<h2>{}</h2>\n", escaped(section.heading));
    if (!section.text.empty()) html += fmt::format("<p>{}</p>\n", escaped(section.text));
    if (!section.figure_svg.empty()) {
        html += fmt::format(
            "<div class=\"wide\"><figure role=\"img\" aria-label=\"{}\">{}</figure></div>\n",
            escaped(section.figure_says), section.figure_svg);
    }
    for (const EmbeddedImage& image : section.images)
        add_image(html, image);
    add_table(html, section.table);
    if (!section.warnings.empty()) {
        html += "<div class=\"warnings\">\n";
        for (const std::string& warning : section.warnings)
            html += fmt::format("<p>{}</p>\n", escaped(warning));
        html += "</div>\n";
    }
    if (!section.command.empty()) {
        html +=
            fmt::format("<p>To make it again:</p>\n<code>{}</code>\n", escaped(section.command));
    }
    html += "</section>\n";
}

}  // namespace

std::string to_html(const Report& report) {
    std::string html = fmt::format(
        "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
        "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
        "<title>{0}</title>\n<style>{1}</style>\n</head>\n<body>\n<header>\n<h1>{0}</h1>\n",
        escaped(report.title), style);
    if (!report.lead.empty())
        html += fmt::format("<p class=\"lead\">{}</p>\n", escaped(report.lead));
    html += "</header>\n<main>\n";
    for (const ReportSection& section : report.sections)
        add_section(html, section);
    return html +
           fmt::format("</main>\n<footer>{}</footer>\n</body>\n</html>\n", escaped(report.footer));
}

std::string chart_svg(const Chart& chart) {
    namespace fs = std::filesystem;
    const fs::path file = io::temporary_beside(fs::temp_directory_path() / "figure.svg");
    const auto remove = [&file] {
        std::error_code ignored;
        fs::remove(file, ignored);
    };
    std::string text;
    try {
        write_chart(chart, file);
        text = io::read_text_file(file);
    } catch (...) {
        remove();
        throw;
    }
    remove();
    const std::size_t begin = text.find("<svg");
    return begin == std::string::npos ? std::string{} : text.substr(begin);
}

}  // namespace hopcoil::draw
