// Who knows one mover knows them all.

#include <concepts>
#include <tuple>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/pose_follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/sleeper.hpp>
#include <hopcoil/follow/stepped_follower.hpp>

#include "support/movers.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

/// The verbs that every mover with a target has.
template <class M>
concept HasTheVerbs = requires(M mover, const M& fixed, const typename M::Inputs& target) {
    { mover.step(target, 0.1) } -> std::same_as<StepStatus>;
    { mover.jump(target) } -> std::same_as<StepStatus>;
    { mover.cut(target) } -> std::same_as<StepStatus>;
    { mover.reset(target) } -> std::same_as<StepStatus>;
    { mover.snap() } -> std::same_as<StepStatus>;
    { mover.resume(fixed.motion()) } -> std::same_as<StepStatus>;
    fixed.value();
    fixed.velocity();
    fixed.target();
    { fixed.at_rest(0.1, 0.1) } -> std::same_as<bool>;
    { fixed.still() } -> std::same_as<bool>;
    { fixed.distance_to_target() } -> std::same_as<double>;
    { fixed.target_on_way(target, 0.5) } -> std::same_as<typename M::Inputs>;
    { fixed.rejected_inputs() } -> std::same_as<std::uint64_t>;
};
template <class M>
concept IsTuned = System<M> && requires(M mover, const typename M::Parameters& tuning) {
    mover.retune(tuning);
    { mover.try_retune(tuning) } -> std::same_as<bool>;
    mover.tuning();
};

template <template <class> class... M>
constexpr bool each_moves_numbers_and_vectors = ((HasTheVerbs<M<float>> && HasTheVerbs<M<double>> &&
                                                  HasTheVerbs<M<Eigen::Vector3f>> &&
                                                  HasTheVerbs<M<Plain>> && IsTuned<M<double>> &&
                                                  IsTuned<M<Eigen::Vector3f>>)&&...);
template <class... M>
constexpr bool each_has_the_verbs = ((HasTheVerbs<M> && IsTuned<M>)&&...);

static_assert(each_moves_numbers_and_vectors<Follower, Glide, Pursuit, CurveMove, BoundedFollower,
                                             SizeFollower, SteppedFollower>);
static_assert(each_has_the_verbs<AngleFollower<float>, AngleGlide<double>, AnglePursuit<float>,
                                 AngleCurve<double>, SettleCurve, RotationFollower, RotationGlide,
                                 RotationPursuit, RotationCurve, PoseFollower>);
static_assert(each_has_the_verbs<Sleeper<Follower<float>>, Sleeper<PoseFollower>>);
static_assert(HasTheVerbs<Cascade<Eigen::Vector3f>> && HasTheVerbs<Sleeper<Cascade<double>>>);

/// Somewhere on the way, the target and then the rest of the step.
template <class M>
M in_two_parts(M mover, const typename M::Inputs& target, double dt, double part) {
    const auto midway = mover.target_on_way(target, part);
    mover.step(midway, part * dt);
    mover.step(target, (1 - part) * dt);
    return mover;
}

}  // namespace

TEST_CASE("where the target is on the way of a step makes two steps of it one", "[verbs]") {
    Random random{171};
    for (int i = 0; i < 40; ++i) {
        const double dt = random.over_magnitudes(0.01, 0.3);
        const double part = random.between(0.05, 0.95);
        const auto same = [&](auto mover) {
            mover.jump(random.between(-2, 2));
            mover.step(mover.target(), 0.1);
            const double target = random.between(-3, 3);
            const auto parted = in_two_parts(mover, target, dt, part);
            mover.step(target, dt);
            CHECK(parted.value() == Approx(mover.value()).margin(1e-10));
            CHECK(parted.velocity() == Approx(mover.velocity()).margin(1e-9));
        };
        std::apply([&](const auto&... movers) { (same(movers), ...); }, one_of_each_with_target());
    }
}

TEST_CASE("the same for rotations about one axis, and for poses", "[verbs]") {
    Random random{172};
    const auto same = [&](auto mover, const auto& first, const auto& then) {
        mover.jump(first);
        mover.step(first, 0.1);
        const auto parted = in_two_parts(mover, then, 0.2, random.between(0.05, 0.95));
        mover.step(then, 0.2);
        return std::pair{parted, mover};
    };
    const Quaternion first = turned_by({0, 1, 0});
    const Quaternion then = turned_by({0, 2.5, 0});
    const auto turns_alike = [&](auto start) {
        const auto [parted, whole] = same(start, first, then);
        CHECK(angle_between(parted.value(), whole.value()) < 1e-9);
        CHECK(length_of(parted.velocity() - whole.velocity()) < 1e-8);
    };
    turns_alike(RotationFollower{{}, Quaternion{}});
    turns_alike(RotationGlide{{}, Quaternion{}});
    turns_alike(RotationPursuit{{.max_speed = 3, .max_acceleration = 9}, Quaternion{}});
    turns_alike(RotationCurve{{}, Quaternion{}});
    const auto [parted, whole] = same(PoseFollower{{}, Pose{}}, Pose{{1, 0, 2}, first, {2, 1, 1}},
                                      Pose{{0, 3, 1}, then, {1, 0.5, 1}});
    CHECK(length_of(parted.value().position - whole.value().position) < 1e-10);
    CHECK(angle_between(parted.value().rotation, whole.value().rotation) < 1e-9);
    CHECK(length_of(parted.value().scale - whole.value().scale) < 1e-10);
}

TEST_CASE("a snap rests on the target, and the distance says how far that was", "[verbs]") {
    Random random{173};
    const auto snaps = [](auto mover, const auto& target) {
        mover.jump(target);
        mover.step(target, 0.05);
        CHECK(mover.distance_to_target() > 0);
        CHECK_FALSE(mover.at_rest(0.99 * mover.distance_to_target(), 1e9));
        CHECK(mover.at_rest(1.01 * mover.distance_to_target(), 1e9));
        const auto there = mover.target();
        CHECK(mover.snap() == StepStatus::stepped);
        CHECK(mover.still());
        CHECK(mover.distance_to_target() == 0);
        CHECK(is_same(mover.target(), there));
    };
    for (int i = 0; i < 10; ++i) {
        const double target = random.between(0.5, 3);
        std::apply([&](const auto&... movers) { (snaps(movers, target), ...); },
                   one_of_each_with_target());
        snaps(RotationFollower{{}, Quaternion{}}, turned_by(random_vector(random, 2)));
        snaps(PoseFollower{{}, Pose{}}, Pose{.position = random_vector(random, 2)});
        snaps(SteppedFollower<double>{{}, {}, 0.0}, target);
    }
}

TEST_CASE("a pose follows a target whose velocity is known", "[verbs]") {
    // Where all it does is known, the motion is the same at every rate.
    const auto target_at = [](double t) {
        return Pose{{t * t, 1, -t}, turned_by({0, 0.5 * t * t, 0}), {1 + t * t, 1, 1}};
    };
    const auto velocity_at = [](double t) {
        return PoseVelocity{{2 * t, 0, -1}, {0, t, 0}, {2 * t, 0, 0}};
    };
    const auto end_at = [&](int frames) {
        PoseFollower sign{PoseTuning::shared({.frequency_hz = 1, .damping_ratio = 0.6}), Pose{}};
        sign.step(target_at(0), velocity_at(0), 0);
        for (int i = 1; i <= frames; ++i) {
            const double t = i * 1.0 / frames;
            CHECK(sign.step(target_at(t), velocity_at(t), 1.0 / frames) == StepStatus::stepped);
        }
        return sign;
    };
    const PoseFollower coarse = end_at(6);
    const PoseFollower fine = end_at(600);
    CHECK(length_of(coarse.value().position - fine.value().position) < 1e-11);
    CHECK(angle_between(coarse.value().rotation, fine.value().rotation) < 1e-9);
    CHECK(length_of(coarse.value().scale - fine.value().scale) < 1e-3);
    PoseFollower sign = fine;
    CHECK(sign.step(target_at(1), PoseVelocity{{NAN, 0, 0}, {}, {}}, 0.1) == StepStatus::rejected);
    CHECK(sign.value() == fine.value());
}
