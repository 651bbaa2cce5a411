#include "draw/chart.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <iterator>
#include <limits>
#include <stdexcept>
#include <system_error>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>

#include "draw/extent.hpp"
#include "draw/gnuplot.hpp"
#include "draw/palette.hpp"
#include "draw/visible_rows.hpp"

namespace hopcoil::draw {
namespace {

constexpr double left_px = 105;
constexpr double legend_px = 330;
constexpr double top_px = 62;
constexpr double bottom_px = 92;
constexpr double between_px = 26;
constexpr double tick_px = 30;  // at least, between two numbers on the y axis

/// A text as gnuplot's single-quoted string, in which nothing is expanded.
std::string gnuplot_string(std::string_view text) {
    std::string result = "'";
    for (const char c : text) {
        if (c == '\'') result += '\'';
        result += c == '\n' ? ' ' : c;
    }
    return result + '\'';
}

/// A label up the side of a panel: on two lines where it is longer than that.
std::string label_beside(const std::string& text, double room_px) {
    constexpr double letter_px = 7.3;
    const std::size_t space = text.rfind(' ', text.size() / 2 + 2);
    const bool fits = letter_px * static_cast<double>(text.size()) < room_px;
    if (fits || space == std::string::npos) return gnuplot_string(text);
    return fmt::format(R"({}."\n".{})", gnuplot_string(text.substr(0, space)),
                       gnuplot_string(text.substr(space + 1)));
}

/// A number on an axis, and back, where that is logarithmic.
double to_axis(double value, bool logarithmic) {
    return logarithmic ? std::log(value) : value;
}
double from_axis(double place, bool logarithmic) {
    return logarithmic ? std::exp(place) : place;
}

/// What a panel has to show between two times, along its axis.
Extent shown_extent(const Panel& panel, double x_from, double x_to) {
    Extent extent;
    const auto include = [&](double y) {
        extent.include(to_axis(y, panel.log_y));
    };
    for (const Curve& curve : panel.curves) {
        for (std::size_t i = 0; i < curve.ys.size(); ++i) {
            if (curve.xs[i] >= x_from && curve.xs[i] <= x_to) include(curve.ys[i]);
        }
    }
    for (const Area& area : panel.areas) {
        for (std::size_t i = 0; i < area.xs.size(); ++i) {
            include(area.lows[i]);
            include(area.highs[i]);
        }
    }
    for (const Mark& mark : panel.marks)
        include(mark.y);
    if (panel.band) {
        include(panel.band->low);
        include(panel.band->high);
    }
    return extent;
}

/// The same with room around it for the texts at its marks, or as the panel says.
Extent y_extent(const Panel& panel, double x_from, double x_to) {
    Extent extent = shown_extent(panel, x_from, x_to);
    if (!(extent.low <= extent.high)) extent = {-1, 1};
    double span = extent.size();
    if (!(span > 1e-12 * std::max(std::abs(extent.low), std::abs(extent.high)))) {
        span = std::max(1e-12, std::abs(extent.high));
    }
    const bool has_marks = !panel.marks.empty();
    const double low = from_axis(extent.low - span * (has_marks ? 0.14 : 0.07), panel.log_y);
    const double high = from_axis(extent.high + span * (has_marks ? 0.16 : 0.07), panel.log_y);
    return {panel.y_from.value_or(low), panel.y_to.value_or(high)};
}

/// A legend's note in lines that fit beside a panel, broken between words, not before a unit.
std::vector<std::string> wrapped(std::string note) {
    constexpr std::size_t most = 34;
    std::vector<std::string> lines;
    while (note.size() > most) {
        std::size_t space = note.rfind(' ', most);
        if (space == std::string::npos || space == 0) break;
        const bool follows_number = note[space - 1] >= '0' && note[space - 1] <= '9';
        const std::size_t before = note.rfind(' ', space - 1);
        if (follows_number && before != std::string::npos && before > 0) space = before;
        lines.push_back(note.substr(0, space));
        note.erase(0, space + 1);
    }
    lines.push_back(std::move(note));
    return lines;
}

/// 1, 2 or 5 times a power of ten: the smallest that divides a span into at most so many.
double round_spacing(double span, double most_ticks) {
    const double least = span / most_ticks;
    const double decade = std::pow(10.0, std::floor(std::log10(least)));
    for (const double step : {1.0, 2.0, 5.0}) {
        if (step * decade >= least) return step * decade;
    }
    return 10 * decade;
}

/// The texts beside a panel's marks, in pixels, so that none is put upon another.
class Texts {
  public:
    static constexpr double height = 16;
    static double width(std::string_view text) { return 7 * static_cast<double>(text.size()); }

    /// False where another stands.
    bool put(double left, double middle, std::string_view text) {
        const Box box{left, left + width(text), middle};
        const bool is_free = std::none_of(boxes_.begin(), boxes_.end(), [&](const Box& other) {
            return box.left < other.right && other.left < box.right &&
                   std::abs(box.middle - other.middle) < height;
        });
        if (is_free) boxes_.push_back(box);
        return is_free;
    }

  private:
    struct Box {
        double left;
        double right;
        double middle;
    };
    std::vector<Box> boxes_;
};

/// Writes the script of a chart, a member function a part of the picture.
class ChartScript {
  public:
    explicit ChartScript(const Chart& chart) : chart_{chart} {}

    std::string text(const std::filesystem::path& path, bool svg) {
        if (svg) points_ = 1.3;
        add("set terminal {} size {},{} font 'DejaVu Sans,{}' background rgb '{}'",
            svg ? "svg" : "pngcairo", chart_.width_px, chart_.height_px, 11.5 * points_, paper);
        add("set output {}", gnuplot_string(path.string()));
        add_data();
        add("set encoding utf8");
        add("set multiplot");
        add("set border 3 lc rgb '{}'", faint_ink);
        add("set tics nomirror out scale 0.6 textcolor rgb '{}'", ink);
        add("set grid back lc rgb '{}' lt 1 lw 1", grid);
        add("unset key");
        if (chart_.log_x) add("set logscale x");
        for (std::size_t i = 0; i < chart_.panels.size(); ++i)
            add_panel(i, place_of(i));
        add("unset multiplot");
        add("unset output");
        return std::move(script_);
    }

  private:
    template <class... Values>
    void add(fmt::format_string<Values...> format, Values&&... values) {
        fmt::format_to(std::back_inserter(script_), format, std::forward<Values>(values)...);
        script_ += '\n';
    }

    /// Where a panel's axes stand, in pixels from the top left.
    struct ValueArray {
        double left;
        double right;
        double top;
        double bottom;
    };

    [[nodiscard]] ValueArray place_of(std::size_t index) const {
        if (chart_.columns > 1) return cell(index);
        double from_top_px = top_px;
        for (std::size_t i = 0; i < index; ++i)
            from_top_px += panel_height_px(chart_.panels[i]) + gap_below_px(i);
        return {left_px, chart_.width_px - legend_px, from_top_px,
                from_top_px + panel_height_px(chart_.panels[index])};
    }

    /// The same for panels in columns; the one after the last panel is the legend's.
    [[nodiscard]] ValueArray cell(std::size_t index) const {
        const auto columns = static_cast<std::size_t>(chart_.columns);
        const std::size_t places = chart_.panels.size() + (chart_.legend.empty() ? 0 : 1);
        const std::size_t rows = (places + columns - 1) / columns;
        constexpr double margin_left_px = 66;
        constexpr double margin_below_px = 66;
        constexpr double margin_above_px = 26;
        const double width_px = (chart_.width_px - 24.0) / static_cast<double>(columns);
        const double height_px = (chart_.height_px - top_px - 34) / static_cast<double>(rows);
        const double left = 8 + width_px * static_cast<double>(index % columns);
        const std::size_t row = index / columns;
        const double top = top_px + height_px * static_cast<double>(row);
        return {left + margin_left_px, left + width_px - 8, top + margin_above_px,
                top + height_px - margin_below_px};
    }

    [[nodiscard]] double panel_height_px(const Panel& panel) const {
        double shares = 0;
        double room_px = chart_.height_px - top_px - bottom_px;
        for (std::size_t i = 0; i < chart_.panels.size(); ++i) {
            shares += chart_.panels[i].share;
            room_px -= gap_below_px(i);
        }
        return room_px * panel.share / shares;
    }

    [[nodiscard]] bool is_last(std::size_t index) const {
        return index + 1 == chart_.panels.size();
    }
    [[nodiscard]] bool has_own_times(std::size_t index) const {
        return chart_.panels[index].x_from.has_value() || chart_.panels[index].x_to.has_value();
    }
    /// Whether the panel shows numbers along its foot: those below it are not the same.
    [[nodiscard]] bool shows_times(std::size_t index) const {
        return is_last(index) || has_own_times(index) || has_own_times(index + 1);
    }
    [[nodiscard]] double gap_below_px(std::size_t index) const {
        if (is_last(index)) return 0;
        return shows_times(index) ? between_px + 30 : between_px;
    }

    [[nodiscard]] double screen_x(double px) const { return px / chart_.width_px; }
    [[nodiscard]] double screen_y(double from_top_px) const {
        return 1 - from_top_px / chart_.height_px;
    }

    void add_data() {
        for (std::size_t i = 0; i < chart_.panels.size(); ++i) {
            const Panel& panel = chart_.panels[i];
            const std::vector<Curve>& curves = panel.curves;
            const double x_from = panel.x_from.value_or(chart_.x_from);
            const double x_to = panel.x_to.value_or(chart_.x_to);
            for (std::size_t j = 0; j < curves.size(); ++j) {
                add("$curve_{}_{} << END", i, j);
                for (const std::size_t k : visible_rows(curves[j], x_from, x_to)) {
                    if (std::isfinite(curves[j].ys[k])) {
                        add("{} {}", curves[j].xs[k], curves[j].ys[k]);
                    } else {
                        add("");
                    }
                }
                add("END");
            }
            const std::vector<Area>& areas = chart_.panels[i].areas;
            for (std::size_t j = 0; j < areas.size(); ++j) {
                add("$area_{}_{} << END", i, j);
                for (std::size_t k = 0; k < areas[j].xs.size(); ++k)
                    add("{} {} {}", areas[j].xs[k], areas[j].lows[k], areas[j].highs[k]);
                add("END");
            }
        }
    }

    void add_text(double x_px, double from_top_px, std::string_view text, std::string_view colour,
                  double size = 11.5, bool bold = false) {
        add("set label {} at screen {},{} left front noenhanced textcolor rgb '{}' font 'DejaVu "
            "Sans{},{}'",
            gnuplot_string(text), screen_x(x_px), screen_y(from_top_px), colour,
            bold ? ":Bold" : "", size * points_);
    }

    /// Ends at `x_px`.
    void add_end_text(double x_px, double from_top_px, std::string_view text) {
        add("set label {} at screen {},{} right front noenhanced textcolor rgb '{}' font 'DejaVu "
            "Sans,{}'",
            gnuplot_string(text), screen_x(x_px), screen_y(from_top_px), faint_ink, 9.5 * points_);
    }

    void add_panel(std::size_t index, const ValueArray& place) {
        const Panel& panel = chart_.panels[index];
        add("unset label; unset arrow; unset object");
        if (index == 0) add_text(24, 30, chart_.title, ink, 15, true);
        if (is_last(index) && !chart_.footer.empty()) {
            add_text(24, chart_.height_px - 16, chart_.footer, faint_ink, 8.5);
        }
        if (!panel.title.empty())
            add_text(place.left, place.top - 13, panel.title, ink, 11.5, true);
        const bool in_columns = chart_.columns > 1;
        // A little beyond the panel, clear of a long title.
        if (in_columns) add_end_text(place.right + 12, place.top - 13, panel.y_label);
        add("set lmargin at screen {}; set rmargin at screen {}", screen_x(place.left),
            screen_x(place.right));
        add("set tmargin at screen {}; set bmargin at screen {}", screen_y(place.top),
            screen_y(place.bottom));
        const double x_from = panel.x_from.value_or(chart_.x_from);
        const double x_to = panel.x_to.value_or(chart_.x_to);
        const Extent extent = y_extent(panel, x_from, x_to);
        add("set yrange [{}:{}]", extent.low, extent.high);
        if (panel.log_y) {
            add("set logscale y; set ytics autofreq");
        } else {
            add("unset logscale y; set ytics {}",
                round_spacing(extent.size(), (place.bottom - place.top) / tick_px));
        }
        add("set format y '%g'");
        add("set ylabel {} noenhanced offset screen -0.005,0 textcolor rgb '{}'",
            label_beside(in_columns ? "" : panel.y_label, 1.25 * (place.bottom - place.top)), ink);
        add("set xrange [{}:{}]", x_from, x_to);
        const bool many_decades = chart_.log_x && x_to > 1e4 * x_from;
        const char* const numbers = many_decades ? "10^{%L}" : "%g";
        add("set format x '{}'", in_columns || shows_times(index) ? numbers : "");
        add("set xlabel {} noenhanced textcolor rgb '{}'",
            gnuplot_string(in_columns || is_last(index) ? chart_.x_label : ""), ink);
        add_legend(panel.legend, place.right, place.top);
        if (in_columns && is_last(index) && !chart_.legend.empty()) {
            const ValueArray after = cell(index + 1);
            add_legend(chart_.legend, after.left - 40, after.top);
        }
        if (panel.band) add_band(*panel.band);
        for (std::size_t i = 0; i < panel.moments.size(); ++i)
            add_moment(panel.moments[i], i);
        add_marks(panel, place, extent, x_from, x_to);
        add_curves(index, extent);
    }

    void add_legend(const std::vector<LegendEntry>& legend, double right_px, double from_top_px) {
        double y_px = from_top_px + 10;
        for (const LegendEntry& entry : legend) {
            add("set arrow from screen {0},{2} to screen {1},{2} nohead front lc rgb '{3}' lw {4} "
                "dt {5}",
                screen_x(right_px + 22), screen_x(right_px + 58), screen_y(y_px), entry.colour,
                entry.swatch ? 12 : 3, entry.dashed ? 2 : 1);
            add_text(right_px + 68, y_px, entry.name, ink, 11.5, true);
            y_px += 21;
            for (const std::string& note : entry.notes) {
                for (const std::string& line : wrapped(note)) {
                    add_text(right_px + 68, y_px, line, ink, 10.5);
                    y_px += 18;
                }
            }
            y_px += 10;
        }
    }

    void add_band(const Band& band) {
        add("set object rectangle from graph 0, first {} to graph 1, first {} behind fc rgb '{}' "
            "fillstyle solid noborder",
            band.low, band.high, band_fill);
    }

    void add_moment(const Moment& moment, std::size_t row) {
        add("set arrow from first {0}, graph 0 to first {0}, graph 1 nohead back lc rgb '{1}' lw "
            "1.5 "
            "dt 3",
            moment.x, moment.colour);
        const bool at_right = moment.x > chart_.x_from + 0.85 * (chart_.x_to - chart_.x_from);
        add("set label {} at first {}, graph {} {} front noenhanced offset {},0 textcolor rgb '{}' "
            "font 'DejaVu Sans,{}'",
            gnuplot_string(moment.text), moment.x, 0.08 + 0.05 * static_cast<double>(row % 6),
            at_right ? "right" : "left", at_right ? -0.5 : 0.5, moment.colour, 10 * points_);
    }

    /// Each text above or below its point, where no other text stands already; else none.
    void add_marks(const Panel& panel, const ValueArray& place, const Extent& extent, double x_from,
                   double x_to) {
        const auto share = [](double value, double low, double high, bool logarithmic) {
            const double from = to_axis(low, logarithmic);
            return (to_axis(value, logarithmic) - from) / (to_axis(high, logarithmic) - from);
        };
        Texts texts;
        for (const Mark& mark : panel.marks) {
            const double along = share(mark.x, x_from, x_to, chart_.log_x);
            const double up = share(mark.y, extent.low, extent.high, panel.log_y);
            const double x = place.left + along * (place.right - place.left);
            const double y = place.bottom - up * (place.bottom - place.top);
            const double hanging = along < 0.13 ? 0 : mark.left || along > 0.87 ? 1 : 0.5;
            const double left = x - hanging * Texts::width(mark.text);
            const auto rows_down = [&](bool above) {
                return mark.left ? 0 : above ? -1 : 1;
            };
            const auto fits = [&](bool above) {
                return texts.put(left, y + rows_down(above) * Texts::height, mark.text);
            };
            const bool as_wished = fits(mark.above);
            const bool above = as_wished == mark.above;
            const bool shown = as_wished || fits(above);
            const char* const side = hanging == 0 ? "left" : hanging == 1 ? "right" : "center";
            add("set label {} at first {}, first {} {} front noenhanced point pt 7 ps 0.8 lc rgb "
                "'{}' offset {},{} textcolor rgb '{}' font 'DejaVu Sans,{}'",
                gnuplot_string(shown ? mark.text : ""), mark.x, mark.y, side, mark.colour,
                mark.left ? -0.8 : 0.0, -0.9 * rows_down(above), mark.colour, 10 * points_);
        }
    }

    void add_curves(std::size_t index, const Extent& extent) {
        const std::vector<Curve>& curves = chart_.panels[index].curves;
        script_ += "plot ";
        const char* between = "";
        const auto plot = [&]<class... Values>(fmt::format_string<Values...> format,
                                               Values&&... values) {
            script_ += between;
            between = ", ";
            fmt::format_to(std::back_inserter(script_), format, std::forward<Values>(values)...);
        };
        const std::vector<Area>& areas = chart_.panels[index].areas;
        for (std::size_t j = 0; j < areas.size(); ++j) {
            plot("$area_{}_{} using 1:2:3 with filledcurves fc rgb '{}' fs solid noborder", index,
                 j, areas[j].colour);
        }
        if (extent.low < 0 && extent.high > 0) plot("0 lc rgb '{}' lw 1 dt 1", target_ink);
        for (std::size_t j = 0; j < curves.size(); ++j) {
            plot("$curve_{}_{} with lines lc rgb '{}' lw {} dt {}", index, j, curves[j].colour,
                 curves[j].width, curves[j].dashed ? 2 : 1);
        }
        script_ += '\n';
    }

    const Chart& chart_;
    double points_ = 1;  ///< a letter's point in the terminal's own measure
    std::string script_;
};

bool ends_in(const std::filesystem::path& path, std::string_view ending) {
    return path.extension() == ending;
}

}  // namespace

bool is_chart_file(const std::filesystem::path& path) {
    return ends_in(path, ".png") || ends_in(path, ".svg");
}

void write_chart(const Chart& chart, const std::filesystem::path& path) {
    if (!is_chart_file(path)) {
        throw std::invalid_argument{
            fmt::format("{}: expected a name that ends in .png or .svg", path.string())};
    }
    const std::filesystem::path temporary = io::temporary_beside(path);
    try {
        run_gnuplot(ChartScript{chart}.text(temporary, ends_in(path, ".svg")));
    } catch (...) {
        std::error_code ignored;
        std::filesystem::remove(temporary, ignored);
        throw;
    }
    io::move_into_place(temporary, path);
}

}  // namespace hopcoil::draw
