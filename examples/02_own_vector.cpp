// A program's own vector type, without an adapter: whatever adds, subtracts and scales can follow.
//
// A heron glides over the quay at 3 m/s and its shadow's fishing spot is followed with three
// leads: 0 lags behind, 1 keeps up, above 1 runs ahead.

#include <cmath>
#include <cstdio>

#include <hopcoil/follow/follower.hpp>

namespace heron {

struct Spot {
    double east = 0.0;
    double north = 0.0;

    friend Spot operator+(Spot a, Spot b) { return {a.east + b.east, a.north + b.north}; }
    friend Spot operator-(Spot a, Spot b) { return {a.east - b.east, a.north - b.north}; }
    friend Spot operator*(Spot a, double s) { return {a.east * s, a.north * s}; }
    friend bool operator==(Spot, Spot) = default;
};

}  // namespace heron

int main() {
    for (const double lead : {0.0, 1.0, 1.5}) {
        const hopcoil::Tuning tuning{.frequency_hz = 1.0, .damping_ratio = 0.5, .lead = lead};
        hopcoil::Follower<heron::Spot> shadow{tuning, heron::Spot{}};

        heron::Spot heron;
        for (int frame = 0; frame < 600; ++frame) {
            heron = heron + heron::Spot{.east = 3.0, .north = 0.0} * (1.0 / 60);
            shadow.step(heron, 1.0 / 60);
        }
        // To a tenth of a millimetre; + 0.0 turns a rounded -0 into 0.
        const double behind = std::round((heron.east - shadow.value().east) * 1e4) / 1e4 + 0.0;
        std::printf("lead %.1f: %+.4f m behind, predicted %+.4f m\n", lead, behind,
                    3.0 * hopcoil::ramp_lag_s(tuning));
    }

    // A spot that cannot be is ignored and counted; nothing is lost.
    hopcoil::Follower<heron::Spot> careful{{}, heron::Spot{.east = 1, .north = 2}};
    const double not_a_number = 0.0 / (careful.value().east - 1);
    careful.step(heron::Spot{.east = not_a_number, .north = 0}, 1.0 / 60);
    std::printf("rejected %d, still at %g, %g\n", static_cast<int>(careful.rejected_inputs()),
                careful.value().east, careful.value().north);
}
