// Runs followers through 10,000 recorded steps and prints a hash of every bit of their states:
// the same number whatever compiled it.

#include <cinttypes>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <memory>

#include <Eigen/Core>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/cascade.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/gait/brachiator.hpp>
#include <hopcoil/gait/walker.hpp>
#include <hopcoil/measure/foot_watch.hpp>
#include <hopcoil/parts/balance.hpp>
#include <hopcoil/parts/parts.hpp>
#include <hopcoil/points/chain.hpp>
#include <hopcoil/points/chain_bank.hpp>
#include <hopcoil/points/net.hpp>
#include <hopcoil/points/net_builders.hpp>
#include <hopcoil/points/particles.hpp>
#include <hopcoil/points/plant.hpp>
#include <hopcoil/stepping/adaptive_runge_kutta.hpp>
#include <hopcoil/stepping/frame_clock.hpp>

namespace {

/// A generator of its own, since a library's distributions may differ.
class Parameters {
  public:
    double next() {  // in 0..1
        state_ = state_ * 6364136223846793005U + 1442695040888963407U;
        return static_cast<double>(state_ >> 11) * 0x1p-53;
    }

  private:
    std::uint64_t state_ = 20;
};

class Hash {
  public:
    template <class T>
    void add(const T& number) {
        unsigned char bytes[sizeof(T)];
        std::memcpy(bytes, &number, sizeof(T));
        for (const unsigned char byte : bytes)
            hash_ = (hash_ ^ byte) * 1099511628211U;
    }
    [[nodiscard]] std::uint64_t value() const { return hash_; }

  private:
    std::uint64_t hash_ = 14695981039346656037U;
};

hopcoil::Tuning next_tuning(Parameters& numbers) {
    const double ratio = numbers.next();
    return {.frequency_hz = hopcoil::math::exp(6 * numbers.next() - 2),
            .damping_ratio = ratio < 0.2 ? 1.0 : 3 * ratio * ratio,
            .lead = 4 * numbers.next() - 2};
}

template <class T, class Make>
void record(Hash& hash, Parameters& numbers, const Make& make) {
    hopcoil::Follower<T> follower{next_tuning(numbers), make()};
    for (int i = 0; i < 10000; ++i) {
        const double choice = numbers.next();
        const double dt = choice < 0.5 ? 1.0 / 60 : 0.1 * numbers.next();
        if (choice > 0.99) follower.retune(next_tuning(numbers));
        const T target = make();  // before what else is made: arguments have no order
        if (choice > 0.8) {
            follower.step(target, make(), dt);
        } else if (choice > 0.78) {
            follower.jump(target);
        } else {
            follower.step(target, dt);
        }
        hash.add(follower.value());
        hash.add(follower.velocity());
    }
}

/// Every scheme under every guard, through steps of any length; the adaptive scheme; the clock.
void record_stepping(Hash& hash, Parameters& numbers) {
    using namespace hopcoil;
    for (const SchemeFacts& facts : all_schemes()) {
        for (const Guard guard : {Guard::exact, Guard::substep, Guard::soften, Guard::refuse}) {
            SteppedFollower<float> follower{
                next_tuning(numbers), {.scheme = facts.scheme, .guard = {.guard = guard}}, 0};
            for (int i = 0; i < 300; ++i) {
                if (numbers.next() > 0.95) follower.retune(next_tuning(numbers));
                const double dt = 0.1 * numbers.next() * numbers.next();
                follower.step(static_cast<float>(numbers.next()), dt);
                hash.add(follower.value());
                hash.add(follower.velocity());
            }
        }
    }
    AdaptiveRungeKutta<double> adaptive{1};
    const auto pendulum = [](double /*t*/, std::span<const double> x, std::span<const double> v,
                             std::span<double> a) {
        a[0] = -9 * math::sin(x[0]) - 0.1 * v[0];
    };
    double x[1]{2};
    double v[1]{0};
    FrameClock clock{.step_s = 0.011};
    for (int i = 0; i < 300; ++i) {
        const FrameSteps frame = clock.advance(0.1 * numbers.next());
        hash.add(frame.blend);
        for (int k = 0; k < frame.steps; ++k)
            adaptive.step(pendulum, 0, clock.step_s, x, v);
        hash.add(x[0]);
        hash.add(v[0]);
    }
}

/// Each of the other movers, sent about at random times.
void record_family(Hash& hash, Parameters& numbers) {
    using hopcoil::Tuning;
    using hopcoil::Vector3;
    hopcoil::Glide<float> glide{{.half_life_s = 0.1}, 0.F};
    hopcoil::Pursuit<Vector3> pursuit{{.max_speed = 2, .max_acceleration = 5}, Vector3{}};
    hopcoil::Coast<double> coast{{.at_bound = hopcoil::AtBound::bounce}, 0.0};
    coast.set_bounds(-1, 1);
    hopcoil::SettleCurve settle{{.duration_s = 0.5, .overshoot_percent = 20}, 0.0};
    settle.set_stops({.low = -1, .high = 1});
    hopcoil::CurveMove<double> curve{
        {.curve = hopcoil::Ease{hopcoil::EaseFamily::oscillating, hopcoil::EaseWay::out}}, 0.0};
    hopcoil::Cascade<double> cascade{{Tuning{}, Tuning{.frequency_hz = 3, .lead = 0.5}}, 0.0};
    hopcoil::AngleFollower<float> angle{Tuning{}, 0.F};
    hopcoil::RotationFollower rotation{Tuning{.damping_ratio = 0.3}, {}};
    double target = 0;
    for (int i = 0; i < 3000; ++i) {
        const double dt = numbers.next() < 0.5 ? 1.0 / 60 : 0.1 * numbers.next();
        if (numbers.next() < 0.05) {
            target = 2 * numbers.next() - 1;
            coast.launch(20 * target);
            curve.cut(target);
        }
        glide.step(static_cast<float>(target), dt);
        pursuit.step({target, target * target, 1 - target}, dt);
        coast.step(dt);
        settle.step(target, dt);
        curve.step(target, dt);
        cascade.step(target, dt);
        angle.step(static_cast<float>(7 * target), dt);
        rotation.step(hopcoil::turned_by({target, 2 * target, 1}), dt);
        hash.add(glide.value());
        hash.add(pursuit.value().y);
        hash.add(coast.value());
        hash.add(settle.value());
        hash.add(curve.value());
        hash.add(cascade.value());
        hash.add(angle.value());
        hash.add(rotation.value().y);
    }
}

/// A bank, with whatever instructions the processor has.
void record_bank(Hash& hash, Parameters& numbers) {
    hopcoil::FollowerBank<float> bank;
    const std::size_t shared = bank.add_group(hopcoil::Tuning{});
    const std::size_t varied = bank.add_varied_group();
    for (int i = 0; i < 333; ++i) {
        bank.add(shared, {{static_cast<float>(numbers.next())}});
        const hopcoil::Tuning tuning = next_tuning(numbers);
        bank.add(varied, {{static_cast<float>(numbers.next())}}, tuning);
    }
    for (int frame = 0; frame < 100; ++frame) {
        for (const std::size_t group : {shared, varied}) {
            for (float& next : bank.next_targets(group, 0))
                next = static_cast<float>(numbers.next());
        }
        bank.step_to_next(0.03 * numbers.next());
    }
    for (const std::size_t group : {shared, varied}) {
        for (const float gap : bank.gaps(group, 0))
            hash.add(gap);
        for (const float velocity : bank.velocities(group, 0))
            hash.add(velocity);
    }
}

/// Chains of both kinds in one wind, drawn about and cut.
void record_chains(Hash& hash, Parameters& numbers) {
    using namespace hopcoil;
    const Wind wind{{.mean_m_per_s = {3, 0, 1}}, 7};
    for (const ChainSpacing spacing : {ChainSpacing::stretchy, ChainSpacing::fixed}) {
        Chain chain{{.nodes = 9, .spacing = spacing, .bend_limit_rad = 1}};
        Vector3 root{};
        double time_s = 0;
        for (int i = 0; i < 300; ++i) {
            const double dt = numbers.next() < 0.5 ? 1.0 / 60 : 0.05 * numbers.next();
            time_s += dt;
            root = root + Vector3{0.1 * numbers.next(), 0.02 * numbers.next(), -0.05};
            if (numbers.next() > 0.98) chain.cut(root);
            chain.step({.root = root, .wind = &wind, .time_s = time_s}, dt);
            hash.add(chain.positions().back().x);
            hash.add(chain.velocities()[4].y);
            hash.add(chain.facing_at(0.5).z);
        }
        ChainBank bank{{.nodes = 6, .spacing = spacing}, 50};
        for (int i = 0; i < 100; ++i) {
            for (float& x : bank.next_roots(0))
                x += static_cast<float>(0.1 * numbers.next());
            bank.streams(2)[7] = static_cast<float>(numbers.next());
            bank.step(0.03 * numbers.next() + 1e-3);
            hash.add(bank.position(33, 6).y);
            hash.add(bank.velocity(7, 3).z);
        }
    }
}

/// Cloths by each method, plants in air and in water, particles on the ground: in one wind.
void record_what_the_wind_moves(Hash& hash, Parameters& numbers) {
    using namespace hopcoil;
    const Wind wind{{.mean_m_per_s = {2, 0, 1}}, 9};
    const FlatGround ground;
    for (const NetMethod method : {NetMethod::forces, NetMethod::positions, NetMethod::implicit}) {
        const ClothSettings settings{.columns = 7, .rows = 7};
        NetStructure made = cloth(settings, {{0, 0.8, 0}, turned_by({0.7, 0, 0})});
        pin(made, points_at(settings, ClothEdge::top));
        Net net{made, {.method = method}};
        for (int i = 1; i < 90; ++i) {
            net.step({.ground = &ground, .wind = &wind, .time_s = i / 60.0}, 1.0 / 60);
            hash.add(net.positions()[30].x);
            hash.add(net.velocities().back().y);
        }
    }
    for (const double fluid : {1.225, 1025.0}) {
        const auto tree = std::make_shared<const PlantStructure>(PlantShape{.levels = 3}, 11);
        Plant plant{tree, {.fluid_density_kg_per_m3 = fluid}};
        double time_s = 0;
        for (int i = 0; i < 90; ++i) {
            const double dt = 0.03 * numbers.next();
            time_s += dt;
            plant.step({.base = {0.01 * numbers.next(), 0, 0}, .wind = &wind, .time_s = time_s},
                       dt);
            hash.add(plant.positions().back().x);
            hash.add(plant.rotations()[5].z);
            hash.add(plant.velocities()[7].y);
        }
        std::vector<PlantBase> places(11);
        for (PlantBase& base : places)
            base.place.x = numbers.next();
        PlantBed bed{tree, {.fluid_density_kg_per_m3 = fluid}, places};
        for (int i = 0; i < 30; ++i)
            bed.step({.wind = &wind, .time_s = i / 30.0}, 1.0 / 30);
        for (std::size_t i = 0; i < bed.size(); ++i)
            hash.add(bed.positions(i).back().z);
    }
    Particles sparks{particle_recipe("burst"), 13, {0, 0.6, 0}};
    sparks.burst(200, {0, 0.6, 0});
    Particles drops{particle_recipe("rain"), 17, {0, 2, 0}};  // in still air
    drops.burst(200, {0, 2, 0});
    for (int i = 0; i < 120; ++i) {
        sparks.step({.ground = &ground, .wind = &wind}, 0.03 * numbers.next());
        drops.step({.emitter = {0, 2, 0}, .ground = &ground}, 0.03 * numbers.next());
    }
    for (const Particles* each : {&sparks, &drops}) {
        for (std::size_t i = 0; i < each->capacity(); ++i)
            hash.add(each->position(i).x);
    }
}

/// Walkers over steps, slopes and a raft, told this and that.
void record_walkers(Hash& hash, Parameters& numbers) {
    using namespace hopcoil;
    for (const std::size_t legs : {2U, 4U, 6U}) {
        Terrain terrain;
        terrain.add(Terrain::Plane{.slope_x = 0.05});
        terrain.add(Terrain::Box{.middle = {0, 0.05, 1}, .size = {3, 0.1, 0.8}, .yaw_rad = 0.3});
        const std::uint32_t raft = terrain.add_part({});
        terrain.add(Terrain::Box{.middle = {0, 0.1, 3}, .size = {4, 0.2, 2}}, raft);
        Walker walker{walker_with(legs, 0.8), terrain, {}};
        Walker runner = [&] {
            WalkerSettings settings = walker_with(legs, 0.8);
            settings.policy = StepPolicy::in_a_gait;
            settings.gait = Gait::by_speed;
            return Walker{settings, terrain, {}};
        }();
        FootWatch watch{runner};
        WalkCommand command;
        for (int i = 0; i < 400; ++i) {
            if (i % 90 == 60) {
                const Vector3 there{0.5, 0, numbers.next()};
                walker.hop({.place = walker.position() + there}, terrain);
                runner.hop({.keeps_on = true}, terrain);
            }
            runner.step({.ahead = 3 * numbers.next()}, terrain, 0.02);
            watch.look(runner, terrain);
            hash.add(runner.position().y);
            hash.add(runner.feet()[1].position.z);
            hash.add(runner.feet()[0].normal.x);
            if (i % 40 == 0)
                command = {1.2 * numbers.next(), numbers.next() - 0.5, 2 * numbers.next() - 1};
            terrain.move(raft, {.position = {0, 0.05 * math::sin(0.02 * i), 0},
                                .rotation = turned_by({0.03 * math::sin(0.03 * i), 0, 0}),
                                .velocity = {0, 0.06 * math::cos(0.02 * i), 0}});
            walker.step(command, terrain, 0.03 * numbers.next());
            hash.add(walker.position().y);
            hash.add(walker.yaw_rad());
            for (const WalkerFoot& foot : walker.feet())
                hash.add(foot.position.x);
            hash.add(walker.knee(0).z);
        }
        hash.add(watch.all().legs_apart_m);
        hash.add(watch.all().support_m);
    }
}

/// Along a row of holds and back, pushed.
void record_brachiator(Hash& hash, Parameters& numbers) {
    using namespace hopcoil;
    std::vector<Vector3> holds;
    for (int i = 0; i < 14; ++i)
        holds.push_back({0.3 * numbers.next(), 4 + 0.5 * numbers.next(), 1.1 * i});
    Brachiator body{{}, holds};
    for (int i = 0; i < 700; ++i) {
        if (i % 90 == 50) body.push({numbers.next() - 0.5, numbers.next() - 0.5, 0.3});
        const double speed = i < 400 ? 1 + numbers.next() : -1.4;
        if (i == 450) body.leap_to_ground({0.2, 2.2, 3});
        if (i == 620) body.leap_to_hold(2);
        body.step(speed, 0.03 * numbers.next());
        hash.add(body.position().y);
        hash.add(body.acceleration().z);
        hash.add(body.hands()[0].elbow.x);
        hash.add(body.hands()[1].force_n);
        hash.add(body.legs()[0].foot.z);
    }
}

/// Boxes, balls and a bent outline, hinged, linked and thrown on the ground.
void record_parts(Hash& hash, Parameters& numbers) {
    hopcoil::PartsStructure made;
    for (std::uint32_t i = 0; i < 6; ++i) {
        hopcoil::PartShape shape;
        shape.type = static_cast<hopcoil::PartShape::Type>(i % 4);
        shape.outline = {{-0.1, -0.1, 0}, {0.15, -0.05, 0}, {0, 0.02, 0}, {-0.1, 0.12, 0}};
        made.parts.push_back(
            {.placement = {{0.35 * i, 1, 0.1 * numbers.next()},
                           hopcoil::turned_by({numbers.next(), 1, numbers.next()})},
             .shapes = {shape},
             .restitution = i == 4 ? 0.6 : 0});
        if (i == 0) continue;
        made.joints.push_back({.type = static_cast<hopcoil::PartJoint::Type>(i % 3),
                               .a = i - 1,
                               .b = i,
                               .frame = {{0.35 * i - 0.17, 1, 0}, {}},
                               .lowest = -0.3,
                               .highest = 0.5});
        made.joints.back().spring = {.stiffness = 20 * numbers.next(), .damping = 0.3};
        made.link(i - 1, {0.05, 0, 0}, i, {-0.05, 0.1, 0}, 900 * numbers.next(), 3);
    }
    hopcoil::Parts parts{made};
    const hopcoil::FlatGround ground;
    for (int i = 0; i < 120; ++i) {
        parts.step({.ground = &ground}, 0.03 * numbers.next());
        for (const hopcoil::Placement& each : parts.placements()) {
            hash.add(each.position.x);
            hash.add(each.rotation.w);
        }
        hash.add(parts.energy());
    }
}

/// Walks, is pushed until it falls, and gets up.
void record_balance(Hash& hash, Parameters& numbers) {
    using namespace hopcoil;
    Terrain ground;
    ground.add(Terrain::Plane{.slope_z = 0.05});
    Part ball;
    ball.shapes = {{.type = PartShape::Type::sphere, .radius_m = 0.15}};
    ball.placement.position = {0.1, 0.4, 1.5};
    Balance body{{.help = 0.05}, ground, {}, 0.2, {ball}};
    for (int i = 0; i < 400; ++i) {
        const double x = 4 * numbers.next() - 2;
        if (i % 70 == 50) body.push({x, 0, 1.2});
        body.step({.velocity = {0.3, 0, 0.7}, .yaw_rad = 0.3, .ground = &ground},
                  0.03 * numbers.next());
        hash.add(body.centre_of_mass().y);
        hash.add(body.pressure().x);
        hash.add(body.help_nm().z);
        for (const Placement& each : body.placements()) {
            hash.add(each.position.z);
            hash.add(each.rotation.w);
        }
    }
}

}  // namespace

int main() {
    Parameters numbers;
    Hash hash;
    record<double>(hash, numbers, [&] { return 2 * numbers.next() - 1; });
    record<float>(hash, numbers, [&] { return static_cast<float>(2 * numbers.next() - 1); });
    record<Eigen::Vector4f>(hash, numbers, [&] {
        const auto x = static_cast<float>(numbers.next());
        return Eigen::Vector4f{x, 1 - x, x * x, 100 * x};
    });
    record_family(hash, numbers);
    record_stepping(hash, numbers);
    record_bank(hash, numbers);
    record_chains(hash, numbers);
    record_walkers(hash, numbers);
    record_brachiator(hash, numbers);
    record_what_the_wind_moves(hash, numbers);
    record_parts(hash, numbers);
    record_balance(hash, numbers);
    for (int i = 0; i < 10000; ++i) {
        const double x = 40 * numbers.next() - 20;
        hash.add(hopcoil::math::exp(x));
        hash.add(hopcoil::math::expm1(x));
        hash.add(hopcoil::math::log(x * x + 1e-3));
        hash.add(hopcoil::math::sin(1e3 * x));
        hash.add(hopcoil::math::cos(1e9 * x));
        hash.add(hopcoil::math::atan2(x, 3.0));
        hash.add(hopcoil::math::pow(x * x + 1e-3, 1.7));
    }
    std::printf("%016" PRIx64 "\n", hash.value());
}
