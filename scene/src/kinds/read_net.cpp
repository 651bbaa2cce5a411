// What a table [net.NAME] of a scene file says.

#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>

#include "../read/read_pictures.hpp"
#include "mounts.hpp"
#include "net.hpp"
#include "net_body.hpp"
#include "net_spec.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::array<const char*, 4> edge_names{"top", "bottom", "left", "right"};
constexpr std::array<const char*, 4> corner_names{"top_left", "top_right", "bottom_left",
                                                  "bottom_right"};

std::vector<std::uint32_t> named_points(KindReader& reader, const NetParts& parts,
                                        const std::string& where, double patch_m) {
    if (const auto* cloth = std::get_if<ClothSettings>(&parts.made_of)) {
        for (std::size_t i = 0; i < edge_names.size(); ++i) {
            if (where == edge_names[i]) return points_at(*cloth, static_cast<ClothEdge>(i));
            if (where == corner_names[i])
                return points_at(*cloth, static_cast<ClothCorner>(i), patch_m);
        }
        reader.problem("where", "expected an edge or a corner of the cloth: top, top_left, ...");
        return {};
    }
    const auto last = static_cast<std::uint32_t>(parts.point_count() - 1);
    if (std::holds_alternative<RopeSettings>(parts.made_of)) {
        if (where == "start") return {0};
        if (where == "end") return {last};
        reader.problem("where", "expected 'start' or 'end' of the rope");
        return {};
    }
    if (std::holds_alternative<SoftBallSettings>(parts.made_of) && where == "middle") return {last};
    reader.problem("where", "expected 'points': which ones, by their numbers");
    return {};
}

std::vector<std::uint32_t> read_points(KindReader& reader, const NetParts& parts) {
    std::vector<std::uint32_t> points;
    const double patch_m = reader.number("patch_m").value_or(0);
    if (!(patch_m >= 0)) reader.problem("patch_m", "expected 0 or more");
    const auto where = reader.choice("where");
    if (where && patch_m >= 0) points = named_points(reader, parts, *where, patch_m);
    for (const double number : reader.numbers("points")) {
        const bool is_one = number >= 0 && std::floor(number) == number &&
                            number < static_cast<double>(parts.point_count());
        if (!is_one) {
            reader.problem("points", fmt::format("expected numbers of points, 0 to {}; found {}",
                                                 parts.point_count() - 1, number));
            return {};
        }
        points.push_back(static_cast<std::uint32_t>(number));
    }
    if (!reader.has("where") && !reader.has("points"))
        reader.problem("", "expected a key 'where' or 'points'");
    return points;
}

void read_cloth(KindReader& reader, NetParts& parts) {
    ClothSettings cloth;
    cloth.width_m = reader.number("width_m").value_or(cloth.width_m);
    cloth.height_m = reader.number("height_m").value_or(cloth.height_m);
    cloth.columns = reader.whole_number("columns", 2, 1000).value_or(cloth.columns);
    cloth.rows = reader.whole_number("rows", 2, 1000).value_or(cloth.rows);
    constexpr std::size_t most_points = 40'000;  // of a scene: more would take minutes a second
    if (cloth.columns * cloth.rows > most_points) {
        reader.problem("columns", fmt::format("expected at most {} points in all, found {}",
                                              most_points, cloth.columns * cloth.rows));
        return;
    }
    reader.dials(cloth);
    if (reader.try_to([&] { require_valid(cloth); })) parts.made_of = cloth;
}

void read_rope(KindReader& reader, NetParts& parts) {
    RopeSettings rope;
    rope.length_m = reader.number("length_m").value_or(rope.length_m);
    rope.segments = reader.whole_number("segments", 1, 10'000).value_or(rope.segments);
    rope.pulls_only = reader.flag("pulls_only").value_or(rope.pulls_only);
    parts.far_end = three(reader, "end_m");
    reader.dials(rope);
    if (reader.try_to([&] { require_valid(rope); })) parts.made_of = rope;
}

void read_soft_ball(KindReader& reader, NetParts& parts) {
    SoftBallSettings ball;
    ball.radius_m = reader.number("radius_m").value_or(ball.radius_m);
    ball.refinement = static_cast<int>(reader.whole_number("refinement", 0, 5).value_or(2));
    reader.dials(ball);
    if (reader.try_to([&] { require_valid(ball); })) parts.made_of = ball;
}

std::uint32_t point_number(KindReader& reader, const std::string& key, std::size_t count) {
    if (!reader.has(key)) reader.problem("", fmt::format("expected a key '{}'", key));
    return static_cast<std::uint32_t>(
        reader.whole_number(key, 0, std::max<std::size_t>(count, 1) - 1).value_or(0));
}

NetLink read_link(KindReader& reader, const NetStructure& structure) {
    const std::size_t count = structure.points.size();
    const std::uint32_t a = point_number(reader, "from", count);
    const std::uint32_t b = point_number(reader, "to", count);
    const Vector3 way = count > std::max(a, b)
                            ? structure.points[b].position - structure.points[a].position
                            : Vector3{};
    const double rest = reader.number("rest_m").value_or(std::sqrt(dot(way, way)));
    const LinkStrength strength{reader.number("stiffness_n_per_m").value_or(1000),
                                reader.number("damping_n_s_per_m").value_or(0)};
    const std::string type = reader.choice("type").value_or("spring");
    NetLink link = type == "rope"    ? rope_link(a, b, rest, strength)
                   : type == "strut" ? strut_link(a, b, rest, strength)
                                     : spring_link(a, b, rest, strength);
    link.shortest_m = reader.number("shortest_m").value_or(link.shortest_m);
    link.longest_m = reader.number("longest_m").value_or(link.longest_m);
    return link;
}

void read_bend(KindReader& reader, NetStructure& made) {
    const std::size_t count = made.points.size();
    const std::array<std::uint32_t, 3> points{point_number(reader, "from", count),
                                              point_number(reader, "middle", count),
                                              point_number(reader, "to", count)};
    const double angle = reader.number("angle_deg").value_or(180) * math::pi / 180;
    const double stiffness = reader.number("stiffness_nm_per_rad").value_or(1);
    const bool are_three =
        points[0] != points[1] && points[0] != points[2] && points[1] != points[2];
    if (!are_three && reader.has("from") && reader.has("middle") && reader.has("to"))
        reader.problem("middle", "expected three points, each another");
    if (!are_three || count == 0) return;
    const auto length = [&](std::size_t end) {
        const Vector3 way = made.points[points[end]].position - made.points[points[1]].position;
        return std::sqrt(dot(way, way));
    };
    reader.try_to([&] {
        made.bends.push_back(
            angle_link(points, std::min(angle, math::pi), stiffness, length(0), length(2)));
    });
}

void read_own(KindReader& reader, NetParts& parts) {
    NetStructure made;
    reader.each_table("own_points", "net point", [&](KindReader& one) {
        made.points.push_back({.position = three(one, "at_m").value_or(Vector3{}),
                               .mass_kg = one.number("mass_kg").value_or(1)});
        if (!one.has("at_m")) one.problem("", "expected a key 'at_m'");
    });
    reader.each_table("links", "net link", [&](KindReader& one) {
        const NetLink link = read_link(one, made);
        if (link.a != link.b) {
            made.links.push_back(link);
        } else if (one.has("from") && one.has("to")) {
            one.problem("to", "expected another point");
        }
    });
    reader.each_table("bends", "net bend", [&](KindReader& one) { read_bend(one, made); });
    if (!reader.has("own_points")) {
        if (reader.has("links") || reader.has("bends"))
            reader.problem("", "expected a key 'own_points' beside 'links' and 'bends'");
        return;
    }
    if (reader.try_to([&] { require_valid(made); })) parts.made_of = OwnNet{std::move(made)};
}

/// What it is made of: one of five keys.
void read_made_of(KindReader& reader, NetParts& parts) {
    const int given = (reader.has("cloth") ? 1 : 0) + (reader.has("rope") ? 1 : 0) +
                      (reader.has("soft_ball") ? 1 : 0) + (reader.has("body") ? 1 : 0) +
                      (reader.has("own_points") ? 1 : 0);
    if (given != 1) {
        reader.problem(
            "", "expected one of the keys 'cloth', 'rope', 'soft_ball', 'body', 'own_points'");
    }
    reader.one_table("cloth", "cloth", [&](KindReader& one) { read_cloth(one, parts); });
    reader.one_table("rope", "rope", [&](KindReader& one) { read_rope(one, parts); });
    reader.one_table("soft_ball", "soft ball",
                     [&](KindReader& one) { read_soft_ball(one, parts); });
    reader.one_table("body", "body of points",
                     [&](KindReader& one) { read_body_of_points(one, parts); });
    read_own(reader, parts);
}

/// `carrier` is what carries pins that name nothing of their own.
void read_pins(KindReader& reader, NetParts& parts, Mounts& mounts, const Mount& carrier) {
    std::optional<Vector3> start;
    std::optional<Vector3> end;
    reader.each_table("pins", "pin", [&](KindReader& one) {
        NetPin pin{.points = read_points(one, parts)};
        pin.mount = one.has("to") || one.has("facing") ? mounts.read(one) : carrier;
        pin.until_s = one.number("until_s").value_or(pin.until_s);
        const std::string where = one.choice("where").value_or("");
        if (one.has("to") && where == "start") start = start_place(one, "to");
        if (one.has("to") && where == "end") end = start_place(one, "to");
        parts.pins.push_back(std::move(pin));
    });
    if (!std::holds_alternative<RopeSettings>(parts.made_of)) return;
    // A rope begins where its ends are fastened.
    if (start) parts.placement.position = *start;
    if (end) parts.far_end = end;
}

void read_balls(KindReader& reader, NetParts& parts) {
    reader.each_table("balls", "ball", [&](KindReader& one) {
        std::vector<std::string> taken = KindReader::names_in(parts.balls);
        if (parts.body() != nullptr) taken.insert(taken.end(), {"middle", "facing"});
        NetBall ball{.name = one.own_name(taken)};
        if (!one.has("at_m")) one.problem("", "expected a key 'at_m'");
        ball.place = three(one, "at_m").value_or(ball.place);
        ball.velocity = three(one, "velocity_m_per_s").value_or(ball.velocity);
        ball.radius_m = one.number("radius_m").value_or(ball.radius_m);
        ball.mass_kg = one.number("mass_kg").value_or(ball.mass_kg);
        ball.until_s = one.number("held_until_s").value_or(0);
        if (!(ball.radius_m > 0)) one.problem("radius_m", "expected a number above 0");
        parts.balls.push_back(std::move(ball));
    });
}

void read_settings(KindReader& reader, NetSettings& settings) {
    const std::string method = reader.choice("method").value_or("automatic");
    for (const NetMethod each :
         {NetMethod::automatic, NetMethod::forces, NetMethod::positions, NetMethod::implicit}) {
        if (facts_of(each).name == method) settings.method = each;
    }
    if (const auto scheme = reader.choice("scheme"))
        settings.scheme = find_scheme(*scheme).value_or(settings.scheme);
    settings.substeps = reader.whole_number("substeps", 0, 10'000).value_or(0);
    settings.iterations = reader.whole_number("iterations", 1, 1000).value_or(settings.iterations);
    settings.has_tethers = reader.flag("tethers").value_or(settings.has_tethers);
    settings.has_self_contact = reader.flag("self_contact").value_or(false);
    if (const auto rate = reader.number("frame_hz")) {
        if (*rate > 0) {
            settings.frame_s = 1 / *rate;
        } else {
            reader.problem("frame_hz", "expected a number above 0");
        }
    }
    reader.dials(settings);
}

void read_net(KindReader& reader) {
    NetParts parts;
    Mounts mounts;
    const Mount carrier = mounts.read(reader);
    const Placement frame = placement_at_start(reader, carrier, mounts.targets());
    parts.placement = frame * Placement{three(reader, "at_m").value_or(Vector3{}), turn_at(reader)};
    read_made_of(reader, parts);
    if (parts.far_end) parts.far_end = (frame * Placement{*parts.far_end}).position;
    read_settings(reader, parts.settings);
    read_pins(reader, parts, mounts, carrier);
    read_balls(reader, parts);
    parts.shapes = read_shapes(reader, mounts, "net shape");
    reader.each_table("forces", "force", [&](KindReader& one) {
        NetForce force{.points = read_points(one, parts)};
        if (!one.has("newtons")) one.problem("", "expected a key 'newtons'");
        force.newtons = three(one, "newtons").value_or(Vector3{});
        parts.forces.push_back(std::move(force));
    });
    parts.look.radius_m = reader.numbers("radius_m");
    parts.look.colours = read_colours(reader.table(), "colours");
    parts.look.order = reader.number("order").value_or(0);
    const std::size_t ground = reader.field<Ground>("ground");
    const std::size_t wind = reader.field<Wind>("wind");
    reader.try_to([&] {
        reader.add(std::make_unique<NetSpec>(std::move(parts)), std::move(mounts.targets()),
                   {ground, wind});
    });
}

}  // namespace

SystemKind net_kind() {
    return {"net", net_tables(), {}, read_net};
}

}  // namespace hopcoil::scene
