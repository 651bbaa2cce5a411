#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/random.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/tune/reference_fit.hpp>
#include <hopcoil/tune/trial.hpp>

#include "support/files.hpp"
#include "support/numbers.hpp"

using namespace hopcoil;
using namespace hopcoil::tune;
using Catch::Matchers::Contains;

namespace {

/// It wanders at many rates.
struct RichTarget {
    std::array<double, 9> phases{};
    explicit RichTarget(RandomNumbers& numbers) {
        for (double& phase : phases)
            phase = numbers.between(0, 2 * pi);
    }
    [[nodiscard]] double at(double t) const {
        double x = 0;
        for (std::size_t k = 0; k < phases.size(); ++k) {
            const auto i = static_cast<double>(k);
            x += std::sin(2 * pi * 0.11 * std::pow(1.75, i) * t + phases[k]) / (1 + 0.4 * i);
        }
        return x;
    }
};

double deviation(const std::vector<double>& values) {
    double mean = 0;
    for (const double x : values)
        mean += x / static_cast<double>(values.size());
    double sum = 0;
    for (const double x : values)
        sum += (x - mean) * (x - mean);
    return std::sqrt(sum / static_cast<double>(values.size()));
}

void add_noise(std::vector<double>& values, double share, RandomNumbers& numbers) {
    const double size = share * deviation(values);
    for (double& value : values)
        value += size * numbers.normal();
}

/// What a follower does that sees a rich target `delay_s` late, 12 s at 60 Hz.
Reference record_of(const Tuning& tuning, double delay_s, double noise, RandomNumbers& numbers) {
    const RichTarget target{numbers};
    Reference reference{.motion = {{}}, .target = {{}}};
    Follower<double> follower{tuning, target.at(-delay_s)};
    constexpr int fine = 8;
    constexpr double step_s = 1.0 / (60 * fine);
    for (int i = 0; i <= 720; ++i) {
        const double t = i / 60.0;
        for (int k = 1; i > 0 && k <= fine; ++k)
            follower.step(target.at(t - (fine - k) * step_s - delay_s), step_s);
        reference.times_s.push_back(t);
        reference.target[0].push_back(target.at(t));
        reference.motion[0].push_back(follower.value());
    }
    add_noise(reference.motion[0], noise, numbers);
    return reference;
}

/// Its target is a jump at half a second.
Reference jump_record(const Tuning& tuning, double noise, bool at_once = true) {
    RandomNumbers numbers{stream_of(5, "jump")};
    Reference reference{.motion = {{}}, .target = {{}}};
    Follower<double> follower{tuning, 0.0};
    for (int i = 0; i <= 180; ++i) {
        const double target = i < 30 ? 0 : 1;
        if (at_once && i == 30) {
            follower.step(0.0, 1.0 / 60);
            follower.jump(1.0);
        } else if (i > 0) {
            follower.step(target, 1.0 / 60);
        }
        reference.times_s.push_back(i / 60.0);
        reference.target[0].push_back(target);
        reference.motion[0].push_back(follower.value() + noise * numbers.normal());
    }
    return reference;
}

}  // namespace

TEST_CASE("a follower's numbers are recovered from its noisy record", "[fit][long]") {
    const bool with_delay = GENERATE(false, true);
    RandomNumbers numbers{stream_of(7, with_delay ? "delays" : "leads")};
    std::array<int, 3> inside{};
    constexpr int count = 24;
    for (int i = 0; i < count; ++i) {
        const Tuning truth{.frequency_hz = 0.3 * std::pow(8 / 0.3, numbers.unit()),
                           .damping_ratio = numbers.between(0.15, 0.9),
                           .lead = with_delay ? 0.0 : numbers.between(-0.5, 1.2)};
        const double delay_s = with_delay ? 0.03 : 0.0;
        const Reference reference = record_of(truth, delay_s, 0.05, numbers);
        const FollowerFit fit = fit_follower(
            reference, with_delay ? KnownNumbers{.lead = 0.0, .delay_s = {}} : KnownNumbers{});
        CAPTURE(i, truth.frequency_hz, truth.damping_ratio, truth.lead);
        CHECK(fit.fit.is_explained);
        CHECK_FALSE(fit.fit.combination);
        const std::array<double, 3> truths{truth.frequency_hz, truth.damping_ratio,
                                           with_delay ? delay_s : truth.lead};
        REQUIRE(fit.fit.numbers.size() == 3);
        for (std::size_t k = 0; k < 3; ++k) {
            const FittedNumber& number = fit.fit.numbers[k];
            inside[k] += number.low <= truths[k] && truths[k] <= number.high ? 1 : 0;
            // What so much noise leaves open by itself is what the interval says.
            const double aim = k < 2 ? 0.02 * truths[k] : with_delay ? 0.002 : 0.05;
            CHECK(std::abs(number.value - truths[k]) < std::max(aim, number.high - number.low));
        }
    }
    for (const int each : inside)
        CHECK(each >= count * 9 / 10);
}

TEST_CASE("a clean record gives its numbers exactly, whatever its samples and start",
          "[fit][long]") {
    RandomNumbers numbers{stream_of(9, "clean")};
    for (int i = 0; i < 12; ++i) {
        const Tuning truth{.frequency_hz = numbers.between(0.5, 5),
                           .damping_ratio = numbers.between(0.1, 2),
                           .lead = numbers.between(-1, 1)};
        Reference reference{.motion = {{}, {}}, .target = {{}, {}}};
        std::array<Follower<double>, 2> followers{Follower<double>{truth, 0.0},
                                                  Follower<double>{truth, 2.0}};
        followers[1].push(3.0);
        const std::array<RichTarget, 2> targets{RichTarget{numbers}, RichTarget{numbers}};
        double t = 3;
        for (int row = 0; row < 400; ++row) {
            const double dt = row == 0 ? 0 : numbers.between(0.005, 0.04);
            t += dt;
            reference.times_s.push_back(t);
            for (std::size_t c = 0; c < 2; ++c) {
                const double target = targets[c].at(t);
                if (row == 0) {
                    followers[c].reset(target);
                    followers[c].push(2.0);
                } else {
                    followers[c].step(target, dt);
                }
                reference.target[c].push_back(target);
                reference.motion[c].push_back(followers[c].value());
            }
        }
        const FollowerFit fit = fit_follower(reference);
        CAPTURE(i, truth.frequency_hz, truth.damping_ratio, truth.lead);
        CHECK(fit.path == TargetPath::straight);
        CHECK(fit.tuning.frequency_hz == Approx(truth.frequency_hz).epsilon(1e-5));
        CHECK(fit.tuning.damping_ratio == Approx(truth.damping_ratio).epsilon(1e-5));
        CHECK(fit.tuning.lead == Approx(truth.lead).margin(1e-4));
        CHECK(fit.fit.residual_rms < 1e-5);
    }
}

TEST_CASE("a leap of the target is taken as it was", "[fit]") {
    const Tuning truth{.frequency_hz = 1.5, .damping_ratio = 0.3, .lead = 0.4};
    const FollowerFit at_once = fit_follower(jump_record(truth, 0.001));
    CHECK(at_once.path == TargetPath::leaps_late);
    CHECK(at_once.tuning.frequency_hz == Approx(1.5).epsilon(0.002));
    CHECK(at_once.tuning.lead == Approx(0.4).margin(0.01));
    const FollowerFit straight = fit_follower(jump_record(truth, 0.001, false));
    CHECK(straight.path == TargetPath::straight);
    CHECK(straight.tuning.frequency_hz == Approx(1.5).epsilon(0.002));
}

TEST_CASE("where a record does not tell numbers apart, it says what it does tell", "[fit]") {
    const Tuning truth{.frequency_hz = 6, .damping_ratio = 6};
    const FollowerFit fit = fit_follower(jump_record(truth, 0.03), {.lead = 0.0});
    CHECK(fit.fit.is_explained);
    REQUIRE(fit.fit.combination);
    CHECK(fit.fit.combination->name == "damping_ratio / frequency_hz");
    CHECK(fit.fit.combination->low < 1);
    CHECK(fit.fit.combination->high > 1);
    CHECK(fit.fit.combination->value == Approx(1).epsilon(0.1));
    CHECK(fit.fit.numbers[0].high > 1.3 * fit.fit.numbers[0].low);
    CHECK_THROWS_WITH(fit_follower(jump_record(truth, 0), {.lead = {}, .delay_s = {}}),
                      Contains("give one of them"));
}

TEST_CASE("it says that nothing explains a motion, and where", "[fit]") {
    RandomNumbers numbers{stream_of(3, "bump")};
    Reference reference = record_of({.frequency_hz = 1.2, .damping_ratio = 0.4}, 0, 0.02, numbers);
    for (std::size_t i = 300; i < 360; ++i)  // somebody takes hold of it
        reference.motion[0][i] = 1.5;
    const FollowerFit fit = fit_follower(reference);
    CHECK_FALSE(fit.fit.is_explained);
    CHECK(fit.fit.worst.from_s == Approx(5).margin(0.5));
    CHECK(fit.fit.worst.share_percent > 60);
    CHECK(fit.fit.unexplained_percent > 10);
}

TEST_CASE("a record that is none is refused", "[fit]") {
    RandomNumbers numbers{stream_of(3, "refused")};
    const Reference good = record_of({}, 0, 0, numbers);
    const auto refused = [&](const char* why, auto change) {
        Reference bad = good;
        change(bad);
        CHECK_THROWS_WITH(fit_follower(bad), Contains(why));
    };
    refused("at least 8", [](Reference& r) { r.times_s.resize(5); });
    refused("as many of each", [](Reference& r) { r.target[0].pop_back(); });
    refused("finite", [](Reference& r) { r.motion[0][3] = std::nan(""); });
    refused("go back", [](Reference& r) { std::swap(r.times_s[3], r.times_s[4]); });
    refused("stands still", [](Reference& r) { r.motion[0].assign(r.times_s.size(), 2); });
    refused("never moves", [](Reference& r) { r.target[0].assign(r.times_s.size(), 2); });
    refused("is needed", [](Reference& r) { r.target.clear(); });
}

TEST_CASE("a scene's numbers are found from a reference", "[fit]") {
    const TestFolder folder;
    folder.write("quay.toml", R"(
duration_s = 4
[target.skiff]
start_m = [0, 0, 0]
moves = [{ at_s = 0.2, ramp_to_m = [1, 0, 0], over_s = 0.4 }, { at_s = 2, ramp_to_m = [1, 1, 0], over_s = 0.2 }]
[chain.streamer]
root = "skiff"
nodes = 5
spacing_m = 0.2
tuning = { frequency_hz = 3, damping_ratio = 0.6 }
)");
    scene::Scene scene = scene::read_scene((folder.path() / "quay.toml").string());
    Take take;
    scene::run(scene, take);
    std::string column;
    for (const std::string& name : take.column_names()) {
        if (name.starts_with("streamer.") && name.ends_with(".4.x")) column = name;
    }
    REQUIRE_FALSE(column.empty());
    RandomNumbers numbers{stream_of(3, "streamer")};
    std::vector<double> motion = take.column(*take.find_column(column));
    add_noise(motion, 0.01, numbers);
    const std::vector<FitRange> ranges{{"streamer.root.frequency_hz", 1, 10}};
    const std::vector<Match> matches{{column, motion}};
    const double truth = value_at(scene, "streamer.root.frequency_hz");
    const ReferenceFit fit = fit_scene(scene, ranges, take.times_s(), matches, {.most_runs = 150});
    REQUIRE(fit.numbers.size() == 1);
    CHECK(fit.is_explained);
    CHECK(fit.numbers[0].value == Approx(truth).epsilon(0.02));
    CHECK(fit.numbers[0].low < truth);
    CHECK(fit.numbers[0].high > truth);
    CHECK_THROWS_WITH(fit_scene(scene, ranges, take.times_s(), {{"streamer.x", motion}}),
                      Contains("no such column"));
    CHECK_THROWS_AS(fit_scene(scene, ranges, take.times_s(), {}), std::invalid_argument);
}

TEST_CASE("references are read from tables, takes and models", "[fit]") {
    const TestFolder folder;
    folder.write("quay.toml", R"(
duration_s = 2
[target.hook]
start_m = [0, 0, 0]
moves = [{ at_s = 0.2, ramp_to_m = [1, 0.5, 0], over_s = 0.3 }]
[follower.lamp]
target = "hook"
tuning = { frequency_hz = 1.5, damping_ratio = 0.3 }
)");
    const scene::Scene scene = scene::read_scene((folder.path() / "quay.toml").string());
    Take take;
    scene::run(scene, take);
    for (const std::string ending : {"csv", "json"}) {
        const std::string file = (folder.path() / ("take." + ending)).string();
        io::write_take(file, take);
        const Reference reference = read_reference(file, "lamp", "hook");
        CHECK(reference.motion.size() == 3);
        CHECK(reference.target.size() == 3);
        CHECK(reference.unit == "m");
        const FollowerFit fit = fit_follower(reference);
        CHECK(fit.tuning.frequency_hz == Approx(1.5).epsilon(1e-3));
        CHECK(fit.tuning.damping_ratio == Approx(0.3).epsilon(1e-3));
        CHECK_THROWS_WITH(read_reference(file, "lmp", "hook"), Contains("no column"));
    }
    folder.write("two.csv", "time_s,hook_deg,lamp_deg\n0,170,0\n1,-170,5\n2,-160,350\n");
    const Reference turns = read_reference(folder.path() / "two.csv", "", "");
    CHECK(turns.target[0] == std::vector<double>{170, 190, 200});
    CHECK(turns.motion[0] == std::vector<double>{0, 5, -10});
    CHECK_THROWS_WITH(read_reference(folder.path() / "two.txt", "", ""), Contains("expected"));
}
