#include "draw/canvas.hpp"

#include <algorithm>
#include <array>
#include <cairo-svg.h>
#include <cairo.h>
#include <charconv>
#include <cmath>
#include <stdexcept>
#include <system_error>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>

#include "draw/palette.hpp"

namespace hopcoil::draw {
namespace {

constexpr const char* font = "DejaVu Sans";

struct Rgb {
    double red = 0;
    double green = 0;
    double blue = 0;
};

Rgb rgb_of(std::string_view colour) {
    const auto part = [&](std::size_t at) {
        int number = 0;
        std::from_chars(colour.data() + at, colour.data() + at + 2, number, 16);
        return number / 255.0;
    };
    return {part(1), part(3), part(5)};
}

[[noreturn]] void fail(const std::filesystem::path& path, cairo_status_t status) {
    throw io::FileProblem{fmt::format("{}: {}", path.string(), cairo_status_to_string(status))};
}

}  // namespace

struct Image::Surface {
    cairo_surface_t* surface = nullptr;
    ~Surface() { cairo_surface_destroy(surface); }
};

Image::Image(const std::filesystem::path& path) : surface_{std::make_unique<Surface>()} {
    surface_->surface = cairo_image_surface_create_from_png(path.c_str());
    const cairo_status_t status = cairo_surface_status(surface_->surface);
    if (status != CAIRO_STATUS_SUCCESS) {
        throw io::FileProblem{fmt::format("{}: cannot be read as a PNG picture: {}", path.string(),
                                          cairo_status_to_string(status))};
    }
}
Image::~Image() = default;
Image::Image(Image&&) noexcept = default;
Image& Image::operator=(Image&&) noexcept = default;

int Image::width_px() const {
    return cairo_image_surface_get_width(surface_->surface);
}
int Image::height_px() const {
    return cairo_image_surface_get_height(surface_->surface);
}

struct Canvas::Sheet {
    std::filesystem::path path;
    std::filesystem::path temporary;
    bool as_png = true;
    bool finished = false;
    cairo_surface_t* surface = nullptr;
    cairo_t* pen = nullptr;

    Sheet() = default;
    Sheet(const Sheet&) = delete;
    Sheet& operator=(const Sheet&) = delete;
    ~Sheet() {
        if (pen != nullptr) cairo_destroy(pen);
        if (surface != nullptr) cairo_surface_destroy(surface);
        std::error_code ignored;
        if (!finished) std::filesystem::remove(temporary, ignored);
    }

    void take(const Ink& with) const {
        const Rgb c = rgb_of(with.colour);
        cairo_set_source_rgba(pen, c.red, c.green, c.blue, with.opacity);
    }
    void trace(const std::vector<Point>& points) const {
        cairo_new_path(pen);
        for (const Point& point : points)
            cairo_line_to(pen, point.x, point.y);
    }
    void stroke(double width_px, bool dashed) const {
        constexpr std::array<double, 2> dashes{5, 4};
        cairo_set_dash(pen, dashes.data(), dashed ? 2 : 0, 0);
        cairo_set_line_width(pen, width_px);
        cairo_stroke(pen);
    }
    void choose_font(double size_px, bool bold) const {
        cairo_select_font_face(pen, font, CAIRO_FONT_SLANT_NORMAL,
                               bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(pen, size_px);
    }
};

Canvas::Canvas(const std::filesystem::path& path, int width_px, int height_px)
    : sheet_{std::make_unique<Sheet>()} {
    Sheet& sheet = *sheet_;
    sheet.path = path;
    sheet.as_png = path.extension() == ".png";
    if (!sheet.as_png && path.extension() != ".svg") {
        throw std::invalid_argument{
            fmt::format("{}: expected a name that ends in .png or .svg", path.string())};
    }
    sheet.temporary = io::temporary_beside(path);
    sheet.surface = sheet.as_png
                        ? cairo_image_surface_create(CAIRO_FORMAT_RGB24, width_px, height_px)
                        : cairo_svg_surface_create(sheet.temporary.c_str(), width_px, height_px);
    sheet.pen = cairo_create(sheet.surface);
    if (const cairo_status_t status = cairo_status(sheet.pen); status != CAIRO_STATUS_SUCCESS) {
        fail(path, status);
    }
    cairo_set_line_cap(sheet.pen, CAIRO_LINE_CAP_ROUND);
    cairo_set_line_join(sheet.pen, CAIRO_LINE_JOIN_ROUND);
    sheet.take({paper});
    cairo_paint(sheet.pen);
}

Canvas::~Canvas() = default;

void Canvas::line(const std::vector<Point>& points, const Ink& with, double width_px, bool dashed) {
    sheet_->take(with);
    sheet_->trace(points);
    sheet_->stroke(width_px, dashed);
}

void Canvas::polygon(const std::vector<Point>& points, const Ink& fill) {
    sheet_->take(fill);
    sheet_->trace(points);
    cairo_close_path(sheet_->pen);
    cairo_fill(sheet_->pen);
}

void Canvas::outline(const std::vector<Point>& points, const Ink& with, double width_px,
                     bool dashed) {
    sheet_->take(with);
    sheet_->trace(points);
    cairo_close_path(sheet_->pen);
    sheet_->stroke(width_px, dashed);
}

void Canvas::disc(const Point& centre, double radius_px, const Ink& fill) {
    sheet_->take(fill);
    cairo_new_path(sheet_->pen);
    cairo_arc(sheet_->pen, centre.x, centre.y, radius_px, 0, 2 * math::pi);
    cairo_fill(sheet_->pen);
}

void Canvas::ring(const Point& centre, double radius_px, const Ink& with, double width_px,
                  bool dashed) {
    sheet_->take(with);
    cairo_new_path(sheet_->pen);
    cairo_arc(sheet_->pen, centre.x, centre.y, radius_px, 0, 2 * math::pi);
    sheet_->stroke(width_px, dashed);
}

void Canvas::text(const Point& at, const std::string& text, const Ink& with, double size_px,
                  Align align, bool bold) {
    sheet_->choose_font(size_px, bold);
    sheet_->take(with);
    const double width_px = align == Align::left ? 0 : text_width_px(text, size_px, bold);
    const double shift = align == Align::centre ? width_px / 2 : width_px;
    cairo_move_to(sheet_->pen, at.x - (align == Align::left ? 0 : shift), at.y);
    cairo_show_text(sheet_->pen, text.c_str());
}

double Canvas::text_width_px(const std::string& text, double size_px, bool bold) const {
    sheet_->choose_font(size_px, bold);
    cairo_text_extents_t extents;
    cairo_text_extents(sheet_->pen, text.c_str(), &extents);
    return extents.x_advance;
}

void Canvas::image(const Image& image, const Point& corner, double width_px, double height_px) {
    const double scale = std::min(width_px / image.width_px(), height_px / image.height_px());
    cairo_t* const pen = sheet_->pen;
    cairo_save(pen);
    cairo_translate(pen, corner.x + (width_px - scale * image.width_px()) / 2,
                    corner.y + (height_px - scale * image.height_px()) / 2);
    cairo_scale(pen, scale, scale);
    cairo_set_source_surface(pen, image.surface_->surface, 0, 0);
    cairo_paint(pen);
    cairo_restore(pen);
}

void Canvas::within(const Point& corner, double width_px, double height_px) {
    cairo_save(sheet_->pen);
    cairo_rectangle(sheet_->pen, corner.x, corner.y, width_px, height_px);
    cairo_clip(sheet_->pen);
}

void Canvas::everywhere() {
    cairo_restore(sheet_->pen);
}

void Canvas::finish() {
    Sheet& sheet = *sheet_;
    const cairo_status_t status =
        sheet.as_png ? cairo_surface_write_to_png(sheet.surface, sheet.temporary.c_str())
                     : CAIRO_STATUS_SUCCESS;
    if (status != CAIRO_STATUS_SUCCESS) fail(sheet.path, status);
    cairo_surface_finish(sheet.surface);
    if (const cairo_status_t written = cairo_surface_status(sheet.surface);
        written != CAIRO_STATUS_SUCCESS) {
        fail(sheet.path, written);
    }
    io::move_into_place(sheet.temporary, sheet.path);
    sheet.finished = true;
}

std::string mixed(std::string_view from, std::string_view to, double part) {
    const Rgb a = rgb_of(from);
    const Rgb b = rgb_of(to);
    const auto byte = [&](double x, double y) {
        return static_cast<int>(std::lround(255 * (x + std::clamp(part, 0.0, 1.0) * (y - x))));
    };
    return fmt::format("#{:02x}{:02x}{:02x}", byte(a.red, b.red), byte(a.green, b.green),
                       byte(a.blue, b.blue));
}

}  // namespace hopcoil::draw
