// A bank has the bits of its followers, whatever instructions, threads and edits there are.

#include <array>
#include <cmath>
#include <cstring>
#include <stdexcept>
#include <thread>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/follower_bank.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using Catch::Matchers::Contains;

namespace {

template <class S>
bool same_bits(S a, S b) {
    return std::memcmp(&a, &b, sizeof(S)) == 0;
}

std::vector<InstructionSet> available_sets() {
    std::vector<InstructionSet> sets;
    for (const InstructionSet set :
         {InstructionSet::plain, InstructionSet::avx2, InstructionSet::avx512}) {
        if (is_available(set)) sets.push_back(set);
    }
    return sets;
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

TEST_CASE("a bank has the same bits on any number of threads", "[bank]") {
    FollowerBank<float> alone{2};
    const std::size_t group = alone.add_group({.frequency_hz = 1, .damping_ratio = 0.2});
    for (int i = 0; i < 20000; ++i)
        alone.add(group, {{static_cast<float>(i), 0.F}});
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
        for (FollowerBank<float>* bank : {&alone, &shared}) {
            for (std::size_t c = 0; c < 2; ++c) {
                std::size_t i = 0;
                for (float& target : bank->next_targets(group, c))
                    target =
                        std::sin(static_cast<float>(i++ + c) + 0.1F * static_cast<float>(frame));
            }
        }
        alone.step_to_next(1.0 / 60);
        shared.step_to_next(1.0 / 60, run);
    }
    for (std::size_t c = 0; c < 2; ++c) {
        CHECK(std::memcmp(alone.gaps(group, c).data(), shared.gaps(group, c).data(),
                          20000 * sizeof(float)) == 0);
    }
}

TEST_CASE("followers come and go while a bank runs, and each stays itself", "[bank]") {
    Random random{144};
    FollowerBank<double> bank{3};
    const std::array<Tuning, 2> tunings{Tuning{.frequency_hz = 1}, Tuning{.frequency_hz = 4}};
    const std::array<std::size_t, 2> groups{bank.add_group(tunings[0]), bank.add_group(tunings[1])};
    struct Twin {
        FollowerBank<double>::Id id;
        Follower<double> follower;
    };
    std::vector<Twin> twins;
    for (int frame = 0; frame < 400; ++frame) {
        if (twins.size() < 5 || random.chance(0.5)) {
            const auto which = static_cast<std::size_t>(random.whole(0, 1));
            const double start = random.between(-1, 1);
            const auto id = bank.add(groups[which], {{start, start + 1, 0.0}});
            bank.cut(id, {{2.0, 2.0, 2.0}});
            twins.push_back({id, Follower<double>{tunings[which], start + 1}});
            twins.back().follower.cut(2);
        } else {
            const auto victim =
                static_cast<std::size_t>(random.whole(0, static_cast<int>(twins.size()) - 1));
            bank.remove(twins[victim].id);
            CHECK_FALSE(bank.contains(twins[victim].id));
            twins.erase(twins.begin() + static_cast<std::ptrdiff_t>(victim));
        }
        bank.step(1.0 / 60);
        CHECK(bank.size() == twins.size());
        for (Twin& twin : twins) {
            twin.follower.step(2, 1.0 / 60);
            CHECK(bank.value(twin.id, 1) == twin.follower.value());
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
