#pragma once

#include <filesystem>
#include <string>
#include <string_view>
#include <vector>

#include "draw/chart.hpp"

/// @file
/// Reports: pages that need nothing but themselves, readable on a desk and on a phone, by day and
/// by night.

namespace hopcoil::draw {

struct Table {
    std::vector<std::string> headings{};
    std::vector<std::vector<std::string>> rows{};  ///< the first cell of each is its heading
};

/// A picture inside a page.
struct EmbeddedImage {
    std::filesystem::path file{};  ///< PNG, animated PNG or SVG: its bytes go into the page
    std::string says{};            ///< for those who cannot see it
};

/// A part of a report, in this order, each where there is one: heading, text, figure, images,
/// table, warnings, how to make it again.
struct ReportSection {
    std::string heading{};
    std::string text{};
    std::string figure_svg{};
    std::string figure_says{};  ///< for those who cannot see it
    std::vector<EmbeddedImage> images{};
    Table table{};
    std::vector<std::string> warnings{};
    std::string command{};  ///< as typed in a shell
};

struct Report {
    std::string title{};
    std::string lead{};  ///< what it is, in a sentence or two
    std::vector<ReportSection> sections{};
    std::string footer{};
};

/// The whole page. Errors: scene::FileProblem when an image cannot be read.
[[nodiscard]] std::string to_html(const Report& report);

/// A chart as an <svg> element. Errors: as write_chart.
[[nodiscard]] std::string chart_svg(const Chart& chart);

}  // namespace hopcoil::draw
