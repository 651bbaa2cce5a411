// A bank has the bits of its followers, whatever instructions, threads and edits there are.

#include <algorithm>
#include <array>
#include <cmath>
#include <initializer_list>
#include <limits>
#include <span>
#include <stdexcept>
#include <thread>
#include <utility>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/follower_bank.hpp>

#include "support/allocations.hpp"
#include "support/instruction_sets.hpp"
#include "support/numbers.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

bool have_same_bits(std::span<const float> a, std::span<const float> b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), same_bits<float>);
}

/// The same followers one by one and in a bank, under the same wild life.
template <class S>
void compare_with_followers(InstructionSet set, bool varied, std::size_t count, unsigned seed) {
    Random random{seed};
    FollowerBank<S> bank{1};
    bank.use(set);
    std::vector<Follower<S>> followers;
    std::vector<typename FollowerBank<S>::Id> ids;
    const Tuning shared{.frequency_hz = 2.3, .damping_ratio = 0.3, .lead = 0.4};
    const std::size_t group = varied ? bank.add_varied_group() : bank.add_group(shared);
    for (std::size_t i = 0; i < count; ++i) {
        const Tuning tuning = varied ? Tuning{.frequency_hz = random.over_magnitudes(0.1, 30),
                                              .damping_ratio = random.between(0, 3),
                                              .lead = random.between(-1, 2)}
                                     : shared;
        const S start = static_cast<S>(random.between(-5, 5));
        followers.emplace_back(tuning, start);
        ids.push_back(bank.add(group, {{start}}, tuning));
    }
    for (int frame = 0; frame < 60; ++frame) {
        const double dt = frame % 5 == 0 ? random.over_magnitudes(1e-4, 0.3) : 1.0 / 60;
        const bool held = random.chance(0.3);
        const std::span<S> next = bank.next_targets(group, 0);
        for (std::size_t i = 0; i < count; ++i) {
            S target = followers[i].target();
            if (!held) {
                target = static_cast<S>(random.between(-5, 5));
                if (random.chance(0.002)) target = static_cast<S>(NAN);
                if (random.chance(0.002)) target = static_cast<S>(sizeof(S) == 4 ? 3e38 : 1e308);
                next[i] = target;
            }
            followers[i].step(target, dt);
        }
        if (held) {
            bank.step(dt);
        } else {
            bank.step_to_next(dt);
        }
        if (frame % 7 == 0) {
            const auto i = static_cast<std::size_t>(random.whole(0, static_cast<int>(count) - 1));
            const S by = static_cast<S>(random.between(-9, 9));
            followers[i].push(by);
            bank.push(ids[i], {{by}});
            followers[i].jump(by);
            bank.jump(ids[i], {{by}});
        }
        for (std::size_t i = 0; i < count; ++i) {
            const bool same = same_bits(bank.value(ids[i], 0), followers[i].value()) &&
                              same_bits(bank.velocity(ids[i], 0), followers[i].velocity()) &&
                              same_bits(bank.target(ids[i], 0), followers[i].target());
            if (!same) FAIL("other bits in frame " << frame << ", follower " << i);
        }
    }
    std::uint64_t rejected = 0;
    for (const Follower<S>& each : followers)
        rejected += each.rejected_inputs();
    CHECK(bank.rejected_inputs() == rejected);
}

/// A follower and the same one in a bank, each component of it.
template <class S>
struct Twin {
    typename FollowerBank<S>::Id id;
    std::vector<Follower<S>> followers;

    void require_same_bits(const FollowerBank<S>& bank) const {
        for (std::size_t c = 0; c < followers.size(); ++c) {
            const bool same = same_bits(bank.value(id, c), followers[c].value()) &&
                              same_bits(bank.velocity(id, c), followers[c].velocity());
            if (!same) {
                const Tuning& tuning = followers[c].tuning();
                FAIL("other bits at " << tuning.frequency_hz << " Hz, damping ratio "
                                      << tuning.damping_ratio << ", lead " << tuning.lead);
            }
        }
    }
};

/// What games use, and what nobody does.
Tuning any_tuning(Random& random) {
    if (random.chance(0.05)) return {.frequency_hz = 0};
    if (random.chance(0.02)) {
        return {.frequency_hz = random.over_magnitudes(1e-300, 1e300),
                .damping_ratio = random.over_magnitudes(1e-300, 1e300),
                .lead = random.over_magnitudes(1e-300, 1e300)};
    }
    if (random.chance(0.3)) {
        return {.frequency_hz = random.over_magnitudes(1e-3, 1e3),
                .damping_ratio = random.between(0, 50),
                .lead = random.between(-3, 3)};
    }
    return {.frequency_hz = random.over_magnitudes(0.2, 12),
            .damping_ratio = random.between(0, 2),
            .lead = random.chance(0.5) ? 0 : random.between(-0.5, 1.5)};
}

/// As frames go, or not at all like that.
double any_dt(Random& random) {
    return random.chance(0.7)   ? random.between(0.01, 0.03)
           : random.chance(0.8) ? random.over_magnitudes(1e-5, 0.5)
           : random.chance(0.5) ? random.over_magnitudes(1e-300, 1e300)
                                : 0;
}

/// Each follower of a group with its own tuning, at time steps that change or stay as they like.
template <class S>
void compare_varied(InstructionSet set, std::size_t components, std::size_t count, unsigned seed) {
    Random random{seed};
    FollowerBank<S> bank{components};
    bank.use(set);
    const std::size_t group = bank.add_varied_group();
    std::vector<Twin<S>> twins;
    const auto add = [&] {
        const Tuning tuning = any_tuning(random);
        const std::vector<S> start(components, static_cast<S>(random.between(-5, 5)));
        twins.push_back({bank.add(group, start, tuning),
                         std::vector(components, Follower<S>{tuning, start[0]})});
    };
    while (twins.size() < count)
        add();
    double dt = 1.0 / 60;
    for (int frame = 0; frame < 60; ++frame) {
        if (random.chance(0.7)) dt = any_dt(random);
        for (std::size_t c = 0; c < components; ++c) {
            const std::span<S> next = bank.next_targets(group, c);
            for (Twin<S>& twin : twins) {
                const S target = static_cast<S>(random.between(-5, 5));
                next[bank.slot_of(twin.id)] = target;
                twin.followers[c].step(target, dt);
            }
        }
        bank.step_to_next(dt);
        for (const Twin<S>& twin : twins)
            twin.require_same_bits(bank);

        const auto pick = [&] {
            return static_cast<std::size_t>(random.whole(0, static_cast<int>(twins.size()) - 1));
        };
        Twin<S>& changed = twins[pick()];
        const Tuning tuning = any_tuning(random);
        bank.retune_one(changed.id, tuning);
        for (Follower<S>& each : changed.followers)
            each.retune(tuning);
        if (twins.size() > 2 && random.chance(0.3)) {
            const std::size_t victim = pick();
            bank.remove(twins[victim].id);
            twins.erase(twins.begin() + static_cast<std::ptrdiff_t>(victim));
        }
        if (random.chance(0.3)) add();
    }
}

/// Many tunings as games use them.
template <class S>
void compare_many_tunings(InstructionSet set, double fastest_hz) {
    Random random{156};
    FollowerBank<S> bank;
    bank.use(set);
    const std::size_t group = bank.add_varied_group();
    std::vector<Twin<S>> twins;
    for (int i = 0; i < 10000; ++i) {
        const Tuning tuning{.frequency_hz = random.between(0.2, fastest_hz),
                            .damping_ratio = random.between(0, 2),
                            .lead = random.between(-1, 2)};
        twins.push_back({bank.add(group, {{S{0}}}, tuning), {Follower<S>{tuning, S{0}}}});
        bank.jump(twins.back().id, {{S{1}}});
        twins.back().followers[0].jump(S{1});
    }
    for (int frame = 0; frame < 4; ++frame) {
        const double dt = random.between(0.01, 0.02);
        bank.step(dt);
        for (Twin<S>& twin : twins) {
            twin.followers[0].step(S{1}, dt);
            twin.require_same_bits(bank);
        }
    }
}

/// All toward 1 but for one, and that one toward what is wrong or too large.
template <class S>
void one_goes_astray(InstructionSet set, S astray) {
    constexpr std::size_t count = 37;  // whole vectors and a rest with every set
    constexpr double dt = 1.0 / 60;
    const Tuning tuning{.frequency_hz = 30, .damping_ratio = 0.2};
    FollowerBank<S> bank;
    bank.use(set);
    const std::size_t group = bank.add_group(tuning);
    for (std::size_t i = 0; i < count; ++i)
        bank.add(group, {{S{-1}}});
    for (std::size_t place = 0; place < count; ++place) {
        FollowerBank<S> tried = bank;
        std::vector<Follower<S>> followers(count, Follower<S>{tuning, S{-1}});
        for (int frame = 0; frame < 3; ++frame) {
            const std::span<S> next = tried.next_targets(group, 0);
            for (std::size_t i = 0; i < count; ++i) {
                next[i] = i == place && frame == 1 ? astray : S{1};
                followers[i].step(next[i], dt);
            }
            tried.step_to_next(dt);
        }
        for (std::size_t i = 0; i < count; ++i) {
            const S value = tried.targets(group, 0)[i] + tried.gaps(group, 0)[i];
            const S velocity = tried.velocities(group, 0)[i];
            const bool is_right = std::isfinite(value) && std::isfinite(velocity) &&
                                  same_bits(value, followers[i].value()) &&
                                  same_bits(velocity, followers[i].velocity());
            if (!is_right) FAIL(astray << " in place " << place << ": other bits in place " << i);
        }
    }
}

template <class S>
std::vector<S> all_that_goes_astray() {
    using Limits = std::numeric_limits<S>;
    std::vector<S> all;
    for (const S size : {Limits::quiet_NaN(), Limits::infinity(), Limits::max(), Limits::max() / 2,
                         std::sqrt(Limits::max())}) {
        all.push_back(size);
        all.push_back(-size);
    }
    return all;
}

}  // namespace

TEST_CASE("a bank has the bits of its followers with every instruction set", "[bank]") {
    for (const InstructionSet set : available_sets()) {
        for (const bool varied : {false, true}) {
            compare_with_followers<float>(set, varied, 1237, 141);
            compare_with_followers<double>(set, varied, 517, 142);
            compare_with_followers<float>(set, varied, 5, 143);
        }
    }
}

TEST_CASE("a target that is wrong or too large harms no other, in whatever place", "[bank]") {
    for (const InstructionSet set : available_sets()) {
        for (const float astray : all_that_goes_astray<float>())
            one_goes_astray(set, astray);
        for (const double astray : all_that_goes_astray<double>())
            one_goes_astray(set, astray);
    }
}

TEST_CASE("copied, moved and assigned, banks of any size go on alike", "[bank]") {
    Random random{146};
    for (const std::size_t count : {3U, 500U, 600U, 3000U}) {
        FollowerBank<float> bank{2};
        const std::size_t group = bank.add_group({.frequency_hz = 2, .damping_ratio = 0.3});
        const auto step_all = [&](std::initializer_list<FollowerBank<float>*> banks) {
            const auto seed = static_cast<unsigned>(random.whole(0, 1000));
            for (FollowerBank<float>* each : banks) {
                Random targets{seed};
                for (std::size_t c = 0; c < 2; ++c) {
                    for (float& next : each->next_targets(group, c))
                        next = static_cast<float>(targets.between(-1, 1));
                }
                each->step_to_next(1.0 / 60);
            }
        };
        for (std::size_t i = 0; i < count; ++i)
            bank.add(group, {{static_cast<float>(i), 0.F}});
        step_all({&bank});
        FollowerBank<float> copy = bank;
        step_all({&bank, &copy});
        FollowerBank<float> moved = std::move(copy);
        FollowerBank<float> assigned{2};
        assigned.add_group({});
        assigned = bank;
        step_all({&bank, &moved, &assigned});
        for (FollowerBank<float>* each : {&bank, &moved, &assigned})
            each->add(group, {{5.F, 6.F}});
        step_all({&bank, &moved, &assigned});
        for (const FollowerBank<float>* each : {&moved, &assigned}) {
            for (std::size_t c = 0; c < 2; ++c) {
                CHECK(have_same_bits(each->gaps(group, c), bank.gaps(group, c)));
                CHECK(have_same_bits(each->velocities(group, c), bank.velocities(group, c)));
            }
        }
    }
}

TEST_CASE("with a tuning each, a bank has the bits of its followers at any time steps", "[bank]") {
    for (const InstructionSet set : available_sets()) {
        compare_varied<float>(set, 1, 3001, 151);
        compare_varied<float>(set, 3, 700, 152);
        compare_varied<float>(set, 1, 3, 153);
        compare_varied<double>(set, 2, 300, 154);
    }
}

TEST_CASE("coefficients found many at a time round as those found one by one", "[bank]") {
    // Up to four radians a step there is a quick way to them, and beyond there is none.
    for (const InstructionSet set : available_sets()) {
        for (const double fastest_hz : {4.0, 9.0, 20.0, 90.0}) {
            compare_many_tunings<float>(set, fastest_hz);
            compare_many_tunings<double>(set, fastest_hz);
        }
    }
}

TEST_CASE("groups of any tunings have the bits of their followers at any time steps", "[bank]") {
    for (const InstructionSet set : available_sets()) {
        Random random{155};
        FollowerBank<float> bank;
        bank.use(set);
        std::vector<Twin<float>> twins;
        for (std::size_t group = 0; group < 300; ++group) {
            const Tuning tuning = any_tuning(random);
            bank.add_group(tuning);
            for (int i = 0; i < 9; ++i)
                twins.push_back({bank.add(group, {{1.F}}), {Follower<float>{tuning, 1.F}}});
        }
        for (int frame = 0; frame < 60; ++frame) {
            const double dt = any_dt(random);
            for (std::size_t i = 0; i < twins.size(); ++i) {
                const auto target = static_cast<float>(random.between(-5, 5));
                bank.next_targets(i / 9, 0)[i % 9] = target;
                twins[i].followers[0].step(target, dt);
            }
            bank.step_to_next(dt);
            for (const Twin<float>& twin : twins)
                twin.require_same_bits(bank);
        }
    }
}

TEST_CASE("what settles in a bank is at rest in the step in which a follower is", "[bank]") {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.9, .lead = 0.3};
    for (const InstructionSet set : available_sets()) {
        FollowerBank<float> bank;
        bank.use(set);
        const std::array<std::size_t, 2> groups{bank.add_group(tuning), bank.add_varied_group()};
        std::vector<Twin<float>> twins;
        for (int frame = 0; frame < 700; ++frame) {
            // They come one after the other, so that each looks at its own steps.
            for (const std::size_t group : groups) {
                if (frame >= 60) continue;
                twins.push_back({bank.add(group, {{1.F}}, tuning), {Follower<float>{tuning, 1}}});
                bank.jump(twins.back().id, {{2.F}});
                twins.back().followers[0].jump(2);
            }
            bank.step(1.0 / 60);
            for (Twin<float>& twin : twins) {
                twin.followers[0].step(2, 1.0 / 60);
                twin.require_same_bits(bank);
            }
        }
        CHECK_FALSE(bank.is_anything_moving());
        for (const Twin<float>& twin : twins)
            CHECK(twin.followers[0].still());
    }
}

TEST_CASE("a bank has the same bits on any number of threads", "[bank]") {
    Random random{145};
    for (const std::size_t components : {std::size_t{1}, std::size_t{2}}) {
        FollowerBank<float> alone{components};
        const std::array<std::size_t, 2> groups{
            alone.add_group({.frequency_hz = 1, .damping_ratio = 0.2}), alone.add_varied_group()};
        for (int i = 0; i < 10000; ++i) {
            const std::vector<float> start(components, static_cast<float>(i));
            alone.add(groups[0], start);
            alone.add(groups[1], start, any_tuning(random));
        }
        FollowerBank<float> shared = alone;
        const auto run = [](std::size_t count, const auto& task) {
            std::vector<std::thread> threads;
            for (std::size_t t = 0; t < 3; ++t) {
                threads.emplace_back([&, t] {
                    for (std::size_t i = t; i < count; i += 3)
                        task(i);
                });
            }
            for (std::thread& each : threads)
                each.join();
        };
        for (int frame = 0; frame < 20; ++frame) {
            for (const std::size_t group : groups) {
                for (std::size_t c = 0; c < components; ++c) {
                    const std::span<float> next = alone.next_targets(group, c);
                    for (float& target : next)
                        target = static_cast<float>(random.between(-9, 9));
                    std::copy(next.begin(), next.end(), shared.next_targets(group, c).begin());
                }
            }
            const double dt = frame % 3 == 0 ? 1.0 / 60 : random.between(0.01, 0.03);
            alone.step_to_next(dt);
            shared.step_to_next(dt, run);
        }
        for (const std::size_t group : groups) {
            for (std::size_t c = 0; c < components; ++c) {
                CHECK(have_same_bits(alone.gaps(group, c), shared.gaps(group, c)));
            }
        }
    }
}

TEST_CASE("followers come and go while a bank runs, and each stays itself", "[bank]") {
    Random random{144};
    FollowerBank<double> bank{3};
    const std::array<Tuning, 2> tunings{Tuning{.frequency_hz = 1}, Tuning{.frequency_hz = 4}};
    const std::array<std::size_t, 2> groups{bank.add_group(tunings[0]), bank.add_group(tunings[1])};
    std::vector<Twin<double>> twins;
    for (int frame = 0; frame < 400; ++frame) {
        if (twins.size() < 5 || random.chance(0.5)) {
            const auto which = static_cast<std::size_t>(random.whole(0, 1));
            const double start = random.between(-1, 1);
            const auto id = bank.add(groups[which], {{start, start + 1, 0.0}});
            bank.cut(id, {{2.0, 2.0, 2.0}});
            twins.push_back({id, {Follower<double>{tunings[which], start + 1}}});
            twins.back().followers[0].cut(2);
        } else {
            const auto victim =
                static_cast<std::size_t>(random.whole(0, static_cast<int>(twins.size()) - 1));
            bank.remove(twins[victim].id);
            CHECK_FALSE(bank.contains(twins[victim].id));
            twins.erase(twins.begin() + static_cast<std::ptrdiff_t>(victim));
        }
        bank.step(1.0 / 60);
        CHECK(bank.size() == twins.size());
        for (Twin<double>& twin : twins) {
            twin.followers[0].step(2, 1.0 / 60);
            CHECK(same_bits(bank.value(twin.id, 1), twin.followers[0].value()));
        }
    }
}

TEST_CASE("a bank's steps take no memory, and it says when all is still", "[bank]") {
    FollowerBank<float> bank{3};
    const std::size_t reeds = bank.add_group({.frequency_hz = 3, .damping_ratio = 1});
    for (int i = 0; i < 5000; ++i)
        bank.add(reeds, {{0.F, 1.F, 2.F}});
    CHECK_FALSE(bank.is_anything_moving());
    bank.cut(17, {{5.F, 5.F, 5.F}});
    CHECK(bank.is_anything_moving());
    FollowerBank<float> copy = bank;  // before its first step
    const long before = allocations();
    copy.step(1.0 / 60);
    for (int frame = 0; frame < 2000; ++frame)
        bank.step(frame % 2 == 0 ? 1.0 / 60 : 1.0 / 59);
    CHECK(allocations() == before);
    CHECK_FALSE(bank.is_anything_moving());
    CHECK(bank.value(17, 0) == 5.F);
    bank.step(-1);
    bank.step(NAN);
    CHECK(bank.rejected_inputs() == 2);
}

TEST_CASE("a bank refuses what cannot be", "[bank]") {
    CHECK_THROWS_WITH(FollowerBank<float>{5}, Contains("1 to 4"));
    FollowerBank<float> bank{2};
    CHECK_THROWS_AS(bank.add(0, {{1.F, 2.F}}), std::out_of_range);
    CHECK_THROWS_WITH(bank.add_group({.frequency_hz = -1}), Contains("frequency_hz"));
    const std::size_t group = bank.add_group({});
    CHECK_THROWS_WITH(bank.add(group, {{1.F}}), Contains("2 components"));
    CHECK_THROWS_WITH(bank.add(group, {{1.F, NAN}}), Contains("start"));
    CHECK_THROWS_WITH(bank.add(group, {{1.F, 1.F}}, {.frequency_hz = 9}), Contains("varied"));
    const auto id = bank.add(group, {{1.F, 2.F}});
    bank.remove(id);
    CHECK_THROWS_AS(bank.value(id, 0), std::out_of_range);
    CHECK_THROWS_AS(bank.remove(id), std::out_of_range);
}
