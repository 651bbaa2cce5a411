#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/state.hpp>
#include <hopcoil/points/chain.hpp>
#include <hopcoil/points/chain_bank.hpp>

#include "support/allocations.hpp"
#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

constexpr auto both = {ChainSpacing::stretchy, ChainSpacing::fixed};

/// Each root on a way of its own.
Vector3 root_at(std::size_t chain, double t) {
    const double phase = 0.37 * static_cast<double>(chain);
    return {std::sin(2 * t + phase), 0.3 * std::sin(3 * t), std::cos(1.3 * t - phase)};
}

ChainBank moved(const ChainSettings& settings, std::size_t chains, int frames, InstructionSet set) {
    ChainBank bank{settings, chains};
    bank.use(set);
    for (std::size_t i = 0; i < chains; ++i)
        bank.reset(i, root_at(i, 0));
    for (int frame = 1; frame <= frames; ++frame) {
        for (std::size_t i = 0; i < chains; ++i)
            bank.set_next_root(i, root_at(i, frame / 60.0));
        bank.step(1 / 60.0);
    }
    return bank;
}

bool is_finite(const ChainBank& bank) {
    for (std::size_t i = 0; i < bank.size(); ++i) {
        for (std::size_t node = 0; node <= bank.settings().nodes; ++node) {
            const Vector3 p = bank.position(i, node) + bank.velocity(i, node);
            if (!std::isfinite(p.x + p.y + p.z)) return false;
        }
    }
    return true;
}

}  // namespace

TEST_CASE("a bank's chains move as Chain does, each on its own root", "[chain][bank]") {
    for (const ChainSpacing spacing : both) {
        for (const double carry : {0.0, 0.2, 0.5}) {
            const ChainSettings settings{
                .nodes = 12, .spacing_m = 0.1, .spacing = spacing, .carry = carry};
            constexpr std::size_t chains = 70;
            ChainBank bank{settings, chains};
            std::vector<Chain> alone;
            for (std::size_t i = 0; i < chains; ++i) {
                bank.reset(i, root_at(i, 0));
                alone.emplace_back(settings, root_at(i, 0));
            }
            double worst = 0;
            double worst_velocity = 0;
            for (int frame = 1; frame <= 200; ++frame) {
                const double t = frame / 60.0;
                for (std::size_t i = 0; i < chains; ++i) {
                    bank.set_next_root(i, root_at(i, t));
                    alone[i].step({.root = root_at(i, t)}, 1 / 60.0);
                }
                bank.step(1 / 60.0);
                for (std::size_t i = 0; i < chains; i += 23) {
                    for (std::size_t node = 0; node <= settings.nodes; ++node) {
                        worst =
                            std::max(worst, apart(alone[i].position(node), bank.position(i, node)));
                        worst_velocity = std::max(worst_velocity, apart(alone[i].velocities()[node],
                                                                        bank.velocity(i, node)));
                    }
                }
            }
            CAPTURE(spacing == ChainSpacing::fixed, carry);
            // The bank takes as many parts of a step as its quickest root asks for.
            CHECK(worst < (spacing == ChainSpacing::fixed ? 2e-3 : 1e-5));
            CHECK(worst_velocity < (spacing == ChainSpacing::fixed ? 5e-2 : 1e-3));
            CHECK(bank.rejected_inputs() == 0);
        }
    }
}

TEST_CASE("chains of a bank have the same bits with every instruction set", "[chain][bank]") {
    for (const ChainSpacing spacing : both) {
        const ChainSettings settings{.nodes = 9, .spacing = spacing};
        const ChainBank plain = moved(settings, 45, 120, InstructionSet::plain);
        for (const InstructionSet set : {InstructionSet::avx2, InstructionSet::avx512}) {
            if (!is_available(set)) continue;
            const ChainBank other = moved(settings, 45, 120, set);
            for (std::size_t i = 0; i < plain.size(); ++i) {
                for (std::size_t node = 1; node <= settings.nodes; ++node) {
                    const Vector3 a = plain.position(i, node);
                    const Vector3 b = other.position(i, node);
                    REQUIRE(std::memcmp(&a, &b, sizeof a) == 0);
                }
            }
        }
    }
}

TEST_CASE("a kilometre from the origin a bank's chain is as good as at it", "[chain][bank]") {
    for (const ChainSpacing spacing : both) {
        ChainBank bank{{.nodes = 8, .spacing_m = 0.1, .spacing = spacing}, 2};
        bank.reset(0, {});
        bank.reset(1, {1024, 512, -2048});
        std::array<float, 2> tips{};
        double worst = 0;
        for (int frame = 1; frame <= 240; ++frame) {
            // Steps that a float holds exactly in both places.
            const double x = frame < 128 ? frame / 64.0 : 2;
            bank.set_next_root(0, {x, 0, 0});
            bank.set_next_root(1, {1024 + x, 512, -2048});
            bank.step(1 / 60.0);
            for (std::size_t axis = 0; axis < 3; ++axis) {
                bank.read_offsets(8, axis, tips);
                worst = std::max(worst, static_cast<double>(std::abs(tips[0] - tips[1])));
            }
        }
        CHECK(worst == 0);
        CHECK(apart(bank.velocity(1, 8), {}) < 0.02);  // it comes to rest
    }
}

TEST_CASE("a bank's chain of fixed spacing keeps it; a stream bends chains, each its own",
          "[chain][bank]") {
    ChainBank bank{{.nodes = 10, .spacing_m = 0.1, .spacing = ChainSpacing::fixed}, 3};
    for (int frame = 1; frame <= 240; ++frame) {
        bank.streams(0)[1] = 3;
        bank.streams(0)[2] = -3;
        bank.step(1 / 60.0);
        for (std::size_t i = 0; i < 3; ++i) {
            for (std::size_t node = 1; node <= 10; ++node)
                CHECK(apart(bank.position(i, node), bank.position(i, node - 1)) ==
                      Approx(0.1).epsilon(1e-5));
        }
    }
    CHECK(bank.position(0, 10).x == 0);
    CHECK(bank.position(1, 10).x > 0.9);
    CHECK(bank.position(2, 10).x == Approx(-bank.position(1, 10).x));
}

TEST_CASE("nothing that a bank of chains is given makes it not finite, allocate or throw",
          "[chain][bank]") {
    Random random{5};
    constexpr float infinite = std::numeric_limits<float>::infinity();
    const std::array<float, 8> hostile{0,     infinite, -infinite, std::nanf(""),
                                       1e38F, -1e38F,   1e-42F,    1e9F};
    const std::array<double, 8> times{0, 1e-300, 1 / 60.0, 5, 1e300, -1, std::nan(""), 1e-5};
    for (const ChainSpacing spacing : both) {
        ChainBank bank{{.nodes = 5, .spacing = spacing}, 40};
        for (int i = 0; i < 2000; ++i) {
            const auto axis = static_cast<std::size_t>(random.between(0, 3));
            const auto chain = static_cast<std::size_t>(random.between(0, 40));
            const float number = hostile.at(static_cast<std::size_t>(random.between(0, 8)));
            const double choice = random.between(0, 1);
            if (choice < 0.5)
                bank.next_roots(axis)[chain] = number;
            else if (choice < 0.8)
                bank.streams(axis)[chain] = number;
            else
                bank.rest_directions(axis)[chain] = number;
            const long before = allocations();
            bank.step(times.at(static_cast<std::size_t>(random.between(0, 8))));
            CHECK(allocations() == before);
            REQUIRE(is_finite(bank));
        }
        CHECK(bank.rejected_inputs() > 0);
    }
}

TEST_CASE("a bank of chains goes on from a copy and from its bytes", "[chain][bank]") {
    for (const ChainSpacing spacing : both) {
        ChainBank bank = moved({.nodes = 6, .spacing = spacing}, 20, 50, InstructionSet::plain);
        ChainBank copy = bank;
        const auto blob = save_state(bank);
        ChainBank loaded{bank.settings(), 20};
        loaded.use(InstructionSet::plain);
        REQUIRE(load_state(loaded, blob));
        for (ChainBank* each : {&bank, &copy, &loaded}) {
            each->set_next_root(3, {1, 2, 3});
            each->step(0.02);
        }
        CHECK(copy.position(3, 6) == bank.position(3, 6));
        CHECK(loaded.position(3, 6) == bank.position(3, 6));
        CHECK(loaded.velocity(7, 5) == bank.velocity(7, 5));
        ChainBank other{{.nodes = 7, .spacing = spacing}, 20};
        CHECK_FALSE(load_state(other, blob));
    }
}

TEST_CASE("what a bank of chains cannot do is refused by name", "[chain][bank]") {
    using Catch::Matchers::Contains;
    CHECK_THROWS_WITH((ChainBank{{.bend_limit_rad = 1}, 2}), Contains("bend_limit_rad"));
    CHECK_THROWS_WITH((ChainBank{{.spacing_m = -1}, 2}), Contains("spacing_m"));
    ChainBank bank{{.nodes = 4}, 2};
    CHECK_THROWS_WITH(bank.retune({.nodes = 5}), Contains("nodes"));
    CHECK_THROWS_AS(bank.position(2, 1), std::out_of_range);
    CHECK_THROWS_AS(bank.position(1, 5), std::out_of_range);
    CHECK_THROWS_AS(bank.set_next_root(2, {}), std::out_of_range);
}
