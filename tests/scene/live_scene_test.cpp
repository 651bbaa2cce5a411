// Scenes that live in a program: the motion of `run`, dials turned meanwhile, targets held by hand.

#include <cmath>
#include <limits>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

#include "support/files.hpp"
#include "support/random.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;

namespace {

const std::vector<std::string>& shipped() {
    static const std::vector<std::string> all{"vane",     "boom_lamp", "skiff",      "tide_dial",
                                              "streamer", "quay_dog",  "lamplighter"};
    return all;
}

Scene shipped_scene(const std::string& name) {
    return read_scene(SCENES "/quay/" + name + ".toml");
}

SceneDial dial_named(const Scene& scene, const std::string& path) {
    for (const SceneDial& dial : dials_of(scene)) {
        if (dial.path == path) return dial;
    }
    FAIL("no dial " << path);
    return {};
}

const std::string lamp_text =
    "duration_s = 4\n[target.hook]\nstart_m = 0\nmoves = [{ at_s = 1, jump_to_m = 1 }]\n"
    "[follower.lamp]\ntarget = \"hook\"\ntuning = { frequency_hz = 2, damping_ratio = 0.3 }\n";

}  // namespace

TEST_CASE("a scene that lives does what a run of it does, to the bit", "[live][long]") {
    for (const std::string& name : shipped()) {
        CAPTURE(name);
        Scene scene = shipped_scene(name);
        scene.duration_s = 8;
        scene.clock = {};
        Take take;
        run(scene, take);
        LiveScene live{scene};
        REQUIRE(live.channels().size() == take.channels().size());
        for (std::size_t row = 0; row < take.row_count(); ++row) {
            live.advance_to(take.times_s()[row]);
            const std::span<const double> numbers = live.row();
            REQUIRE(std::equal(numbers.begin(), numbers.end(), take.row(row).begin()));
        }
    }
}

TEST_CASE("its state is kept and goes on with the same bits, a held target too", "[live][long]") {
    for (const std::string& name : shipped()) {
        CAPTURE(name);
        const Scene scene = shipped_scene(name);
        LiveScene live{scene};
        Random random{7};
        for (int i = 0; i < 60; ++i) {
            if (i == 20) {
                ValueArray place = live.target(0);
                place[0] += 0.2;
                live.hold(0, place);
            }
            live.step(random.between(0.002, 0.05));
        }
        LiveScene other{scene};
        REQUIRE(other.load(live.save()));
        LiveScene copy = live;
        CHECK(other.is_held(0));
        for (int i = 0; i < 60; ++i) {
            if (i == 20) {
                for (LiveScene* each : {&live, &other, &copy})
                    each->let_go(0);
            }
            const double dt = random.between(0.002, 0.05);
            for (LiveScene* each : {&live, &other, &copy})
                each->step(dt);
            REQUIRE(row_of(other) == row_of(live));
            REQUIRE(row_of(copy) == row_of(live));
        }
    }
}

TEST_CASE("what is not its state is refused, and nothing is changed", "[live]") {
    LiveScene live{shipped_scene("boom_lamp")};
    live.step(1.3);
    const std::vector<std::byte> kept = live.save();
    Random random{3};
    for (int i = 0; i < 300; ++i) {
        std::vector<std::byte> spoilt = kept;
        const auto place =
            static_cast<std::size_t>(random.whole(0, static_cast<int>(kept.size()) - 1));
        spoilt[place] ^= static_cast<std::byte>(random.whole(1, 255));
        REQUIRE_FALSE(live.load(spoilt));
        REQUIRE_FALSE(live.load(std::span{kept}.first(place)));
    }
    CHECK_FALSE(live.load(LiveScene{shipped_scene("vane")}.save()));
    CHECK(live.save() == kept);
}

TEST_CASE("a dial that is turned leaves value and velocity where they are", "[live]") {
    for (const std::string& name : shipped()) {
        LiveScene live{shipped_scene(name)};
        live.step(2.7);
        for (const SceneDial& dial : dials_of(live.scene())) {
            // The shape of a chain and the speed of a wind are what their dials say, at once.
            if (dial.number || !live.scene().systems[dial.system].spec->step_responder()) continue;
            CAPTURE(name, dial.path);
            const std::vector<double> before = row_of(live);
            const double now = value_of(live.scene(), dial);
            REQUIRE(live.set(dial, now == 0 ? 0.1 : 1.2 * now) == DialStatus::set);
            CHECK(value_of(live.scene(), dial) != now);
            const std::vector<double> after = row_of(live);
            for (std::size_t i = 0; i < before.size(); ++i)
                CHECK(after[i] == Approx(before[i]).margin(1e-9));
        }
    }
}

TEST_CASE("a curve that is made longer in the middle of a move goes on from where it is",
          "[live]") {
    LiveScene live{
        scene_of("duration_s = 4\n[target.lid]\nstart = 0\n"
                 "moves = [{ at_s = 0.5, jump_to = 1 }]\n"
                 "[curve.hinge]\ntarget = \"lid\"\nduration_s = 1\n")};
    live.step(0.8);
    const double value = live.output(0).value[0];
    CHECK(live.set(dial_named(live.scene(), "hinge.duration_s"), 3) == DialStatus::set);
    CHECK(live.output(0).value[0] == Approx(value));
    live.step(1e-4);
    CHECK(live.output(0).value[0] == Approx(value).margin(1e-3));
    live.step(2.3);
    CHECK(live.output(0).value[0] == Approx(1));
}

TEST_CASE("a dial refuses what it cannot be, and the scene lives on", "[live]") {
    LiveScene live{scene_of(lamp_text)};
    live.step(1.1);
    const std::vector<double> before = row_of(live);
    const SceneDial dial = dial_named(live.scene(), "lamp.frequency_hz");
    CHECK(live.set(dial, -1) == DialStatus::refused);
    CHECK(live.set(dial, std::numeric_limits<double>::quiet_NaN()) == DialStatus::refused);
    CHECK(row_of(live) == before);
}

TEST_CASE("a held target goes straight to the hand, and what follows it is exact", "[live]") {
    LiveScene live{scene_of(lamp_text)};
    Follower<double> lamp{{.frequency_hz = 2, .damping_ratio = 0.3}, 0.0};
    Random random{11};
    double hand = 0;
    for (int i = 0; i < 200; ++i) {
        hand += random.between(-0.1, 0.1);
        const double dt = random.between(0.001, 0.03);
        live.hold(0, hand);
        live.step(dt);
        lamp.step(hand, dt);
        REQUIRE(live.target(0)[0] == hand);
        REQUIRE(live.output(0).value[0] == Approx(lamp.value()).margin(1e-12));
    }
    CHECK(live.time_s() > 2);
    live.let_go(0);
    live.step(6);
    CHECK(live.output(0).value[0] == Approx(1).margin(1e-3));  // its course has long jumped there
}

TEST_CASE("a held direction goes the shorter way, past the seam", "[live]") {
    LiveScene live{shipped_scene("vane")};
    live.hold(0, 3.0);
    live.step(0.2);
    live.hold(0, -3.0);
    live.step(0.1);
    CHECK(live.target(0)[0] == Approx(-3.0));
    AngleFollower<double> paper{{.frequency_hz = 1.6, .damping_ratio = 0.35}, 0.0};
    live.step(4);
    for (std::size_t i = 0; i < live.scene().systems.size(); ++i)
        CHECK(std::abs(wrapped_rad(live.output(i).value[0] + 3.0)) < 0.2);
}

TEST_CASE("kicks come while a target is held", "[live]") {
    LiveScene live{scene_of(lamp_text + "kicks = [{ at_s = 0.5, velocity_m_per_s = 3 }]\n")};
    live.hold(0, 0.0);
    live.step(0.5);
    CHECK(live.output(0).velocity[0] == Approx(3));
    live.step(0.05);
    CHECK(live.output(0).value[0] > 0.1);
}

TEST_CASE("driven systems follow what is held, and a driven target can be held itself", "[live]") {
    const std::string text = lamp_text + "[follower.tassel]\ntarget = \"lamp\"\n";
    LiveScene live{scene_of(text)};
    live.hold(0, 2.0);
    live.step(0.1);
    live.step(8);
    CHECK(live.output(1).value[0] == Approx(2).margin(1e-4));
    LiveScene other{scene_of(text)};
    const std::size_t own = other.scene().systems[1].targets[0];
    other.hold(own, -1.0);
    other.step(0.1);
    other.step(8);
    CHECK(other.output(1).value[0] == Approx(-1).margin(1e-4));
    CHECK(other.output(0).value[0] == Approx(1).margin(1e-4));
}

TEST_CASE("what cannot be held or stepped is said", "[live]") {
    LiveScene live{scene_of(lamp_text)};
    CHECK_THROWS(live.hold(0, std::numeric_limits<double>::quiet_NaN()));
    CHECK_THROWS(live.hold(9, 0.0));
    CHECK_THROWS(live.step(-1));
    CHECK_THROWS(live.step(std::numeric_limits<double>::infinity()));
    live.step(1);
    CHECK_THROWS(live.advance_to(0.5));
    LiveScene skiff{shipped_scene("skiff")};
    CHECK_THROWS(skiff.hold(1, ValueArray{}));  // a rotation that is zero
    const std::string coast =
        "duration_s = 2\n[coast.float]\nstart_m = 0\n"
        "initial_velocity_m_per_s = 2\nslowing_half_life_s = 0.5\n";
    LiveScene thrown{scene_of(coast)};
    CHECK_FALSE(thrown.can_hold(0));
    CHECK_THROWS(thrown.hold(0, 1.0));
}
