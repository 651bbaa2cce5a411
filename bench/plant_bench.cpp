// A thousand plants of 60 branches, and particles, each against the loop that one writes first: an
// array of structs, one frame a step.

#include <cmath>
#include <cstddef>
#include <cstdio>
#include <memory>
#include <vector>

#include <hopcoil/base/random.hpp>
#include <hopcoil/points/particles.hpp>
#include <hopcoil/points/plant.hpp>

#include "timing.hpp"

namespace {

using namespace hopcoil;

constexpr double frame_s = 1.0 / 60;
constexpr int pairs = 5;

/// Every branch a spring of its own, in the same wind, placed by going out along the tree.
class TextbookPlant {
  public:
    explicit TextbookPlant(const PlantStructure& structure) {
        for (const PlantStructure::Rod& rod : structure.rods())
            branches_.push_back({rod.parent, rod.along, {}, {}, {}, {}});
    }
    void step(const Vector3& wind, double dt) {
        for (Branch& branch : branches_) {
            const Vector3 pull = cross({0, 1, 0}, wind) * 0.02;
            const Vector3 acceleration =
                (pull - branch.angle) * 40.0 - branch.rate * 0.8 + wind * 1e-4;
            branch.rate = branch.rate + acceleration * dt;
            branch.angle = branch.angle + branch.rate * dt;
            const bool is_root = branch.parent == plant_base;
            const Quaternion before = is_root ? Quaternion{} : branches_[branch.parent].turn;
            const Vector3 foot = is_root ? Vector3{} : branches_[branch.parent].end;
            branch.turn = before * turned_by(branch.angle);
            branch.end = foot + rotated(branch.turn, branch.along);
        }
    }
    [[nodiscard]] const Vector3& tip() const { return branches_.back().end; }

  private:
    struct Branch {
        std::size_t parent;
        Vector3 along;
        Vector3 angle;
        Vector3 rate;
        Quaternion turn;
        Vector3 end;
    };
    std::vector<Branch> branches_;
};

void compare_plants(std::size_t count) {
    const PlantShape shape{.levels = 4, .children = 3, .pieces = 1};
    std::vector<PlantBranch> branches = grown_branches(shape, 7);
    const std::vector<PlantBranch> more = grown_branches({.levels = 3, .children = 4}, 8);
    for (const PlantBranch& each : more) {
        if (branches.size() == 60) break;
        const bool is_root = each.parent == plant_base;
        branches.push_back(each);
        if (!is_root) branches.back().parent += 40;
    }
    const auto structure = std::make_shared<const PlantStructure>(
        std::move(branches), PlantModeSettings{.count = 12, .wind_points = 1});
    const Wind wind{{}, 3};
    std::vector<Plant> plants;
    std::vector<PlantBase> bases;
    std::vector<TextbookPlant> textbook;
    for (std::size_t i = 0; i < count; ++i) {
        const auto at = static_cast<double>(i);
        bases.push_back({.place = {0.5 * at, 0, 0}});
        plants.emplace_back(structure, PlantSettings{}, bases.back().place);
        textbook.emplace_back(*structure);
    }
    PlantBed bed{structure, {}, bases};
    double time_s = 0;
    std::vector<double> ratios;
    std::vector<double> ours_ns;
    std::vector<double> ratios_alone;
    for (int pair = 0; pair < pairs; ++pair) {
        const double theirs = bench::seconds_of(
            [&] {
                for (std::size_t i = 0; i < count; ++i) {
                    const Vector3 place{0.5 * static_cast<double>(i), 0, 0};
                    textbook[i].step(wind.at(place, time_s).velocity, frame_s);
                }
            },
            4);
        time_s += frame_s;
        const double ours =
            bench::seconds_of([&] { bed.step({.wind = &wind, .time_s = time_s}, frame_s); }, 4);
        const double alone = bench::seconds_of(
            [&] {
                for (Plant& plant : plants) {
                    plant.step({.base = plant.positions()[0], .wind = &wind, .time_s = time_s},
                               frame_s);
                }
            },
            4);
        ratios.push_back(theirs / ours);
        ratios_alone.push_back(theirs / alone);
        ours_ns.push_back(1e9 * ours / static_cast<double>(count * structure->size()));
    }
    std::printf(
        "%zu plants of %zu branches: as a bed %.0f ns a branch, %.2f times the textbook (which has "
        "no coupling, drag or inertia); each by itself %.2f times\n",
        count, structure->size(), bench::median(ours_ns), bench::median(ratios),
        bench::median(ratios_alone));
}

struct TextbookParticle {
    Vector3 place;
    Vector3 velocity;
    double age_s = 0;
};

void step(std::vector<TextbookParticle>& all, double dt) {
    for (TextbookParticle& p : all) {
        p.velocity = p.velocity + (Vector3{0, -9.80665, 0} - p.velocity * 0.5) * dt;
        p.place = p.place + p.velocity * dt;
        p.age_s += dt;
        if (p.place.y < 0) {
            p.place.y = 0;
            p.velocity.y *= -0.3;
        }
    }
}

struct Speeds {
    double ours_ns = 0;  ///< each and 1/120 s
    double ratio = 0;
};
/// Over some frames of both, by turns.
Speeds speeds_of(Particles& particles, std::vector<TextbookParticle>& textbook,
                 const Vector3& emitter) {
    const FlatGround ground;
    const std::size_t count = particles.capacity();
    std::vector<double> ratios;
    std::vector<double> ours_ns;
    for (int pair = 0; pair < pairs; ++pair) {
        const double theirs = bench::seconds_of(
            [&] {
                for (int half = 0; half < 2; ++half)
                    step(textbook, frame_s / 2);
            },
            2);
        const double ours = bench::seconds_of(
            [&] { particles.step({.emitter = emitter, .ground = &ground}, frame_s); }, 2);
        ratios.push_back(theirs / ours);
        ours_ns.push_back(1e9 * ours / static_cast<double>(2 * count));
    }
    return {bench::median(ours_ns), bench::median(ratios)};
}

/// Bytes a second of a = b + s c, over arrays far larger than any cache.
double triad() {
    constexpr std::size_t count = 8'000'000;
    std::vector<double> a(count);
    const std::vector<double> b(count, 1);
    const std::vector<double> c(count, 2);
    double factor = 3;
    const double seconds = bench::seconds_of(
        [&] {
            for (std::size_t i = 0; i < count; ++i)
                a[i] = b[i] + factor * c[i];
            factor = a[count / 2] / 3;
        },
        6);
    return 24.0 * count / seconds;
}

/// From the burst until all are at rest.
void compare_lives(const ParticleSettings& settings, const Vector3& emitter) {
    const FlatGround ground;
    const std::size_t count = settings.capacity;
    std::vector<double> ratios;
    std::vector<double> ours_ns;
    double lasts_s = 0;
    for (int pair = 0; pair < pairs; ++pair) {
        Particles particles{settings, 3, emitter};
        particles.burst(count, emitter);
        std::vector<TextbookParticle> textbook(count);
        for (std::size_t i = 0; i < count; ++i)
            textbook[i] = {particles.position(i), particles.velocity(i)};
        int frames = 0;
        const double ours = bench::seconds_of(
            [&] {
                for (; !particles.still(); ++frames)
                    particles.step({.emitter = emitter, .ground = &ground}, frame_s);
            },
            1);
        const double theirs = bench::seconds_of(
            [&] {
                for (int half = 0; half < 2 * frames; ++half)
                    step(textbook, frame_s / 2);
            },
            1);
        ratios.push_back(theirs / ours);
        ours_ns.push_back(1e9 * ours / static_cast<double>(2 * count) / frames);
        lasts_s = frames * frame_s;
    }
    std::printf("  from the burst until all are at rest, %.1f s: %.2f ns, %.2f times\n", lasts_s,
                bench::median(ours_ns), bench::median(ratios));
}

void compare_particles(std::size_t count) {
    ParticleSettings settings{.capacity = count,
                              .rate_per_s = 0,
                              .spread_rad = 3,
                              .speed_most_m_per_s = 8,
                              .lifetime_least_s = 1e5,
                              .lifetime_most_s = 1e5};
    const Vector3 emitter{0, 9, 0};
    Particles particles{settings, 3, emitter};
    particles.burst(count, emitter);
    std::vector<TextbookParticle> textbook(count);
    for (std::size_t i = 0; i < count; ++i)
        textbook[i] = {particles.position(i), particles.velocity(i)};
    const Speeds in_air = speeds_of(particles, textbook, emitter);
    std::printf("%zu particles in the air: %.2f ns each and 1/120 s, %.2f times the textbook\n",
                count, in_air.ours_ns, in_air.ratio);
    if (count > 100'000) {
        // Six floats are read and written by each step; memory sees them once for two.
        const double of_triad = 48 / (1e-9 * in_air.ours_ns) / triad();
        std::printf(
            "  bytes a second over a triad's: %.2f as steps read and write them, %.2f through "
            "memory\n",
            of_triad, of_triad / 2);
        return;
    }
    const FlatGround ground;
    while (particles.position(count / 2).y > 0.1) {
        particles.step({.emitter = emitter, .ground = &ground}, frame_s);
        step(textbook, frame_s / 2);
        step(textbook, frame_s / 2);
    }
    const Speeds bouncing = speeds_of(particles, textbook, emitter);
    std::printf("  as most hit the ground: %.2f ns, %.2f times\n", bouncing.ours_ns,
                bouncing.ratio);
    particles.step({.emitter = emitter, .ground = &ground}, 10);
    const Speeds at_rest = speeds_of(particles, textbook, emitter);
    std::printf("  at rest: %.2f ns, %.2f times\n", at_rest.ours_ns, at_rest.ratio);
    compare_lives(settings, emitter);
}

void compare_noise() {
    constexpr int count = 20'000;
    const Wind wind{{}, 3};
    double sum = 0;
    const double time = bench::seconds_of(
        [&] {
            for (int i = 0; i < count; ++i)
                sum += wind.at({0.01 * i, 0, 0}, 0.001 * i).velocity.x;
        },
        2);
    std::vector<Vector3> places(count);
    std::vector<WindSample> samples(count);
    for (int i = 0; i < count; ++i)
        places[static_cast<std::size_t>(i)] = {0.01 * i, 0, 0};
    const double at_once = bench::seconds_of([&] { wind.find(places, 1, samples); }, 2);
    std::printf("wind of two octaves: %.0f ns a sample, %.0f at once (mean %.2f m/s)\n",
                1e9 * time / count, 1e9 * at_once / count, sum / count);
}

}  // namespace

int main() {
    compare_plants(1000);
    compare_particles(16'000);
    compare_particles(1'000'000);
    compare_noise();
}
