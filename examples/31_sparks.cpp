// Sparks off a grindstone: they fly in the wind, bounce on the quay, and each that comes to rest
// sends up a wisp of smoke. The same sparks at 30 and at 144 frames a second.

#include <cstdio>

#include <hopcoil/base/random.hpp>
#include <hopcoil/points/particles.hpp>

using namespace hopcoil;

namespace {

struct Outcome {
    std::uint64_t sparks = 0;
    std::uint64_t wisps = 0;
    double furthest_m = 0;
};

Outcome grind(double frames_per_s, bool tell) {
    ParticleSettings settings = particle_recipe("burst");
    settings.rate_per_s = 120;
    settings.direction = {1, 0.3, 0};
    settings.spread_rad = 0.25;
    Particles sparks{settings, stream_of(5, "sparks"), {0, 0.9, 0}};
    ParticleSettings wisp = particle_recipe("smoke");
    wisp.rate_per_s = 0;
    Particles smoke{wisp, stream_of(5, "smoke")};
    const FlatGround quay;
    const Wind breeze{{.mean_m_per_s = {-1, 0, 0.5}}, stream_of(5, "breeze")};

    if (tell) std::puts("  time   sparks  at rest  wisps");
    Outcome outcome;
    int at_rest = 0;
    const int frames = static_cast<int>(3 * frames_per_s);
    for (int frame = 1; frame <= frames; ++frame) {
        sparks.step({.emitter = {0, 0.9, 0}, .ground = &quay, .wind = &breeze}, 1 / frames_per_s);
        for (const ParticleEvent& event : sparks.events()) {
            if (event.type != ParticleEvent::Type::at_rest) continue;
            ++at_rest;
            smoke.burst(1, event.place);
            if (event.place.x > outcome.furthest_m) outcome.furthest_m = event.place.x;
        }
        smoke.step({.wind = &breeze}, 1 / frames_per_s);
        if (tell && frame % 15 == 0) {
            std::printf("%4.1f s %7zu %8d %6zu\n", frame / frames_per_s, sparks.alive_count(),
                        at_rest, smoke.alive_count());
        }
    }
    outcome.sparks = sparks.born();
    outcome.wisps = smoke.born();
    return outcome;
}

}  // namespace

int main() {
    const Outcome slow = grind(30, true);
    const Outcome quick = grind(144, false);
    std::printf("at 30 frames a second  %llu sparks, %llu wisps, the furthest %.3f m\n",
                static_cast<unsigned long long>(slow.sparks),
                static_cast<unsigned long long>(slow.wisps), slow.furthest_m);
    std::printf("at 144                 %llu sparks, %llu wisps, the furthest %.3f m\n",
                static_cast<unsigned long long>(quick.sparks),
                static_cast<unsigned long long>(quick.wisps), quick.furthest_m);
}
