// The lamplighter hops onto a crate, and jumps on the run: what he minds, where he lands, and when.

#include <cmath>
#include <cstdio>

#include <hopcoil/field/terrain.hpp>
#include <hopcoil/gait/walker.hpp>

namespace {

const char* name_of(hopcoil::HopPhase phase) {
    switch (phase) {
        case hopcoil::HopPhase::waits:
            return "waits";
        case hopcoil::HopPhase::crouches:
            return "crouches";
        case hopcoil::HopPhase::pushes:
            return "pushes off";
        case hopcoil::HopPhase::flies:
            return "flies";
        case hopcoil::HopPhase::lands:
            return "lands";
        default:
            return "stands or walks";
    }
}

/// Says each phase as it begins.
void watch(hopcoil::Walker& walker, const hopcoil::WalkCommand& command,
           const hopcoil::Ground& ground, double seconds) {
    auto phase = walker.hop_phase();
    for (int i = 0; i < seconds * 60; ++i) {
        walker.step(command, ground, 1.0 / 60);
        if (walker.hop_phase() == phase) continue;
        phase = walker.hop_phase();
        const hopcoil::Vector3 hips = walker.position();
        const double along = std::abs(hips.z) < 0.005 ? 0 : hips.z;
        std::printf("  %5.2f s  hips %.2f m up, %.2f m along: %s\n", i / 60.0, hips.y, along,
                    name_of(phase));
    }
}

}  // namespace

int main() {
    hopcoil::Terrain quay;
    quay.add(hopcoil::Terrain::Plane{});
    quay.add(hopcoil::Terrain::Box{.middle = {0, 0.25, 1.2}, .size = {0.8, 0.5, 0.6}});
    hopcoil::Walker lamplighter{hopcoil::walker_with(2, 0.95), quay, {0, 0, 0}};

    std::printf("onto a crate of half a metre\n");
    lamplighter.hop({.place = {0, 0.5, 1.2}}, quay);
    watch(lamplighter, {}, quay, 2);

    std::printf("and down, higher than he needs to\n");
    lamplighter.hop({.place = {0, 0, 2.4}, .apex_m = 0.3}, quay);
    watch(lamplighter, {}, quay, 2);

    std::printf("at a run\n");
    watch(lamplighter, {.ahead = 1.8}, quay, 2);
    lamplighter.hop({.keeps_on = true}, quay);
    watch(lamplighter, {.ahead = 1.8}, quay, 1.5);
    std::printf("%.2f m/s after it\n", lamplighter.velocity().z);
}
