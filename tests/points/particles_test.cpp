#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/points/particles.hpp>

#include "support/allocations.hpp"
#include "support/blocks.hpp"
#include "support/instruction_sets.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

/// One particle, thrown as one likes.
Particles thrown(ParticleSettings settings, const Vector3& place, const Vector3& velocity) {
    settings.rate_per_s = 0;
    settings.speed_least_m_per_s = settings.speed_most_m_per_s = 0;
    settings.lifetime_least_s = settings.lifetime_most_s = 100;
    Particles particles{settings, 1};
    particles.burst(1, place, velocity);
    return particles;
}

std::size_t first_alive(const Particles& particles) {
    const auto& alive = particles.alive();
    return static_cast<std::size_t>(std::find(alive.begin(), alive.end(), 1) - alive.begin());
}

int count(const Particles& particles, ParticleEvent::Type type) {
    return static_cast<int>(
        std::count_if(particles.events().begin(), particles.events().end(),
                      [&](const ParticleEvent& event) { return event.type == type; }));
}

/// Those of a burst: without speed, for a minute.
ParticleSettings lasting() {
    return {.capacity = 2,
            .rate_per_s = 0,
            .speed_least_m_per_s = 0,
            .speed_most_m_per_s = 0,
            .lifetime_least_s = 60,
            .lifetime_most_s = 60,
            .radius_m = 0.01};
}

}  // namespace

TEST_CASE("a particle flies as the closed form of linear drag says", "[particles]") {
    for (const double drag : {0.0, 1e-9, 0.3, 4.0, 500.0}) {
        Particles particles = thrown({.drag_per_s = drag}, {1, 2, 3}, {4, 5, -6});
        for (int frame = 0; frame < 90; ++frame)
            particles.step({}, 1.0 / 60);
        const double t = 1.5;
        const double gone = drag > 0 ? -std::expm1(-drag * t) / drag : t;
        const double fall = drag > 1e-6 ? 9.80665 / drag * (t - gone) : 9.80665 * t * t / 2;
        const Vector3 wanted{1 + 4 * gone, 2 + 5 * gone - fall, 3 - 6 * gone};
        CHECK(apart(particles.position(first_alive(particles)), wanted) < 3e-5);
    }
}

TEST_CASE("an emitter that travels with the wind sees what one at rest sees in still air",
          "[particles]") {
    // However far it goes: at the higher speed 300 m.
    for (const double speed : {7.0, 150.0}) {
        const Vector3 along{speed, 0, -2};
        const Wind with{{.mean_m_per_s = along, .spread_m_per_s = 0}};
        for (const double drag : {0.5, 8.0}) {
            const ParticleSettings settings{.emitter_share = 1, .drag_per_s = drag};
            Particles resting{settings, 5};
            Particles travelling{settings, 5};
            for (int frame = 1; frame <= 120; ++frame) {
                const Vector3 gone = along * (frame / 60.0);
                resting.step({}, 1.0 / 60);
                travelling.step({.emitter = gone, .wind = &with}, 1.0 / 60);
                for (std::size_t i = 0; i < resting.capacity(); ++i) {
                    if (resting.alive()[i] == 0) continue;
                    const Vector3 off = travelling.position(i) - gone - resting.position(i);
                    REQUIRE(length_of(off) < (speed > 10 ? 5e-4 : 2e-5));
                }
            }
            REQUIRE(resting.born() > 100);
        }
    }
}

TEST_CASE("particles fly alike wherever their emitter is", "[particles]") {
    Particles here{particle_recipe("smoke"), 3};
    Particles there{particle_recipe("smoke"), 3, {4e4, 20, -1e5}};
    Particles thrown_there{particle_recipe("splash"), 3};
    thrown_there.burst(50, {4e4, 20, -1e5});
    for (int frame = 0; frame < 200; ++frame) {
        here.step({}, 1.0 / 72);
        there.step({.emitter = {4e4, 20, -1e5}}, 1.0 / 72);
    }
    REQUIRE(here.alive_count() > 20);
    for (std::size_t i = 0; i < here.capacity(); ++i)
        REQUIRE(apart(vector3_from(here.offsets()[i]), vector3_from(there.offsets()[i])) < 1e-6);
    CHECK(there.origin() == Vector3{4e4, 20, -1e5});
    CHECK(thrown_there.origin() == Vector3{4e4, 20, -1e5});
}

TEST_CASE("no number makes a particle's place or velocity anything but finite", "[particles]") {
    const FlatGround ground;
    for (const double huge : {1e20, 1e150, 1e307}) {
        ParticleSettings settings{.capacity = 40, .rate_per_s = 400, .gravity_m_per_s2 = huge};
        settings.speed_least_m_per_s = settings.speed_most_m_per_s = huge;
        settings.has_contact_among = true;
        for (const double drag : {0.0, 1.0, huge}) {
            settings.drag_per_s = drag;
            Particles particles{settings, 3};
            for (int frame = 0; frame < 30; ++frame) {
                particles.step({.emitter = {frame % 7 == 0 ? huge : 0, 1, -huge}}, 0.03);
                particles.burst(3, {-huge, huge, 0}, {huge, -huge, huge});
                particles.step({.ground = &ground}, 0.01);
                for (std::size_t i = 0; i < settings.capacity; ++i) {
                    REQUIRE(std::isfinite(dot(particles.position(i), {1e-9, 1e-9, 1e-9})));
                    REQUIRE(std::isfinite(dot(particles.velocity(i), {1e-9, 1e-9, 1e-9})));
                }
            }
        }
    }
}

TEST_CASE("births and paths are the same at every frame rate", "[particles]") {
    const Wind wind{{.mean_m_per_s = {2, 0, 1}}, 5};
    const FlatGround ground{-0.2};
    const bool is_windy = GENERATE(true, false);
    const auto run = [&](double rate) {
        Particles particles{particle_recipe("burst"), stream_of(7, "sparks"), {0, 1, 0}};
        ParticleSettings settings = particles.settings();
        settings.rate_per_s = 80;
        particles.retune(settings);
        const int frames = static_cast<int>(2 * rate);
        for (int frame = 1; frame <= frames; ++frame) {
            particles.step({.emitter = {0.5 * frame / rate, 1, 0},
                            .ground = &ground,
                            .wind = is_windy ? &wind : nullptr},
                           1 / rate);
        }
        return particles;
    };
    const Particles slow = run(30);
    REQUIRE(slow.born() > 140);
    for (const double rate : {60.0, 120.0, 144.0, 240.0}) {
        const Particles quick = run(rate);
        CHECK(quick.born() == slow.born());
        REQUIRE(quick.alive_count() == slow.alive_count());
        double worst = 0;
        for (std::size_t i = 0; i < slow.capacity(); ++i) {
            CHECK(quick.alive()[i] == slow.alive()[i]);
            if (slow.alive()[i] != 0)
                worst = std::max(worst, apart(slow.position(i), quick.position(i)));
        }
        CHECK(worst < 1e-9);
    }
}

TEST_CASE("nothing passes through a surface, however thin and however fast", "[particles]") {
    const ContactShape sphere{.type = ContactShape::Type::sphere, .radius_m = 0.3};
    const ContactShape sheet{.type = ContactShape::Type::box, .half_size_m = {2, 0.005, 2}};
    const ContactShape pole{
        .type = ContactShape::Type::capsule, .radius_m = 0.1, .half_size_m = {0, 1, 0}};
    const ContactShape floor{};
    for (const ContactShape& shape : {sphere, sheet, pole, floor}) {
        for (const double speed : {1.0, 50.0, 1000.0}) {
            // Aimed at its middle from above and aside.
            const Vector3 from = shape.type == ContactShape::Type::capsule ? Vector3{3, 0.1, 0.4}
                                                                           : Vector3{0.3, 3, 0.2};
            const Vector3 way = from * (-speed / length_of(from));
            Particles particles =
                thrown({.gravity_m_per_s2 = 0, .drag_per_s = 0, .restitution = 0.5}, from, way);
            bool hit = false;
            const int frames = static_cast<int>(4 / speed * 60) + 5;
            for (int frame = 0; frame < frames; ++frame) {
                particles.step({.shapes = {&shape, 1}}, 1.0 / 60);
                hit = hit || count(particles, ParticleEvent::Type::hit) > 0;
            }
            INFO(static_cast<int>(shape.type) << " at " << speed);
            CHECK(hit);
            const Vector3 place = particles.position(first_alive(particles));
            CHECK(distance_to(shape, place).metres > 0);
            CHECK(dot(place, from) > 0);  // back on the side that it came from
        }
    }
}

TEST_CASE("what comes in at a shallow angle touches level ground where its way meets it",
          "[particles]") {
    const HeightGround ground{[](double, double) {
        return 0.0;
    }};
    for (const double sinks : {1.0, 0.1, 0.01, 0.001}) {
        const double above_m = 0.15 * sinks;
        Particles particles = thrown({.gravity_m_per_s2 = 0, .drag_per_s = 0, .radius_m = 0.01},
                                     {0, 0.01 + above_m, 0}, {5, -sinks, 0});
        std::vector<ParticleEvent> hits;
        for (int frame = 0; frame < 30; ++frame) {
            particles.step({.ground = &ground}, 1.0 / 60);
            for (const ParticleEvent& event : particles.events())
                if (event.type == ParticleEvent::Type::hit) hits.push_back(event);
        }
        CAPTURE(sinks);
        REQUIRE_FALSE(hits.empty());
        CHECK(hits[0].time_s == Approx(0.15).epsilon(3e-5));
        CHECK(hits[0].place.x == Approx(0.75).epsilon(3e-5));
        CHECK(std::abs(hits[0].place.y - 0.01) < 1e-9);
    }
}

TEST_CASE("what leaves the ground slowly does not touch it", "[particles]") {
    const HeightGround ground{[](double, double) {
        return 0.0;
    }};
    for (const double rate : {1e-4, 1e-3, 1e-2, 1.0}) {
        Particles particles = thrown({.gravity_m_per_s2 = 0, .drag_per_s = 0, .radius_m = 0.01},
                                     {0, 0.01, 0}, {0, rate, 0});
        int hits = 0;
        for (int frame = 0; frame < 12; ++frame) {
            particles.step({.ground = &ground}, 1.0 / 120);
            hits += count(particles, ParticleEvent::Type::hit);
        }
        CAPTURE(rate);
        CHECK(hits == 0);
        CHECK(particles.position(first_alive(particles)).y == Approx(0.01 + 0.1 * rate));
    }
}

namespace {

/// Thrown about, with lifetimes between two; none is born by itself.
ParticleSettings tossed(double least_s, double most_s) {
    return {.capacity = 600,
            .rate_per_s = 0,
            .spread_rad = 2,
            .speed_most_m_per_s = 6,
            .lifetime_least_s = least_s,
            .lifetime_most_s = most_s,
            .radius_m = 0.02};
}

}  // namespace

TEST_CASE("what rests on a floor dies in time, and falls when the floor sinks", "[particles]") {
    const ParticleSettings settings = tossed(8, 12);
    Particles particles{settings, 3, {0, 1, 0}};
    particles.burst(150, {0, 1, 0});
    const FlatGround high{0.5};
    const FlatGround low{-0.5};
    const auto run_for = [&](double seconds, const Ground& ground) {
        int died = 0;
        for (int frame = 0; frame < std::lround(60 * seconds); ++frame) {
            particles.step({.ground = &ground}, 1.0 / 60);
            died += count(particles, ParticleEvent::Type::died);
        }
        return died;
    };
    const auto highest = [&] {
        double most = -9;
        for (std::size_t i = 0; i < settings.capacity; ++i)
            if (particles.alive()[i] != 0) most = std::max(most, particles.position(i).y);
        return most;
    };
    CHECK(run_for(5, high) == 0);
    CHECK(particles.still());
    CHECK(highest() == Approx(0.52).margin(2e-4));
    CHECK(run_for(2.5, low) == 0);
    CHECK(particles.still());
    CHECK(highest() == Approx(-0.48).margin(2e-4));
    CHECK(run_for(4.6, low) == 150);
    CHECK(particles.alive_count() == 0);
    particles.burst(150, {0, 1, 0});
    CHECK(run_for(4.9, low) == 0);
    CHECK(particles.still());
}

TEST_CASE("how high the ground reaches changes no path", "[particles]") {
    // The one says how high it is, so that what is above it need not look; the other does not.
    const FlatGround level{0.2};
    const HeightGround silent{[](double, double) {
        return 0.2;
    }};
    for (const double drag : {0.0, 0.7}) {
        ParticleSettings settings = tossed(1, 4);
        settings.rate_per_s = 200;
        settings.drag_per_s = drag;
        Particles knows{settings, 5, {0, 1, 0}};
        Particles looks{settings, 5, {0, 1, 0}};
        for (int frame = 0; frame < 240; ++frame) {
            knows.step({.emitter = {0, 1, 0}, .ground = &level}, 1.0 / 60);
            looks.step({.emitter = {0, 1, 0}, .ground = &silent}, 1.0 / 60);
        }
        REQUIRE(knows.alive_count() == looks.alive_count());
        // What grazes the ground may touch it a little earlier where it has to look.
        std::size_t same = 0;
        for (std::size_t i = 0; i < settings.capacity; ++i) {
            const double off = apart(knows.position(i), looks.position(i));
            same += off < 1e-5 ? 1 : 0;  // bounces off a level floor are computed in floats
            CHECK(off < 0.05);
            if (knows.alive()[i] != 0) CHECK(knows.position(i).y > 0.2 + 0.02 - 1e-4);
        }
        CHECK(100 * same > 99 * settings.capacity);
    }
}

TEST_CASE("a bounce keeps the part of speed that restitution says, and friction slows it",
          "[particles]") {
    const FlatGround ground;
    for (const double restitution : {0.2, 0.5, 0.9}) {
        Particles particles = thrown({.drag_per_s = 0, .restitution = restitution, .friction = 0.1},
                                     {0, 1, 0}, {2, 0, 0});
        double highest = 0;
        double along = 0;
        int hits = 0;
        for (int frame = 0; frame < 600 && hits < 2; ++frame) {
            particles.step({.ground = &ground}, 1.0 / 240);
            hits += count(particles, ParticleEvent::Type::hit);
            if (hits != 1) continue;
            const std::size_t slot = first_alive(particles);
            highest = std::max(highest, particles.position(slot).y);
            along = particles.velocity(slot).x;
        }
        // Its middle stops a radius above the ground.
        CHECK(highest - 0.01 == Approx(restitution * restitution * 0.99).epsilon(0.02));
        const double into = std::sqrt(2 * 9.80665 * 0.99);
        CHECK(along == Approx(2 - 0.1 * (1 + restitution) * into).epsilon(1e-3));
    }
}

TEST_CASE("particles come to rest on the ground, and say so once", "[particles]") {
    const FlatGround ground;
    Particles particles = thrown({.restitution = 0.3}, {0, 0.5, 0}, {0.5, 0, 0});
    int rests = 0;
    for (int frame = 0; frame < 300; ++frame) {
        particles.step({.ground = &ground}, 1.0 / 60);
        rests += count(particles, ParticleEvent::Type::at_rest);
    }
    CHECK(rests == 1);
    const std::size_t slot = first_alive(particles);
    CHECK(particles.position(slot).y == Approx(0.01).margin(1e-4));
    CHECK(particles.velocity(slot) == Vector3{});
    CHECK(particles.still());
}

TEST_CASE("lives last as long as was said, and memory stays what it was", "[particles]") {
    ParticleSettings settings{.capacity = 50, .rate_per_s = 40};
    settings.lifetime_least_s = 0.5;
    settings.lifetime_most_s = 1.5;
    Particles particles{settings, 3};
    int born = 0;
    int died = 0;
    const long before = allocations();
    for (int frame = 0; frame < 1200; ++frame) {
        particles.step({}, 1.0 / 60);
        born += count(particles, ParticleEvent::Type::born);
        died += count(particles, ParticleEvent::Type::died);
        for (std::size_t i = 0; i < 50; ++i)
            REQUIRE((particles.age(i) >= 0 && particles.age(i) <= 1));
    }
    CHECK(allocations() == before);
    CHECK(born == Approx(800).margin(12));
    CHECK(static_cast<std::size_t>(born - died) == particles.alive_count());
    // One second in the mean, 40 a second.
    CHECK(particles.alive_count() == Approx(40).margin(10));
    CHECK(particles.missed_births() == 0);
    // Without room births are missed, and nothing else happens.
    settings.capacity = 10;
    Particles crowded{settings, 3};
    for (int frame = 0; frame < 300; ++frame)
        crowded.step({}, 1.0 / 60);
    CHECK(crowded.alive_count() <= 10);
    CHECK(crowded.missed_births() > 50);
}

TEST_CASE("particles leave within their cone and shape, and turn with their emitter",
          "[particles]") {
    ParticleSettings settings{.shape = EmitterShape::disc, .half_size_m = {0.2, 0, 0}};
    settings.spread_rad = 0.2;
    settings.gravity_m_per_s2 = settings.drag_per_s = 0;
    const Quaternion turn = turned_by({0, 0, -1.5707963267948966});  // up becomes +X
    Particles particles{settings, 9, {1, 2, 3}, turn};
    particles.burst(400, {1, 2, 3});
    CHECK(particles.alive_count() == 400);
    Vector3 mean{};
    for (std::size_t i = 0; i < 400; ++i) {
        const Vector3 v = particles.velocity(i);
        const double speed = length_of(v);
        CHECK(speed >= 1);
        CHECK(speed <= 2);
        CHECK(v.x / speed > std::cos(0.2) - 1e-9);
        const Vector3 off = particles.position(i) - Vector3{1, 2, 3};
        CHECK(std::abs(off.x) < 1e-9);
        CHECK(length_of(off) <= 0.2 + 1e-9);
        mean = mean + off * (1.0 / 400);
    }
    CHECK(length_of(mean) < 0.03);
}

TEST_CASE("particles that touch one another keep apart", "[particles]") {
    const FlatGround ground;
    ParticleSettings settings{.capacity = 60, .rate_per_s = 0};
    settings.shape = EmitterShape::box;
    settings.half_size_m = {0.05, 0.3, 0.05};
    settings.radius_m = 0.03;
    settings.lifetime_least_s = settings.lifetime_most_s = 100;
    settings.speed_least_m_per_s = settings.speed_most_m_per_s = 0;
    const auto nearest = [&](bool among) {
        settings.has_contact_among = among;
        Particles particles{settings, 2};
        particles.burst(60, {0, 0.6, 0});
        for (int frame = 0; frame < 240; ++frame)
            particles.step({.ground = &ground}, 1.0 / 60);
        double least = 1;
        for (std::size_t i = 0; i < 60; ++i) {
            for (std::size_t k = 0; k < i; ++k)
                least = std::min(least, apart(particles.position(i), particles.position(k)));
        }
        return least;
    };
    CHECK(nearest(false) < 0.02);
    CHECK(nearest(true) > 0.045);
}

TEST_CASE("particles fly by the same bits with every instruction set", "[particles]") {
    const FlatGround ground;
    const Wind wind{{.mean_m_per_s = {3, 0, 1}}};
    for (const double drag_per_s : {0.0, 0.8}) {
        std::vector<FloatVector3> plain;
        for (const InstructionSet set : available_sets()) {
            ParticleSettings settings{.capacity = 333, .rate_per_s = 150};
            settings.drag_per_s = drag_per_s;
            settings.lifetime_least_s = 0.4;
            settings.lifetime_most_s = 3;
            Particles particles{settings, 5, {0, 1.5, 0}};
            particles.use(set);
            for (int frame = 1; frame <= 240; ++frame) {
                particles.step({.emitter = {0, 1.5, 0},
                                .ground = &ground,
                                .wind = frame % 3 == 0 ? nullptr : &wind},
                               1.0 / 60);
            }
            const std::vector<FloatVector3> places(particles.offsets().begin(),
                                                   particles.offsets().end());
            if (plain.empty()) plain = places;
            CHECK(places == plain);
            CHECK(particles.alive_count() > 100);
        }
    }
}

TEST_CASE("particles go on bit for bit from their state", "[particles]") {
    const FlatGround ground;
    Particles particles{particle_recipe("embers"), 4};
    for (int frame = 0; frame < 100; ++frame)
        particles.step({.emitter = {0, 1, 0}, .ground = &ground}, 1.0 / 50);
    const std::vector<std::byte> kept = save_state(particles);
    Particles other{particle_recipe("embers"), 4};
    REQUIRE(load_state(other, kept));
    for (int frame = 0; frame < 100; ++frame) {
        particles.step({.emitter = {0, 1, 0}, .ground = &ground}, 1.0 / 50);
        other.step({.emitter = {0, 1, 0}, .ground = &ground}, 1.0 / 50);
    }
    for (std::size_t i = 0; i < particles.capacity(); ++i)
        CHECK(particles.position(i) == other.position(i));
    Particles rain{particle_recipe("rain")};
    CHECK_FALSE(load_state(rain, kept));
}

TEST_CASE("what particles cannot be is refused, what they cannot use rejected", "[particles]") {
    CHECK_THROWS_WITH(Particles{{.capacity = 0}}, Catch::Contains("capacity"));
    CHECK_THROWS_WITH(Particles{{.restitution = 2}}, Catch::Contains("restitution"));
    CHECK_THROWS_AS(particle_recipe("confetti"), std::out_of_range);
    Particles particles{{}};
    for (const double dt : {-1.0, std::nan(""), HUGE_VAL})
        CHECK(particles.step({}, dt) == StepStatus::rejected);
    CHECK(particles.step({.emitter = {std::nan(""), 0, 0}}, 0.1) == StepStatus::rejected);
    CHECK(particles.rejected_inputs() == 4);
    for (const ParticleRecipe& recipe : particle_recipes()) {
        CHECK_NOTHROW(require_valid(recipe.settings));
        CHECK_FALSE(recipe.in_words.empty());
    }
    for (const Dial<Particles>& dial : Particles::dials())
        CHECK(dial.set(particles, dial.get(particles)) == DialStatus::set);
}

TEST_CASE("what moves sweeps along what floats or lies in its way, however thin and fast it is",
          "[particles]") {
    // A ball, a rod across the way, and a plate on edge, at the particle's height.
    std::array<ContactShape, 3> shapes;
    shapes[0] = {.type = ContactShape::Type::sphere, .radius_m = 0.02};
    shapes[1] = {.type = ContactShape::Type::capsule, .radius_m = 0.01, .half_size_m = {0, 1, 0}};
    shapes[2] = {.type = ContactShape::Type::box, .half_size_m = {0.002, 1, 1}};
    for (const double speed : {0.5, 3.0, 40.0}) {
        for (const double drift : {0.0, 1e-4, 0.05}) {
            for (ContactShape shape : shapes) {
                shape.velocity = {speed, 0, 0};
                ParticleSettings settings = lasting();
                settings.spread_rad = 0;
                settings.speed_least_m_per_s = settings.speed_most_m_per_s = drift;
                settings.gravity_m_per_s2 = settings.drag_per_s = settings.friction = 0;
                settings.restitution = 0.5;
                Particles mote{settings};
                mote.burst(1, {});
                const double from = -0.5 - 0.013 * speed;
                int hits = 0;
                double before = 0;
                for (int frame = 1; before < 1; ++frame) {
                    shape.position = {from + speed * frame / 60, drift * frame / 60, 0};
                    before = shape.position.x;
                    mote.step({.shapes = {&shape, 1}}, 1.0 / 60);
                    for (const ParticleEvent& event : mote.events())
                        hits += event.type == ParticleEvent::Type::hit ? 1 : 0;
                }
                CAPTURE(speed, drift, static_cast<int>(shape.type));
                CHECK(hits == 1);
                CHECK(mote.velocity(0).x == Approx(1.5 * speed).epsilon(0.01));
                CHECK(mote.position(0).x > before);
            }
        }
    }
    // One that rests on the ground is woken, and rests again.
    const FlatGround ground;
    Particles grain{lasting()};
    grain.burst(1, {0, 0.05, 0});
    int rests = 0;
    ContactShape broom{.type = ContactShape::Type::box, .half_size_m = {0.02, 0.2, 0.5}};
    broom.velocity = {1, 0, 0};
    for (int frame = 1; frame <= 240; ++frame) {
        // It passes over the grain's place after two seconds, and stops at three.
        broom.velocity.x = frame <= 180 ? 1 : 0;
        broom.position = {-2 + std::min(frame, 180) / 60.0, 0.2, 0};
        grain.step({.shapes = {&broom, 1}, .ground = &ground}, 1.0 / 60);
        for (const ParticleEvent& event : grain.events())
            rests += event.type == ParticleEvent::Type::at_rest ? 1 : 0;
        if (frame == 100) CHECK(std::fabs(grain.position(0).x) < 1e-9);
        CHECK(grain.position(0).x > broom.position.x + 0.02);
    }
    // Thrown ahead it may come to rest once more before it is caught up with.
    CHECK(rests >= 2);
    CHECK(rests <= 4);
    CHECK(grain.still());
}

TEST_CASE("what slides into a corner comes to rest there", "[particles]") {
    Terrain quay;
    quay.add(Terrain::Plane{});
    quay.add(Terrain::Box{.middle = {2, 1, 0}, .size = {2, 2, 8}});
    const ContactShape wall{.type = ContactShape::Type::box,
                            .position = {2, 1, 0},
                            .half_size_m = {1, 1, 4},
                            .friction = 0.1};
    const FlatGround floor;
    for (const double speed : {0.7, 2.0, 9.0}) {
        for (const bool is_shape : {false, true}) {
            Particles grain = thrown({.restitution = 0.2, .friction = 0.1}, {0.5, 0.01, 0},
                                     {speed, 0, 0.1 * speed});
            for (int frame = 0; frame < 400; ++frame) {
                if (is_shape) {
                    grain.step({.shapes = {&wall, 1}, .ground = &floor}, 1.0 / 60);
                } else {
                    grain.step({.ground = &quay}, 1.0 / 60);
                }
                REQUIRE(grain.position(0).x < 1 - 0.01 + 1e-4);
                REQUIRE(grain.position(0).y > 0.01 - 1e-4);
                REQUIRE(length_of(grain.velocity(0)) < 1.2 * speed);
            }
            CAPTURE(speed, is_shape);
            CHECK(grain.still());
        }
    }
}

TEST_CASE("boxes of the ground have sides and undersides, as boxes that stand by themselves",
          "[particles]") {
    const auto as_triangles = GENERATE(false, true);
    Terrain quay;
    std::vector<ContactShape> alone;
    for (const Terrain::Box& block :
         {Terrain::Box{.middle = {0, -0.5, 0}, .size = {9, 1, 9}},
          Terrain::Box{.middle = {2, 0.5, 0}, .size = {2, 1, 9}},
          Terrain::Box{.middle = {0, 1.6, 0}, .size = {0.8, 0.04, 9}, .yaw_rad = 0.2}}) {
        if (as_triangles) {
            quay.add(mesh_of(block, 4));
        } else {
            quay.add(block);
        }
        alone.push_back({.type = ContactShape::Type::box,
                         .position = block.middle,
                         .rotation = turned_by({0, block.yaw_rad, 0}),
                         .half_size_m = block.size * 0.5,
                         .friction = 0.4});
    }
    const ParticleSettings spray{.capacity = 300,
                                 .rate_per_s = 0,
                                 .direction = {0.3, 1, 0},
                                 .spread_rad = 1.2,
                                 .speed_least_m_per_s = 2,
                                 .speed_most_m_per_s = 12,
                                 .lifetime_least_s = 9,
                                 .lifetime_most_s = 9};
    Particles on_ground{spray, 5};
    Particles on_shapes{spray, 5};
    for (Particles* each : {&on_ground, &on_shapes})
        each->burst(300, {0, 0.4, 0});
    int apart = 0;
    int hits = 0;
    for (int frame = 0; frame < 120; ++frame) {
        on_ground.step({.ground = &quay}, 1.0 / 60);
        on_shapes.step({.shapes = alone}, 1.0 / 60);
        hits += count(on_ground, ParticleEvent::Type::hit);
        for (std::size_t i = 0; i < 300; ++i) {
            const Vector3 place = on_ground.position(i);
            for (const ContactShape& shape : alone)
                REQUIRE(distance_to(shape, place).metres > 0.01 - 1e-4);
            apart += length_of(place - on_shapes.position(i)) > 1e-3 ? 1 : 0;
        }
    }
    CHECK(hits > 600);
    // Searches for a contact take other steps, and few bounces come out otherwise for it.
    CHECK(apart < 120 * 300 / 100);
}

TEST_CASE("what flies or slides fast along a floor does not pass the thin wall on it",
          "[particles][long]") {
    Terrain quay;
    quay.add(Terrain::Plane{});
    quay.add(Terrain::Box{.middle = {3, 1, 0}, .size = {0.03, 2, 20}});
    const ContactShape plate{
        .type = ContactShape::Type::box, .position = {3, 1, 0}, .half_size_m = {0.015, 1, 10}};
    const std::array<ContactShape, 2> shapes{ContactShape{.type = ContactShape::Type::plane},
                                             plate};
    const FlatGround floor;
    Terrain triangles;
    triangles.add(Terrain::Plane{});
    triangles.add(mesh_of({.middle = {3, 1, 0}, .size = {0.03, 2, 20}}, 3));
    const std::array<ParticleInputs, 4> rooms{
        ParticleInputs{.ground = &quay}, ParticleInputs{.ground = &triangles},
        ParticleInputs{.shapes = shapes}, ParticleInputs{.shapes = {&plate, 1}, .ground = &floor}};
    RandomNumbers numbers{stream_of(3, "walls")};
    int reached = 0;
    for (int i = 0; i < 600; ++i) {
        const double speed = numbers.between(5, 60);
        Particles particles =
            thrown({.capacity = 2, .drag_per_s = 0, .radius_m = 0.005, .restitution = 0.5},
                   {numbers.between(-1, 0), numbers.between(0.006, 0.1), 0},
                   {speed, -speed * numbers.between(0, 0.02), 0});
        bool came_near = false;
        for (int frame = 0; frame < 40; ++frame) {
            particles.step(rooms[static_cast<std::size_t>(i) % rooms.size()], 1.0 / 60);
            const Vector3 place = particles.position(0);
            CAPTURE(i, speed, frame, place.x, place.y);
            REQUIRE(place.x < 2.985 - 0.005 + 1e-4);
            came_near = came_near || place.x > 1;
        }
        reached += came_near ? 1 : 0;
    }
    CHECK(reached > 500);
}

TEST_CASE("what rests goes along when its deck moves, sinks or is taken away", "[particles]") {
    for (const Vector3& speed :
         {Vector3{0.4, 0, 0}, Vector3{0, 0.5, 0}, Vector3{0, -0.2, 0}, Vector3{0.01, 0, 0}}) {
        Terrain harbour;
        const std::uint32_t deck = harbour.add_part({});
        harbour.add(Terrain::Box{.middle = {0, -0.1, 0}, .size = {8, 0.2, 4}}, deck);
        Particles grain{lasting()};
        grain.burst(1, {0, 0.05, 0});
        for (int i = 0; i < 60; ++i)
            grain.step({.ground = &harbour}, 1.0 / 60);
        REQUIRE(grain.still());
        GroundFrame frame{.velocity = speed};
        for (int i = 0; i < 60; ++i) {
            frame.position = frame.position + speed * (1.0 / 60);
            harbour.move(deck, frame);
            grain.step({.ground = &harbour}, 1.0 / 60);
        }
        const Vector3 way = grain.position(0) - Vector3{0, 0.01, 0};
        CAPTURE(speed.x, speed.y, way.x, way.y);
        const double slips = speed.x * speed.x / (2 * 0.4 * 9.80665);
        CHECK(std::fabs(way.x - frame.position.x + slips) < 0.005);
        CHECK(std::fabs(way.y - frame.position.y) < 0.005);
        // It stops, rests, and stays as it is.
        frame.velocity = {};
        harbour.move(deck, frame);
        int rests = 0;
        for (int i = 0; i < 60; ++i) {
            grain.step({.ground = &harbour}, 1.0 / 60);
            for (const ParticleEvent& event : grain.events())
                rests += event.type == ParticleEvent::Type::at_rest ? 1 : 0;
        }
        CHECK(rests == 1);
        CHECK(grain.still());
        for (int i = 0; i < 30; ++i)
            grain.step({}, 1.0 / 60);
        CHECK(grain.velocity(0).y < -3);
    }
}
