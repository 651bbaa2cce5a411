#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

/// @file
/// A sheet to draw scene pictures on, through Cairo.

namespace hopcoil::draw {

struct Point {
    double x = 0.0;  ///< pixels to the right
    double y = 0.0;  ///< pixels down
};

/// A colour of the palette, "#rrggbb", and how much of it covers what is below.
struct Ink {
    std::string_view colour{};
    double opacity = 1.0;
};

enum class Align : unsigned char { left, centre, right };

/// A PNG picture to be shown in another.
class Image {
  public:
    /// Errors  scene::FileProblem when it cannot be read as PNG.
    explicit Image(const std::filesystem::path& path);
    ~Image();
    Image(Image&&) noexcept;
    Image(const Image&) = delete;
    Image& operator=(const Image&) = delete;
    Image& operator=(Image&&) noexcept;

    [[nodiscard]] int width_px() const;
    [[nodiscard]] int height_px() const;

  private:
    friend class Canvas;
    struct Surface;
    std::unique_ptr<Surface> surface_;
};

/// Draws into a PNG or SVG file; the file has its name once `finish` is called.
class Canvas {
  public:
    /// PNG or SVG by the name's ending, on paper.
    /// Errors  std::invalid_argument for another ending; scene::FileProblem.
    Canvas(const std::filesystem::path& path, int width_px, int height_px);
    ~Canvas();
    Canvas(const Canvas&) = delete;
    Canvas(Canvas&&) = delete;
    Canvas& operator=(const Canvas&) = delete;
    Canvas& operator=(Canvas&&) = delete;

    void line(const std::vector<Point>& points, const Ink& with, double width_px,
              bool dashed = false);
    void polygon(const std::vector<Point>& points, const Ink& fill);
    void outline(const std::vector<Point>& points, const Ink& with, double width_px,
                 bool dashed = false);
    void disc(const Point& centre, double radius_px, const Ink& fill);
    void ring(const Point& centre, double radius_px, const Ink& with, double width_px,
              bool dashed = false);
    /// Its baseline at the point.
    void text(const Point& at, const std::string& text, const Ink& with, double size_px,
              Align align = Align::left, bool bold = false);
    [[nodiscard]] double text_width_px(const std::string& text, double size_px,
                                       bool bold = false) const;
    /// Within a box, as large as fits.
    void image(const Image& image, const Point& corner, double width_px, double height_px);
    /// Only within a box, until `everywhere`.
    void within(const Point& corner, double width_px, double height_px);
    void everywhere();

    /// Errors  scene::FileProblem.
    void finish();

  private:
    struct Sheet;
    std::unique_ptr<Sheet> sheet_;
};

/// "#rrggbb" between two colours, `part` of the way.
[[nodiscard]] std::string mixed(std::string_view from, std::string_view to, double part);

}  // namespace hopcoil::draw
