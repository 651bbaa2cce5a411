#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace hopcoil::draw {

/// A curve; numbers that are not finite leave a gap.
struct Curve {
    std::vector<double> xs{};
    std::vector<double> ys{};
    std::string_view colour{};
    double width = 2.0;
    bool dashed = false;
};

/// A region between two heights, filled.
struct Area {
    std::vector<double> xs{};
    std::vector<double> lows{};
    std::vector<double> highs{};
    std::string_view colour{};
};

/// A point worth naming, with its text above or below it.
struct Mark {
    double x = 0.0;
    double y = 0.0;
    std::string text{};
    std::string_view colour{};
    bool above = true;
    bool left = false;  ///< instead, beside it: clear of a vertical line through the point
};

/// A vertical line over the panel's height, with its text at the foot.
struct Moment {
    double x = 0.0;
    std::string text{};
    std::string_view colour{};
};

/// A stretch of the y axis, shaded; the legend names it.
struct Band {
    double low = 0.0;
    double high = 0.0;
};

/// One entry beside a panel: a line in the curve's style (or a swatch in the band's), a name, and
/// more lines of text.
struct LegendEntry {
    std::string_view colour{};
    bool dashed = false;
    bool swatch = false;
    std::string name{};
    std::vector<std::string> notes{};
};

struct Panel {
    std::string title{};
    std::string y_label{};
    std::vector<Area> areas{};
    std::vector<Curve> curves{};
    std::vector<Mark> marks{};
    std::vector<Moment> moments{};
    std::optional<Band> band{};
    std::vector<LegendEntry> legend{};
    double share = 1.0;              ///< of the height, beside the other panels
    std::optional<double> x_from{};  ///< a stretch of its own, unlike the chart's
    std::optional<double> x_to{};
    std::optional<double> y_from{};  ///< else from what it has to show
    std::optional<double> y_to{};
    bool log_y = false;  ///< everything in it is then above 0
};

/// Panels one above the other over one x axis (or a closer look at it), legends to their right,
/// outside the data; or in several columns, with one legend in the place after the last.
struct Chart {
    std::string title{};
    std::string x_label = "time (s)";
    double x_from = 0.0;
    double x_to = 1.0;
    bool log_x = false;
    std::vector<Panel> panels{};
    int columns = 1;
    std::vector<LegendEntry> legend{};  ///< for all panels, where there are several columns
    std::string footer{};               ///< what made it
    int width_px = 1280;
    int height_px = 800;
};

/// Draws a chart into a file, PNG or SVG by its ending; all or nothing.
/// Errors  std::invalid_argument for another ending; scene::FileProblem when the file cannot be
///         written or gnuplot cannot be run.
void write_chart(const Chart& chart, const std::filesystem::path& path);

/// The formats it knows, for messages.
[[nodiscard]] bool is_chart_file(const std::filesystem::path& path);

}  // namespace hopcoil::draw
