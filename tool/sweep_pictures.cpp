#include "tool/sweep_pictures.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <string>

#include <fmt/format.h>

#include "draw/canvas.hpp"
#include "draw/extent.hpp"
#include "draw/moments.hpp"
#include "draw/palette.hpp"
#include "tool/commands.hpp"
#include "tool/made_by.hpp"
#include "tool/progress.hpp"

namespace hopcoil::tool {
namespace {

using tune::SweepRow;
using tune::SweepTable;

constexpr int width_px = 1280;
constexpr int height_px = 800;
constexpr double text_px = 15;

std::vector<double> values_of(const SweepTable& table, std::size_t axis) {
    std::vector<double> values;
    for (const SweepRow& row : table.rows)
        values.push_back(row.values[axis]);
    std::sort(values.begin(), values.end());
    values.erase(std::unique(values.begin(), values.end()), values.end());
    return values;
}

/// A sheet with a box for each run: the last axis across, the first one up.
class Grid {
  public:
    Grid(const std::filesystem::path& file, const SweepTable& table, const std::string& title)
        : canvas_{file, width_px, height_px}, table_{table} {
        across_ = values_of(table, table.paths.size() - 1);
        up_ = table.paths.size() == 2 ? values_of(table, 0) : std::vector<double>{0};
        cell_width_ = (width_px - left_px - 40) / static_cast<double>(across_.size());
        cell_height_ = (height_px - top_px - 110) / static_cast<double>(up_.size());
        canvas_.text({28, 36}, title, {draw::ink}, 22, draw::Align::left, true);
    }

    draw::Canvas& canvas() { return canvas_; }
    [[nodiscard]] double cell_width() const { return cell_width_; }
    [[nodiscard]] double cell_height() const { return cell_height_; }

    /// The larger value of the first axis is further up.
    [[nodiscard]] std::vector<draw::Point> box_of(const SweepRow& row) const {
        const auto column = static_cast<double>(place_in(across_, row.values.back()));
        const std::size_t line =
            table_.paths.size() == 2 ? up_.size() - 1 - place_in(up_, row.values.front()) : 0;
        const double x = left_px + column * cell_width_;
        const double y = top_px + static_cast<double>(line) * cell_height_;
        const double gap = std::min(2.0, 0.1 * std::min(cell_width_, cell_height_));
        return {{x + gap, y + gap},
                {x + cell_width_ - gap, y + gap},
                {x + cell_width_ - gap, y + cell_height_ - gap},
                {x + gap, y + cell_height_ - gap}};
    }

    /// Frames, labels and what made it.
    void finish(const std::vector<const SweepRow*>& kept, const std::string& note) {
        if (kept.size() < table_.rows.size()) {
            for (const SweepRow* row : kept)
                canvas_.outline(box_of(*row), {draw::ink, 0.7}, 1.5);
        }
        if (!kept.empty()) canvas_.outline(box_of(*kept.front()), {draw::series[1]}, 4);
        labels();
        canvas_.text({28, height_px - 20},
                     fmt::format("{}; {} of {} runs; the first of those that are kept has a thick "
                                 "frame{}",
                                 made_by_line("sweep"), table_.rows.size(), table_.total, note),
                     {draw::faint_ink}, 12);
        canvas_.finish();
    }

  private:
    static constexpr double left_px = 150;
    static constexpr double top_px = 80;

    [[nodiscard]] static std::size_t place_in(const std::vector<double>& values, double value) {
        return static_cast<std::size_t>(std::lower_bound(values.begin(), values.end(), value) -
                                        values.begin());
    }

    void labels() {
        const double below = height_px - 110 + 24;
        const auto every = [](std::size_t count, double cell_px, double least_px) {
            const double cells = least_px / (cell_px > 0 ? cell_px : 1);
            return std::max<std::size_t>(
                1,
                static_cast<std::size_t>(std::ceil(std::min(cells, static_cast<double>(count)))));
        };
        for (std::size_t i = 0; i < across_.size(); i += every(across_.size(), cell_width_, 52)) {
            const double x = left_px + (static_cast<double>(i) + 0.5) * cell_width_;
            canvas_.text({x, below}, table_.value_in_words(table_.paths.size() - 1, across_[i]),
                         {draw::ink}, text_px, draw::Align::centre);
        }
        canvas_.text({left_px, below + 30}, table_.paths.back(), {draw::ink}, text_px,
                     draw::Align::left, true);
        if (table_.paths.size() < 2) return;
        for (std::size_t i = 0; i < up_.size(); i += every(up_.size(), cell_height_, 18)) {
            const double y =
                top_px + (static_cast<double>(up_.size() - 1 - i) + 0.5) * cell_height_ + 5;
            canvas_.text({left_px - 12, y}, table_.value_in_words(0, up_[i]), {draw::ink}, text_px,
                         draw::Align::right);
        }
        canvas_.text({28, top_px - 12}, table_.paths.front(), {draw::ink}, text_px,
                     draw::Align::left, true);
    }

    draw::Canvas canvas_;
    const SweepTable& table_;
    std::vector<double> across_{};
    std::vector<double> up_{};
    double cell_width_ = 0;
    double cell_height_ = 0;
};

using draw::Extent;

/// 0 at the least, 1 at the largest.
double part_of(const Extent& extent, double value) {
    return extent.size() > 0 ? (value - extent.low) / extent.size() : 0;
}

/// A run's figure: a colour, and the number where there is room.
void number_cell(Grid& grid, const SweepRow& row, std::size_t figure, const Extent& extent) {
    const std::vector<draw::Point> box = grid.box_of(row);
    const double value = row.figures[figure];
    const bool is_there = !std::isnan(value);
    const double part = is_there ? part_of(extent, value) : 0;
    const std::string fill = !row.failure.empty() ? std::string{draw::unstable_fill}
                             : is_there           ? draw::mixed(draw::paper, draw::series[0], part)
                                                  : std::string{draw::grid};
    grid.canvas().polygon(box, {fill});
    constexpr double room_px = 44;
    if (grid.cell_width() < room_px || grid.cell_height() < 18) return;
    const std::string text = !row.failure.empty() ? "failed"
                             : is_there           ? fmt::format("{:.3g}", value)
                                                  : "-";
    const draw::Point middle{(box[0].x + box[1].x) / 2, (box[0].y + box[2].y) / 2 + 5};
    grid.canvas().text(middle, text, {part > 0.55 ? draw::paper : draw::ink}, text_px,
                       draw::Align::centre);
}

/// A run's motion over its target, all on one scale.
void curve_cell(Grid& grid, const SweepRow& row, const tune::TrialCurve& curve, const Extent& times,
                const Extent& extent, const std::string& figure) {
    const std::vector<draw::Point> box = grid.box_of(row);
    draw::Canvas& canvas = grid.canvas();
    canvas.outline(box, {draw::grid}, 1);
    const double margin = 0.08 * (box[2].y - box[0].y);
    const auto line_through = [&](const std::vector<double>& values) {
        std::vector<draw::Point> line;
        for (std::size_t i = 0; i < values.size(); ++i) {
            line.push_back({box[0].x + part_of(times, curve.times_s[i]) * (box[1].x - box[0].x),
                            box[2].y - margin -
                                part_of(extent, values[i]) * (box[2].y - box[0].y - 2 * margin)});
        }
        return line;
    };
    if (!curve.targets.empty()) canvas.line(line_through(curve.targets), {draw::target_ink}, 1.2);
    canvas.line(line_through(curve.values), {draw::series[0]}, 1.8);
    canvas.text({box[1].x - 6, box[2].y - 7}, figure, {draw::faint_ink}, 12, draw::Align::right);
}

/// In the corner of a run's cell.
std::string number_of(const SweepRow& row, std::optional<std::size_t> figure) {
    if (!row.failure.empty()) return "failed";
    return figure ? fmt::format("{:.3g}", row.figures[*figure]) : std::string{};
}

/// A run at some moments.
void moments_cell(Grid& grid, const SweepRow& row, const draw::Picture& picture,
                  const draw::Space& space, const std::vector<double>& times_s,
                  const std::string& number) {
    const std::vector<draw::Point> box = grid.box_of(row);
    draw::Canvas& canvas = grid.canvas();
    canvas.outline(box, {draw::grid}, 1);
    const bool is_there = !picture.subjects.empty() || !picture.strands.empty();
    if (is_there) {
        const draw::Box all{box[0].x + 2, box[0].y + 2, box[1].x - box[0].x - 4,
                            box[2].y - box[0].y - 4};
        draw::draw_moments(canvas, picture, space, all, times_s);
    }
    canvas.text({box[1].x - 6, box[2].y - 7}, number, {draw::faint_ink}, 12, draw::Align::right);
}

/// What a figure that is a regime says: 0 stable, 1 rings, 2 unstable.
struct Regime {
    const char* name;
    std::string_view fill;
};
constexpr std::array<Regime, 3> regimes{{{"stable", draw::stable_fill},
                                         {"rings", draw::rings_fill},
                                         {"unstable", draw::unstable_fill}}};

bool is_regime(const std::string& figure) {
    return figure.ends_with(".regime");
}

void regime_cell(Grid& grid, const SweepRow& row, std::size_t figure) {
    const std::vector<draw::Point> box = grid.box_of(row);
    const double value = row.figures[figure];
    const Regime regime = value >= 0 && value < static_cast<double>(regimes.size())
                              ? regimes[static_cast<std::size_t>(value)]
                              : Regime{"-", draw::grid};
    grid.canvas().polygon(box, {std::string{regime.fill}});
    constexpr double room_px = 70;
    if (grid.cell_width() < room_px || grid.cell_height() < 18) return;
    grid.canvas().text({(box[0].x + box[1].x) / 2, (box[0].y + box[2].y) / 2 + 5}, regime.name,
                       {draw::ink}, text_px, draw::Align::centre);
}

/// Where cells have no room for words.
void regime_legend(Grid& grid) {
    double x = 700;
    for (const Regime& regime : regimes) {
        grid.canvas().polygon({{x, 24}, {x + 18, 24}, {x + 18, 42}, {x, 42}},
                              {std::string{regime.fill}});
        grid.canvas().text({x + 26, 38}, regime.name, {draw::ink}, text_px);
        x += 120;
    }
}

}  // namespace

void draw_sweep_map(const std::filesystem::path& file, const SweepTable& table,
                    const std::vector<const SweepRow*>& kept, std::optional<std::size_t> figure) {
    if (table.figures.empty())
        throw UsageProblem{"hopcoil sweep: --figure: no run has a figure to draw"};
    const std::size_t shown = figure.value_or(0);
    Extent extent;
    for (const SweepRow& row : table.rows)
        extent.include(row.figures[shown]);
    Grid grid{file, table, table.figures[shown]};
    const bool are_regimes = is_regime(table.figures[shown]);
    for (const SweepRow& row : table.rows) {
        if (are_regimes) {
            regime_cell(grid, row, shown);
        } else {
            number_cell(grid, row, shown, extent);
        }
    }
    if (are_regimes) regime_legend(grid);
    grid.finish(kept, "");
}

void draw_sweep_sheet(const std::filesystem::path& file, const SweepTable& table,
                      const std::vector<const SweepRow*>& kept, std::optional<std::size_t> figure,
                      const std::string& title, const SweepCurveOf& curve_of) {
    std::vector<tune::TrialCurve> curves(table.rows.size());
    Extent times;
    Extent extent;
    for (std::size_t i = 0; i < curves.size(); ++i) {
        if (!table.rows[i].failure.empty()) continue;
        curves[i] = curve_of(table.rows[i].values);
        for (const double time_s : curves[i].times_s)
            times.include(time_s);
        for (const auto* values : {&curves[i].values, &curves[i].targets}) {
            for (const double value : *values)
                extent.include(value);
        }
    }
    Grid grid{file, table, title};
    for (std::size_t i = 0; i < curves.size(); ++i)
        curve_cell(grid, table.rows[i], curves[i], times, extent, number_of(table.rows[i], figure));
    const std::string unit = curves.front().unit.empty() ? "" : " " + curves.front().unit;
    grid.finish(kept, fmt::format("; {:.3g} to {:.3g} s, {:.3g} to {:.3g}{}{}", times.low,
                                  times.high, extent.low, extent.high, unit,
                                  figure ? "; the number is " + table.figures[*figure] : ""));
}

void draw_sweep_moments(const std::filesystem::path& file, const SweepTable& table,
                        const std::vector<const SweepRow*>& kept, std::optional<std::size_t> figure,
                        const std::string& title, const std::vector<double>& times_s,
                        const SweepPictureOf& picture_of) {
    std::vector<draw::Picture> pictures(table.rows.size());
    draw::Space space;
    ProgressBar bar{"drawing", pictures.size()};
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        bar.show(i);
        if (!table.rows[i].failure.empty()) continue;
        pictures[i] = picture_of(table.rows[i].values);
        const draw::Space own = draw::space_of(pictures[i]);
        space.length_m = std::max(space.length_m, own.length_m);
        for (const double end : {own.across.low, own.across.high})
            space.across.include(end);
        for (const double end : {own.up.low, own.up.high})
            space.up.include(end);
    }
    Grid grid{file, table, title};
    std::string moments;
    for (const double time_s : times_s)
        moments += fmt::format("{}{:.4g}", moments.empty() ? "" : ", ", time_s);
    for (std::size_t i = 0; i < pictures.size(); ++i) {
        moments_cell(grid, table.rows[i], pictures[i], space, times_s,
                     number_of(table.rows[i], figure));
    }
    grid.finish(kept, fmt::format("; at {} s{}", moments,
                                  figure ? "; the number is " + table.figures[*figure] : ""));
}

}  // namespace hopcoil::tool
