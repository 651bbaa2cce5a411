// The state of every mover as bytes: kept, and gone on from.

#include <cstring>
#include <limits>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/state.hpp>
#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/cascade.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/layers.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/settle_curve.hpp>
#include <hopcoil/follow/sleeper.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/follow/watcher.hpp>

#include "support/random.hpp"

using namespace hopcoil;

namespace {

using Bytes = std::vector<std::byte>;

template <class M>
std::vector<double> numbers_of(const M& mover) {
    if constexpr (requires(std::vector<double> & v) { mover.read(v); }) {
        std::vector<double> numbers(16);
        mover.read(numbers);
        return numbers;
    } else {
        return {static_cast<double>(mover.value()), static_cast<double>(mover.velocity())};
    }
}

bool same_numbers(const std::vector<double>& a, const std::vector<double>& b) {
    return a.size() == b.size() && std::memcmp(a.data(), b.data(), a.size() * sizeof(double)) == 0;
}

/// Moves a mover in some way that depends on the random numbers alone.
template <class M, class Target>
void wander(M& mover, Random& random, const Target& target_at, int steps) {
    for (int i = 0; i < steps; ++i) {
        const double what = random.between(0, 1);
        const auto target = target_at(random);
        if constexpr (requires { mover.jump(target); }) {
            if (what < 0.1) mover.jump(target);
        }
        const double dt = random.between(0.001, 0.05);
        if constexpr (requires { mover.mover(); }) {
            mover.step(what < 0.4 ? target : mover.mover().target(), dt);
        } else {
            mover.step(what < 0.4 ? target : mover.target(), dt);
        }
    }
}

/// Kept in the middle of a motion and put into a fresh mover, it goes on with the same bits; and
/// what is not such a state is refused, with nothing changed.
template <class M, class Target>
void require_state_goes_on(const M& fresh, const Target& target_at) {
    for (unsigned seed = 1; seed <= 5; ++seed) {
        M mover = fresh;
        Random random{seed};
        wander(mover, random, target_at, 60);
        const Bytes kept = save_state(mover);
        M other = fresh;
        REQUIRE(load_state(other, kept));
        REQUIRE(same_numbers(numbers_of(other), numbers_of(mover)));
        REQUIRE(save_state(other) == kept);
        Random same = random;
        for (int i = 0; i < 40; ++i) {
            wander(mover, random, target_at, 1);
            wander(other, same, target_at, 1);
            REQUIRE(same_numbers(numbers_of(other), numbers_of(mover)));
        }
        const Bytes before = save_state(other);
        for (std::size_t size = 0; size < kept.size(); ++size)
            REQUIRE_FALSE(load_state(other, std::span{kept}.first(size)));
        for (std::size_t i = 0; i < kept.size(); ++i) {
            Bytes spoilt = kept;
            spoilt[i] ^= std::byte{0x10};
            REQUIRE_FALSE(load_state(other, spoilt));
        }
        Bytes longer = kept;
        longer.push_back(std::byte{0});
        REQUIRE_FALSE(load_state(other, longer));
        REQUIRE(save_state(other) == before);
    }
}

double some_number(Random& random) {
    return random.between(-2, 2);
}
Eigen::Vector3f some_vector(Random& random) {
    const auto number = [&] {
        return static_cast<float>(random.between(-2, 2));
    };
    const float x = number();
    const float y = number();
    return {x, y, number()};
}
Quaternion some_rotation(Random& random) {
    const double x = random.between(-2, 2);
    const double y = random.between(-2, 2);
    return turned_by({x, y, random.between(-2, 2)});
}

constexpr Tuning lively{.frequency_hz = 2, .damping_ratio = 0.3, .lead = 0.5};

}  // namespace

TEST_CASE("a mover kept as bytes goes on with the same bits", "[state]") {
    SECTION("followers of numbers and vectors") {
        require_state_goes_on(Follower<double>{lively, 0.0}, some_number);
        require_state_goes_on(Follower<Eigen::Vector3f>{lively, Eigen::Vector3f::Zero()},
                              some_vector);
    }
    SECTION("an angle follower keeps its turns") {
        require_state_goes_on(AngleFollower<double>{lively, 0.0},
                              [](Random& random) { return random.between(-9, 9); });
    }
    SECTION("a glide") {
        require_state_goes_on(Glide<double>{{0.2}, 0.0}, some_number);
    }
    SECTION("a pursuit in the middle of its plan") {
        require_state_goes_on(Pursuit<double>{{.max_speed = 1, .max_acceleration = 3}, 0.0},
                              some_number);
        require_state_goes_on(Pursuit<Eigen::Vector3f>{{.max_speed = 1, .max_acceleration = 3},
                                                       Eigen::Vector3f::Zero()},
                              some_vector);
    }
    SECTION("a settle curve in the middle of its throw") {
        SettleCurve spring{{.duration_s = 0.6, .overshoot_percent = 20}, 0.0};
        spring.set_stops({.low = -2.1, .high = 2.1});
        require_state_goes_on(spring, some_number);
        require_state_goes_on(SettleCurve{{.duration_s = 0.5, .swing_percent = {20, 8, 3}}, 0.0},
                              some_number);
    }
    SECTION("a move along a curve") {
        require_state_goes_on(CurveMove<double>{{.duration_s = 0.5}, 0.0}, some_number);
    }
    SECTION("a cascade") {
        require_state_goes_on(Cascade<double>{std::vector<Tuning>{lively, {}, {3, 0.2}}, 0.0},
                              some_number);
    }
    SECTION("a follower in a range") {
        require_state_goes_on(BoundedFollower<double>{lively, {-1, 1, 0.1}, 0.0}, some_number);
    }
    SECTION("a size") {
        require_state_goes_on(SizeFollower<double>{lively, 1.0},
                              [](Random& random) { return random.between(0.1, 3); });
    }
    SECTION("a follower stepped by each scheme, the one that remembers among them") {
        for (const SchemeFacts& facts : all_schemes()) {
            CAPTURE(facts.in_words);
            require_state_goes_on(
                SteppedFollower<double>{
                    lively, {.scheme = facts.scheme, .guard = {.guard = Guard::substep}}, 0.0},
                some_number);
        }
    }
    SECTION("rotations and poses") {
        require_state_goes_on(RotationFollower{lively, Quaternion{}}, some_rotation);
        require_state_goes_on(RotationGlide{{0.2}, Quaternion{}}, some_rotation);
        require_state_goes_on(PoseFollower{{}, Pose{}}, [](Random& random) {
            const double x = random.between(-2, 2);
            const Quaternion turn = some_rotation(random);
            return Pose{{x, 1, 2}, turn, {random.between(0.5, 2), 1, 1}};
        });
    }
    SECTION("what goes around movers") {
        require_state_goes_on(Sleeper{Follower<double>{lively, 0.0}}, some_number);
        require_state_goes_on(Watcher{Follower<double>{lively, 0.0}}, some_number);
    }
}

TEST_CASE("a coast and layers, which have no target to be stepped to, are kept too", "[state]") {
    Coast<double> coast{{.slowing_half_life_s = 0.4, .at_bound = AtBound::bounce}, 0.0};
    coast.set_bounds(-1, 1);
    const Coast<double> fresh_coast = coast;
    coast.launch(5);
    coast.step(0.3);
    Coast<double> other = fresh_coast;
    REQUIRE(load_state(other, save_state(coast)));
    coast.step(0.2);
    other.step(0.2);
    CHECK(other.value() == coast.value());
    CHECK(other.velocity() == coast.velocity());
    CHECK(other.velocity() != 0);

    Layers<double> layers{1.0};
    layers.add(lively, 0.0);
    const Layers<double> fresh = layers;
    layers.set_target(0, 2.0);
    layers.fade(0, 1, 0.5);
    layers.step(0.2);
    Layers<double> copy = fresh;
    REQUIRE(load_state(copy, save_state(layers)));
    layers.step(0.1);
    copy.step(0.1);
    CHECK(copy.value() == layers.value());
    CHECK(copy.velocity() == layers.velocity());
    Layers<double> more = fresh;
    more.add(lively, 0.0);
    CHECK_FALSE(load_state(more, save_state(layers)));
}

TEST_CASE("a state goes into a mover of other numbers, and the motion goes on under those",
          "[state]") {
    Follower<double> lamp{lively, 0.0};
    lamp.step(1.0, 0.1);
    Follower<double> calm{{.frequency_hz = 0.5, .damping_ratio = 1}, 0.0};
    REQUIRE(load_state(calm, save_state(lamp)));
    CHECK(calm.value() == lamp.value());
    CHECK(calm.velocity() == lamp.velocity());
    CHECK(calm.tuning().frequency_hz == 0.5);
    lamp.retune(calm.tuning());
    lamp.step(1.0, 0.1);
    calm.step(1.0, 0.1);
    CHECK(calm.value() == lamp.value());
}

TEST_CASE("the state of one kind of mover is not that of another", "[state]") {
    const Bytes glide = save_state(Glide<double>{{0.2}, 1.0});
    Pursuit<double> pursuit{{1, 2}, 0.0};
    CHECK_FALSE(load_state(pursuit, glide));
    Glide<float> narrow{{0.2}, 0.0F};
    CHECK_FALSE(load_state(narrow, glide));
    Cascade<double> two{std::vector<Tuning>(2), 0.0};
    CHECK_FALSE(load_state(two, save_state(Cascade<double>{std::vector<Tuning>(3), 0.0})));
}

namespace {

/// Writes what a follower would, with some numbers that it could not have.
struct Forged {
    double value = 0;
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("glide 1");
        std::uint64_t rejected = 0;
        double zero = 0;
        fields(zero);
        fields.unbounded(value);
        fields(zero, rejected);
    }
};

}  // namespace

TEST_CASE("a state with numbers that cannot be is refused, whoever wrote it", "[state]") {
    Glide<double> glide{{0.2}, 0.0};
    CHECK(load_state(glide, save_state(Forged{0.5})));
    CHECK(glide.value() == 0.5);
    for (const double bad :
         {std::numeric_limits<double>::infinity(), std::numeric_limits<double>::quiet_NaN()}) {
        CHECK_FALSE(load_state(glide, save_state(Forged{bad})));
        CHECK(glide.value() == 0.5);
    }
}

TEST_CASE("a bank kept as bytes goes on with the same bits", "[state][bank]") {
    using Bank = FollowerBank<float>;
    Random random{31};
    const auto made = [](std::size_t count) {
        Bank bank{2};
        const std::size_t shared = bank.add_group(lively);
        const std::size_t varied = bank.add_varied_group();
        for (std::size_t i = 0; i < count; ++i) {
            bank.add(shared, {{0.F, 1.F}});
            bank.add(varied, {{0.F, 1.F}}, {.frequency_hz = 1 + 0.1 * static_cast<double>(i)});
        }
        bank.remove(4);
        return bank;
    };
    const auto go_on = [](Bank& bank, Random& numbers) {
        const double dt = numbers.chance(0.5) ? 1.0 / 60 : numbers.between(0.01, 0.03);
        for (const std::size_t group : {std::size_t{0}, std::size_t{1}}) {
            for (const std::size_t c : {std::size_t{0}, std::size_t{1}}) {
                for (float& next : bank.next_targets(group, c))
                    next = numbers.chance(0.01) ? std::numeric_limits<float>::infinity()
                                                : static_cast<float>(numbers.between(-2, 2));
            }
        }
        bank.step_to_next(dt);
    };
    Bank bank = made(40);
    for (int frame = 0; frame < 37; ++frame)
        go_on(bank, random);
    const Bytes kept = save_state(bank);
    Bank other = made(40);
    REQUIRE(load_state(other, kept));
    CHECK(other.rejected_inputs() == bank.rejected_inputs());
    Random same = random;
    for (int frame = 0; frame < 40; ++frame) {
        go_on(bank, random);
        go_on(other, same);
        REQUIRE(save_state(other) == save_state(bank));
    }

    const Bytes before = save_state(other);
    Bank more = made(41);
    CHECK_FALSE(load_state(more, kept));
    Bank retaken = made(40);
    retaken.remove(6);
    retaken.add(0, {{0.F, 0.F}});
    CHECK_FALSE(load_state(retaken, kept));
    for (std::size_t i = 0; i < kept.size(); ++i) {
        Bytes spoilt = kept;
        spoilt[i] ^= std::byte{0x10};
        REQUIRE_FALSE(load_state(other, spoilt));
    }
    CHECK(save_state(other) == before);
}
