// What stands on a chart can be read.

#include "draw/chart.hpp"

#include <catch2/catch.hpp>

#include "support/files.hpp"

using Catch::Matchers::Contains;
using namespace hopcoil;

TEST_CASE("no text of a mark stands upon another", "[draw]") {
    const TestFolder folder;
    draw::Panel panel{.curves = {{.xs = {0, 1}, .ys = {0, 1}, .colour = "#000000"}}};
    const auto mark = [&](double x, const char* text) {
        panel.marks.push_back({.x = x, .y = 0.5, .text = text, .colour = "#000000", .above = true});
    };
    mark(0.5, "above the point");
    mark(0.51, "below it, then");
    mark(0.52, "no room for this");
    mark(0.1, "far from all of these");
    draw::write_chart({.panels = {panel}}, folder.path() / "marks.svg");
    const std::string svg = contents_of(folder.path() / "marks.svg");
    CHECK_THAT(svg, Contains("above the point") && Contains("below it, then") &&
                        Contains("far from all of these"));
    CHECK_THAT(svg, !Contains("no room for this"));
}
