// A tree in gusts, then in still air on a cart that starts and stops, then pushed at one tip: how
// far its tips are from rest, at 30 and at 144 frames a second.

#include <cmath>
#include <cstdio>
#include <memory>
#include <vector>

#include <hopcoil/base/random.hpp>
#include <hopcoil/points/plant.hpp>

using namespace hopcoil;

namespace {

/// The mean over all tips.
double lean_m(const Plant& plant) {
    const PlantStructure& tree = plant.structure();
    const std::vector<std::size_t> tips = tree.tips();
    double sum = 0;
    for (const std::size_t tip : tips) {
        const Vector3 way =
            plant.positions()[tip + 1] - plant.positions()[0] - tree.branches()[tip].end;
        sum += std::sqrt(dot(way, way));
    }
    return sum / static_cast<double>(tips.size());
}

/// The cart goes off at 4 s, smoothly, and stands still again at 5 s.
double cart_m(double t) {
    const double part = t <= 4 ? 0 : t >= 5 ? 1 : t - 4;
    return part * part * (3 - 2 * part);
}

std::vector<double> leans(const std::shared_ptr<const PlantStructure>& tree, int frames_per_s) {
    Plant plant{tree, {.frequency_hz = 1.1, .damping_ratio = 0.05, .drag_coefficient = 4}};
    const Wind gusts{{.mean_m_per_s = {6, 0, 2}, .spread_m_per_s = 2}, stream_of(7, "gusts")};
    std::vector<double> seen;
    for (int frame = 1; frame <= 9 * frames_per_s; ++frame) {
        const double t = static_cast<double>(frame) / frames_per_s;
        const std::vector<PlantPull> pulls(t > 7 && t <= 7.5 ? 1 : 0,
                                           {tree->tips().front(), {1.5, 0, 0}});
        plant.step({.base = {cart_m(t), 0, 0},
                    .wind = t <= 2.5 ? &gusts : nullptr,
                    .time_s = t,
                    .pulls = pulls},
                   1.0 / frames_per_s);
        if (frame % (frames_per_s / 2) == 0) seen.push_back(lean_m(plant));
    }
    return seen;
}

}  // namespace

int main() {
    const PlantShape shape{.levels = 4, .children = 3, .trunk_length_m = 0.8};
    const std::uint64_t stream = stream_of(7, "tree");
    std::printf("%zu pieces will grow\n", count_branches(shape, stream));
    const auto tree = std::make_shared<const PlantStructure>(shape, stream);
    std::printf("%zu have grown, %.2f m; the slowest sways at 1, %.2f, %.2f, %.2f\n", tree->size(),
                tree->reach_m(), tree->frequency_ratio(1), tree->frequency_ratio(2),
                tree->frequency_ratio(4));
    const std::vector<double> slow = leans(tree, 30);
    const std::vector<double> quick = leans(tree, 144);
    std::puts("  time     lean at 30 Hz   at 144 Hz");
    for (std::size_t i = 0; i < slow.size(); ++i) {
        const char* const what = i == 4    ? "   the wind drops"
                                 : i == 8  ? "   the cart is on its way"
                                 : i == 14 ? "   pushed"
                                           : "";
        std::printf("%4.1f s %13.3f m %9.3f m%s\n", 0.5 * static_cast<double>(i + 1), slow[i],
                    quick[i], what);
    }
}
