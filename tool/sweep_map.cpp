#include "tool/sweep_map.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <string>

#include <fmt/format.h>

#include "draw/canvas.hpp"
#include "draw/chart.hpp"
#include "draw/palette.hpp"
#include "tool/commands.hpp"
#include "tool/made_by.hpp"

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

class Map {
  public:
    Map(const std::filesystem::path& file, const SweepTable& table, std::size_t figure)
        : canvas_{file, width_px, height_px}, table_{table}, figure_{figure} {
        across_ = values_of(table, table.paths.size() - 1);
        up_ = table.paths.size() == 2 ? values_of(table, 0) : std::vector<double>{0};
        cell_width_ = (width_px - left_px - 40) / static_cast<double>(across_.size());
        cell_height_ = (height_px - top_px - 110) / static_cast<double>(up_.size());
        for (const SweepRow& row : table.rows) {
            const double value = row.figures[figure];
            if (std::isnan(value)) continue;
            least_ = std::min(least_, value);
            most_ = std::max(most_, value);
        }
    }

    void draw(const std::vector<const SweepRow*>& kept) {
        canvas_.text({28, 36}, table_.figures[figure_], {draw::ink}, 22, draw::Align::left, true);
        for (const SweepRow& row : table_.rows)
            cell(row);
        if (kept.size() < table_.rows.size()) {
            for (const SweepRow* row : kept)
                canvas_.outline(box_of(*row), {draw::ink, 0.7}, 1.5);
        }
        if (!kept.empty()) canvas_.outline(box_of(*kept.front()), {draw::series[1]}, 4);
        labels();
        canvas_.text({28, height_px - 20},
                     fmt::format("{}; {} of {} runs; the first of those that are kept has a thick "
                                 "frame",
                                 made_by_line("sweep"), table_.rows.size(), table_.total),
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

    void cell(const SweepRow& row) {
        const std::vector<draw::Point> box = box_of(row);
        const double value = row.figures[figure_];
        const bool is_there = !std::isnan(value);
        const double part = is_there && most_ > least_ ? (value - least_) / (most_ - least_) : 0;
        const std::string fill = !row.failure.empty() ? std::string{draw::unstable_fill}
                                 : is_there ? draw::mixed(draw::paper, draw::series[0], part)
                                            : std::string{draw::grid};
        canvas_.polygon(box, {fill});
        constexpr double room_px = 44;
        if (cell_width_ < room_px || cell_height_ < 18) return;
        const std::string text = !row.failure.empty() ? "failed"
                                 : is_there           ? fmt::format("{:.3g}", value)
                                                      : "-";
        const draw::Point middle{(box[0].x + box[1].x) / 2, (box[0].y + box[2].y) / 2 + 5};
        canvas_.text(middle, text, {part > 0.55 ? draw::paper : draw::ink}, text_px,
                     draw::Align::centre);
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
            canvas_.text({x, below}, fmt::format("{:.4g}", across_[i]), {draw::ink}, text_px,
                         draw::Align::centre);
        }
        canvas_.text({left_px, below + 30}, table_.paths.back(), {draw::ink}, text_px,
                     draw::Align::left, true);
        if (table_.paths.size() < 2) return;
        for (std::size_t i = 0; i < up_.size(); i += every(up_.size(), cell_height_, 18)) {
            const double y =
                top_px + (static_cast<double>(up_.size() - 1 - i) + 0.5) * cell_height_ + 5;
            canvas_.text({left_px - 12, y}, fmt::format("{:.4g}", up_[i]), {draw::ink}, text_px,
                         draw::Align::right);
        }
        canvas_.text({28, top_px - 12}, table_.paths.front(), {draw::ink}, text_px,
                     draw::Align::left, true);
    }

    draw::Canvas canvas_;
    const SweepTable& table_;
    std::size_t figure_;
    std::vector<double> across_{};
    std::vector<double> up_{};
    double cell_width_ = 0;
    double cell_height_ = 0;
    double least_ = std::numeric_limits<double>::infinity();
    double most_ = -std::numeric_limits<double>::infinity();
};

}  // namespace

void draw_sweep_map(const std::filesystem::path& file, const SweepTable& table,
                    const std::vector<const SweepRow*>& kept, std::optional<std::size_t> figure) {
    if (!draw::is_chart_file(file)) {
        throw UsageProblem{
            fmt::format("hopcoil sweep: --figure {}: expected a name that ends in .png or .svg",
                        file.string())};
    }
    if (table.paths.size() > 2) {
        throw UsageProblem{"hopcoil sweep: --figure is a map over one or two varied numbers"};
    }
    if (table.figures.empty())
        throw UsageProblem{"hopcoil sweep: --figure: no run has a figure to draw"};
    Map{file, table, figure.value_or(0)}.draw(kept);
}

}  // namespace hopcoil::tool
