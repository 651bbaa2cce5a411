// Where a sound or a spark starts: a net float rolls down three steps and against a wall of
// triangles, and each impact throws sparks by its speed; then feet land, each with a puff of dust.
#include <array>
#include <cmath>
#include <cstdio>

#include <hopcoil/base/random.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/parts/parts.hpp>
#include <hopcoil/points/particle_settings.hpp>
#include <hopcoil/points/particles.hpp>

using namespace hopcoil;

int main() {
    Terrain quay;
    quay.add(Terrain::Plane{});
    for (const double step : {1.0, 2.0, 3.0})
        quay.add(Terrain::Box{.middle = {0, 0.1 * step, -step}, .size = {4, 0.2 * step, 1}});
    // A wall of two triangles, counter-clockwise seen from where one stands before it.
    quay.add(GroundMesh{{{-2, 0, 4}, {2, 0, 4}, {2, 2, 4}, {-2, 2, 4}}, {{0, 3, 2}, {0, 2, 1}}});

    Part net_float{.placement = {{0, 0.9, -3.2}}};
    net_float.shapes = {{.type = PartShape::Type::sphere, .radius_m = 0.3}};
    net_float.restitution = 0.3;
    PartsStructure made;
    made.parts = {net_float};
    Parts parts{made};
    static_cast<void>(parts.push(0, {}, {0, 0, 2.5 * parts.mass(0).mass_kg}));
    Particles sparks{particle_recipe("burst"), stream_of(7, "sparks")};
    for (int frame = 1; frame <= 240; ++frame) {
        parts.step({.ground = &quay}, 1.0 / 60);
        for (const PartImpact& impact : parts.impacts()) {
            constexpr double least_speed = 0.4;  // m/s
            if (impact.speed_m_per_s < least_speed) continue;
            const auto count = static_cast<std::size_t>(10 * impact.speed_m_per_s);
            static_cast<void>(sparks.burst(count, impact.place));
            std::printf("%4.2f s: at %4.1f m, %4.1f m up, %-6s at %3.1f m/s: %2zu sparks\n",
                        frame / 60.0, impact.place.z, std::fmax(impact.place.y, 0),
                        impact.normal.y > 0.7 ? "stones" : "wall", impact.speed_m_per_s, count);
        }
        sparks.step({.is_on = false, .ground = &quay}, 1.0 / 60);
    }
    std::printf("the float is at %.2f m\n\n", parts.placements()[0].position.z);

    Walker lamplighter{walker_with(2, 0.95), quay, {0, 0, 0.5}};
    Particles dust{particle_recipe("smoke"), stream_of(7, "dust")};
    std::array<bool, 2> stood{true, true};
    for (int frame = 1; frame <= 150; ++frame) {
        lamplighter.step({.ahead = frame < 100 ? 1.2 : 0.0}, quay, 1.0 / 60);
        for (std::size_t i = 0; i < stood.size(); ++i) {
            const WalkerFoot& foot = lamplighter.feet()[i];
            const bool lands = foot.planted && !stood[i];
            stood[i] = foot.planted;
            if (!lands) continue;
            static_cast<void>(dust.burst(6, foot.position, {0, 0.2, 0}));
            std::printf("%4.2f s: %s foot down at %.2f m\n", frame / 60.0,
                        i == 0 ? "left" : "right", foot.position.z);
        }
        dust.step({.is_on = false, .ground = &quay}, 1.0 / 60);
    }
    std::printf("%llu grains of dust\n", static_cast<unsigned long long>(dust.born()));
}
