// One follower step against the textbook loop: a spring and a damper integrated by semi-implicit
// Euler, with the usual clamp that keeps it from exploding.
//
// Each row's counter `ratio` is its time over the textbook's in the same run: below 1 is faster.

#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <map>
#include <string>
#include <vector>

#include <Eigen/Core>
#include <benchmark/benchmark.h>

#include <hopcoil/follow/follower.hpp>

namespace {

using hopcoil::Follower;
using hopcoil::Tuning;

constexpr int steps = 1024;
constexpr double dt = 1.0 / 60;
const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.4};

/// Targets that never rest, the same for every row.
std::vector<float> moving_targets() {
    std::vector<float> targets;
    unsigned state = 1;
    for (int i = 0; i < steps; ++i) {
        state = state * 1664525U + 1013904223U;
        targets.push_back(static_cast<float>(state >> 8) * 0x1p-24F);
    }
    return targets;
}

/// What a practitioner writes first.
struct TextbookSpring {
    float value = 0;
    float velocity = 0;
    float stiffness = 157.9F;
    float damping = 10.05F;

    void step(float target, float step_s) {
        // Beyond this the explicit update would grow: soften the spring just enough.
        const float stable = std::min(stiffness, 3.9F / (step_s * step_s) - 2 * damping / step_s);
        velocity += (stable * (target - value) - damping * velocity) * step_s;
        value += velocity * step_s;
    }
};

void textbook(benchmark::State& state) {
    const std::vector<float> targets = moving_targets();
    TextbookSpring spring;
    for (auto _ : state) {
        for (const float target : targets)
            spring.step(target, static_cast<float>(dt));
        benchmark::DoNotOptimize(spring);
    }
    state.SetItemsProcessed(state.iterations() * steps);
}

template <class T, class Step>
void follow(benchmark::State& state, const std::vector<T>& targets, const Step& step) {
    Follower<T> follower{tuning, targets.front()};
    for (auto _ : state) {
        for (const T& target : targets)
            step(follower, target);
        benchmark::DoNotOptimize(follower);
    }
    state.SetItemsProcessed(state.iterations() * steps);
}

void at_a_steady_dt(benchmark::State& state) {
    follow<float>(state, moving_targets(), [](auto& follower, float x) { follower.step(x, dt); });
}

void in_double(benchmark::State& state) {
    const std::vector<float> floats = moving_targets();
    follow<double>(state, {floats.begin(), floats.end()},
                   [](auto& follower, double x) { follower.step(x, dt); });
}

void three_components(benchmark::State& state) {
    std::vector<Eigen::Vector3f> targets;
    for (const float x : moving_targets())
        targets.emplace_back(x, 1 - x, x * x);
    follow<Eigen::Vector3f>(state, targets,
                            [](auto& follower, const auto& x) { follower.step(x, dt); });
}

void dt_changes_every_frame(benchmark::State& state) {
    double wobble = 0;
    follow<float>(state, moving_targets(), [&](auto& follower, float x) {
        wobble = wobble > 1e-4 ? 0 : wobble + 1e-6;
        follower.step(x, dt + wobble);
    });
}

void shared_coefficients(benchmark::State& state) {
    const hopcoil::StepCoefficients frame{tuning, dt};
    follow<float>(state, moving_targets(),
                  [&](auto& follower, float x) { follower.step(x, frame); });
}

void known_target_velocity(benchmark::State& state) {
    follow<float>(state, moving_targets(),
                  [](auto& follower, float x) { follower.step(x, 1 - x, dt); });
}

void settled(benchmark::State& state) {
    follow<float>(state, std::vector<float>(steps, 0.3F),
                  [](auto& follower, float x) { follower.step(x, dt); });
}

/// Falls asleep through the whole range of small numbers and is kicked awake again.
void coming_to_rest(benchmark::State& state) {
    int frame = 0;
    follow<float>(state, std::vector<float>(steps, 0.3F), [&](auto& follower, float x) {
        if (++frame % 4096 == 0) follower.push(1.0F);
        follower.step(x, dt);
    });
}

/// Prints each row with its ratio to the textbook, by the median of its repetitions.
class Ratios : public benchmark::BenchmarkReporter {
  public:
    bool ReportContext(const Context& /*unused*/) override { return true; }
    void ReportRuns(const std::vector<Run>& runs) override {
        for (const Run& run : runs) {
            if (run.run_type != Run::RT_Iteration) continue;
            const std::string& name = run.run_name.function_name;
            times_[name].push_back(run.GetAdjustedRealTime() / steps);
            order_[run.family_index] = name;
        }
    }
    void Finalize() override {
        std::printf("%-28s %12s %22s\n", "one step of one follower", "ns", "times the textbook");
        const double textbook_ns = median(times_["textbook"]);
        for (const auto& [index, name] : order_) {
            const double ns = median(times_[name]);
            std::printf("%-28s %12.2f %22.2f\n", name.c_str(), ns, ns / textbook_ns);
        }
        if (times_.count("settled") > 0 && times_.count("at_a_steady_dt") > 0) {
            std::printf("settled over moving: %.2f\n",
                        median(times_["settled"]) / median(times_["at_a_steady_dt"]));
        }
    }

  private:
    static double median(std::vector<double> values) {
        if (values.empty()) return 0;
        std::sort(values.begin(), values.end());
        return values[values.size() / 2];
    }
    std::map<std::string, std::vector<double>> times_;
    std::map<std::int64_t, std::string> order_;  // as registered, however they were interleaved
};

BENCHMARK(textbook);
BENCHMARK(at_a_steady_dt);
BENCHMARK(shared_coefficients);
BENCHMARK(in_double);
BENCHMARK(three_components);
BENCHMARK(known_target_velocity);
BENCHMARK(dt_changes_every_frame);
BENCHMARK(settled);
BENCHMARK(coming_to_rest);

}  // namespace

int main(int argc, char** argv) {
    benchmark::Initialize(&argc, argv);
    if (benchmark::ReportUnrecognizedArguments(argc, argv)) return 2;
    Ratios ratios;
    benchmark::RunSpecifiedBenchmarks(&ratios);
    return 0;
}
