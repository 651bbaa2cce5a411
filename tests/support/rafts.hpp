#pragma once

#include <hopcoil/field/terrain.hpp>

/// The same raft twice, part 1 of each ground, with its top at 0: one lies still, one drifts.
struct TwoRafts {
    hopcoil::Terrain still{};
    hopcoil::Terrain moving{};

    TwoRafts(const hopcoil::Vector3& drift, double size_m) {
        static_cast<void>(still.add_part({}));
        static_cast<void>(moving.add_part({.velocity = drift}));
        for (hopcoil::Terrain* each : {&still, &moving})
            each->add(hopcoil::Terrain::Box{.middle = {0, -0.1, 0}, .size = {size_m, 0.2, size_m}},
                      1);
    }
};
