// The bank against the textbook loop over an array of structs, and against the machine's bandwidth.
//
// Each row is measured in pairs with the textbook, a few milliseconds of one and then of the other,
// both warm, on one thread. Printed is the median over the pairs of the ratio within a pair, so a
// machine that slows down slows both.

#include <algorithm>
#include <cstdio>
#include <deque>
#include <functional>
#include <string>
#include <vector>

#if defined(__x86_64__)
#include <immintrin.h>
#endif

#include <hopcoil/follow/follower_bank.hpp>

#include "timing.hpp"

namespace {

using hopcoil::FollowerBank;
using hopcoil::InstructionSet;
using hopcoil::Tuning;
using hopcoil::bench::median;
using hopcoil::bench::seconds_of;

constexpr double dt = 1.0 / 60;
constexpr std::size_t slice = 8'000'000;  ///< followers stepped between two looks at the clock
constexpr int pairs = 25;

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

struct Row {
    std::string name;
    std::function<void()> work;
    double bytes_per_item = 0.0;  ///< to be set against the triad
};

/// a = b + s c over arrays that no cache holds, counted as three moves of an element.
struct Triad {
    static constexpr std::size_t count = 1U << 24U;
    std::vector<float> a = std::vector<float>(count, 1);
    std::vector<float> b = std::vector<float>(count, 2);
    std::vector<float> c = std::vector<float>(count, 3);

    double bytes_per_s() {
        const double seconds = seconds_of(
            [this] {
                float* const to = a.data();
                for (std::size_t i = 0; i < count; ++i)
                    to[i] = b[i] + 0.5F * c[i];
                asm volatile("" : : "r"(to) : "memory");
            },
            1);
        return 3 * sizeof(float) * static_cast<double>(count) / seconds;
    }
};

void print(std::size_t count, const Row& row, double seconds) {
    std::printf("%9zu  %-43s %8.3f ns", count, row.name.c_str(),
                1e9 * seconds / static_cast<double>(count));
}

/// Times each row in pairs with the textbook; where no cache holds them, with the triad too.
void compare(std::size_t count, const Row& textbook, const std::vector<Row>& rows, Triad& triad) {
    const std::size_t calls = std::max<std::size_t>(2, slice / count);
    const std::size_t textbook_calls = std::max<std::size_t>(2, calls / 4);
    const bool is_in_memory = count >= slice;
    print(count, textbook, seconds_of(textbook.work, textbook_calls));
    std::printf("\n");
    for (const Row& row : rows) {
        std::vector<double> theirs;
        std::vector<double> ours;
        std::vector<double> ratios;
        std::vector<double> of_triad;
        for (int pair = 0; pair < pairs; ++pair) {
            theirs.push_back(seconds_of(textbook.work, textbook_calls));
            ours.push_back(seconds_of(row.work, calls));
            ratios.push_back(theirs.back() / ours.back());
            if (!is_in_memory || row.bytes_per_item == 0) continue;
            const double bytes = row.bytes_per_item * static_cast<double>(count);
            of_triad.push_back(bytes / ours.back() / triad.bytes_per_s());
        }
        print(count, row, median(ours));
        std::printf(" %7.1f times", median(ratios));
        if (!of_triad.empty()) std::printf("  %5.2f of the triad's bytes/s", median(of_triad));
        std::printf("\n");
    }
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
template <class S>
FollowerBank<S> bank_of(std::size_t count, InstructionSet set, bool varied) {
    FollowerBank<S> bank;
    bank.use(set);
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.4};
    const std::size_t group = varied ? bank.add_varied_group() : bank.add_group(tuning);
    bank.reserve(group, count);
    for (std::size_t i = 0; i < count; ++i) {
        Tuning own = tuning;
        if (varied) own.frequency_hz = 1 + 3 * static_cast<double>(i % 997) / 997;
        bank.add(group, {{S{0}}}, own);
    }
    for (S& next : bank.next_targets(group, 0))
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
    FollowerBank<float> bank = bank_of<float>(count, hopcoil::best_instruction_set(), false);
    for (int i = 0; i < 2; ++i) {
        for (float& next : bank.next_targets(0, 0))
            next = 0;
        bank.step_to_next(dt);
    }
    for (int i = 0; i < 40; ++i)
        bank.step(1000);
    return bank;
}

/// So that no two neighbouring steps take the same time.
double next_dt() {
    static int frame = 0;
    return dt + 1e-6 * (++frame % 100);
}

/// The rows, and the banks that they step.
struct Contest {
    std::size_t count;
    std::vector<InstructionSet> sets;
    std::deque<FollowerBank<float>> banks{};  ///< stay where they are as more come
    std::vector<Row> rows{};

    void add_shared() {
        for (const InstructionSet set : sets) {
            FollowerBank<float>& bank = banks.emplace_back(bank_of<float>(count, set, false));
            const std::string name = name_of(set);
            rows.push_back({"targets move, " + name, [&bank] { bank.step_to_next(dt); }, 24});
            rows.push_back({"targets held, " + name, [&bank] { bank.step(dt); }, 16});
        }
        FollowerBank<float>& best = banks.back();
        rows.push_back(
            {"targets move, dt changes, best set", [&best] { best.step_to_next(next_dt()); }, 24});
        FollowerBank<float>& mixed = banks.emplace_back(bank_of_all_ages(count));
        rows.push_back(
            {"targets move, all ages, best set", [&mixed] { mixed.step_to_next(dt); }, 24});
        FollowerBank<float>& settled = banks.emplace_back(settled_bank(count));
        rows.push_back({"settled, best set", [&settled] { settled.step_to_next(dt); }, 24});
    }
    void add_varied() {
        for (const InstructionSet set : sets) {
            FollowerBank<float>& bank = banks.emplace_back(bank_of<float>(count, set, true));
            const std::string name = name_of(set);
            rows.push_back({"a tuning each, " + name, [&bank] {
                                bank.step_to_next(dt);
                            }});
        }
        FollowerBank<float>& last = banks.back();
        rows.push_back({"a tuning each, dt changes", [&last] {
                            last.step_to_next(next_dt());
                        }});
    }
};

std::vector<InstructionSet> available_sets() {
    std::vector<InstructionSet> sets;
    for (const InstructionSet set :
         {InstructionSet::plain, InstructionSet::avx2, InstructionSet::avx512}) {
        if (hopcoil::is_available(set)) {
            sets.push_back(set);
        } else {
            std::printf("%s: not available on this processor\n", name_of(set));
        }
    }
    return sets;
}

}  // namespace

int main() {
#if defined(__x86_64__)
    // The textbook would crawl through denormals as it settles; the bank has none.
    _mm_setcsr(_mm_getcsr() | 0x8040U);
#endif
    Triad triad;
    std::printf("triad: %.1f GB/s\n", triad.bytes_per_s() / 1e9);
    std::printf("%9s  %-43s %11s %13s\n", "followers", "one step of one", "time", "the textbook's");
    const std::vector<InstructionSet> sets = available_sets();
    for (const std::size_t count :
         {std::size_t{1000}, std::size_t{16'000}, std::size_t{1'000'000}, std::size_t{8'000'000}}) {
        std::vector<TextbookSpring> springs(count);
        const std::vector<float> targets(count, 1.F);
        const Row textbook{"textbook, array of structs", [&] {
                               for (std::size_t i = 0; i < springs.size(); ++i)
                                   springs[i].step(targets[i], static_cast<float>(dt));
                               asm volatile("" : : "r"(springs.data()) : "memory");
                           }};
        Contest contest{count, sets};
        contest.add_shared();
        if (count <= 16'000) contest.add_varied();
        compare(count, textbook, contest.rows, triad);
    }
}
