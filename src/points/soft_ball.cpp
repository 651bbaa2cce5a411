#include <cmath>
#include <map>
#include <utility>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/net_builders.hpp>

#include "../base/vectors.hpp"

namespace hopcoil {

namespace {

using Triangles = std::vector<std::array<std::uint32_t, 3>>;

/// A ball of triangles of radius 1: an icosahedron, each face cut in four `refinement` times.
struct Skin {
    std::vector<Vector3> points;
    Triangles triangles;
};

Skin icosahedron() {
    const double wide = (1 + std::sqrt(5.0)) / 2;
    const double scale = 1 / std::sqrt(1 + wide * wide);
    Skin skin;
    for (const double sign : {-1.0, 1.0}) {
        for (const double other : {-1.0, 1.0}) {
            skin.points.push_back(Vector3{other, sign * wide, 0} * scale);
            skin.points.push_back(Vector3{0, other, sign * wide} * scale);
            skin.points.push_back(Vector3{sign * wide, 0, other} * scale);
        }
    }
    // Three corners are a face where each is an edge's length from the others.
    const double edge = 2 * scale * 1.01;
    const auto near = [&](std::uint32_t a, std::uint32_t b) {
        return norm(skin.points[a] - skin.points[b]) < edge;
    };
    for (std::uint32_t a = 0; a < 12; ++a) {
        for (std::uint32_t b = a + 1; b < 12; ++b) {
            for (std::uint32_t c = b + 1; c < 12; ++c) {
                if (!near(a, b) || !near(b, c) || !near(a, c)) continue;
                const Vector3& p = skin.points[a];
                const bool outward = dot(cross(skin.points[b] - p, skin.points[c] - p), p) > 0;
                skin.triangles.push_back(outward ? std::array{a, b, c} : std::array{a, c, b});
            }
        }
    }
    return skin;
}

Skin refined(const Skin& coarse) {
    Skin skin{coarse.points, {}};
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> middles;
    const auto middle = [&](std::uint32_t a, std::uint32_t b) {
        const auto [found, is_new] = middles.try_emplace(
            {std::min(a, b), std::max(a, b)}, static_cast<std::uint32_t>(skin.points.size()));
        if (is_new) {
            const Vector3 between = skin.points[a] + skin.points[b];
            skin.points.push_back(between * (1 / norm(between)));
        }
        return found->second;
    };
    for (const auto& [a, b, c] : coarse.triangles) {
        const std::uint32_t ab = middle(a, b);
        const std::uint32_t bc = middle(b, c);
        const std::uint32_t ca = middle(c, a);
        for (const auto& each : Triangles{{a, ab, ca}, {ab, b, bc}, {ca, bc, c}, {ab, bc, ca}})
            skin.triangles.push_back(each);
    }
    return skin;
}

}  // namespace

void require_valid(const SoftBallSettings& settings) {
    require_above_zero("radius_m", settings.radius_m);
    if (settings.refinement < 0 || settings.refinement > 5)
        throw InvalidValue{"refinement", static_cast<double>(settings.refinement), "0 to 5"};
    require_above_zero("mass_kg", settings.mass_kg);
    require_above_zero("stiffness_n_per_m", settings.stiffness_n_per_m);
    require_at_least_zero("damping_n_s_per_m", settings.damping_n_s_per_m);
}

std::size_t point_count(const SoftBallSettings& settings) noexcept {
    return 10 * (std::size_t{1} << (2 * settings.refinement)) + 3;
}

NetStructure soft_ball(const SoftBallSettings& settings, const Placement& placement) {
    require_valid(settings);
    Skin skin = icosahedron();
    for (int i = 0; i < settings.refinement; ++i)
        skin = refined(skin);
    NetStructure made;
    const Quaternion turn = normalized(placement.rotation);
    const auto count = static_cast<std::uint32_t>(skin.points.size());
    for (const Vector3& p : skin.points) {
        made.points.push_back(
            {.position = placement.position + rotated(turn, p * settings.radius_m),
             .mass_kg = 0.8 * settings.mass_kg / count});
    }
    made.points.push_back({.position = placement.position, .mass_kg = 0.2 * settings.mass_kg});
    made.triangles = skin.triangles;
    // Pulled at both halves, the skin and all spokes share the load.
    const LinkStrength spoke{4 * settings.stiffness_n_per_m / count,
                             4 * settings.damping_n_s_per_m / count};
    const LinkStrength edge{settings.stiffness_n_per_m / 4, settings.damping_n_s_per_m / 4};
    const auto add = [&](std::uint32_t a, std::uint32_t b, const LinkStrength& strength) {
        const double length = norm(made.points[b].position - made.points[a].position);
        made.links.push_back(spring_link(a, b, length, strength));
    };
    for (std::uint32_t i = 0; i < count; ++i)
        add(i, count, spoke);
    for (const auto& corners : skin.triangles) {
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t a = corners[k];
            const std::uint32_t b = corners[(k + 1) % 3];
            if (a < b) add(a, b, edge);  // each edge is in two triangles, once each way
        }
    }
    return made;
}

}  // namespace hopcoil
