// Stacks of 20 parts, bodies of 11 and one that keeps its balance, as frames of 1/60 s: how many in
// a millisecond on one thread, and against the loop that one writes first, which satisfies one
// joint after the other.

#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstdio>
#include <numeric>
#include <vector>

#include <hopcoil/field/terrain.hpp>
#include <hopcoil/parts/balance.hpp>
#include <hopcoil/parts/parts.hpp>

#include "timing.hpp"

namespace {

using namespace hopcoil;

constexpr double frame_s = 1.0 / 60;
constexpr int pairs = 5;
constexpr std::size_t substeps = 12;

Part box(const Vector3& place, const Vector3& half, bool is_driven = false) {
    const PartShape shape{.type = PartShape::Type::box, .half_size_m = half};
    return {.placement = {place}, .shapes = {shape}, .is_driven = is_driven};
}

/// Hinged boards with ties on both sides.
PartsStructure stack() {
    PartsStructure made;
    for (std::uint32_t i = 0; i < 20; ++i)
        made.parts.push_back(box({0, 0.22 * i, 0}, {0.2, 0.1, 0.05}, i == 0));
    std::vector<std::uint32_t> row(20);
    std::iota(row.begin(), row.end(), 0);
    made.joints = row_of_hinges(made, row, {0, 0, 1});
    for (std::uint32_t i = 0; i + 1 < 20; ++i) {
        for (const double side : {-0.2, 0.2})
            made.link(i, {side, 0.1, 0}, i + 1, {side, -0.1, 0}, 4e4, 60);
    }
    return made;
}

/// Trunk, head, two arms and two legs of two parts each, held by springs; hung by its trunk.
PartsStructure body() {
    PartsStructure made;
    const auto add = [&](std::uint32_t to, const Vector3& joint, const Vector3& place,
                         const Vector3& half) {
        const std::uint32_t part = made.add(box(place, half));
        made.joints.push_back(
            {.type = PartJoint::Type::ball, .a = to, .b = part, .frame = {joint}});
        made.joints.back().spring = {.stiffness = 150, .damping = 12};
        return part;
    };
    const std::uint32_t pelvis = add(no_part, {0, 1.1, 0}, {0, 1, 0}, {0.15, 0.1, 0.1});
    const std::uint32_t chest = add(pelvis, {0, 1.12, 0}, {0, 1.35, 0}, {0.18, 0.2, 0.1});
    add(chest, {0, 1.57, 0}, {0, 1.68, 0}, {0.08, 0.1, 0.1});
    for (const double side : {-1.0, 1.0}) {
        const auto arm =
            add(chest, {0.2 * side, 1.5, 0}, {0.36 * side, 1.5, 0}, {0.14, 0.04, 0.04});
        add(arm, {0.52 * side, 1.5, 0}, {0.68 * side, 1.5, 0}, {0.14, 0.04, 0.04});
        const auto leg =
            add(pelvis, {0.1 * side, 0.9, 0}, {0.1 * side, 0.68, 0}, {0.07, 0.2, 0.07});
        add(leg, {0.1 * side, 0.46, 0}, {0.1 * side, 0.24, 0}, {0.06, 0.2, 0.06});
    }
    return made;
}

/// Bodies in a row whose ends are held together by impulses, one joint after the other, ten times a
/// substep; what is open at a joint is closed by a fifth each time.
class TextbookRow {
  public:
    explicit TextbookRow(std::size_t count) : bodies_(count) {
        for (std::size_t i = 0; i < count; ++i)
            bodies_[i].place = {0, 0.22 * static_cast<double>(i), 0};
    }
    void step(double dt) {
        const double h = dt / substeps;
        for (std::size_t done = 0; done < substeps; ++done)
            substep(h);
    }
    [[nodiscard]] const Vector3& last() const { return bodies_.back().place; }

  private:
    struct Body {
        Vector3 place{};
        Quaternion turn{};
        Vector3 velocity{};
        Vector3 spin{};
    };
    static constexpr double inverse_mass = 1.0 / 4;
    static constexpr double inverse_inertia = 1.0 / 0.07;

    void substep(double h) {
        for (std::size_t i = 1; i < bodies_.size(); ++i)
            bodies_[i].velocity = bodies_[i].velocity + Vector3{0, -9.80665 * h, 0};
        for (int sweep = 0; sweep < 10; ++sweep) {
            for (std::size_t i = 0; i + 1 < bodies_.size(); ++i)
                join(bodies_[i], bodies_[i + 1], i == 0 ? 0 : inverse_mass, h);
        }
        for (std::size_t i = 1; i < bodies_.size(); ++i) {
            Body& body = bodies_[i];
            body.place = body.place + body.velocity * h;
            body.turn = normalized(turned_by(body.spin * h) * body.turn);
        }
    }
    static void join(Body& a, Body& b, double inverse_mass_a, double h) {
        const Vector3 arm_a = rotated(a.turn, {0, 0.11, 0});
        const Vector3 arm_b = rotated(b.turn, {0, -0.11, 0});
        const Vector3 gap = (b.place + arm_b) - (a.place + arm_a);
        const Vector3 speed = (b.velocity + cross(b.spin, arm_b)) -
                              (a.velocity + cross(a.spin, arm_a)) + gap * (0.2 / h);
        const double give = inverse_mass_a + inverse_mass + 2 * 0.0121 * inverse_inertia;
        const Vector3 impulse = speed * (-1 / give);
        b.velocity = b.velocity + impulse * inverse_mass;
        b.spin = b.spin + cross(arm_b, impulse) * inverse_inertia;
        if (inverse_mass_a == 0) return;
        a.velocity = a.velocity - impulse * inverse_mass_a;
        a.spin = a.spin - cross(arm_a, impulse) * inverse_inertia;
    }

    std::vector<Body> bodies_;
};

void report(const char* name, const PartsStructure& made, std::size_t row) {
    Parts parts{made, {.substeps = substeps, .sleep_speed_m_per_s = 0}};
    TextbookRow textbook{row};
    std::vector<double> ours_s;
    std::vector<double> ratios;
    double at = 0;
    for (int pair = 0; pair < pairs; ++pair) {
        const double theirs = bench::seconds_of([&] { textbook.step(frame_s); }, 200);
        const double ours = bench::seconds_of(
            [&] {
                at += frame_s;
                const Placement base{{0.1 * std::sin(3 * at), 0, 0}};
                const std::size_t count = parts.driven().size();
                parts.step({.driven = {&base, count}}, frame_s);
            },
            60);
        ours_s.push_back(ours);
        ratios.push_back(theirs / ours);
    }
    const double frame = bench::median(ours_s);
    std::printf(
        "%s: %.2f ms a frame of %zu substeps, %.2f of them in a millisecond; %.2f times a "
        "row of as many joints, ten sweeps (which has no springs, limits or contact)\n",
        name, 1e3 * frame, substeps, 1e-3 / frame, bench::median(ratios));
    if (std::isnan(textbook.last().x)) std::puts("the textbook diverged");
}

/// One that keeps its balance: standing, walking, and lying limp on the ground.
void report_balance() {
    const FlatGround ground;
    BalanceSettings settings;
    settings.lies_s = -1;
    const auto frame_ms = [&](const Vector3& velocity, bool is_limp) {
        Balance body{settings, ground, {}};
        if (is_limp) body.push({1, 0, 0.3});
        if (is_limp) body.become(BalanceState::limp);
        std::vector<double> times_s;
        for (int pair = 0; pair < pairs; ++pair) {
            times_s.push_back(bench::seconds_of(
                [&] { body.step({.velocity = velocity, .ground = &ground}, frame_s); }, 60));
        }
        return 1e3 * bench::median(times_s);
    };
    std::printf(
        "a body of 13 parts that keeps its balance: %.2f ms a frame standing, %.2f walking, %.2f "
        "limp on the ground\n",
        frame_ms({}, false), frame_ms({0, 0, 1}, false), frame_ms({}, true));
}

/// Balls poured into a bin of the ground's boxes, and a pyramid of boxes: contact alone.
void report_piles() {
    PartsStructure balls;
    for (std::uint32_t i = 0; i < 48; ++i) {
        const double layer = i / 16;
        balls.parts.push_back(
            {.placement = {{-0.3 + 0.21 * (i % 4) + 0.01 * layer, 0.5 + 0.25 * layer,
                            -0.3 + 0.21 * (i / 4 % 4) + 0.007 * layer}},
             .shapes = {{.type = PartShape::Type::sphere, .radius_m = 0.1}}});
    }
    PartsStructure pyramid;
    for (std::uint32_t row = 0; row < 8; ++row) {
        for (std::uint32_t k = 0; k < 8 - row; ++k)
            pyramid.parts.push_back(
                box({0.42 * (k + 0.5 * row), 0.1 + 0.2 * row, 0}, {0.2, 0.1, 0.15}));
    }
    Terrain bin;
    bin.add(Terrain::Plane{});
    for (const double side : {-0.6, 0.6}) {
        bin.add(Terrain::Box{.middle = {side, 0.3, 0}, .size = {0.1, 0.6, 1.3}});
        bin.add(Terrain::Box{.middle = {0, 0.3, side}, .size = {1.1, 0.6, 0.1}});
    }
    const FlatGround flat;
    const auto frame_ms = [](const PartsStructure& made, const Ground& ground) {
        std::vector<double> times_s;
        for (int pair = 0; pair < pairs; ++pair) {
            Parts pile{made, {.substeps = substeps, .sleep_speed_m_per_s = 0}};
            times_s.push_back(
                bench::seconds_of([&] { pile.step({.ground = &ground}, frame_s); }, 120));
        }
        return 1e3 * bench::median(times_s);
    };
    std::printf("48 balls poured into a bin: %.2f ms a frame; a pyramid of 36 boxes: %.2f\n",
                frame_ms(balls, bin), frame_ms(pyramid, flat));
}

}  // namespace

int main() {
    report("a stack of 20 parts", stack(), 20);
    report("a body of 11 parts", body(), 11);
    report_balance();
    report_piles();
}
