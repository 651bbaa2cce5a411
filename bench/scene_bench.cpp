// A minute of 1,000 followers at 240 Hz: from scene to take, and from take to CSV. `times_real` is
// how many times faster than the minute itself.

#include <cstddef>
#include <filesystem>
#include <string>

#include <benchmark/benchmark.h>

#include <hopcoil/io/take_file.hpp>
#include <hopcoil/scene/kinds/movers.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>

using namespace hopcoil;
using namespace hopcoil::scene;

namespace {

Scene minute() {
    Scene scene;
    scene.duration_s = 60;
    scene.rate_hz = 240;
    scene.targets.push_back(
        {.name = "hook",
         .unit = "m",
         .path = MovesTarget{0, {Jump{0.5, 1}, Ramp{20, 3, 10}, Jump{40, 0}}, {}}});
    for (int i = 0; i < 1000; ++i) {
        add_mover(scene, std::to_string(i), 0,
                  Tuning{.frequency_hz = 0.5 + 0.005 * i, .damping_ratio = 0.1 + 9e-4 * i});
    }
    return scene;
}

void count_times_real(benchmark::State& state, const Scene& scene) {
    state.counters["times_real"] =
        benchmark::Counter(scene.duration_s, benchmark::Counter::kIsIterationInvariantRate);
}

void scene_to_take(benchmark::State& state) {
    const Scene scene = minute();
    for (auto _ : state) {
        Take take;
        run(scene, take);
        benchmark::DoNotOptimize(take.row_count());
    }
    count_times_real(state, scene);
}

void take_to_csv(benchmark::State& state) {
    const Scene scene = minute();
    Take take;
    run(scene, take);
    const auto path = std::filesystem::temp_directory_path() / "hopcoil-bench.csv";
    for (auto _ : state)
        io::write_take(path, take);
    std::filesystem::remove(path);
    count_times_real(state, scene);
}

void scene_to_csv_in_flat_memory(benchmark::State& state) {
    const Scene scene = minute();
    const auto path = std::filesystem::temp_directory_path() / "hopcoil-bench.csv";
    for (auto _ : state) {
        io::TakeWriter writer{path};
        run(scene, writer);
        writer.finish();
    }
    std::filesystem::remove(path);
    count_times_real(state, scene);
}

BENCHMARK(scene_to_take)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(take_to_csv)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(scene_to_csv_in_flat_memory)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace

BENCHMARK_MAIN();
