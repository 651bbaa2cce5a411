// A cloth by each method against the textbook loop: an array of structs, every spring's force, one
// small step of semi-implicit Euler after the other, as long as stays stable. Beside each speed
// stands how far its motion is from a run in fine steps, and how far it sags at rest.

#include <cmath>
#include <cstddef>
#include <cstdio>
#include <vector>

#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>

#include "timing.hpp"

namespace {

using namespace hopcoil;

constexpr double frame_s = 1.0 / 60;
constexpr int pairs = 5;

ClothSettings fabric(std::size_t points) {
    return {.columns = points, .rows = points, .bending_n_m = 0, .stretch_damping_n_s_per_m = 0};
}

NetStructure hung(const ClothSettings& settings, double aside_rad) {
    NetStructure made = cloth(settings, {{}, turned_by({aside_rad, 0, 0})});
    pin(made, points_at(settings, ClothEdge::top));
    return made;
}

/// What a practitioner writes first.
class Textbook {
  public:
    explicit Textbook(const NetStructure& made) : links_{made.links} {
        for (const NetPoint& point : made.points)
            points_.push_back({point.position, {}, {}, point.mass_kg, point.is_pinned});
    }
    void step(double h) {
        for (Point& p : points_)
            p.force = {0, -9.80665 * p.mass, 0};
        for (const NetLink& link : links_) {
            Point& a = points_[link.a];
            Point& b = points_[link.b];
            const Vector3 way = b.position - a.position;
            const double length = std::sqrt(dot(way, way));
            const Vector3 pull =
                way * (link.stiffness_n_per_m * (length - link.longest_m) / length);
            a.force = a.force + pull;
            b.force = b.force - pull;
        }
        for (Point& p : points_) {
            if (p.is_pinned) continue;
            p.velocity = p.velocity + p.force * (h / p.mass);
            p.position = p.position + p.velocity * h;
        }
    }

  private:
    struct Point {
        Vector3 position;
        Vector3 velocity;
        Vector3 force;
        double mass;
        bool is_pinned;
    };
    std::vector<Point> points_;
    std::vector<NetLink> links_;
};

/// All positions in every frame of a swing.
std::vector<Vector3> swing(const NetStructure& made, const NetSettings& settings, int frames) {
    Net net{made, settings};
    std::vector<Vector3> all;
    for (int frame = 0; frame < frames; ++frame) {
        net.step({}, frame_s);
        all.insert(all.end(), net.positions().begin(), net.positions().end());
    }
    return all;
}

double apart_mm(const std::vector<Vector3>& a, const std::vector<Vector3>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        sum += dot(a[i] - b[i], a[i] - b[i]);
    return 1000 * std::sqrt(sum / static_cast<double>(a.size()));
}

double sag_percent(const NetStructure& made, NetSettings settings, double fabric_sag) {
    settings.drag_per_s = 3;
    Net net{made, settings};
    for (int frame = 0; frame < 180; ++frame)
        net.step({}, frame_s);
    const double height = net.positions().front().y - net.positions().back().y;
    return 100 * (height - 1) - fabric_sag;
}

void compare(std::size_t points) {
    const ClothSettings settings = fabric(points);
    const NetStructure aside = hung(settings, 1.2);
    const NetStructure down = hung(settings, 0);
    const double fabric_sag =
        100 * settings.mass_kg_per_m2 * 9.80665 / (2 * settings.stretch_n_per_m);
    const NetPlan forces = plan_for(aside, {.method = NetMethod::forces});
    const double h = frame_s / static_cast<double>(forces.force_substeps);
    const int frames = 90;
    const std::vector<Vector3> fine = swing(aside,
                                            {.method = NetMethod::implicit,
                                             .substeps = points > 100 ? 8U : 20U,
                                             .air_density_kg_per_m3 = 0},
                                            frames);
    std::printf("%zu x %zu, fabric sag %.2f %%; the textbook takes %zu steps a frame\n", points,
                points, fabric_sag, forces.force_substeps);
    for (const NetMethod method : {NetMethod::forces, NetMethod::positions, NetMethod::implicit}) {
        const NetSettings chosen{.method = method, .air_density_kg_per_m3 = 0};
        Textbook textbook{aside};
        Net net{aside, chosen};
        std::vector<double> ratios;
        std::vector<double> ours_ms;
        for (int pair = 0; pair < pairs; ++pair) {
            // A tenth of a frame of the textbook: it is the same work every step.
            const std::size_t some = forces.force_substeps / 10 + 1;
            const double theirs = bench::seconds_of(
                [&] {
                    for (std::size_t i = 0; i < some; ++i)
                        textbook.step(h);
                },
                2);
            const double whole =
                theirs * static_cast<double>(forces.force_substeps) / static_cast<double>(some);
            const double ours = bench::seconds_of([&] { net.step({}, frame_s); }, 2);
            ratios.push_back(whole / ours);
            ours_ms.push_back(1000 * ours);
        }
        const double error = apart_mm(fine, swing(aside, chosen, frames));
        std::printf(
            "  %-10s %4zu steps a frame %8.2f ms a frame %6.1f times the textbook, motion "
            "%5.1f mm, sag %+.2f %%\n",
            facts_of(method).name.data(), net.plan().substeps, bench::median(ours_ms),
            bench::median(ratios), error, sag_percent(down, chosen, fabric_sag));
    }
}

}  // namespace

int main() {
    compare(32);
    compare(64);
    compare(128);
}
