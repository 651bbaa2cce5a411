// Pictures in space: what lies below what.

#include "draw/picture.hpp"

#include <algorithm>
#include <cstddef>
#include <sstream>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include "draw/picture_space.hpp"
#include "support/files.hpp"

using namespace hopcoil;
using namespace hopcoil::draw;

namespace {

io::Solid cube() {
    io::Solid solid;
    for (const double x : {-0.2, 0.2}) {
        for (const double y : {-0.2, 0.2}) {
            for (const double z : {-0.2, 0.2})
                solid.corners_m.push_back({x, y, z});
        }
    }
    solid.faces = {{0, 1, 3, 2}, {4, 6, 7, 5}, {0, 4, 5, 1},
                   {2, 3, 7, 6}, {0, 2, 6, 4}, {1, 5, 7, 3}};
    return solid;
}

Subject subject(const std::string& name, const std::string& colour, double from_x, double to_x) {
    Subject made{.name = name, .colour = colour, .shape = scene::BodyShape::disc, .length_m = 0.1};
    for (int i = 0; i <= 10; ++i) {
        made.times_s.push_back(0.1 * i);
        made.poses.push_back({.position = {from_x + 0.1 * i * (to_x - from_x), 0, 0}});
    }
    return made;
}

/// A ball that goes along, seen from a corner.
Picture a_ball() {
    return {.title = "a ball",
            .view = scene::PictureSettings::View::slanted,
            .to_s = 1,
            .every_s = 0.5,
            .subjects = {subject("ball", "#a01010", -1, 1)}};
}

/// What is drawn, in order: the fills and strokes of an SVG.
std::vector<std::string> shapes_of(const Picture& picture) {
    const TestFolder folder;
    draw_paths(picture, folder.path() / "picture.svg");
    const std::string svg = contents_of(folder.path() / "picture.svg");
    std::vector<std::string> shapes;
    for (std::size_t at = svg.find("<path"); at != std::string::npos;
         at = svg.find("<path", at + 1)) {
        const std::string path = svg.substr(at, svg.find('>', at) - at);
        // Letters and what cuts the picture off have no colour.
        if (path.find("rgb(") != std::string::npos) shapes.push_back(path);
    }
    return shapes;
}

/// Those of the second that are not in the first, by their places in the second.
std::vector<std::size_t> added(const std::vector<std::string>& before,
                               const std::vector<std::string>& after) {
    std::vector<std::size_t> places;
    for (std::size_t i = 0; i < after.size(); ++i) {
        if (std::find(before.begin(), before.end(), after[i]) == before.end()) places.push_back(i);
    }
    return places;
}

struct Extents {
    double left = 1e9, right = -1e9, top = 1e9, bottom = -1e9;
    void add(double x, double y) {
        left = std::min(left, x);
        right = std::max(right, x);
        top = std::min(top, y);
        bottom = std::max(bottom, y);
    }
    [[nodiscard]] double width() const { return right - left; }
    [[nodiscard]] double height() const { return bottom - top; }
};

/// The place of the ball's way, or of its first ghost.
std::size_t first_of_ball(const std::vector<std::string>& shapes) {
    const auto is_of_ball = [](const std::string& shape) {
        return shape.find("62.7") != std::string::npos;  // 0xa0 in percent
    };
    return static_cast<std::size_t>(std::find_if(shapes.begin(), shapes.end(), is_of_ball) -
                                    shapes.begin());
}

}  // namespace

TEST_CASE("what never moves is drawn first, its sides that face away not at all", "[draw]") {
    const std::vector<std::string> alone = shapes_of(a_ball());
    Picture picture = a_ball();
    picture.background.push_back({"post", "#808080", cube()});
    const std::vector<std::string> all = shapes_of(picture);
    const std::vector<std::size_t> of_post = added(alone, all);
    REQUIRE(of_post.size() == 3);  // sides, each with its edges
    REQUIRE(first_of_ball(all) < all.size());
    CHECK(of_post.back() < first_of_ball(all));
}

TEST_CASE("ground that moves lies below all ghosts of what is on it, and leaves no trail",
          "[draw]") {
    const std::vector<std::string> alone = shapes_of(a_ball());
    Picture picture = a_ball();
    Subject raft = subject("raft", "#104080", -0.2, 0.2);
    raft.solid = cube();
    raft.sets_range = false;
    raft.order = -1;
    picture.subjects.push_back(raft);
    const std::vector<std::string> below = shapes_of(picture);
    std::vector<std::size_t> of_raft = added(alone, below);
    REQUIRE(of_raft.size() == 10);  // three ghosts of three sides, and the legend's mark
    of_raft.pop_back();
    CHECK(of_raft.back() < first_of_ball(below));
    // Without that order it is one thing among others, with a way of its own.
    picture.subjects.back().order = 0;
    const std::vector<std::string> beside = shapes_of(picture);
    of_raft = added(alone, beside);
    CHECK(of_raft.size() == 11);
    CHECK(of_raft[3] > first_of_ball(beside));
}

TEST_CASE("dots that turn are drawn as leaves, longer along their turn than across", "[draw]") {
    const auto drawn = [](const std::vector<double>& turns) {
        Picture picture = a_ball();
        picture.view = scene::PictureSettings::View::side;
        picture.strands.push_back({.kind = Strand::Kind::dots,
                                   .name = "leaves",
                                   .colours = {"#0a6414"},
                                   .radius_m = {0.1},
                                   .count = 1,
                                   .times_s = {0},
                                   .points = {{0.4, 0, 0}},
                                   .stands = {true},
                                   .ages = {0},
                                   .turns = turns});
        for (const std::string& shape : shapes_of(picture)) {
            if (shape.find("39.2") != std::string::npos) return shape;  // 0x64 in percent
        }
        return std::string{};
    };
    /// How wide and high a path of corners is.
    const auto extent = [](const std::string& shape) {
        Extents found;
        const std::size_t start = shape.find(" d=\"") + 4;
        std::istringstream words{shape.substr(start, shape.find('"', start) - start)};
        std::string word;
        while (words >> word) {
            if (word.find_first_of("MLCZ") != std::string::npos) continue;
            double y = 0;
            words >> y;
            found.add(std::stod(word), y);
        }
        return found;
    };
    const std::string disc = drawn({});
    CHECK(extent(disc).width() == Approx(extent(disc).height()).epsilon(0.05));
    const Extents level = extent(drawn({0}));
    const Extents upright = extent(drawn({1.5707963}));
    CHECK(level.width() > 2.5 * level.height());
    CHECK(upright.height() == Approx(level.width()).epsilon(1e-3));
    CHECK(upright.width() == Approx(level.height()).epsilon(1e-3));
}

TEST_CASE("a picture has room for all of a solid, however long", "[draw]") {
    Picture picture = a_ball();
    picture.view = scene::PictureSettings::View::side;
    const auto width_of_it = [&] {
        const Space space = space_of(picture);
        return space.across;
    };
    const Extent alone = width_of_it();
    CHECK(alone.high == Approx(1.08));
    io::Solid plank = cube();
    for (auto& corner : plank.corners_m)
        corner[0] *= 50;
    picture.subjects.front().solid = plank;
    CHECK(width_of_it().high == Approx(1 + 0.2 * 50));
    CHECK(width_of_it().low == Approx(-1 - 0.2 * 50));
    // Ground beneath everything would make all else small, unless it is what was asked for.
    picture.subjects.front().order = -1;
    CHECK(width_of_it().high == Approx(1.08));
    picture.is_range_chosen = true;
    CHECK(width_of_it().high == Approx(1 + 0.2 * 50));
}
