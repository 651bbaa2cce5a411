#include "tool/scene_pictures.hpp"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <iterator>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/scene_nodes.hpp>

#include "draw/palette.hpp"
#include "tool/commands.hpp"
#include "tool/progress.hpp"

namespace hopcoil::tool {
namespace {

using io::NodeChannels;
using scene::body_named;

/// The numbers of a channel in one row; none for a channel that is not there.
std::vector<double> numbers_at(const Take& take, const std::optional<std::size_t>& channel,
                               std::size_t row) {
    if (!channel) return {};
    const Take::Columns place = take.columns_of(*channel);
    const auto numbers = take.row(row).subspan(place.first, place.count);
    return {numbers.begin(), numbers.end()};
}

Vector3 place_at(const Take& take, const NodeChannels& node, std::size_t row) {
    Vector3 place{node.at_m[0], node.at_m[1], node.at_m[2]};
    const std::vector<double> numbers = numbers_at(take, node.position, row);
    if (numbers.size() == 1) {
        (node.axis == 0 ? place.x : node.axis == 1 ? place.y : place.z) += numbers[0];
    } else if (numbers.size() > 1) {
        place = place + Vector3{numbers[0], numbers[1], numbers.size() > 2 ? numbers[2] : 0};
    }
    return place;
}

Quaternion turn_at(const Take& take, const NodeChannels& node, std::size_t row) {
    const std::vector<double> numbers = numbers_at(take, node.rotation, row);
    if (numbers.size() == 4) return {numbers[0], numbers[1], numbers[2], numbers[3]};
    if (numbers.empty()) return {};
    return turned_by({node.turn_axis == 0 ? numbers[0] : 0, node.turn_axis == 1 ? numbers[0] : 0,
                      node.turn_axis == 2 ? numbers[0] : 0});
}

Vector3 size_at(const Take& take, const NodeChannels& node, std::size_t row) {
    const std::vector<double> numbers = numbers_at(take, node.scale, row);
    if (numbers.empty()) return {1, 1, 1};
    if (numbers.size() == 1) return {numbers[0], numbers[0], numbers[0]};
    return {numbers[0], numbers[1], numbers.size() > 2 ? numbers[2] : 1};
}

std::string hex_of(const scene::Colour& colour) {
    const auto part = [&](std::size_t i) {
        return static_cast<int>(std::lround(255 * std::clamp(colour.at(i), 0.0, 1.0)));
    };
    return fmt::format("#{:02x}{:02x}{:02x}", part(0), part(1), part(2));
}

draw::Subject subject_of(const scene::Scene& scene, const Take& take, const NodeChannels& node) {
    draw::Subject subject{.name = node.name, .length_m = node.length_m, .times_s = take.times_s()};
    // What has a place and no turn is as good as round.
    if (!node.rotation) subject.shape = scene::BodyShape::disc;
    if (node.colour) subject.colour = hex_of(*node.colour);
    subject.solid = node.solid;
    subject.order = node.order;
    Vector3 pivot;
    if (const scene::Body* body = body_named(scene, node.name)) {
        subject.shape = body->shape.value_or(subject.shape);
        if (body->length_m) subject.length_m = body->length_m;
        subject.order = body->look.order;
        if (body->look.colour) subject.colour = hex_of(*body->look.colour);
        pivot = {body->pivot_m[0], body->pivot_m[1], body->pivot_m[2]};
    }
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const Quaternion turn = turn_at(take, node, row);
        const Vector3 size = size_at(take, node, row);
        const Vector3 off{pivot.x * size.x, pivot.y * size.y, pivot.z * size.z};
        subject.poses.push_back({place_at(take, node, row) - rotated(turn, off), turn, size});
    }
    return subject;
}

/// A particle that is absent is put where another one is, so that a picture's extent ignores it.
void gather_absent(draw::Strand& strand) {
    const auto first = std::find(strand.stands.begin(), strand.stands.end(), true);
    if (first == strand.stands.end()) return;
    Vector3 place = strand.points[static_cast<std::size_t>(first - strand.stands.begin())];
    for (std::size_t i = 0; i < strand.points.size(); ++i) {
        if (strand.stands[i]) {
            place = strand.points[i];
        } else {
            strand.points[i] = place;
        }
    }
}

draw::Strand strand_of(const Take& take, const scene::LineChannel& line,
                       std::string_view usual_colour) {
    const scene::View& view = line.view;
    using Kind = draw::Strand::Kind;
    const bool is_branched =
        view.type == scene::View::Type::skeleton || view.type == scene::View::Type::branches;
    // Points that age, or have a size, are drawn as such.
    const bool are_dots =
        line.age || (view.type == scene::View::Type::points && !view.radius_m.empty());
    const Kind kind = scene::is_line(view)                     ? Kind::line
                      : is_branched                            ? Kind::branches
                      : view.type == scene::View::Type::mesh   ? Kind::mesh
                      : are_dots                               ? Kind::dots
                      : view.type == scene::View::Type::points ? Kind::rings
                                                               : Kind::prints;
    draw::Strand strand{.kind = kind,
                        .group = line.system,
                        .name = line.name,
                        .radius_m = view.radius_m,
                        .is_smooth = view.is_smooth,
                        .order = view.look.order,
                        .count = take.channels()[line.channel].count,
                        .parents = view.parents,
                        .triangles = view.triangles,
                        .times_s = take.times_s(),
                        .trail_s = view.trail_s};
    for (const scene::Colour& colour : view.colours)
        strand.colours.push_back(hex_of(colour));
    if (strand.colours.empty()) strand.colours.emplace_back(usual_colour);
    const Take::Columns place = take.columns_of(line.channel);
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const auto numbers = take.row(row).subspan(place.first, place.count);
        for (std::size_t i = 0; i + 2 < numbers.size(); i += 3)
            strand.points.push_back({numbers[i], numbers[i + 1], numbers[i + 2]});
        const auto number_of = [&](std::size_t channel, std::size_t i) {
            return take.row(row)[take.columns_of(channel).first + i];
        };
        if (kind == Kind::dots) {
            for (std::size_t i = 0; i < strand.count; ++i) {
                strand.stands.push_back(!line.alive || number_of(*line.alive, i) != 0);
                strand.ages.push_back(line.age ? number_of(*line.age, i) : 0);
                if (line.turn) strand.turns.push_back(number_of(*line.turn, i));
            }
            continue;
        }
        strand.stands.push_back(!line.alive || number_of(*line.alive, 0) != 0);
    }
    if (kind == Kind::dots) gather_absent(strand);
    return strand;
}

/// Any will do where there are none.
bool matches_any(const std::vector<std::string>& patterns, const std::string& name) {
    return patterns.empty() || std::any_of(patterns.begin(), patterns.end(), [&](const auto& one) {
               return scene::matches(one, name);
           });
}

bool is_chosen(const scene::PictureSettings& settings, const std::string& name) {
    return matches_any(settings.bodies, name);
}

/// A part of what is drawn gives the picture its range.
void look_around(draw::Picture& picture, const scene::PictureSettings& settings) {
    bool any = false;
    const auto choose = [&](auto& all) {
        for (auto& one : all) {
            one.sets_range = matches_any(settings.around, one.name);
            any = any || one.sets_range;
        }
    };
    choose(picture.subjects);
    choose(picture.strands);
    picture.is_range_chosen = !settings.around.empty();
    if (any) return;
    throw UsageProblem{
        fmt::format("hopcoil run: picture.{}.around: nothing in the picture has "
                    "such a name",
                    settings.name)};
}

std::vector<NodeChannels> chosen_nodes(std::vector<NodeChannels> nodes,
                                       const scene::PictureSettings& settings) {
    std::erase_if(nodes, [&](const NodeChannels& node) { return !is_chosen(settings, node.name); });
    return nodes;
}

void join(std::vector<draw::Subject>& subjects, const scene::Scene& scene, std::size_t first) {
    for (std::size_t i = first; i < subjects.size(); ++i) {
        const scene::Body* body = body_named(scene, subjects[i].name);
        if (body == nullptr || body->joined_to.empty()) continue;
        for (std::size_t k = first; k < subjects.size(); ++k) {
            if (subjects[k].name == body->joined_to) subjects[i].joined_to = k;
        }
    }
}

/// The same bodies as another take has them, by their names.
void add_comparison(draw::Picture& picture, const scene::Scene& scene,
                    const scene::PictureSettings& settings, const std::string& file,
                    const std::vector<NodeChannels>& own) {
    const Take take = io::read_take(file);
    if (take.row_count() == 0) {
        throw UsageProblem{fmt::format("hopcoil run: {}: it has no rows to compare with", file)};
    }
    std::vector<NodeChannels> nodes = chosen_nodes(scene::nodes_of(scene, take), settings);
    const std::size_t first = picture.subjects.size();
    for (NodeChannels& node : nodes) {
        const auto same = std::find_if(own.begin(), own.end(), [&](const NodeChannels& each) {
            return each.name == node.name;
        });
        const bool is_there = node.position || node.rotation || node.scale;
        if (same == own.end() || !is_there) continue;
        node.at_m = same->at_m;
        draw::Subject subject = subject_of(scene, take, node);
        const auto index = static_cast<std::size_t>(same - own.begin());
        subject.colour = draw::series_colour(index);
        subject.is_comparison = true;
        subject.name += fmt::format(", {}", std::filesystem::path{file}.filename().string());
        picture.subjects.push_back(std::move(subject));
    }
    if (picture.subjects.size() == first) {
        throw UsageProblem{fmt::format(
            "hopcoil run: {}: nothing in it has the name of what the picture shows", file)};
    }
}

void draw_film(const draw::Picture& picture, const scene::PictureSettings& settings,
               const std::filesystem::path& folder, const std::filesystem::path& animated) {
    std::optional<ProgressBar> bar;
    draw::write_film(picture, settings.rate_hz, settings.speed, folder, animated,
                     [&](std::size_t done, std::size_t total) {
                         if (!bar) bar.emplace("drawing", total);
                         bar->show(done);
                     });
}

}  // namespace

draw::Picture picture_of(const scene::Scene& scene, const Take& take,
                         const scene::PictureSettings& settings, const std::string& footer) {
    std::vector<NodeChannels> nodes = scene::nodes_of(scene, take);
    scene::spread_out(nodes, scene);
    nodes = chosen_nodes(std::move(nodes), settings);
    std::vector<scene::LineChannel> lines = scene::lines_of(scene, take);
    std::erase_if(lines, [&](const auto& line) { return !is_chosen(settings, line.name); });
    if (nodes.empty() && lines.empty()) {
        throw UsageProblem{fmt::format(
            "hopcoil run: picture.{}: there is nothing to be seen in space: expected a body, or a "
            "mover of a vector, a rotation, an angle or a length",
            settings.name)};
    }
    draw::Picture picture{.title = scene.title.empty() ? settings.name : scene.title,
                          .footer = footer,
                          .view = settings.view,
                          .from_s = settings.from_s,
                          .to_s = settings.to_s.value_or(take.times_s().back())};
    picture.from_s = std::min(picture.from_s, take.times_s().back());
    picture.to_s = std::min(std::max(picture.to_s, picture.from_s), take.times_s().back());
    constexpr double ghosts = 12;
    const double stretch_s = picture.to_s - picture.from_s;
    picture.every_s = settings.every_s.value_or(stretch_s > 0 ? stretch_s / ghosts : 1);
    for (std::size_t i = 0; i < nodes.size(); ++i) {
        picture.subjects.push_back(subject_of(scene, take, nodes[i]));
        std::string& colour = picture.subjects.back().colour;
        if (colour.empty()) colour = draw::series_colour(i);
    }
    for (std::size_t i = 0; i < lines.size(); ++i)
        picture.strands.push_back(strand_of(take, lines[i], draw::series_colour(nodes.size() + i)));
    picture.has_floor = scene::has_floor(scene);
    for (scene::Scenery& each : scene::scenery_of(scene)) {
        if (!is_chosen(settings, each.name)) continue;
        picture.background.push_back(
            {std::move(each.name), hex_of(each.colour), std::move(each.solid)});
    }
    join(picture.subjects, scene, 0);
    for (const std::string& file : settings.compare)
        add_comparison(picture, scene, settings, file, nodes);
    look_around(picture, settings);
    for (std::size_t i = 0; i < settings.references.size(); ++i) {
        picture.references.push_back(
            {settings.references[i],
             settings.references_from_s + static_cast<double>(i) * settings.references_every_s});
    }
    return picture;
}

std::vector<std::filesystem::path> make_pictures(const scene::Scene& scene, const Take& take,
                                                 const std::filesystem::path& folder,
                                                 const std::string& footer) {
    using Kind = scene::PictureSettings::Kind;
    const std::string stem = std::filesystem::path{scene.file}.stem().string();
    std::vector<std::filesystem::path> files;
    for (const scene::PictureSettings& settings : scene.pictures) {
        draw::Picture picture = picture_of(scene, take, settings, footer);
        const std::string name = fmt::format("{}-{}", stem, settings.name);
        if (settings.kind == Kind::film) {
            files.push_back(folder / (name + ".apng"));
            picture.width_px = 720;
            picture.height_px = 405;
            draw_film(picture, settings, folder / (name + "-frames"), files.back());
            continue;
        }
        files.push_back(folder / fmt::format("{}.{}", name, settings.format));
        if (settings.kind == Kind::paths) {
            draw::draw_paths(picture, files.back());
        } else {
            draw::draw_strip(picture, files.back());
        }
    }
    return files;
}

}  // namespace hopcoil::tool
