#include <cmath>
#include <limits>
#include <queue>
#include <stdexcept>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/net_structure.hpp>

namespace hopcoil {

NetLink spring_link(std::uint32_t a, std::uint32_t b, double rest_m, const LinkStrength& strength) {
    return {a, b, rest_m, rest_m, strength.stiffness_n_per_m, strength.damping_n_s_per_m};
}

NetLink rope_link(std::uint32_t a, std::uint32_t b, double rest_m, const LinkStrength& strength) {
    return {a, b, 0, rest_m, strength.stiffness_n_per_m, strength.damping_n_s_per_m};
}

NetLink strut_link(std::uint32_t a, std::uint32_t b, double rest_m, const LinkStrength& strength) {
    return {
        a, b, rest_m, unbounded_length_m, strength.stiffness_n_per_m, strength.damping_n_s_per_m};
}

NetBend angle_link(std::array<std::uint32_t, 3> points, double angle_rad,
                   double stiffness_nm_per_rad, double length_a_m, double length_c_m) {
    if (!(angle_rad >= 0.1 && angle_rad <= math::pi))
        throw InvalidValue{"angle_rad", angle_rad, "0.1 to pi"};
    require_at_least_zero("stiffness_nm_per_rad", stiffness_nm_per_rad);
    require_above_zero("length_a_m", length_a_m);
    require_above_zero("length_c_m", length_c_m);
    // With arms of unit length |b| = 2 cos(angle/2), which changes by -sin(angle/2) a radian.
    const math::SinCos half = math::sincos(angle_rad / 2);
    const double rest = angle_rad >= math::pi ? 0 : 2 * half.cos;
    return {.a = points[0],
            .middle = points[1],
            .c = points[2],
            .weight_a = 1 / length_a_m,
            .weight_c = 1 / length_c_m,
            .rest_m = rest,
            .stiffness_n_per_m = stiffness_nm_per_rad / (half.sin * half.sin)};
}

std::uint32_t NetStructure::add(const NetStructure& other) {
    const auto first = static_cast<std::uint32_t>(points.size());
    if (!texture.empty() || !other.texture.empty()) {
        texture.resize(points.size());
        texture.insert(texture.end(), other.texture.begin(), other.texture.end());
        texture.resize(points.size() + other.points.size());
    }
    points.insert(points.end(), other.points.begin(), other.points.end());
    for (NetLink link : other.links) {
        link.a += first;
        link.b += first;
        links.push_back(link);
    }
    for (NetBend bend : other.bends) {
        bend.a += first;
        bend.middle += first;
        bend.c += first;
        bends.push_back(bend);
    }
    for (auto corners : other.triangles) {
        for (std::uint32_t& corner : corners)
            corner += first;
        triangles.push_back(corners);
    }
    if (other.link_diameter_m > link_diameter_m) link_diameter_m = other.link_diameter_m;
    return first;
}

namespace {

void require_point(const NetStructure& structure, std::uint32_t index, const char* what) {
    if (index >= structure.points.size()) {
        throw std::out_of_range{std::string{what} + " names point " + std::to_string(index) +
                                " of " + std::to_string(structure.points.size())};
    }
}

void require_valid(const NetStructure& structure, const NetLink& link) {
    require_point(structure, link.a, "a link");
    require_point(structure, link.b, "a link");
    if (link.a == link.b) throw std::out_of_range{"a link has both ends in one point"};
    require_at_least_zero("shortest_m", link.shortest_m);
    require_finite("longest_m", link.longest_m);
    if (!(link.longest_m >= link.shortest_m))
        throw InvalidValue{"longest_m", link.longest_m, "shortest_m or more"};
    require_at_least_zero("stiffness_n_per_m", link.stiffness_n_per_m);
    require_at_least_zero("damping_n_s_per_m", link.damping_n_s_per_m);
}

void require_valid(const NetStructure& structure, const NetBend& bend) {
    for (const std::uint32_t index : {bend.a, bend.middle, bend.c})
        require_point(structure, index, "a bend");
    if (bend.a == bend.middle || bend.a == bend.c || bend.c == bend.middle)
        throw std::out_of_range{"a bend has two of its points in one"};
    require_above_zero("weight_a", bend.weight_a);
    require_above_zero("weight_c", bend.weight_c);
    require_at_least_zero("rest_m", bend.rest_m);
    require_at_least_zero("stiffness_n_per_m", bend.stiffness_n_per_m);
    require_at_least_zero("damping_n_s_per_m", bend.damping_n_s_per_m);
}

}  // namespace

void require_valid(const NetStructure& structure) {
    if (structure.points.empty()) throw InvalidValue{"points", 0, "at least one"};
    for (const NetPoint& point : structure.points) {
        for (const double number : {point.position.x, point.position.y, point.position.z})
            require_finite("position", number);
        require_above_zero("mass_kg", point.mass_kg);
        require_at_least_zero("radius_m", point.radius_m);
    }
    for (const NetLink& link : structure.links)
        require_valid(structure, link);
    for (const NetBend& bend : structure.bends)
        require_valid(structure, bend);
    for (const auto& corners : structure.triangles) {
        for (const std::uint32_t corner : corners)
            require_point(structure, corner, "a triangle");
    }
    if (structure.texture.size() > structure.points.size()) {
        throw InvalidValue{"texture", static_cast<double>(structure.texture.size()),
                           "at most as many as points"};
    }
    require_at_least_zero("link_diameter_m", structure.link_diameter_m);
}

void pin(NetStructure& structure, std::span<const std::uint32_t> points) {
    for (const std::uint32_t index : points)
        structure.points.at(index).is_pinned = true;
}

PinDistances pin_distances(const NetStructure& structure) {
    const std::size_t size = structure.points.size();
    struct Way {
        std::uint32_t to;
        double metres;
    };
    std::vector<std::vector<Way>> ways(size);
    for (const NetLink& link : structure.links) {
        if (link.longest_m >= unbounded_length_m) continue;
        ways[link.a].push_back({link.b, link.longest_m});
        ways[link.b].push_back({link.a, link.longest_m});
    }
    PinDistances found;
    found.metres.assign(size, std::numeric_limits<double>::infinity());
    found.pins.assign(size, 0);
    found.links.assign(size, 0);
    using Reached = std::pair<double, std::uint32_t>;
    std::priority_queue<Reached, std::vector<Reached>, std::greater<>> next;
    for (std::uint32_t i = 0; i < size; ++i) {
        if (!structure.points[i].is_pinned) continue;
        found.metres[i] = 0;
        found.pins[i] = i;
        next.push({0, i});
    }
    while (!next.empty()) {
        const auto [metres, from] = next.top();
        next.pop();
        if (metres > found.metres[from]) continue;
        for (const Way& way : ways[from]) {
            const double there = metres + way.metres;
            if (!(there < found.metres[way.to])) continue;
            found.metres[way.to] = there;
            found.pins[way.to] = found.pins[from];
            found.links[way.to] = found.links[from] + 1;
            next.push({there, way.to});
        }
    }
    return found;
}

}  // namespace hopcoil
