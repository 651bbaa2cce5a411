// Whatever is done to a mover, at whatever moment: where it is and how fast it moves are not lost.

#include <algorithm>
#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/size_follower.hpp>
#include <hopcoil/follow/stepped_follower.hpp>

#include "support/movers.hpp"
#include "support/numbers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

double apart(double a, double b) {
    return std::fabs(a - b);
}
double apart(const Vector3& a, const Vector3& b) {
    return length_of(a - b);
}
double apart(const Quaternion& a, const Quaternion& b) {
    return angle_between(a, b);
}
double apart(const Pose& a, const Pose& b) {
    return std::max(
        {apart(a.position, b.position), apart(a.rotation, b.rotation), apart(a.scale, b.scale)});
}
double apart(const PoseVelocity& a, const PoseVelocity& b) {
    return std::max(
        {apart(a.position, b.position), apart(a.rotation, b.rotation), apart(a.scale, b.scale)});
}

/// Parameters may be angles.
template <class Value>
double places_apart(const Value& a, const Value& b) {
    if constexpr (std::is_same_v<Value, double>) {
        return turn_between(a, b);
    } else {
        return apart(a, b);
    }
}

/// One of its numbers to another place on its slider.
template <class M>
void turn_a_dial(M& mover, Random& random) {
    if constexpr (System<M>) {
        const auto dials = M::dials();
        const auto& dial =
            dials[static_cast<std::size_t>(random.whole(0, static_cast<int>(dials.size()) - 1))];
        CAPTURE(dial.path);
        CHECK(dial.set(mover, random.between(dial.slider.least, dial.slider.most)) ==
              DialStatus::set);
    } else {
        mover.retune(0, {.frequency_hz = random.between(0.5, 5)});
    }
}

/// `keeps_velocity`: through a cut, a turn of a dial and a hand-over.
template <class M, class Target>
void require_nothing_lost(M mover, Random& random, bool keeps_velocity, const Target& target_at) {
    auto target = target_at();
    mover.cut(target);
    for (int i = 0; i < 400; ++i) {
        const auto value = mover.value();
        const auto velocity = mover.velocity();
        const auto nothing = std::decay_t<decltype(velocity)>{};
        const auto require_kept = [&](double of_velocity) {
            const double speed =
                std::max(apart(velocity, nothing), apart(mover.velocity(), nothing));
            CHECK(places_apart(mover.value(), value) <= 1e-9 * (1 + speed));
            if (keeps_velocity)
                CHECK(apart(mover.velocity(), velocity) <= of_velocity * (1 + speed));
        };
        switch (random.whole(0, 5)) {
            case 0:
                target = target_at();
                CHECK(mover.cut(target) == StepStatus::stepped);
                require_kept(1e-9);
                break;
            case 1:
                target = target_at();
                CHECK(mover.jump(target) == StepStatus::stepped);
                CHECK(places_apart(mover.value(), value) <= 1e-9);  // the velocity is the lead's
                break;
            case 2:
                turn_a_dial(mover, random);
                require_kept(1e-9);
                break;
            case 3:
                CHECK(mover.resume(mover.motion()) == StepStatus::stepped);
                require_kept(1e-9);
                break;
            case 4: {
                const double instant_s = 1e-9;
                mover.step(target, instant_s);
                require_kept(1e-3);
                break;
            }
            default:
                if (random.chance(0.3)) target = target_at();
                mover.step(target, random.over_magnitudes(1e-3, 0.3));
        }
    }
}

}  // namespace

TEST_CASE("nothing is lost of a number's motion", "[continuity]") {
    Random random{201};
    const auto number = [&] {
        return random.between(-2, 2);
    };
    for (int i = 0; i < 5; ++i) {
        const auto check = [&](const auto& mover) {
            using M = std::decay_t<decltype(mover)>;
            constexpr bool own_velocity =
                !std::is_same_v<M, Glide<double>> && !std::is_same_v<M, CurveMove<double>>;
            require_nothing_lost(mover, random, own_velocity, number);
        };
        std::apply([&](const auto&... movers) { (check(movers), ...); }, one_of_each_with_target());
        check(SteppedFollower<double>{{}, {}, 0.0});
    }
}

TEST_CASE("nothing is lost of a turn, a size, a pose", "[continuity]") {
    Random random{202};
    const auto turn = [&] {
        return turned_by(random_vector(random, 1.5));
    };
    const auto size = [&] {
        return random.over_magnitudes(0.2, 5);
    };
    for (int i = 0; i < 5; ++i) {
        require_nothing_lost(RotationFollower{{}, Quaternion{}}, random, true, turn);
        require_nothing_lost(RotationPursuit{{.max_speed = 2, .max_acceleration = 8}, Quaternion{}},
                             random, true, turn);
        require_nothing_lost(RotationGlide{{}, Quaternion{}}, random, false, turn);
        require_nothing_lost(RotationCurve{{}, Quaternion{}}, random, false, turn);
        require_nothing_lost(SizeFollower<double>{{}, 1.0}, random, true, size);
        require_nothing_lost(PoseFollower{{}, Pose{}}, random, true, [&] {
            return Pose{random_vector(random, 2), turn(), {size(), size(), size()}};
        });
    }
}
