// One cloth, hung by its top edge and let go from aside, by each method: what a frame takes, how
// far it hangs in the end, and how far its swing is from a run in steps ten times as fine.

#include <cmath>
#include <cstdio>
#include <vector>

#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

using namespace hopcoil;

namespace {

std::vector<Vector3> swing(const NetStructure& sail, const NetSettings& settings) {
    Net net{sail, settings};
    std::vector<Vector3> corner;
    for (int frame = 0; frame < 90; ++frame) {
        net.step({}, 1.0 / 60);
        corner.push_back(net.positions().back());
    }
    return corner;
}

double apart_mm(const std::vector<Vector3>& a, const std::vector<Vector3>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        sum += dot(a[i] - b[i], a[i] - b[i]);
    return 1000 * std::sqrt(sum / static_cast<double>(a.size()));
}

}  // namespace

int main() {
    const ClothSettings canvas{.width_m = 0.8, .height_m = 0.8, .columns = 13, .rows = 13};
    NetStructure sail = cloth(canvas, {{}, turned_by({0.9, 0, 0})});
    pin(sail, points_at(canvas, ClothEdge::top));
    const std::vector<Vector3> fine = swing(sail, {.method = NetMethod::implicit, .substeps = 10});
    std::puts("method      steps a frame  stable below    corner, apart   height at rest");
    for (const NetMethod method : {NetMethod::forces, NetMethod::positions, NetMethod::implicit}) {
        const NetSettings settings{.method = method};
        Net hung{sail, settings};
        for (int frame = 0; frame < 900; ++frame)
            hung.step({}, 1.0 / 60);
        const NetPlan& plan = hung.plan();
        const double height = hung.positions()[0].y - hung.positions().back().y;
        char limit[16] = "any step";
        if (method == NetMethod::forces)
            std::snprintf(limit, sizeof limit, "%.2f ms", 1000 * plan.stable_step_s);
        std::printf("%-10s %14zu  %11s %13.1f mm %14.4f m\n", facts_of(method).name.data(),
                    plan.substeps, limit, apart_mm(fine, swing(sail, settings)), height);
    }
    const NetPlan chosen = plan_for(sail, {});
    std::printf("automatic takes %s: forces would need %zu steps a frame\n",
                facts_of(chosen.method).name.data(), chosen.force_substeps);
}
