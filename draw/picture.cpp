#include "draw/picture.hpp"

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/take_model.hpp>
#include <hopcoil/io/text_file.hpp>

#include "draw/animated_png.hpp"
#include "draw/canvas.hpp"
#include "draw/drawing_order.hpp"
#include "draw/moments.hpp"
#include "draw/palette.hpp"
#include "draw/picture_axes.hpp"
#include "draw/picture_prints.hpp"
#include "draw/picture_space.hpp"
#include "draw/solid.hpp"

namespace hopcoil::draw {
namespace {

constexpr double title_px = 21;

/// Draws one picture on a sheet.
class PictureDrawer {
  public:
    PictureDrawer(const Picture& picture, Canvas& canvas)
        : PictureDrawer{picture, canvas, space_of(picture)} {}
    /// With more of space in sight than the picture needs.
    PictureDrawer(const Picture& picture, Canvas& canvas, const Space& space)
        : picture_{picture}, canvas_{canvas}, eye_{eye_of(picture.view)}, space_{space} {}

    void paths() {
        frame_texts();
        constexpr double above_px = 82;
        const Box box{margin_px + 46, above_px, picture_.width_px - legend_px() - margin_px - 70,
                      picture_.height_px - above_px - 84};
        const Projection projection = fitted(space_, eye_, box);
        canvas_.within({box.left, box.top}, box.width, box.height);
        draw_grid(canvas_, picture_, box, projection);
        background(projection);
        const std::vector<double> moments = moments_of();
        const auto opacity = [&](std::size_t i) {
            const double all = static_cast<double>(std::max<std::size_t>(moments.size(), 2) - 1);
            return moments.size() < 2 ? 0.9 : 0.3 + 0.6 * static_cast<double>(i) / all;
        };
        // What others stand on is below their ways and all of their ghosts.
        for (std::size_t i = 0; i < moments.size(); ++i)
            everything_at(moments[i], projection, opacity(i), Layer::ground);
        for (const Subject& subject : picture_.subjects)
            trail(subject, projection, picture_.from_s, picture_.to_s);
        draw_prints(canvas_, picture_, projection, moments);
        for (const Layer layer : {Layer::comparison, Layer::main}) {
            for (std::size_t i = 0; i < moments.size(); ++i)
                everything_at(moments[i], projection, opacity(i), layer);
        }
        time_labels(moments, projection);
        canvas_.everywhere();
        draw_axes(canvas_, picture_, box, projection);
        legend();
    }

    void strip(const std::vector<Image>& references) {
        frame_texts();
        const std::vector<double> moments = moments_of();
        const Box all{margin_px, 62, picture_.width_px - 2 * margin_px,
                      picture_.height_px - 62.0 - 76};
        const bool with_references = !references.empty();
        const std::size_t columns = columns_for(moments.size(), all, with_references);
        const std::size_t rows = (moments.size() + columns - 1) / columns;
        const double width = all.width / static_cast<double>(columns);
        const double height = all.height / static_cast<double>(rows);
        for (std::size_t i = 0; i < moments.size(); ++i) {
            const std::size_t row = i / columns;
            const Box cell{all.left + width * static_cast<double>(i % columns),
                           all.top + height * static_cast<double>(row), width, height};
            moment(moments[i], cell, references);
        }
        strip_legend(picture_.height_px - 40.0);
    }

    void moments(const std::vector<double>& times_s, const Box& all) {
        const std::size_t columns = columns_for(times_s.size(), all, false);
        const std::size_t rows = (times_s.size() + columns - 1) / columns;
        const double width = all.width / static_cast<double>(columns);
        const double height = all.height / static_cast<double>(rows);
        for (std::size_t i = 0; i < times_s.size(); ++i) {
            const std::size_t row = i / columns;
            const Box box{all.left + width * static_cast<double>(i % columns),
                          all.top + height * static_cast<double>(row), width, height};
            scene_in(box, {box.left + 2, box.top + 2, box.width - 4, box.height - 4}, times_s[i]);
        }
    }

    void frame(double time_s) {
        const Box box{margin_px, 52, picture_.width_px - 2 * margin_px,
                      picture_.height_px - 52.0 - 46};
        const Projection projection = fitted(space_, eye_, box);
        constexpr double trail_s = 0.8;
        canvas_.text({margin_px, 32}, picture_.title, {ink}, 17, Align::left, true);
        canvas_.text({picture_.width_px - margin_px, 32}, fmt::format("{:.2f} s", time_s), {ink},
                     17, Align::right);
        canvas_.within({box.left, box.top}, box.width, box.height);
        draw_grid(canvas_, picture_, box, projection);
        background(projection);
        for (const Subject& subject : picture_.subjects) {
            trail(subject, projection, std::max(picture_.from_s, time_s - trail_s), time_s);
        }
        everything_at(time_s, projection);
        canvas_.everywhere();
        strip_legend(picture_.height_px - 16.0);
    }

  private:
    static double legend_px() { return 220; }

    void frame_texts() {
        canvas_.text({margin_px, 38}, picture_.title, {ink}, title_px, Align::left, true);
        canvas_.text({margin_px, picture_.height_px - 16.0}, picture_.footer, {faint_ink},
                     small_px);
    }

    [[nodiscard]] std::vector<double> moments_of() const {
        std::vector<double> moments;
        const auto count = static_cast<std::size_t>(
            std::floor((picture_.to_s - picture_.from_s) / picture_.every_s + 1e-9));
        for (std::size_t i = 0; i <= count; ++i)
            moments.push_back(picture_.from_s + static_cast<double>(i) * picture_.every_s);
        return moments;
    }

    void background(const Projection& projection) {
        for (const Background& each : picture_.background)
            draw_background(canvas_, projection, each.solid, each.colour);
    }

    void trail(const Subject& subject, const Projection& projection, double from_s, double to_s) {
        if (is_ground(subject)) return;
        std::vector<Point> points{projection(pose_at(subject, from_s).position)};
        for (std::size_t i = 0; i < subject.times_s.size(); ++i) {
            if (subject.times_s[i] > from_s && subject.times_s[i] < to_s)
                points.push_back(projection(subject.poses[i].position));
        }
        points.push_back(projection(pose_at(subject, to_s).position));
        canvas_.line(points, {subject.colour, subject.is_comparison ? 0.5 : 0.75},
                     subject.is_comparison ? 1.2 : 1.8, subject.is_comparison);
    }

    [[nodiscard]] double length_of(const Subject& subject) const {
        return subject.length_m.value_or(space_.length_m);
    }

    enum class Layer { ground, comparison, main };
    static bool is_ground(const auto& item) { return item.order < 0; }

    void everything_at(double time_s, const Projection& projection) {
        for (const Layer layer : {Layer::ground, Layer::comparison, Layer::main})
            everything_at(time_s, projection, 1, layer);
    }

    void everything_at(double time_s, const Projection& projection, double opacity, Layer layer) {
        const bool is_comparison = layer == Layer::comparison;
        for (const Subject& subject : picture_.subjects) {
            if (subject.is_comparison != is_comparison || !subject.joined_to) continue;
            if (layer == Layer::ground) continue;
            const Subject& other = picture_.subjects[*subject.joined_to];
            canvas_.line({projection(pose_at(subject, time_s).position),
                          projection(pose_at(other, time_s).position)},
                         {ink, 0.7 * opacity}, 1.2, is_comparison);
        }
        for (const Item& item : in_order(time_s, projection.eye)) {
            if (is_ground(item) != (layer == Layer::ground) && !is_comparison) continue;
            if (item.subject != nullptr) {
                shape(*item.subject, time_s, projection, opacity, is_comparison);
            } else if (!is_comparison) {
                strand(*item.strand, time_s, projection, opacity);
            }
        }
    }

    void shape(const Subject& subject, double time_s, const Projection& projection, double opacity,
               bool comparison) {
        if (subject.is_comparison != comparison) return;
        const Look look{subject.colour, opacity, comparison};
        if (subject.solid.empty()) {
            draw_shape(canvas_, projection, subject.shape, length_of(subject),
                       pose_at(subject, time_s), look);
        } else {
            draw_solid(canvas_, projection, subject.solid, pose_at(subject, time_s), look);
        }
    }

    /// One of the two.
    struct Item {
        const Subject* subject = nullptr;
        const Strand* strand = nullptr;
        double order = 0;
    };
    [[nodiscard]] std::vector<Item> in_order(double time_s, const Eye& eye) const {
        std::vector<Item> items;
        std::vector<Surrounding> boxes;
        for (const Strand& each : picture_.strands) {
            items.push_back({nullptr, &each, each.order});
            boxes.push_back(surrounding_of(each, time_s));
        }
        for (const Subject& each : picture_.subjects) {
            items.push_back({&each, nullptr, each.order});
            boxes.push_back(surrounding_of(each, length_of(each), time_s));
        }
        std::vector<Item> sorted;
        for (const std::size_t i : drawing_order(boxes, eye))
            sorted.push_back(items[i]);
        return sorted;
    }

    /// From its first point to its last, in the colours and widths of its profile.
    void strand(const Strand& strand, double time_s, const Projection& projection, double opacity) {
        const std::vector<Vector3> points = points_at(strand, time_s);
        if (strand.kind == Strand::Kind::branches)
            draw_branches(canvas_, strand, points, projection, opacity);
        if (strand.kind == Strand::Kind::dots)
            draw_dots(canvas_, strand, projection, time_s, opacity);
        if (strand.kind == Strand::Kind::mesh) {
            draw_mesh(canvas_, projection, points, strand.triangles,
                      {strand.colours.front(), opacity});
        }
        if (strand.kind != Strand::Kind::line) return;
        constexpr double thin_px = 1.8;
        for (std::size_t i = 1; i < points.size(); ++i) {
            const double part =
                (static_cast<double>(i) - 0.5) / static_cast<double>(points.size() - 1);
            const double radius_m = io::profile_at(strand.radius_m, part, 0);
            const double width_px = std::max(thin_px, 2 * radius_m * projection.px_per_m);
            const std::string colour = colour_along(strand.colours, part);
            canvas_.line({projection(points[i - 1]), projection(points[i])}, {colour, opacity},
                         width_px);
        }
    }

    /// Beside the ghosts of the first subject, where there is room.
    void time_labels(const std::vector<double>& moments, const Projection& projection) {
        const auto first = std::find_if(picture_.subjects.begin(), picture_.subjects.end(),
                                        [](const Subject& each) { return !is_ground(each); });
        if (first == picture_.subjects.end()) return;
        const Subject& subject = *first;
        std::vector<Point> taken;
        for (const double time_s : moments) {
            const Point at = projection(pose_at(subject, time_s).position);
            constexpr double room_px = 40;
            const bool free = std::all_of(taken.begin(), taken.end(), [&](const Point& other) {
                return std::hypot(other.x - at.x, other.y - at.y) > room_px;
            });
            if (!free) continue;
            taken.push_back(at);
            const double drop = 0.6 * length_of(subject) * largest_scale(pose_at(subject, time_s)) *
                                    projection.px_per_m +
                                16;
            canvas_.text({at.x, at.y + drop}, fmt::format("{:.4g} s", time_s), {faint_ink},
                         small_px, Align::centre);
        }
    }

    void swatch(const Subject& subject, const Point& at) {
        const Ink colour{subject.colour};
        if (subject.is_comparison) {
            canvas_.ring({at.x + 8, at.y - 5}, 6, colour, 1.4, true);
        } else {
            canvas_.disc({at.x + 8, at.y - 5}, 6.5, colour);
        }
        canvas_.text({at.x + 24, at.y}, subject.name, {ink}, text_px);
    }

    void swatch(const Strand& strand, const Point& at) {
        canvas_.line({{at.x + 1, at.y - 5}, {at.x + 16, at.y - 5}}, {strand.colours.front()}, 4);
        canvas_.text({at.x + 24, at.y}, strand.name, {ink}, text_px);
    }

    void legend() {
        double y = 96;
        const double x = picture_.width_px - legend_px() + 10;
        for (const Subject& subject : picture_.subjects) {
            swatch(subject, {x, y});
            y += 26;
        }
        for (const Strand& strand : picture_.strands) {
            if (!strand.is_solid()) continue;
            swatch(strand, {x, y});
            y += 26;
        }
        y = draw_legend_of_prints(canvas_, picture_, x, y);
        y += 8;
        canvas_.text({x, y}, fmt::format("a ghost every {:.3g} s", picture_.every_s), {faint_ink},
                     small_px);
        canvas_.text({x, y + 18}, fmt::format("{:.4g} to {:.4g} s", picture_.from_s, picture_.to_s),
                     {faint_ink}, small_px);
    }

    /// Of those with one colour the first; as many as there is room for.
    void strip_legend(double y) {
        double x = margin_px;
        std::vector<std::string> seen;
        const auto add = [&](const auto& one, const std::string& colour) {
            const double width = 52 + canvas_.text_width_px(one.name, text_px);
            const bool is_new = std::find(seen.begin(), seen.end(), colour) == seen.end();
            if (!is_new || x + width > picture_.width_px) return;
            seen.push_back(colour);
            swatch(one, {x, y});
            x += width;
        };
        for (const Subject& subject : picture_.subjects)
            add(subject, subject.colour + (subject.is_comparison ? "+" : ""));
        for (const Strand& strand : picture_.strands)
            if (strand.is_solid()) add(strand, strand.colours.front());
    }

    /// So many columns that the moments come out as large as can be.
    [[nodiscard]] std::size_t columns_for(std::size_t count, const Box& all,
                                          bool with_references) const {
        std::size_t best = 1;
        double largest = 0;
        for (std::size_t columns = 1; columns <= count; ++columns) {
            const std::size_t rows = (count + columns - 1) / columns;
            const double width = all.width / static_cast<double>(columns) - 10;
            const double height =
                (all.height / static_cast<double>(rows) - 32) * (with_references ? 0.5 : 1);
            const double scale = std::min(width / space_.across.size(), height / space_.up.size());
            if (scale <= largest) continue;
            largest = scale;
            best = columns;
        }
        return best;
    }

    /// Cut off at one box, fitted into another.
    void scene_in(const Box& cut, const Box& box, double time_s) {
        const Projection projection = fitted(space_, eye_, box);
        canvas_.within({cut.left, cut.top}, cut.width, cut.height);
        if (picture_.has_floor) draw_floor_line(canvas_, picture_, cut, projection);
        background(projection);
        for (const Subject& subject : picture_.subjects) {
            trail(subject, projection, std::max(picture_.from_s, time_s - picture_.every_s),
                  time_s);
        }
        everything_at(time_s, projection);
        canvas_.everywhere();
    }

    void moment(double time_s, const Box& cell, const std::vector<Image>& references) {
        const bool with_reference = !references.empty();
        const Box inner{cell.left + 5, cell.top + 24, cell.width - 10,
                        (cell.height - 32) * (with_reference ? 0.5 : 1)};
        canvas_.text({cell.left + 7, cell.top + 16}, fmt::format("{:.4g} s", time_s), {faint_ink},
                     small_px);
        canvas_.outline({{cell.left + 2, cell.top + 2},
                         {cell.left + cell.width - 2, cell.top + 2},
                         {cell.left + cell.width - 2, cell.top + cell.height - 4},
                         {cell.left + 2, cell.top + cell.height - 4}},
                        {draw::grid}, 1);
        scene_in({cell.left + 3, cell.top + 20, cell.width - 6, inner.height + 6}, inner, time_s);
        if (!with_reference) return;
        const auto nearest =
            std::min_element(picture_.references.begin(), picture_.references.end(),
                             [&](const ReferenceFrame& a, const ReferenceFrame& b) {
                                 return std::abs(a.time_s - time_s) < std::abs(b.time_s - time_s);
                             });
        const auto index = static_cast<std::size_t>(nearest - picture_.references.begin());
        canvas_.image(references[index], {inner.left, inner.top + inner.height + 2}, inner.width,
                      inner.height);
    }

    const Picture& picture_;
    Canvas& canvas_;
    Eye eye_;
    Space space_;
};

void require_subjects(const Picture& picture) {
    if (picture.subjects.empty() && picture.strands.empty())
        throw std::invalid_argument{"a picture of nothing"};
}

}  // namespace

void draw_paths(const Picture& picture, const std::filesystem::path& path) {
    require_subjects(picture);
    Canvas canvas{path, picture.width_px, picture.height_px};
    PictureDrawer{picture, canvas}.paths();
    canvas.finish();
}

void draw_moments(Canvas& canvas, const Picture& picture, const Space& space, const Box& box,
                  const std::vector<double>& times_s) {
    PictureDrawer{picture, canvas, space}.moments(times_s, box);
}

void draw_strip(const Picture& picture, const std::filesystem::path& path) {
    require_subjects(picture);
    std::vector<Image> references;
    references.reserve(picture.references.size());
    for (const ReferenceFrame& reference : picture.references)
        references.emplace_back(reference.file);
    Canvas canvas{path, picture.width_px, picture.height_px};
    PictureDrawer{picture, canvas}.strip(references);
    canvas.finish();
}

std::size_t write_film(const Picture& picture, double rate_hz, double speed,
                       const std::filesystem::path& folder, const std::filesystem::path& animated,
                       const std::function<void(std::size_t, std::size_t)>& tell) {
    require_subjects(picture);
    constexpr double most_frames = 5000;
    const double count = std::floor((picture.to_s - picture.from_s) / speed * rate_hz + 1e-9) + 1;
    if (!(count <= most_frames)) {
        throw std::invalid_argument{
            fmt::format("a film of {} frames; at most {} are drawn", count, most_frames)};
    }
    io::make_folder(folder);
    std::vector<std::filesystem::path> frames;
    for (std::size_t i = 0; i < static_cast<std::size_t>(count); ++i) {
        frames.push_back(folder / fmt::format("{:04}.png", i + 1));
        Canvas canvas{frames.back(), picture.width_px, picture.height_px};
        PictureDrawer{picture, canvas}.frame(
            std::min(picture.to_s, picture.from_s + static_cast<double>(i) * speed / rate_hz));
        canvas.finish();
        if (tell) tell(frames.size(), static_cast<std::size_t>(count));
    }
    write_animated_png(frames, rate_hz, animated);
    return frames.size();
}

}  // namespace hopcoil::draw
