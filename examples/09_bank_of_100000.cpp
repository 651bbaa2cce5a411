// A hundred thousand reeds bend after the wind, on as many threads as there are, with the bits of
// one follower stepped alone.

#include <algorithm>
#include <cstdio>
#include <thread>
#include <vector>

#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/follower_bank.hpp>

int main() {
    const hopcoil::Tuning tuning{.frequency_hz = 0.8, .damping_ratio = 0.2};
    constexpr int count = 100'000;
    hopcoil::FollowerBank<float> reeds;
    const std::size_t bed = reeds.add_group(tuning);
    reeds.reserve(bed, count);
    for (int i = 0; i < count; ++i)
        reeds.add(bed, {{0.F}});

    const auto on_threads = [](std::size_t blocks, const auto& task) {
        const std::size_t workers = std::max(1U, std::thread::hardware_concurrency());
        std::vector<std::thread> threads;
        for (std::size_t t = 0; t < workers; ++t) {
            threads.emplace_back([&, t] {
                for (std::size_t i = t; i < blocks; i += workers)
                    task(i);
            });
        }
        for (std::thread& each : threads)
            each.join();
    };

    hopcoil::Follower<float> alone{tuning, 0.F};
    for (int frame = 0; frame < 120; ++frame) {
        const float gust = frame < 30 ? 1.F : 0.2F;
        std::ranges::fill(reeds.next_targets(bed, 0), gust);
        reeds.step_to_next(1.0 / 60, on_threads);
        alone.step(gust, 1.0 / 60);
    }
    std::printf("the last reed bends %.6f, one alone %.6f\n",
                static_cast<double>(reeds.value(count - 1, 0)), static_cast<double>(alone.value()));
    std::printf("the same bits: %s; anything still moving: %s\n",
                reeds.value(count - 1, 0) == alone.value() ? "yes" : "no",
                reeds.is_anything_moving() ? "yes" : "no");
}
