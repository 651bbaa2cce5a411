// A stack of hinged boards on a base that stops suddenly: how far its top swings first, and how
// soon that dies away, over the stiffness and damping of the ties between them.

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <numeric>
#include <vector>

#include <hopcoil/parts/parts.hpp>

using namespace hopcoil;

namespace {

constexpr std::uint32_t boards = 5;

PartsStructure stack(double stiffness_n_per_m, double damping_n_s_per_m) {
    PartsStructure made{.is_flat = true};
    for (std::uint32_t i = 0; i <= boards; ++i) {
        const PartShape board{.type = PartShape::Type::box, .half_size_m = {0.2, 0.1, 0.05}};
        made.parts.push_back(
            {.placement = {{0, 0.22 * i, 0}}, .shapes = {board}, .is_driven = i == 0});
    }
    std::vector<std::uint32_t> row(boards + 1);
    std::iota(row.begin(), row.end(), 0);
    made.joints = row_of_hinges(made, row, {0, 0, 1});
    // Off the hinges' line, on both sides: what keeps it upright.
    for (std::uint32_t i = 0; i < boards; ++i) {
        for (const double side : {-0.2, 0.2}) {
            made.link(i, {side, 0.1, 0}, i + 1, {side, -0.1, 0}, stiffness_n_per_m,
                      damping_n_s_per_m);
        }
    }
    return made;
}

/// Off gently for two seconds, then steadily, and a sudden stop at 5 s.
double smooth(double t) {
    const double steady = std::min(t, 5.0);
    return steady < 2 ? steady * steady / 4 : steady - 1;
}

struct Swing {
    double first_m = 0;
    double later_m = 0;  ///< the largest in the third second after the stop
};

Swing swing_of(double stiffness, double damping) {
    Parts parts{stack(stiffness, damping)};
    Swing swing;
    for (int frame = 1; frame <= 540; ++frame) {
        const double t = frame / 60.0;
        const Placement base{{0.3 * smooth(t), 0, 0}};
        parts.step({.driven = {&base, 1}}, 1.0 / 60);
        const double lean = parts.placements()[boards].position.x - base.position.x;
        if (t > 5 && t < 6) swing.first_m = std::max(swing.first_m, lean);
        if (t > 7 && t < 8) swing.later_m = std::max(swing.later_m, std::abs(lean));
    }
    return swing;
}

}  // namespace

int main() {
    std::puts("ties N/m   N s/m   first swing   two seconds later");
    for (const double stiffness : {10000.0, 20000.0, 40000.0}) {
        for (const double damping : {20.0, 60.0, 180.0}) {
            const Swing swing = swing_of(stiffness, damping);
            std::printf("%8.0f %7.0f %10.1f cm %12.1f cm\n", stiffness, damping,
                        100 * swing.first_m, 100 * swing.later_m);
        }
    }
}
