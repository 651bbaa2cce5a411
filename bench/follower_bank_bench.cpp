// The bank against the textbook loop over an array of structs, and against the machine's bandwidth.
//
// Every row is measured in turn with the others, round after round, on one thread; what is printed
// is the median over the rounds of the ratio within a round, so a machine that slows down slows
// both.

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <functional>
#include <string>
#include <vector>

#if defined(__x86_64__)
#include <immintrin.h>
#endif

#include <hopcoil/follow/follower_bank.hpp>

namespace {

using hopcoil::FollowerBank;
using hopcoil::InstructionSet;
using hopcoil::Tuning;

constexpr double dt = 1.0 / 60;
constexpr int rounds = 9;

/// What a practitioner writes first: the coefficient form y + a y' + b y'' = x + c x' by
/// semi-implicit Euler, the target's rate from its last place, and the clamp on b that keeps it
/// from exploding.
struct TextbookSpring {
    float value = 0;
    float velocity = 0;
    float last_target = 0;
    float a = 0.0637F;
    float b = 0.00633F;
    float c = 0;

    void step(float target, float step_s) {
        const float rate = (target - last_target) / step_s;
        last_target = target;
        const float stable = std::max({b, step_s * (step_s + a) / 2, step_s * a});
        value += step_s * velocity;
        velocity += step_s * (target + c * rate - value - a * velocity) / stable;
    }
};

/// Seconds a call of `work`, by as many calls as take some milliseconds.
double seconds_of(const std::function<void()>& work, int calls) {
    const auto start = std::chrono::steady_clock::now();
    for (int i = 0; i < calls; ++i)
        work();
    const std::chrono::duration<double> taken = std::chrono::steady_clock::now() - start;
    return taken.count() / calls;
}

double median(std::vector<double> values) {
    std::sort(values.begin(), values.end());
    return values[values.size() / 2];
}

struct Row {
    std::string name;
    std::function<void()> work;
    double bytes_per_item = 0.0;  ///< to be set against the triad
};

/// Times the rows against the first of them, in turn.
void compare(std::size_t count, const std::vector<Row>& rows, double triad_bytes_per_s) {
    const int calls = static_cast<int>(std::max<std::size_t>(1, 4'000'000 / count));
    std::vector<std::vector<double>> taken(rows.size());
    for (int round = 0; round < rounds; ++round) {
        for (std::size_t i = 0; i < rows.size(); ++i)
            taken[i].push_back(seconds_of(rows[i].work, calls));
    }
    for (std::size_t i = 0; i < rows.size(); ++i) {
        std::vector<double> ratios;
        for (int round = 0; round < rounds; ++round) {
            const auto r = static_cast<std::size_t>(round);
            ratios.push_back(taken[0][r] / taken[i][r]);
        }
        const double seconds = median(taken[i]);
        std::printf("%9zu  %-38s %8.3f ns %7.1f times", count, rows[i].name.c_str(),
                    1e9 * seconds / static_cast<double>(count), median(ratios));
        if (rows[i].bytes_per_item > 0) {
            const double per_s = rows[i].bytes_per_item * static_cast<double>(count) / seconds;
            std::printf("  %5.2f of the triad's bytes/s", per_s / triad_bytes_per_s);
        }
        std::printf("\n");
    }
}

/// a = b + s c over arrays that no cache holds, counted as three moves of an element.
double triad_bytes_per_s() {
    constexpr std::size_t count = 1U << 24U;
    std::vector<float> a(count, 1);
    const std::vector<float> b(count, 2);
    const std::vector<float> c(count, 3);
    std::vector<double> rates;
    for (int round = 0; round < rounds; ++round) {
        const double seconds = seconds_of(
            [&] {
                float* const to = a.data();
                for (std::size_t i = 0; i < count; ++i)
                    to[i] = b[i] + 0.5F * c[i];
                asm volatile("" : : "r"(to) : "memory");
            },
            1);
        rates.push_back(3 * sizeof(float) * static_cast<double>(count) / seconds);
    }
    return median(rates);
}

const char* name_of(InstructionSet set) {
    switch (set) {
        case InstructionSet::avx512:
            return "AVX-512";
        case InstructionSet::avx2:
            return "AVX2";
        case InstructionSet::plain:
            break;
    }
    return "plain";
}

/// A bank whose targets differ between any two steps: both buffers are written once.
FollowerBank<float> bank_of(std::size_t count, InstructionSet set, bool varied) {
    FollowerBank<float> bank;
    bank.use(set);
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.4};
    const std::size_t group = varied ? bank.add_varied_group() : bank.add_group(tuning);
    bank.reserve(group, count);
    for (std::size_t i = 0; i < count; ++i) {
        Tuning own = tuning;
        if (varied) own.frequency_hz = 1 + 3 * static_cast<double>(i % 997) / 997;
        bank.add(group, {{0.F}}, own);
    }
    for (float& next : bank.next_targets(group, 0))
        next = 1;
    bank.step_to_next(dt);
    return bank;
}

/// One follower more a step, so that no two neighbours look for rest at the same step.
FollowerBank<float> bank_of_all_ages(std::size_t count) {
    FollowerBank<float> bank;
    const std::size_t group = bank.add_group({.frequency_hz = 2, .damping_ratio = 0.4});
    bank.reserve(group, count);
    for (std::size_t i = 0; i < count; ++i) {
        if (i < 1000) bank.step(dt);
        bank.add(group, {{0.F}});
    }
    // Beyond the first thousand every 16th of these is replaced between two steps.
    for (std::size_t turn = 1; turn < 16 && count > 1000; ++turn) {
        bank.step(dt);
        for (std::size_t id = 1000 + turn; id < count; id += 16) {
            bank.remove(static_cast<FollowerBank<float>::Id>(id));
            bank.add(group, {{0.F}});
        }
    }
    for (float& next : bank.next_targets(group, 0))
        next = 1;
    bank.step_to_next(dt);
    return bank;
}

FollowerBank<float> settled_bank(std::size_t count) {
    FollowerBank<float> bank = bank_of(count, hopcoil::best_instruction_set(), false);
    for (int i = 0; i < 2; ++i) {
        for (float& next : bank.next_targets(0, 0))
            next = 0;
        bank.step_to_next(dt);
    }
    for (int i = 0; i < 40; ++i)
        bank.step(1000);
    return bank;
}

}  // namespace

int main() {
#if defined(__x86_64__)
    // The textbook would crawl through denormals as it settles; the bank has none.
    _mm_setcsr(_mm_getcsr() | 0x8040U);
#endif
    const double triad = triad_bytes_per_s();
    std::printf("triad: %.1f GB/s\n", triad / 1e9);
    std::printf("%9s  %-38s %11s %13s\n", "followers", "one step of one", "time", "the textbook's");

    std::vector<InstructionSet> sets;
    for (const InstructionSet set :
         {InstructionSet::plain, InstructionSet::avx2, InstructionSet::avx512}) {
        if (hopcoil::is_available(set)) {
            sets.push_back(set);
        } else {
            std::printf("%s: not available on this processor\n", name_of(set));
        }
    }
    for (const std::size_t count :
         {std::size_t{1000}, std::size_t{16'000}, std::size_t{1'000'000}, std::size_t{8'000'000}}) {
        std::vector<TextbookSpring> springs(count);
        const std::vector<float> targets(count, 1.F);
        int frame = 0;
        std::vector<Row> rows{{"textbook, array of structs", [&] {
                                   for (std::size_t i = 0; i < springs.size(); ++i)
                                       springs[i].step(targets[i], static_cast<float>(dt));
                                   asm volatile("" : : "r"(springs.data()) : "memory");
                               }}};
        std::vector<FollowerBank<float>> banks;
        banks.reserve(16);
        const auto changing_dt = [&frame] {
            return dt + 1e-6 * (++frame % 100);
        };
        for (const InstructionSet set : sets) {
            FollowerBank<float>& shared = banks.emplace_back(bank_of(count, set, false));
            const std::string name = name_of(set);
            rows.push_back({"targets move, " + name, [&shared] { shared.step_to_next(dt); }, 24});
            rows.push_back({"targets held, " + name, [&shared] { shared.step(dt); }, 16});
        }
        FollowerBank<float>& best = banks.back();
        rows.push_back({"targets move, dt changes, best set",
                        [&best, changing_dt] { best.step_to_next(changing_dt()); }, 24});
        FollowerBank<float>& mixed = banks.emplace_back(bank_of_all_ages(count));
        rows.push_back(
            {"targets move, all ages, best set", [&mixed] { mixed.step_to_next(dt); }, 24});
        FollowerBank<float>& settled = banks.emplace_back(settled_bank(count));
        rows.push_back({"settled, best set", [&settled] { settled.step_to_next(dt); }, 24});
        for (const InstructionSet set : sets) {
            if (count > 16'000) break;
            FollowerBank<float>& varied = banks.emplace_back(bank_of(count, set, true));
            const std::string name = name_of(set);
            rows.push_back({"a tuning each, " + name, [&varied] { varied.step_to_next(dt); }, 0});
            rows.push_back({"a tuning each, dt changes, " + name,
                            [&varied, changing_dt] { varied.step_to_next(changing_dt()); }, 0});
        }
        compare(count, rows, triad);
    }
}
