// Feet that step when they must: what holds under seeded drives on every kind of ground.

#include <algorithm>
#include <array>
#include <cmath>
#include <string>
#include <utility>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/measure/foot_watch.hpp>

#include "support/allocations.hpp"
#include "support/rafts.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

constexpr double tick_s = Walker::tick_s;
constexpr double drive_s = 6;
constexpr double rest_s = 3;

double size_of(const Vector3& v) {
    return std::sqrt(dot(v, v));
}

/// Commands that change every now and then, then none.
class Drive {
  public:
    Drive(unsigned seed, double fastest) {
        Random random{seed};
        for (double at = 0; at < drive_s; at += random.between(0.3, 2)) {
            const double speed = random.between(0, fastest);
            const double straight = random.between(0, 1) < 0.5 ? 0.15 : 1;
            const double way = straight * random.between(-math::pi, math::pi);
            const double turn =
                random.between(0, 1) < 0.4 ? random.between(-math::pi, math::pi) : 0;
            const bool spins = random.between(0, 1) < 0.15;
            commands_.emplace_back(
                at, spins ? WalkCommand{.turn_rate = turn}
                          : WalkCommand{speed * std::cos(way), speed * std::sin(way), turn});
        }
        commands_.emplace_back(drive_s, WalkCommand{});
    }
    [[nodiscard]] WalkCommand at(double time_s) const {
        WalkCommand now;
        for (const auto& [from_s, command] : commands_) {
            if (from_s <= time_s + 1e-9) now = command;
        }
        return now;
    }

  private:
    std::vector<std::pair<double, WalkCommand>> commands_;
};

/// Where all this goes on.
struct Place {
    std::string name{};
    Terrain terrain{};
    std::uint32_t deck = 0;

    void move(double t) {
        if (deck == 0) return;
        terrain.move(deck, {.position = {0.5 * std::sin(0.7 * t), 0.1 * std::sin(1.3 * t), 0},
                            .rotation = turned_by({0.05 * std::sin(0.9 * t), 0, 0}),
                            .velocity = {0.35 * std::cos(0.7 * t), 0.13 * std::cos(1.3 * t), 0},
                            .angular_velocity = {0.045 * std::cos(0.9 * t), 0, 0}});
    }
};

Place place_named(const std::string& name, double leg_m) {
    Place place{.name = name};
    Random random{3};
    if (name == "flat" || name == "steps") place.terrain.add(Terrain::Plane{});
    for (int i = -8; i <= 8 && name == "steps"; ++i) {
        for (int k = -8; k <= 8; ++k) {
            const double h = 0.19 * leg_m;
            if ((i + k) % 2 == 0) continue;
            place.terrain.add(
                Terrain::Box{.middle = {1.3 * i, h / 2, 1.3 * k}, .size = {1.3, h, 1.3}});
        }
    }
    if (name == "slopes" || name == "rough") {
        const bool rough = name == "rough";
        const HeightField::Grid grid{.columns = rough ? 121U : 31U,
                                     .rows = rough ? 121U : 31U,
                                     .spacing_m = rough ? 0.25 : 1.0,
                                     .from_x = -15,
                                     .from_z = -15};
        std::vector<double> heights;
        for (std::size_t i = 0; i < grid.columns * grid.rows; ++i) {
            const std::size_t c = i % grid.columns;
            const std::size_t saw = (c / 3) % 2 == 0 ? 3 - c % 3 : c % 3;
            heights.push_back(rough ? random.between(0, 0.06)
                                    : 0.364 * static_cast<double>(saw));  // 20 degrees
        }
        place.terrain.add(HeightField{grid, std::move(heights)});
    }
    if (name == "deck") {
        place.terrain.add(Terrain::Plane{.point = {0, -1, 0}});
        place.deck = place.terrain.add_part({});
        place.terrain.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {40, 0.2, 40}}, place.deck);
        place.move(0);
    }
    return place;
}

double leg_of(std::size_t legs) {
    return legs == 2 ? 0.95 : legs == 4 ? 0.8 : 0.6;
}

/// The worst of a walk.
struct Worst {
    int slips = 0;
    double reach = 0;
    int unsupported = 0;
    double acceleration = 0;
    double clearance = 1;
    double apart = 1;
    double settled_s = 0;
    std::uint64_t steps_at_rest = 0;
    double lowered = 0;
    int phases_back = 0;  ///< swings whose phase went back: a plan that changes only slows it
    FootFigures feet{};
};

/// Within what it is rated for, or as hard as a game may ask: 3 m/s in any direction, 6 m/s^2.
Worst walked(std::size_t legs, Place place, unsigned seed, bool hard = false) {
    WalkerSettings settings = walker_with(legs, leg_of(legs));
    if (hard) settings.most_acceleration_m_per_s2 = 6;
    const double l = settings.leg_length_m;
    const Drive drive{seed, hard ? 3.0 : std::min(3.0, limits_of(settings).most_speed_ahead)};
    Walker walker{settings, place.terrain, {0.3, 1, 0.3}};
    FootWatch watch{walker};
    Worst worst;
    std::vector<WalkerFoot> last(walker.feet().begin(), walker.feet().end());
    std::vector<Vector3> last_velocity(legs);
    std::uint64_t steps_then = 0;
    worst.settled_s = 99;
    for (int i = 0; i * tick_s < drive_s + rest_s; ++i) {
        const double time_s = i * tick_s;
        place.move(time_s + tick_s);
        walker.step(drive.at(time_s), place.terrain, tick_s);
        watch.look(walker, place.terrain);
        std::size_t up = 0;
        for (std::size_t k = 0; k < legs; ++k) {
            const WalkerFoot& foot = walker.feet()[k];
            const Vector3 velocity = (foot.position - last[k].position) * (1 / tick_s);
            up += foot.planted ? 0 : 1;
            worst.reach = std::max(worst.reach, apart(foot.position, walker.hip(k)) / l);
            if (foot.planted && last[k].planted && !(foot.on_part == last[k].on_part))
                ++worst.slips;
            const bool swings_on = foot.phase > 0.1 && last[k].phase > 0.1;
            if (swings_on && foot.phase < last[k].phase) ++worst.phases_back;
            if (i > 1 && !foot.planted && place.deck == 0) {
                worst.acceleration =
                    std::max(worst.acceleration, apart(velocity, last_velocity[k]) / tick_s);
            }
            if (foot.phase > 0.2 && foot.phase < 0.8) {
                const double ground =
                    place.terrain.under(foot.position.x, foot.position.z, 9, 0).height;
                worst.clearance = std::min(worst.clearance, foot.position.y - ground);
            }
            for (std::size_t m = 0; m < k; ++m)
                worst.apart =
                    std::min(worst.apart, apart(foot.position, walker.feet()[m].position));
            last[k] = foot;
            last_velocity[k] = velocity;
        }
        worst.unsupported += 2 * up > legs ? 1 : 0;
        if (time_s > drive_s && walker.still() && worst.settled_s > 90)
            worst.settled_s = time_s - drive_s;
        if (time_s < drive_s + 2) steps_then = walker.log().steps;
    }
    worst.steps_at_rest = walker.log().steps - steps_then;
    worst.feet = watch.all();
    worst.lowered = settings.standing_height - walker.log().lowest_height_m / l;
    return worst;
}

}  // namespace

TEST_CASE("planted feet keep every bit, legs reach, half of the feet carry, and it comes to rest",
          "[walker][long]") {
    for (const std::size_t legs : {2U, 4U, 6U, 8U}) {
        for (const char* name : {"flat", "steps", "slopes", "rough", "deck"}) {
            const Place place = place_named(name, leg_of(legs));
            std::vector<unsigned> seeds{1, 2, 4, 5};
            // Here a foot goes round the other one, beside a step.
            if (place.name == "steps" && legs == 2) seeds.push_back(3006);
            for (const unsigned seed : seeds) {
                const bool hard = seed == 4 || seed == 5;
                CAPTURE(legs, name, seed);
                const Worst worst = walked(legs, place, seed, hard);
                CHECK(worst.slips == 0);
                CHECK(worst.reach <= 1);
                CHECK(worst.unsupported == 0);
                CHECK(worst.acceleration < 450);
                CHECK(worst.apart > 0.02);
                // No sole goes through the ground, and legs do not go through each other.
                CHECK(worst.feet.clearance_m > 0.0099);
                CHECK(worst.feet.legs_apart_m > 0.04);
                CHECK(worst.feet.slip_m == 0);
                CHECK(worst.settled_s < 1.5);
                CHECK(worst.phases_back == 0);
                CHECK(worst.steps_at_rest == 0);
                const bool even = std::string{name} == "flat";
                CHECK(worst.lowered < (even ? 0.21 : 0.33));
                if (even) CHECK(worst.clearance > 0.003);
            }
        }
    }
}

TEST_CASE("the first frame stands on the ground, and without a command nothing moves", "[walker]") {
    for (const std::size_t legs : {2U, 4U, 6U, 8U, 10U}) {
        const WalkerSettings settings = walker_with(legs, 0.7);
        const FlatGround ground{1.5};
        Walker walker{settings, ground, {2, 0, -3}, 0.8};
        const Vector3 before = walker.position();
        CHECK(before.y == Approx(1.5 + settings.upright_height * 0.7).margin(0.03));
        for (const WalkerFoot& foot : walker.feet()) {
            CHECK(foot.planted);
            CHECK(foot.position.y == 1.5);
            CHECK(foot.error_m < 1e-9);
        }
        for (int i = 0; i < 500; ++i)
            walker.step({}, ground, 1.0 / 60);
        CHECK(apart(walker.position(), before) < 1e-3);
        CHECK(walker.log().steps == 0);
        CHECK(walker.still());
    }
}

TEST_CASE("it gets where it is told, at the speed it is told", "[walker]") {
    const FlatGround ground;
    for (const std::size_t legs : {2U, 4U, 6U}) {
        CAPTURE(legs);
        Walker walker{walker_with(legs, leg_of(legs)), ground, {}};
        const double speed = 0.8 * walker.limits().most_speed_ahead;
        for (int i = 0; i < 600; ++i)
            walker.step({.ahead = speed}, ground, 1.0 / 60);
        const double lost_s = speed / walker.settings().most_acceleration_m_per_s2;
        CHECK(walker.position().z == Approx(speed * (10 - 0.5 * lost_s)).epsilon(0.02));
        CHECK(std::abs(walker.position().x) < 0.05);
        // Asked for too much it does what its legs can do.
        for (int i = 0; i < 300; ++i)
            walker.step({.ahead = 50}, ground, 1.0 / 60);
        CHECK(std::hypot(walker.velocity().x, walker.velocity().z) <=
              1.01 * walker.limits().most_speed_ahead);
        // To a place and a heading.
        const Vector3 home{1, 0, 30};
        for (int i = 0; i < 1500; ++i)
            walker.step(walker.toward(home, 1.2, {}), ground, 1.0 / 60);
        CHECK(std::hypot(walker.position().x - 1, walker.position().z - 30) < 0.05);
        CHECK(walker.yaw_rad() == Approx(1.2).margin(0.02));
        CHECK(walker.still());
    }
}

TEST_CASE("on what carries it a walker stands and walks as on still ground, at any step",
          "[walker][long]") {
    for (const std::size_t legs : {2U, 4U, 6U}) {
        for (const double dt : {1.0 / 60, 1.0 / 144, 1.0 / 1500}) {
            CAPTURE(legs, dt);
            // Waiting for a raft to come and go: it rides along, and does not step.
            Terrain tide;
            const std::uint32_t raft = tide.add_part({});
            tide.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {8, 0.2, 8}}, raft);
            Walker rider{walker_with(legs, leg_of(legs)), tide, {}};
            FootWatch watch{rider};
            GroundFrame frame;
            for (double t = dt; t < 5; t += dt) {
                const WalkCommand command = rider.toward(frame.position, 0, frame.velocity);
                frame.position.x = 1.5 * (1 - std::cos(1.2 * t));
                frame.velocity.x = 1.8 * std::sin(1.2 * t);
                tide.move(raft, frame);
                rider.step(command, tide, dt);
                watch.look(rider, tide);
                REQUIRE(std::fabs(rider.position().x - frame.position.x) < 0.02);
                REQUIRE(apart(rider.carried_velocity(), frame.velocity) < 0.02);
            }
            CHECK(rider.log().steps == 0);
            CHECK(watch.all().reach < 0.99);
            // Across a raft that goes steadily, foot for foot as over one that lies still.
            const Vector3 drift{1.1, 0, -0.6};
            TwoRafts rafts{drift, 20};
            const Terrain& still = rafts.still;
            Terrain& moving = rafts.moving;
            Walker on_still{walker_with(legs, leg_of(legs)), still, {}};
            Walker on_moving{walker_with(legs, leg_of(legs)), moving, {}};
            const double speed = 0.5 * on_still.limits().most_speed_ahead;
            double most = 0;
            for (double t = dt; t < 4; t += dt) {
                const Vector3 way = Vector3{0.3, 0, speed} * std::fmin(t - dt, 3);
                const Vector3 velocity = t < 3 ? Vector3{0.3, 0, speed} : Vector3{};
                const Vector3 drifted = drift * (t - dt);
                const WalkCommand command = on_moving.toward(way + drifted, 0, velocity + drift);
                moving.move(1, {.position = drift * t, .velocity = drift});
                on_still.step(on_still.toward(way, 0, velocity), still, dt);
                on_moving.step(command, moving, dt);
                most =
                    std::fmax(most, apart(on_moving.position() - drift * t, on_still.position()));
                for (std::size_t i = 0; i < legs; ++i) {
                    const Vector3 there = on_moving.feet()[i].position - drift * t;
                    most = std::fmax(most, apart(there, on_still.feet()[i].position));
                }
            }
            CHECK(on_still.log().steps > 4);
            CHECK(on_moving.log().steps == on_still.log().steps);
            CHECK(most < 1e-6);
        }
    }
}

TEST_CASE("frames between ticks show a body and feet that move evenly", "[walker]") {
    struct Way {
        std::size_t legs;
        StepPolicy policy;
        Gait gait;
    };
    for (const auto& [legs, policy, gait] :
         {Way{2, StepPolicy::groups_in_turn, Gait::walk},
          Way{4, StepPolicy::groups_in_turn, Gait::walk},
          Way{4, StepPolicy::in_a_gait, Gait::gallop}, Way{6, StepPolicy::in_a_gait, Gait::wave},
          Way{2, StepPolicy::in_a_gait, Gait::slide}}) {
        CAPTURE(legs, static_cast<int>(policy), static_cast<int>(gait));
        const FlatGround ground;
        WalkerSettings settings = walker_with(legs, leg_of(legs));
        settings.policy = policy;
        settings.gait = gait;
        Walker slow{settings, ground, {}};
        Walker quick{settings, ground, {}};
        constexpr double rate_hz = 1680;  // seven frames a tick
        constexpr double dt = 1 / rate_hz;
        const WalkCommand command{.ahead = 0.6 * slow.limits().most_speed_ahead, .turn_rate = 0.3};
        std::array<std::array<Vector3, 3>, 1 + Walker::most_legs> shown{};  // body and feet
        double body_leap = 0;
        double foot_leap = 0;
        double reach = 0;
        for (int i = 1; i <= 4 * 1680; ++i) {
            quick.step(command, ground, dt);
            if (i % 7 == 0) slow.step(command, ground, tick_s);
            for (std::size_t k = 0; k <= legs; ++k) {
                auto& [before, last, now] = shown[k];
                before = last;
                last = now;
                now = k == legs ? quick.position() : quick.feet()[k].position;
                const double leap = i < 3 ? 0 : size_of(now - last * 2 + before);
                (k == legs ? body_leap : foot_leap) =
                    std::fmax(k == legs ? body_leap : foot_leap, leap);
                if (k == legs) continue;
                reach = std::fmax(reach, apart(quick.hip(k), now) / settings.leg_length_m);
                if (i % 7 == 0) REQUIRE(apart(now, slow.feet()[k].position) < 1e-9);
            }
        }
        // In steps of whole ticks the body would leap by 4 mm, and feet by 16 mm.
        CHECK(body_leap < 5e-4);
        CHECK(foot_leap < 2.5e-3);
        CHECK(reach <= 1);
        CHECK(apart(quick.position(), slow.position()) < 1e-9);
    }
}

TEST_CASE("turning on the spot steps, and feet end up side by side", "[walker]") {
    const FlatGround ground;
    Walker walker{walker_with(2, 0.95), ground, {}};
    for (int i = 0; i < 240; ++i)
        walker.step({.turn_rate = 1.5}, ground, 1.0 / 60);
    for (int i = 0; i < 120; ++i)
        walker.step({}, ground, 1.0 / 60);
    CHECK(walker.log().steps > 8);
    CHECK(std::hypot(walker.position().x, walker.position().z) < 0.15);
    const Vector3 between = walker.feet()[0].position - walker.feet()[1].position;
    CHECK(length_of(between) == Approx(0.22).margin(0.06));
    const Vector3 left{std::cos(walker.yaw_rad()), 0, -std::sin(walker.yaw_rad())};
    CHECK(dot(between, left) > 0.15);
}

TEST_CASE("footfalls do not depend on the frame rate", "[walker]") {
    const FlatGround ground;
    const auto footfalls = [&](int per_frame, unsigned seed) {
        const Drive drive{seed, 2};
        std::array<std::vector<double>, 2> times;
        Walker walker{walker_with(2, 0.95), ground, {}};
        std::array<bool, 2> planted{true, true};
        for (int tick = 0; tick < 240 * 6; tick += per_frame) {
            // The command changes with a frame of 1/30 s.
            walker.step(drive.at((tick - tick % 8) * tick_s), ground, per_frame * tick_s);
            for (std::size_t k = 0; k < 2; ++k) {
                if (walker.feet()[k].planted == planted[k]) continue;
                planted[k] = !planted[k];
                times[k].push_back((tick + per_frame) * tick_s);
            }
        }
        return times;
    };
    for (unsigned seed = 1; seed < 6; ++seed) {
        const auto fine = footfalls(1, seed);
        for (const int per_frame : {2, 4, 8}) {
            const auto coarse = footfalls(per_frame, seed);
            for (std::size_t k = 0; k < 2; ++k) {
                CAPTURE(seed, per_frame, k);
                REQUIRE(coarse[k].size() == fine[k].size());
                for (std::size_t i = 0; i < fine[k].size(); ++i) {
                    CHECK(coarse[k][i] >= fine[k][i] - 1e-9);
                    CHECK(coarse[k][i] < fine[k][i] + per_frame * tick_s);
                }
            }
        }
    }
}

TEST_CASE("an easy walk has gentle feet, and a landing is where it was wanted", "[walker]") {
    const FlatGround ground;
    std::vector<double> accelerations;
    double worst_miss = 0;
    for (unsigned seed = 1; seed < 9; ++seed) {
        WalkerSettings settings = walker_with(2, 0.95);
        settings.most_acceleration_m_per_s2 = 2;
        Walker walker{settings, ground, {}};
        Random random{seed};
        WalkCommand command;
        std::array<Vector3, 2> last{};
        std::array<Vector3, 2> velocity{};
        std::array<bool, 2> planted{true, true};
        for (int i = 0; i < 1800; ++i) {
            if (i % 240 == 0) command = {random.between(0, 1.5), 0, random.between(-0.5, 0.5)};
            walker.step(command, ground, tick_s);
            for (std::size_t k = 0; k < 2; ++k) {
                const WalkerFoot& foot = walker.feet()[k];
                const Vector3 now = (foot.position - last[k]) * (1 / tick_s);
                if (i > 2 && !foot.planted)
                    accelerations.push_back(apart(now, velocity[k]) / tick_s);
                // A foot lands ahead of its neutral spot by no more than a stride.
                if (foot.planted && !planted[k]) worst_miss = std::max(worst_miss, foot.error_m);
                planted[k] = foot.planted;
                velocity[k] = now;
                last[k] = foot.position;
            }
        }
    }
    std::sort(accelerations.begin(), accelerations.end());
    CHECK(accelerations[accelerations.size() * 95 / 100] < 80);
    CHECK(worst_miss < 0.4);
}

TEST_CASE("a swing is a centimetre above the ground, but where it leaves it and lands",
          "[walker][long]") {
    for (const std::size_t legs : {2U, 4U, 6U, 8U}) {
        for (const char* name : {"flat", "steps"}) {
            const Place place = place_named(name, leg_of(legs));
            int in_the_air = 0;
            int low = 0;
            for (unsigned seed = 31; seed <= 34; ++seed) {
                const WalkerSettings settings = walker_with(legs, leg_of(legs));
                const Drive drive{seed, limits_of(settings).most_speed_ahead};
                Walker walker{settings, place.terrain, {0.3, 0, 0.3}};
                std::vector<Vector3> lifted;
                for (const WalkerFoot& foot : walker.feet())
                    lifted.push_back(foot.position);
                std::vector<std::vector<Vector3>> ways(legs);
                std::vector<double> phases(legs);
                for (int i = 0; i * tick_s < drive_s; ++i) {
                    walker.step(drive.at(i * tick_s), place.terrain, tick_s);
                    for (std::size_t k = 0; k < legs; ++k) {
                        const WalkerFoot& foot = walker.feet()[k];
                        // It may leave again in the tick in which it lands.
                        const bool leaves_again = foot.phase + 0.4 < phases[k];
                        phases[k] = foot.phase;
                        if (leaves_again && !foot.planted) {
                            ways[k].clear();
                            lifted[k] = foot.position;
                        }
                        if (!foot.planted) {
                            ways[k].push_back(foot.position);
                            continue;
                        }
                        for (const Vector3& at : ways[k]) {
                            const auto away = [&](const Vector3& end) {
                                return std::hypot(at.x - end.x, at.z - end.z);
                            };
                            if (away(lifted[k]) < 0.03 || away(foot.position) < 0.03) continue;
                            ++in_the_air;
                            low += at.y - place.terrain.under(at.x, at.z, 9, 0).height < 0.01;
                        }
                        ways[k].clear();
                        lifted[k] = foot.position;
                    }
                }
            }
            CAPTURE(legs, name, low, in_the_air);
            CHECK(in_the_air > 2000);
            CHECK(1000 * low <= in_the_air);
        }
    }
}

TEST_CASE("a walker of any size walks over steps of its size", "[walker]") {
    for (const double leg_m : {0.03, 0.3, 4.0}) {
        for (const std::size_t legs : {2U, 4U, 6U}) {
            Terrain terrain;
            terrain.add(Terrain::Plane{});
            for (int i = 1; i < 30; ++i) {
                terrain.add(Terrain::Box{.middle = {0, 0, 1.3 * i * leg_m},
                                         .size = {9 * leg_m, 0.1 * leg_m, 0.6 * leg_m}});
            }
            const WalkerSettings settings = walker_with(legs, leg_m);
            Walker walker{settings, terrain, {}};
            const double speed = 0.6 * limits_of(settings).most_speed_ahead;
            const double seconds = 12 * leg_m / speed;
            for (int i = 0; i * tick_s < seconds; ++i)
                walker.step({.ahead = speed}, terrain, tick_s);
            CAPTURE(leg_m, legs);
            CHECK(walker.position().z > 0.85 * speed * seconds);
            CHECK(walker.log().steps >= 10 * legs / 2);
        }
    }
}

TEST_CASE("the body passes over its feet, also where it turns back while they are in the air",
          "[walker]") {
    const FlatGround ground;
    std::vector<double> misses;
    for (unsigned seed = 1; seed <= 12; ++seed) {
        WalkerSettings settings = walker_with(2, 0.95);
        settings.most_acceleration_m_per_s2 = 6;
        const double top = limits_of(settings).most_speed_ahead;
        Walker walker{settings, ground, {}};
        Random random{seed};
        WalkCommand command{1, 0, 0};
        double changed_s = 0;
        double next_s = 1;
        std::array<bool, 2> stood{true, true};
        std::array<double, 2> landed_s{};
        std::array<double, 2> nearest{};
        for (int i = 0; i < 240 * 20; ++i) {
            const double now_s = i * tick_s;
            if (now_s >= next_s) {
                command = {random.between(-0.6, 1) * top, random.between(-0.3, 0.3), 0};
                changed_s = now_s;
                next_s = now_s + random.between(1.2, 2.2);
            }
            walker.step(command, ground, tick_s);
            for (std::size_t k = 0; k < 2; ++k) {
                const WalkerFoot& foot = walker.feet()[k];
                if (foot.planted && !stood[k]) {
                    landed_s[k] = now_s;
                    nearest[k] = foot.error_m;
                }
                nearest[k] = std::min(nearest[k], foot.error_m);
                // In the air as the command changed, and lifted again before it changed once more.
                const bool counts = landed_s[k] > changed_s + 0.1 && landed_s[k] < changed_s + 0.45;
                if (!foot.planted && stood[k] && counts) misses.push_back(nearest[k]);
                stood[k] = foot.planted;
            }
        }
    }
    std::sort(misses.begin(), misses.end());
    REQUIRE(misses.size() > 100);
    CHECK(misses[misses.size() / 2] < 0.005);
    CHECK(misses[misses.size() * 95 / 100] < 0.05);
}

TEST_CASE("a steady walk does not limp, and its body goes up and down softly", "[walker]") {
    const FlatGround ground;
    for (const std::size_t legs : {2U, 4U, 6U}) {
        for (const double speed : {0.3, 0.5, 0.6, 0.7, 0.9, 1.1, 1.3, 1.5}) {
            CAPTURE(legs, speed);
            Walker walker{walker_with(legs, 0.95), ground, {}, 0.4};
            std::array<bool, 2> planted{true, true};
            std::vector<double> lifts_s;
            double left_behind = 0;
            double landed_ahead = 0;
            double carried_by_both = 0;
            double height = walker.position().y;
            double rate = 0;
            double roughest = 0;
            const Vector3 way{std::sin(0.4), 0, std::cos(0.4)};
            for (int i = 0; i < 240 * 10; ++i) {
                walker.step({.ahead = speed}, ground, tick_s);
                const double rate_now = (walker.position().y - height) / tick_s;
                const double change = std::abs(rate_now - rate) / tick_s;
                height = walker.position().y;
                rate = rate_now;
                for (std::size_t k = 0; k < 2; ++k) {
                    const WalkerFoot& foot = walker.feet()[k];
                    const double ahead = dot(foot.position - foot.wanted, way);
                    if (i > 600 && planted[k] && !foot.planted) {
                        lifts_s.push_back(i * tick_s);
                        left_behind = std::max(left_behind, -ahead);
                    }
                    if (i > 600 && !planted[k] && foot.planted)
                        landed_ahead = std::max(landed_ahead, ahead);
                    planted[k] = foot.planted;
                }
                if (i > 600) {
                    roughest = std::max(roughest, change);
                    carried_by_both += planted[0] && planted[1] ? tick_s : 0;
                }
            }
            // Left and right take equally long, and a foot leaves as far behind as it lands ahead.
            double odd_s = 0;
            double even_s = 0;
            for (std::size_t i = 1; i + 1 < lifts_s.size(); i += 2) {
                odd_s += lifts_s[i] - lifts_s[i - 1];
                even_s += lifts_s[i + 1] - lifts_s[i];
            }
            REQUIRE(lifts_s.size() > 6);
            CHECK(std::max(odd_s, even_s) < 1.08 * std::min(odd_s, even_s));
            CHECK(left_behind == Approx(landed_ahead).epsilon(0.15));
            if (speed < 1.4 && legs < 6) CHECK(carried_by_both > 0.1 * 7.5);
            CHECK(roughest < 30);
        }
    }
}

TEST_CASE("a foot lands on its heel and leaves on its toe, and the edge that is down stays put",
          "[walker]") {
    const FlatGround ground{0.3};
    for (const double speed : {0.8, 1.3, -0.8}) {
        Walker walker{walker_with(2, 0.95), ground, {}, 0.7};
        const double length = 2.1 * walker.settings().foot_radius_m;
        std::array<WalkerSole, 2> last{};
        std::array<WalkerFoot, 2> was{};
        double highest_heel = 0;
        double highest_toe = 0;
        for (int i = 0; i < 240 * 8; ++i) {
            const bool walks = i < 240 * 5;
            walker.step({.ahead = walks ? speed : 0, .turn_rate = walks ? 0.2 : 0}, ground, tick_s);
            for (std::size_t k = 0; k < 2; ++k) {
                const WalkerFoot& foot = walker.feet()[k];
                const WalkerSole sole = walker.sole(k);
                CHECK(apart(sole.heel, sole.toe) == Approx(length).epsilon(1e-12));
                // No edge of it is ever in the ground.
                CHECK(std::min(sole.heel.y, sole.toe.y) > 0.3 - 1e-12);
                if (i > 0) CHECK(std::abs(foot.pitch_rad - was[k].pitch_rad) < 0.06);
                if (i > 0 && foot.planted && was[k].planted) {
                    if (foot.pitch_rad > 0 && was[k].pitch_rad > 0) CHECK(sole.toe == last[k].toe);
                    if (foot.pitch_rad < 0 && was[k].pitch_rad < 0)
                        CHECK(sole.heel == last[k].heel);
                }
                if (foot.planted && i > 240) {
                    highest_heel = std::max(highest_heel, sole.heel.y - 0.3);
                    highest_toe = std::max(highest_toe, sole.toe.y - 0.3);
                }
                last[k] = sole;
                was[k] = foot;
            }
        }
        // Backward it is the toe that lands, and the heel that leaves.
        CHECK((speed > 0 ? highest_heel : highest_toe) > 0.25 * length);
        CHECK((speed > 0 ? highest_toe : highest_heel) > 0.07 * length);
        CHECK(walker.feet()[0].pitch_rad == 0);
        CHECK(walker.feet()[1].pitch_rad == 0);
    }
}

TEST_CASE("knees of two legs do not leap where they stride out", "[walker]") {
    const FlatGround ground;
    for (const double part : {0.3, 0.6, 1.0}) {
        CAPTURE(part);
        std::vector<double> accelerations;
        double nearly_straight = 0;
        for (unsigned seed = 0; seed < 6; ++seed) {
            WalkerSettings settings = walker_with(2, 0.95);
            settings.most_acceleration_m_per_s2 = 6 * part;
            const double fastest = part * limits_of(settings).most_speed_ahead;
            Walker walker{settings, ground, {}};
            const Drive drive{seed, fastest};
            std::array<Vector3, 2> knees{walker.knee(0), walker.knee(1)};
            std::array<Vector3, 2> ways{};
            for (int i = 0; i < static_cast<int>(drive_s / tick_s); ++i) {
                walker.step(drive.at(i * tick_s), ground, tick_s);
                for (std::size_t leg = 0; leg < 2; ++leg) {
                    const Vector3 way = walker.knee(leg) - knees[leg];
                    if (i > 0)
                        accelerations.push_back(size_of(way - ways[leg]) / (tick_s * tick_s));
                    knees[leg] = walker.knee(leg);
                    ways[leg] = way;
                    const double far = size_of(walker.feet()[leg].position - walker.hip(leg));
                    if (far > 0.99 * settings.leg_length_m) ++nearly_straight;
                }
            }
        }
        std::sort(accelerations.begin(), accelerations.end());
        const auto count = static_cast<double>(accelerations.size());
        CHECK(accelerations[accelerations.size() * 95 / 100] < 40 + 60 * part);
        CHECK(accelerations[accelerations.size() * 999 / 1000] < 200 + 500 * part);
        CHECK(nearly_straight / count < 0.004);
    }
}

TEST_CASE("each policy walks, and they differ", "[walker]") {
    const FlatGround ground;
    std::array<std::uint64_t, 3> steps{};
    for (const StepPolicy policy :
         {StepPolicy::groups_in_turn, StepPolicy::wait_for_both, StepPolicy::one_at_a_time}) {
        WalkerSettings settings = walker_with(6, 0.6);
        settings.policy = policy;
        Walker walker{settings, ground, {}};
        std::size_t most_up = 0;
        for (int i = 0; i < 600; ++i) {
            walker.step({.ahead = 0.4}, ground, 1.0 / 60);
            std::size_t up = 0;
            for (const WalkerFoot& foot : walker.feet())
                up += foot.planted ? 0 : 1;
            most_up = std::max(most_up, up);
        }
        steps[static_cast<std::size_t>(policy)] = walker.log().steps;
        CHECK(walker.position().z > 1.2);
        CHECK(most_up == (policy == StepPolicy::one_at_a_time ? 1 : 3));
    }
    CHECK(steps[0] >= steps[1]);
}

TEST_CASE("in a gait feet keep their order, and the pace is that of animals", "[walker][gait]") {
    const FlatGround ground;
    for (const std::size_t legs : {2U, 4U, 6U}) {
        for (const Gait gait : {Gait::walk, Gait::trot, Gait::pace, Gait::wave}) {
            WalkerSettings settings = walker_with(legs, 0.5);
            settings.policy = StepPolicy::in_a_gait;
            settings.gait = gait;
            const WalkerLimits limits = limits_of(settings);
            double last_duty = 1;
            double last_stride = 0;
            for (const double part : {0.3, 0.55, 0.8}) {
                CAPTURE(legs, static_cast<int>(gait), part);
                const double speed = part * limits.most_speed_ahead;
                Walker walker{settings, ground, {}};
                for (int i = 0; i < 240 * 4; ++i)
                    walker.step({.ahead = speed}, ground, tick_s);
                const double from = walker.position().z;
                std::vector<double> landed(legs, -1);
                std::vector<bool> planted(legs, true);
                double down = 0;
                std::size_t most_up = 0;
                std::uint64_t steps = walker.log().steps;
                constexpr int ticks = 240 * 6;
                for (int i = 0; i < ticks; ++i) {
                    walker.step({.ahead = speed}, ground, tick_s);
                    std::size_t up = 0;
                    for (std::size_t k = 0; k < legs; ++k) {
                        const bool now = walker.feet()[k].planted;
                        if (now && !planted[k]) landed[k] = i * tick_s;
                        planted[k] = now;
                        down += now ? 1 : 0;
                        up += now ? 0 : 1;
                    }
                    most_up = std::max(most_up, up);
                }
                steps = walker.log().steps - steps;
                const Cadence law = cadence_at(settings, limits, speed);
                const double strides_per_s =
                    static_cast<double>(steps) / 6.0 / static_cast<double>(legs);
                const double duty = down / (ticks * static_cast<double>(legs));
                CHECK((walker.position().z - from) / 6 == Approx(speed).epsilon(0.03));
                CHECK(duty == Approx(law.duty_factor).margin(0.04));
                CHECK(strides_per_s == Approx(law.strides_per_s).epsilon(0.12));
                CHECK(2 * most_up <= legs);
                // With speed the duty factor falls and the stride grows.
                CHECK(duty <= last_duty + 0.01);
                CHECK(speed / strides_per_s > last_stride);
                last_duty = duty;
                last_stride = speed / strides_per_s;
                // Each lands at its part of the cycle after the first one.
                for (std::size_t k = 1; k < legs; ++k) {
                    const double after = (landed[k] - landed[0]) * law.strides_per_s;
                    const double wanted =
                        landing_phase(gait, legs, k) - landing_phase(gait, legs, 0);
                    CHECK(std::abs(std::remainder(after - wanted, 1)) < 0.08);
                }
            }
        }
    }
}

TEST_CASE("feet that fly past their hips keep away from them, wherever the body turns",
          "[walker][gait]") {
    const HeightGround cobbles{[](double x, double z) {
        return 0.03 * std::sin(3 * x + 1) * std::sin(2.3 * z);
    }};
    WalkerSettings settings = walker_with(4, 0.5);
    settings.policy = StepPolicy::in_a_gait;
    settings.gait = Gait::by_speed;
    Walker walker{settings, cobbles, {}};
    RandomNumbers numbers{stream_of(3, "turns")};
    WalkCommand command;
    double nearest_m = 1;
    double quickest_knee = 0;
    std::array<Vector3, 4> before{};
    for (int tick = 0; tick < 240 * 40; ++tick) {
        // Every swing is aimed anew, again and again.
        if (tick % 30 == 0)
            command = {.ahead = numbers.between(2, 4.4), .turn_rate = numbers.between(-1, 1)};
        walker.step(command, cobbles, tick_s);
        for (std::size_t leg = 0; leg < 4; ++leg) {
            nearest_m = std::min(nearest_m, apart(walker.hip(leg), walker.feet()[leg].position));
            const Vector3 knee = walker.knee(leg);
            if (tick > 0)
                quickest_knee = std::max(quickest_knee, apart(knee, before.at(leg)) / tick_s);
            before.at(leg) = knee;
        }
    }
    CHECK(nearest_m > 0.1 * 0.5);
    CHECK(quickest_knee < 25);
}

TEST_CASE("a body walks, runs and gallops by its speed, and never slips between",
          "[walker][gait]") {
    const bool rough = GENERATE(false, true);
    const HeightGround ground{[rough](double x, double z) {
        return rough ? 0.03 * std::sin(3 * x + 1) * std::sin(2.3 * z) : 0.0;
    }};
    WalkerSettings settings = walker_with(4, 0.5);
    settings.policy = StepPolicy::in_a_gait;
    settings.gait = Gait::by_speed;
    Walker walker{settings, ground, {}};
    FootWatch watch{walker};
    struct Leg {
        double speed;
        Gait gait;
        double most_flown;
        double least_flown;
    };
    for (const Leg& leg : {Leg{0.8, Gait::walk, 0, 0}, Leg{2.2, Gait::run, 0.4, 0.15},
                           Leg{4.2, Gait::gallop, 0.5, 0.2}, Leg{2.2, Gait::run, 0.4, 0.15},
                           Leg{0.8, Gait::walk, 0, 0}}) {
        CAPTURE(rough, leg.speed);
        walker.step({.ahead = leg.speed}, ground, 0);
        double rate_before = walker.velocity().y;
        double most_up_and_down = 0;
        const auto go = [&](double seconds) {
            int flown = 0;
            for (int i = 0; i < static_cast<int>(240 * seconds); ++i) {
                const double before = walker.position().y;
                walker.step({.ahead = leg.speed}, ground, tick_s);
                watch.look(walker, ground);
                const double rate = (walker.position().y - before) / tick_s;
                most_up_and_down =
                    std::max(most_up_and_down, std::abs(rate - rate_before) / tick_s);
                rate_before = rate;
                flown += watch.now().feet_up == 4 ? 1 : 0;
            }
            return flown / (240 * seconds);
        };
        go(2.5);
        CHECK(walker.gait() == leg.gait);
        const double from = walker.position().z;
        const double flown = go(1.5);
        CHECK((walker.position().z - from) / 1.5 == Approx(leg.speed).epsilon(0.04));
        CHECK(flown <= leg.most_flown);
        CHECK(flown >= leg.least_flown);
        CHECK(most_up_and_down < 120);
    }
    CHECK(watch.all().slip_m == 0);
    CHECK(watch.all().reach <= 1);
    CHECK(watch.all().foot_acceleration < 450);
    CHECK(watch.all().legs_apart_m > 0.01);
    CHECK(walker.log().slowed_s < 0.5);
    for (int i = 0; i < 480; ++i)
        walker.step({}, ground, tick_s);
    CHECK(walker.still());
}

TEST_CASE("a gait changes a little later than it changes back, and goes on from a saved state",
          "[walker][gait]") {
    WalkerSettings dog = walker_with(4, 0.5);
    dog.policy = StepPolicy::in_a_gait;
    dog.gait = Gait::by_speed;
    const WalkerLimits limits = limits_of(dog);
    const double runs_from = std::sqrt(0.5 * standard_gravity * 0.41);
    const double gallops_from = std::sqrt(2.5 * standard_gravity * 0.41);
    const auto gait = [&](double speed, Gait before) {
        return gait_at(dog, limits, speed, before);
    };
    CHECK(gait(1.05 * runs_from, Gait::walk) == Gait::walk);
    CHECK(gait(1.1 * runs_from, Gait::walk) == Gait::run);
    CHECK(gait(0.95 * runs_from, Gait::run) == Gait::run);
    CHECK(gait(0.9 * runs_from, Gait::run) == Gait::walk);
    CHECK(gait(1.05 * gallops_from, Gait::run) == Gait::run);
    CHECK(gait(1.1 * gallops_from, Gait::run) == Gait::gallop);
    CHECK(gait(0.95 * gallops_from, Gait::gallop) == Gait::gallop);
    CHECK(gait(0.9 * gallops_from, Gait::gallop) == Gait::run);
    const WalkerSettings two = [] {
        WalkerSettings settings = walker_with(2, 0.5);
        settings.gait = Gait::by_speed;
        return settings;
    }();
    CHECK(gait_at(two, limits_of(two), 99, Gait::run) == Gait::run);

    // In the middle of each change.
    const FlatGround flat;
    for (const std::size_t legs : {2U, 4U, 6U, 8U}) {
        WalkerSettings settings = walker_with(legs, 0.6);
        settings.policy = StepPolicy::in_a_gait;
        settings.gait = Gait::by_speed;
        Walker walker{settings, flat, {}};
        const double most = limits_of(settings).most_speed_ahead;
        int changes = 0;
        for (int i = 0; i < 240 * 10; ++i) {
            const double part = i < 240 * 2 ? 0.2 : i < 240 * 6 ? 0.95 : 0.3;
            const WalkCommand command{.ahead = part * most};
            const Gait before = walker.gait();
            walker.step(command, flat, tick_s);
            if (walker.gait() == before) continue;
            ++changes;
            walker.step(command, flat, 0.1);
            Walker copy{settings, flat, {}};
            REQUIRE(load_state(copy, save_state(walker)));
            Walker ahead = walker;
            ahead.step(command, flat, 0.5);
            copy.step(command, flat, 0.5);
            CHECK(save_state(copy) == save_state(ahead));
        }
        CAPTURE(legs, changes);
        CHECK(changes >= 2);
        CHECK(changes <= 4);
    }
}

TEST_CASE("a walker is recorded and tuned like any system", "[walker]") {
    STATIC_REQUIRE(System<Walker>);
    const FlatGround ground;
    Walker walker{walker_with(6, 0.3), ground, {1, 0, 2}};
    std::size_t numbers = 0;
    for (const Channel& channel : walker.channels())
        numbers += channel.components * channel.count;
    CHECK(numbers == 7 + 6 * 4);
    std::vector<double> read(numbers);
    walker.read(read);
    CHECK(read[0] == walker.position().x);
    CHECK(read[7 + 3 * 5 + 2] == walker.feet()[5].position.z);
    CHECK(read.back() == 1);
    for (const Dial<Walker>& dial : Walker::dials()) {
        CHECK(dial.set(walker, dial.slider.most) == DialStatus::set);
        CHECK(dial.get(walker) == dial.slider.most);
        CHECK(dial.set(walker, -1) == DialStatus::refused);
    }
    walker.step(Walker::Inputs{.command = {.ahead = 0.3}}, 0.5);
    CHECK(walker.position().z > 2);
}

TEST_CASE("a walker is a value: a copy, and a saved state, go on bit for bit", "[walker]") {
    const FlatGround ground;
    Walker walker{walker_with(4, 0.8), ground, {}};
    const Drive drive{5, 1.5};
    for (int i = 0; i < 200; ++i)
        walker.step(drive.at(i / 60.0), ground, 1.0 / 60);
    Walker copy = walker;
    Walker loaded{walker_with(4, 0.8), ground, {}};
    REQUIRE(load_state(loaded, save_state(walker)));
    for (int i = 200; i < 400; ++i) {
        for (Walker* each : {&walker, &copy, &loaded})
            each->step(drive.at(i / 60.0), ground, 1.0 / 60);
        for (std::size_t k = 0; k < 4; ++k) {
            REQUIRE(walker.feet()[k].position == copy.feet()[k].position);
            REQUIRE(walker.feet()[k].position == loaded.feet()[k].position);
        }
    }
    CHECK(walker.position() == loaded.position());
}

TEST_CASE("hostile inputs leave a walker finite, and nothing allocates", "[walker]") {
    const FlatGround ground;
    Walker walker{walker_with(2, 0.95), ground, {}};
    Random random{8};
    const std::array<double, 8> hostile{0, 1, -1e300, 1e300, std::nan(""), HUGE_VAL, 1e-300, 30};
    const long before = allocations();
    for (int i = 0; i < 3000; ++i) {
        const auto any = [&] {
            return hostile[static_cast<std::size_t>(random.between(0, 7.99))];
        };
        walker.step({any(), any(), any()}, ground, random.between(0, 1) < 0.9 ? 0.01 : any());
        if (i % 50 == 0) walker.push({any(), any(), any()});
        for (const WalkerFoot& foot : walker.feet())
            REQUIRE(is_finite(foot.position));
        REQUIRE(is_finite(walker.position()));
    }
    CHECK(allocations() == before);
    CHECK(walker.rejected_inputs() > 0);
    CHECK_THROWS_WITH(walker_with(3, 1), Contains("legs"));
    WalkerSettings far = walker_with(2, 1);
    far.legs[0].neutral.x = 3;
    CHECK_THROWS_WITH((Walker{far, ground, {}}), Contains("neutral"));
    CHECK_FALSE(walker.try_retune(walker_with(4, 1)));
}
