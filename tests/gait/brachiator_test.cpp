#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/gait/brachiator.hpp>

#include "support/allocations.hpp"
#include "support/numbers.hpp"

using namespace hopcoil;

namespace {

static_assert(System<Brachiator>);

double length(const Vector3& v) {
    return std::sqrt(dot(v, v));
}

/// Holds 0.5 to 1.6 m apart, their heights up to 0.6 m apart.
std::vector<Vector3> random_row(unsigned seed, std::size_t count = 30) {
    RandomNumbers numbers{stream_of(seed, "row")};
    std::vector<Vector3> holds;
    double z = 0;
    for (std::size_t i = 0; i < count; ++i) {
        holds.push_back({0, 4 + numbers.between(-0.3, 0.3), z});
        z += numbers.between(0.5, 1.6);
    }
    return holds;
}

std::vector<Vector3> even_row(double gap, std::size_t count) {
    std::vector<Vector3> holds;
    for (std::size_t i = 0; i < count; ++i)
        holds.push_back({0, 4, gap * static_cast<double>(i)});
    return holds;
}

/// What a watcher sees of a body from tick to tick.
struct Watch {
    double most_acceleration = 0.0;
    double most_jerk = 0.0;
    double most_hand_speed = 0.0;
    double arm_off = 0.0;   ///< of an arm's length, in parts of it
    double hold_off = 0.0;  ///< of a holding hand from its hold
    double both_free = 0.0;
    double elbow_acceleration = 0.0;  ///< the most, as seen from tick to tick
    double knee_acceleration = 0.0;
    Vector3 before{};
    Vector3 hands[2]{};
    std::vector<std::array<Vector3, 4>> joints{};  ///< at the last two ticks

    explicit Watch(const Brachiator& body)
        : before{body.acceleration()}, hands{body.hands()[0].position, body.hands()[1].position} {}

    void look_at_joints(const Brachiator& body) {
        const std::array<Vector3, 4> now{body.hands()[0].elbow, body.hands()[1].elbow,
                                         body.legs()[0].knee, body.legs()[1].knee};
        if (joints.size() == 2) {
            for (std::size_t k = 0; k < 4; ++k) {
                const Vector3 bend = now[k] - joints[1][k] * 2 + joints[0][k];
                double& most = k < 2 ? elbow_acceleration : knee_acceleration;
                most = std::max(most, length(bend) / (Brachiator::tick_s * Brachiator::tick_s));
            }
            joints.erase(joints.begin());
        }
        joints.push_back(now);
    }

    void look(const Brachiator& body) {
        look_at_joints(body);
        const Vector3 a = body.acceleration();
        most_acceleration = std::max(most_acceleration, length(a));
        most_jerk = std::max(most_jerk, length(a - before) / Brachiator::tick_s);
        before = a;
        int holding = 0;
        for (std::size_t side = 0; side < 2; ++side) {
            const BrachiatorHand& hand = body.hands()[side];
            const double arm =
                length(hand.elbow - hand.shoulder) + length(hand.position - hand.elbow);
            arm_off = std::max(arm_off, std::abs(arm / body.settings().arm_length_m - 1));
            most_hand_speed =
                std::max(most_hand_speed, length(hand.position - hands[side]) / Brachiator::tick_s);
            hands[side] = hand.position;
            holding += hand.holds ? 1 : 0;
            if (hand.holds)
                hold_off = std::max(hold_off, length(hand.position - body.holds()[hand.hold]));
        }
        both_free += holding == 0 ? 1 : 0;
    }
};

}  // namespace

TEST_CASE("it goes along any row, and lets no hold go before it has the next",
          "[brachiator][long]") {
    const double speed = GENERATE(0.5, 1.0, 1.5, 2.0, 2.5);
    std::vector<unsigned> seeds(50);
    std::iota(seeds.begin(), seeds.end(), 0U);
    // Rows that are hard to start on, or whose holds lie low between high ones.
    seeds.insert(seeds.end(), {95, 279, 381, 576, 2166, 2372});
    for (const unsigned seed : seeds) {
        Brachiator rigger{{}, random_row(seed)};
        Watch watch{rigger};
        const std::size_t last = rigger.holds().size() - 1;
        double seconds = 0;
        const auto has_last = [&] {
            return rigger.hands()[0].hold == last && rigger.hands()[0].holds;
        };
        while (!has_last() && !(rigger.hands()[1].hold == last && rigger.hands()[1].holds) &&
               seconds < 140) {
            rigger.step(speed, Brachiator::tick_s);
            seconds += Brachiator::tick_s;
            watch.look(rigger);
        }
        CAPTURE(speed, seed, seconds);
        REQUIRE(seconds < 140);
        CHECK(watch.both_free == 0);
        CHECK(watch.hold_off == 0);
        CHECK(watch.arm_off < 1e-3);
        CHECK(watch.most_acceleration < 10);
        CHECK(watch.most_jerk < 100);
        CHECK(watch.most_hand_speed < 22);
        // Elbows do not turn over.
        CHECK(watch.elbow_acceleration < 1500);
        CHECK(watch.knee_acceleration < 120);
        CHECK(rigger.log().drawn_in_m < 4e-3);
        CHECK(rigger.log().most_force_n < 2.5 * 70 * standard_gravity);
        // Its first second is planned before it is told a speed.
        const double way = rigger.position().z / (seconds - 1);
        CHECK(way == Approx(speed).epsilon(0.12));
    }
}

TEST_CASE("pushes do not make it miss", "[brachiator]") {
    const double speed = GENERATE(0.5, 1.5, 2.5);
    for (unsigned seed = 0; seed < 20; ++seed) {
        RandomNumbers numbers{stream_of(seed, "pushes")};
        Brachiator rigger{{}, random_row(seed, speed < 2 ? 16 : 50)};
        Watch watch{rigger};
        for (int i = 0; i < 240 * 20; ++i) {
            if (i % 400 == 200) {
                const Vector3 way{numbers.normal(), numbers.normal(), numbers.normal()};
                CHECK(rigger.push(way * (1 / length(way))) == StepStatus::stepped);
            }
            rigger.step(speed, Brachiator::tick_s);
            watch.look(rigger);
        }
        CAPTURE(speed, seed);
        CHECK(watch.arm_off < 1e-3);
        CHECK(watch.hold_off == 0);
        CHECK(watch.both_free == 0);
        CHECK(rigger.log().catches > (speed < 1 ? 6 : 8));
        CHECK(rigger.log().drawn_in_m < 0.25);
        // What a push does to the velocity at once it does to the acceleration bit by bit.
        CHECK(watch.most_acceleration < 10);
        CHECK(watch.most_jerk < 120);
        CHECK(watch.elbow_acceleration < 5000);  // an arm that the push pulls straight
        // It is 240 for a velocity that changes by 1 m/s in a tick; nothing leaps.
        CHECK(watch.knee_acceleration < 1000);
    }
}

TEST_CASE("what is no push, speed or time is rejected", "[brachiator]") {
    Brachiator rigger{{}, even_row(1, 4)};
    CHECK(rigger.push({not_a_number, 0, 0}) == StepStatus::rejected);
    CHECK(rigger.step(not_a_number, 0.1) == StepStatus::rejected);
    CHECK(rigger.step(1, -0.1) == StepStatus::rejected);
    CHECK(rigger.rejected_inputs() == 3);
    CHECK(rigger.step(1, 20) == StepStatus::guarded);
}

TEST_CASE("slow swings take a pendulum's time, and the rest it hangs by both hands",
          "[brachiator]") {
    Brachiator rigger{{}, even_row(1.0, 12)};
    double both = 0;
    double one = 0;
    for (int i = 0; i < 240 * 16; ++i) {
        rigger.step(0.5, Brachiator::tick_s);
        const bool holds = rigger.hands()[0].holds && rigger.hands()[1].holds;
        if (i > 480) (holds ? both : one) += Brachiator::tick_s;
    }
    // A metre in two seconds, of which a swing takes about one.
    const double radius = 0.84 * rigger.settings().arm_length_m;
    const double half_swing = std::asin(0.5 / radius);
    const double natural_s =
        pi * std::sqrt(radius / standard_gravity) * (1 + half_swing * half_swing / 16);
    CHECK(one / (one + both) == Approx(0.97 * natural_s / 2).epsilon(0.05));
    // Told to stand, it comes to rest on two holds.
    for (int i = 0; i < 240 * 4; ++i)
        rigger.step(0, Brachiator::tick_s);
    CHECK(rigger.still());
    CHECK(length(rigger.velocity()) < 1e-9);
}

TEST_CASE("in a hurry it leaves out near holds; told to, it comes back", "[brachiator]") {
    const auto catches_to = [](double speed) {
        Brachiator rigger{{}, even_row(0.6, 30)};
        while (rigger.position().z < 15)
            rigger.step(speed, Brachiator::tick_s);
        return rigger.log().catches;
    };
    CHECK(catches_to(0.8) >= 23);
    CHECK(catches_to(2.4) <= 14);

    Brachiator rigger{{}, even_row(1.0, 12)};
    for (int i = 0; i < 240 * 6; ++i)
        rigger.step(1.2, Brachiator::tick_s);
    const double furthest = rigger.position().z;
    CHECK(furthest > 4);
    Watch watch{rigger};
    for (int i = 0; i < 240 * 12; ++i) {
        rigger.step(-1.2, Brachiator::tick_s);
        watch.look(rigger);
    }
    CHECK(rigger.position().z < 1);
    CHECK(rigger.is_at_end());
    CHECK(watch.most_jerk < 150);
    // It has turned round.
    CHECK(rotated(rigger.rotation(), {0, 0, 1}).z < -0.7);
}

TEST_CASE("it turns round in mid-row as softly as it goes", "[brachiator]") {
    for (unsigned seed = 0; seed < 20; ++seed) {
        RandomNumbers numbers{stream_of(seed, "turns")};
        Brachiator rigger{{}, random_row(seed)};
        Watch watch{rigger};
        double speed = 0;
        for (int i = 0; i < 240 * 20; ++i) {
            if (i % 500 == 0) speed = numbers.between(0.6, 2.5) * (numbers.unit() < 0.5 ? -1 : 1);
            rigger.step(speed, Brachiator::tick_s);
            watch.look(rigger);
        }
        CAPTURE(seed);
        CHECK(watch.both_free == 0);
        CHECK(watch.hold_off == 0);
        CHECK(watch.arm_off < 1e-3);
        CHECK(watch.most_acceleration < 10);
        CHECK(watch.most_jerk < 120);
        CHECK(watch.elbow_acceleration < 1500);
        CHECK(watch.knee_acceleration < 120);
        CHECK(rigger.log().drawn_in_m < 0.01);
    }
}

TEST_CASE("it folds its legs ahead of a hold, and hangs from what it holds", "[brachiator]") {
    Brachiator rigger{{}, even_row(1.2, 20)};
    double folded_ahead = 0;
    double folded_behind = 0;
    double hanging = 0;
    int rows = 0;
    for (int i = 0; i < 240 * 12; ++i) {
        rigger.step(1.0, Brachiator::tick_s);
        if (i < 720) continue;
        ++rows;
        const BrachiatorLeg& leg = rigger.legs()[0];
        const double length_now = length(leg.foot - leg.hip);
        const BrachiatorHand& left = rigger.hands()[0];
        const BrachiatorHand& right = rigger.hands()[1];
        if (left.holds != right.holds) {
            const BrachiatorHand& holding = left.holds ? left : right;
            const double ahead = rigger.position().z - holding.position.z;
            (ahead > 0.2 ? folded_ahead : folded_behind) =
                ahead > 0.2 ? std::min(folded_ahead == 0 ? 9 : folded_ahead, length_now)
                            : std::max(folded_behind, length_now);
            CHECK(holding.position.y > rigger.position().y);
        }
        const Vector3 up = rotated(rigger.rotation(), {0, 1, 0});
        hanging += up.y;
    }
    CHECK(folded_ahead < 0.85 * folded_behind);
    CHECK(hanging / rows > 0.9);
}

TEST_CASE("it does the same at any frame rate, from a copy, and from its bytes", "[brachiator]") {
    const std::vector<Vector3> row = random_row(3);
    Brachiator fine{{}, row};
    Brachiator coarse{{}, row};
    for (int i = 0; i < 600; ++i) {
        for (int k = 0; k < 8; ++k)
            fine.step(1.7, 1.0 / 240);
        coarse.step(1.7, 1.0 / 30);
        REQUIRE(length(fine.position() - coarse.position()) < 1e-9);
        REQUIRE(fine.hands()[0].holds == coarse.hands()[0].holds);
    }
    const std::vector<std::byte> kept = save_state(coarse);
    Brachiator loaded{{}, row};
    REQUIRE(load_state(loaded, kept));
    Brachiator copy = coarse;
    for (int i = 0; i < 200; ++i) {
        for (Brachiator* each : {&coarse, &copy, &loaded})
            each->step(1.1, 1.0 / 50);
        REQUIRE(same_bits(coarse.position(), copy.position()));
        REQUIRE(same_bits(coarse.position(), loaded.position()));
        REQUIRE(same_bits(coarse.legs(), loaded.legs()));
    }
    Brachiator shorter{{}, random_row(3, 5)};
    CHECK_FALSE(load_state(shorter, kept));

    const long before = allocations();
    for (int i = 0; i < 500; ++i)
        coarse.step(2, 1.0 / 60);
    CHECK(allocations() == before);
}

TEST_CASE("what a brachiator cannot be is refused", "[brachiator]") {
    CHECK_THROWS_AS((Brachiator{{}, {{0, 4, 0}}}), InvalidValue);
    CHECK_THROWS_AS((Brachiator{{}, even_row(3, 4)}), InvalidValue);
    CHECK_THROWS_AS((Brachiator{{}, {{0, 4, 0}, {0, 4, 0}}}), InvalidValue);
    CHECK_THROWS_AS((Brachiator{{}, {{0, 4, 0}, {0, not_a_number, 1}}}), InvalidValue);
    CHECK_THROWS_AS((Brachiator{{.arm_length_m = 0}, even_row(1, 4)}), InvalidValue);
    CHECK_THROWS_AS((Brachiator{{.lean = 2}, even_row(1, 4)}), InvalidValue);
    Brachiator rigger{{}, even_row(1, 4)};
    CHECK_FALSE(rigger.try_retune({.arm_length_m = 2}));
    CHECK(rigger.try_retune({.lean = 0.2}));
    for (const Dial<Brachiator>& dial : Brachiator::dials())
        CHECK(dial.set(rigger, dial.get(rigger)) == DialStatus::set);

    // Where the row has too wide a gap it stops before it.
    std::vector<Vector3> row = even_row(1, 4);
    row.push_back({0, 4, 9});
    Brachiator stopped{{}, row};
    for (int i = 0; i < 240 * 8; ++i)
        stopped.step(1, Brachiator::tick_s);
    CHECK(stopped.is_at_end());
    CHECK(stopped.position().z == Approx(2.5).margin(0.01));
}

namespace {

/// From the ground under the first holds, which lie low enough to be leapt to.
std::vector<Vector3> low_row(unsigned seed) {
    RandomNumbers numbers{stream_of(seed, "low row")};
    std::vector<Vector3> holds;
    for (int i = 0; i < 8; ++i)
        holds.push_back({0, 2.5 + numbers.between(0.0, 0.25), 0.2 + numbers.between(0.8, 1.0) * i});
    return holds;
}

/// What a leap must not do: from tick to tick.
struct LeapWatch {
    double most_jump = 0.0;        ///< of the place, from what its velocity says
    double most_speed_jump = 0.0;  ///< of the velocity, from what its acceleration says
    double most_hand_speed = 0.0;
    double most_foot_speed = 0.0;
    double most_slip = 0.0;  ///< of a foot that stands
    double most_turn_rad_per_s = 0.0;
    double off_gravity = 0.0;             ///< in flight
    double most_knee_or_foot = 0.0;       ///< of acceleration, m/s2
    double longest_leg = 0.0;             ///< as it pushes off and flies
    std::array<Vector3, 4> way_before{};  ///< of knees and feet, in the last tick
    int ticks = 0;
    Brachiator before;

    explicit LeapWatch(const Brachiator& body) : before{body} {}

    void look_at_legs(const Brachiator& body) {
        const double dt = Brachiator::tick_s;
        for (std::size_t k = 0; k < 4; ++k) {
            const BrachiatorLeg& leg = body.legs()[k / 2];
            const BrachiatorLeg& was = before.legs()[k / 2];
            const Vector3 way = k % 2 == 0 ? leg.knee - was.knee : leg.foot - was.foot;
            if (ticks > 0) {
                most_knee_or_foot =
                    std::max(most_knee_or_foot, length(way - way_before[k]) / (dt * dt));
            }
            way_before[k] = way;
            if (body.phase() == BrachiatorPhase::flies)
                longest_leg = std::max(longest_leg, length(leg.foot - leg.hip));
        }
        ++ticks;
    }

    void look(const Brachiator& body) {
        const double dt = Brachiator::tick_s;
        const Vector3 way = body.position() - before.position();
        const Vector3 expected = (body.velocity() + before.velocity()) * (0.5 * dt);
        most_jump = std::max(most_jump, length(way - expected));
        const Vector3 change = body.velocity() - before.velocity();
        const Vector3 pulled = (body.acceleration() + before.acceleration()) * (0.5 * dt);
        most_speed_jump = std::max(most_speed_jump, length(change - pulled));
        for (std::size_t side = 0; side < 2; ++side) {
            const BrachiatorLeg& leg = body.legs()[side];
            const double foot = length(leg.foot - before.legs()[side].foot);
            most_foot_speed = std::max(most_foot_speed, foot / dt);
            if (leg.stands && before.legs()[side].stands) most_slip = std::max(most_slip, foot);
            const Vector3 hand = body.hands()[side].position - before.hands()[side].position;
            most_hand_speed = std::max(most_hand_speed, length(hand) / dt);
        }
        const Vector3 turn =
            rotation_vector(body.rotation() * conjugate(before.rotation())) * (1 / dt);
        most_turn_rad_per_s = std::max(most_turn_rad_per_s, length(turn));
        if (body.phase() == BrachiatorPhase::flies && before.phase() == BrachiatorPhase::flies) {
            off_gravity = std::max(off_gravity,
                                   length(body.acceleration() + Vector3{0, standard_gravity, 0}));
        }
        look_at_legs(body);
        before = body;
    }
};

}  // namespace

TEST_CASE("it leaps from the ground to its holds and down again, without a break in its motion",
          "[brachiator]") {
    for (unsigned seed = 0; seed < 30; ++seed) {
        Brachiator rigger{{}, low_row(seed), BrachiatorStand{{0, 0, 0}, 0}};
        REQUIRE(rigger.still());
        CHECK(rigger.legs()[0].stands);
        REQUIRE(rigger.leap_to_hold(0));
        LeapWatch watch{rigger};
        const Vector3 spot{0.1, 0.3, rigger.holds()[4].z};
        for (int i = 0; i < 240 * 16; ++i) {
            if (i == 240 * 4) REQUIRE(rigger.leap_to_ground(spot, 4));
            rigger.step(1.0, Brachiator::tick_s);
            watch.look(rigger);
        }
        CAPTURE(seed, rigger.log().leaps_refused);
        CHECK(rigger.log().leaps == 2);
        CHECK(rigger.phase() == BrachiatorPhase::stands);
        CHECK(rigger.still());
        // It lands on both sides of the spot that was asked for.
        const Vector3 middle = (rigger.legs()[0].foot + rigger.legs()[1].foot) * 0.5;
        CHECK(length(middle - spot) < 1e-12);
        CHECK(length(rigger.legs()[0].foot - rigger.legs()[1].foot) ==
              Approx(rigger.settings().hip_width_m));
        CHECK(watch.most_jump < 1e-4);
        CHECK(watch.most_speed_jump < 0.02);
        CHECK(watch.most_slip == 0);
        CHECK(watch.most_hand_speed < 14);
        CHECK(watch.most_foot_speed < 14);
        CHECK(watch.most_turn_rad_per_s < 10);
        CHECK(watch.off_gravity < 1e-9);
        CHECK(watch.most_knee_or_foot < 900);
        CHECK(watch.longest_leg < 0.99 * rigger.settings().leg_length_m);
        CHECK(rigger.log().drawn_in_m < 5e-3);
        CHECK(rigger.log().most_force_n < 4.5 * 70 * standard_gravity);
    }
}

TEST_CASE("a leap arrives where its plan says, and when", "[brachiator]") {
    Brachiator rigger{{}, low_row(1), BrachiatorStand{{0, 0, 0}, 0}};
    REQUIRE(rigger.leap_to_hold(0));
    rigger.step(0, 1e-9);
    for (int i = 0; rigger.phase() == BrachiatorPhase::stands && i < 10; ++i)
        rigger.step(0, Brachiator::tick_s);
    REQUIRE(rigger.phase() == BrachiatorPhase::gathers);
    const LeapPlan plan = rigger.leap();
    CHECK(length(rigger.looks_at() - rigger.holds()[0]) == 0);
    const double flight = plan.flight_s();
    const SwingPoint off = plan.points[LeapPlan::off];
    const SwingPoint on = plan.points[LeapPlan::on];
    // A parabola, from the closed form.
    const Vector3 fallen = off.position + off.velocity * flight +
                           Vector3{0, -0.5 * standard_gravity * flight * flight, 0};
    CHECK(length(fallen - on.position) < 1e-12);
    CHECK(
        length(plan.at(0.5 * (plan.times_s[LeapPlan::off] + plan.times_s[LeapPlan::on])).position -
               (off.position + off.velocity * (0.5 * flight) +
                Vector3{0, -0.125 * standard_gravity * flight * flight, 0})) < 1e-12);
    // It crouches first, and both hands have holds where the flight ends.
    CHECK(plan.points[LeapPlan::gathered].position.y < off.position.y - 0.05);
    double caught_s = 0;
    double time_s = 0;
    while (caught_s == 0 && time_s < 5) {
        rigger.step(0, Brachiator::tick_s);
        time_s += Brachiator::tick_s;
        if (rigger.hands()[0].holds && rigger.hands()[1].holds) caught_s = time_s;
    }
    CHECK(caught_s == Approx(plan.times_s[LeapPlan::on]).margin(1.01 * Brachiator::tick_s));
    CHECK(rigger.log().catches == 2);
}

TEST_CASE("leaps from hold to hold cross what hands cannot; what is out of reach is left",
          "[brachiator]") {
    std::vector<Vector3> row = even_row(1, 4);
    for (const double z : {5.0, 5.6, 6.4})
        row.push_back({0, 3.9, z});
    Brachiator rigger{{.most_leap_speed_m_per_s = 7}, row};
    LeapWatch watch{rigger};
    REQUIRE(rigger.leap_to_hold(4, 3));
    for (int i = 0; i < 240 * 14; ++i) {
        rigger.step(1, Brachiator::tick_s);
        watch.look(rigger);
    }
    CHECK(rigger.log().leaps == 1);
    CHECK(rigger.position().z == Approx(6.0).margin(0.03));
    CHECK(rigger.log().drawn_in_m < 0.05);
    CHECK(watch.off_gravity < 1e-9);

    CHECK_FALSE(rigger.leap_to_hold(99));
    CHECK_FALSE(rigger.leap_to_hold(0, 99));
    CHECK_FALSE(rigger.leap_to_ground({0, not_a_number, 0}));
    CHECK_FALSE(rigger.leap_to_ground({0, 1e300, 0}));
    CHECK(rigger.leap_to_ground({0, -20, 7}));
    for (int i = 0; i < 480; ++i)
        rigger.step(0, Brachiator::tick_s);
    CHECK(rigger.log().leaps_refused == 1);
    CHECK(rigger.phase() == BrachiatorPhase::hangs);
    CHECK(rigger.still());
}

TEST_CASE("leaps are the same at any frame rate, from bytes, and when they are pushed",
          "[brachiator]") {
    const std::vector<Vector3> row = low_row(2);
    const BrachiatorStand stand{{0, 0, 0}, 0.2};
    Brachiator fine{{}, row, stand};
    Brachiator coarse{{}, row, stand};
    Brachiator loaded{{}, row};
    for (Brachiator* body : {&fine, &coarse})
        body->leap_to_hold(0);
    for (int i = 0; i < 30 * 14; ++i) {
        if (i == 20 || i == 50) {
            for (Brachiator* body : {&fine, &coarse})
                body->push({0.5, 0.2, -0.4});
        }
        if (i == 100) {
            for (Brachiator* body : {&fine, &coarse})
                body->leap_to_ground({0, 0, 5}, 5);
        }
        for (int k = 0; k < 8; ++k)
            fine.step(1.1, 1.0 / 240);
        coarse.step(1.1, 1.0 / 30);
        REQUIRE(fine.phase() == coarse.phase());
        REQUIRE(length(fine.position() - coarse.position()) < 1e-9);
        if (i % 10 == 0) {
            REQUIRE(load_state(loaded, save_state(coarse)));
            REQUIRE(same_bits(loaded.hands(), coarse.hands()));
            REQUIRE(same_bits(loaded.rotation(), coarse.rotation()));
        }
    }
    CHECK(coarse.phase() == BrachiatorPhase::stands);
    const long before = allocations();
    coarse.leap_to_hold(4);
    for (int i = 0; i < 300; ++i)
        coarse.step(1, 1.0 / 60);
    CHECK(allocations() == before);
}

TEST_CASE("a push decays by the closed form, without a jump of the acceleration", "[brachiator]") {
    const double hz = GENERATE(0.5, 0.9, 2.0);
    Brachiator rigger{{.push_decay_hz = hz}, even_row(0.8, 3)};
    const Vector3 rest = rigger.position();
    const Vector3 push{0.1, 0.15, -0.05};  // so small that no arm has to draw it in
    REQUIRE(rigger.push(push) == StepStatus::stepped);
    const double w = 2 * pi * hz;
    double most = 0;
    double before = 0;
    for (int i = 1; i <= 240 * 4; ++i) {
        rigger.step(0, Brachiator::tick_s);
        const double t = i * Brachiator::tick_s;
        const double left = std::exp(-w * t);
        const Vector3 offset = rigger.position() - rest;
        const double expected = left * (t + w * t * t);
        REQUIRE(length(offset - push * expected) < 1e-9);
        const double acceleration = length(rigger.acceleration()) / length(push);
        REQUIRE(acceleration ==
                Approx(std::abs(left * w * (w * w * t * t - 3 * w * t))).margin(1e-6));
        CHECK(std::abs(acceleration - before) < 1.02 * 3 * w * w * Brachiator::tick_s);
        before = acceleration;
        most = std::max(most, acceleration);
    }
    CHECK(most == Approx(0.8 * w).epsilon(0.01));
    CHECK(rigger.log().drawn_in_m == 0);
}
