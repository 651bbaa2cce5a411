// Waves and what floats on them in scenes.

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

// A skiff under way with its bow ahead, a buoy that another thing hangs on, and a pontoon that is
// ground: the three things that float in a harbour.
const std::string harbour = R"(
duration_s = 4
seed = 3
[swell.sea]
significant_height_m = 0.5
length_m = 4
heading_deg = 30
floats = [
  { name = "skiff", to = "course", facing = "bow", at_m = [0, 0.1, 0], length_m = 2, width_m = 0.8, carried = [{ name = "mast", at_m = [0, 3, 0] }] },
  { name = "buoy", at_m = [3, 0, 1] },
  { name = "pontoon", at_m = [-4, 0.2, 0], length_m = 3, width_m = 3 },
]
surface = { width_m = 6, depth_m = 3, columns = 13 }
[target.course]
start_m = [-2, 0, 0]
moves = [{ at_s = 0, ramp_to_m = [2, 0, 1], over_s = 4 }]
[target.bow]
rotation = true
start_deg = [0, 76, 0]
moves = [{ sine_amplitude_deg = [0, 10, 0], frequency_hz = 0.3 }]
[follower.lamp]
target = "sea.buoy"
tuning = { frequency_hz = 3, damping_ratio = 0.6 }
[ground.quay]
platforms = [{ name = "deck", position = "sea.pontoon", rotation = "sea.pontoon.facing", size_m = [3, 0.2, 3] }]
)";

std::vector<double> numbers(const Take& take, std::size_t row, const std::string& channel) {
    const Take::Columns columns = take.columns_of(*take.find_channel(channel));
    const auto span = take.row(row).subspan(columns.first, columns.count);
    return {span.begin(), span.end()};
}

}  // namespace

TEST_CASE("things float in a scene as they do in the library", "[scene][swell]") {
    const Scene scene = scene_of(harbour);
    const Take take = take_of(scene);
    // The water by itself, read off the surface that is shown: everywhere it is what lifts things.
    const std::vector<double> water = numbers(take, 60, "sea.surface.position_m");
    REQUIRE(water.size() == 3 * 13 * 7);
    CHECK(water[0] == -3);
    CHECK(water[2] == -1.5);
    double largest_gap = 0;
    for (std::size_t row = 1; row + 1 < take.row_count(); ++row) {
        const double dt = take.times_s()[row + 1] - take.times_s()[row - 1];
        for (const char* name : {"skiff", "skiff.mast", "buoy", "pontoon"}) {
            const std::string base = std::string{"sea."} + name;
            const auto before = numbers(take, row - 1, base + ".position_m");
            const auto after = numbers(take, row + 1, base + ".position_m");
            const auto velocity = numbers(take, row, base + ".velocity_m_per_s");
            for (std::size_t k = 0; k < 3; ++k) {
                const double gap = std::abs((after[k] - before[k]) / dt - velocity[k]);
                largest_gap = std::max(largest_gap, gap);
            }
        }
    }
    CHECK(largest_gap < 2e-3);  // of up to 1.5 m/s: what differences over two frames leave
    const auto last = numbers(take, take.row_count() - 1, "sea.skiff.position_m");
    CHECK(last[0] == Approx(2).margin(1e-9));
    CHECK(last[2] == Approx(1).margin(1e-9));
    const auto mast = numbers(take, take.row_count() - 1, "sea.skiff.mast.position_m");
    CHECK(std::hypot(mast[0] - last[0], mast[1] - last[1], mast[2] - last[2]) == Approx(3));
    const auto buoy = numbers(take, 100, "sea.buoy.position_m");
    CHECK(buoy[0] == 3);
    CHECK(std::abs(buoy[1]) > 1e-3);
    CHECK(numbers(take, 100, "quay.deck.position_m") ==
          numbers(take, 100, "sea.pontoon.position_m"));
}

TEST_CASE("a swell moves alike at every rate, and goes on from its state", "[scene][swell]") {
    Scene scene = scene_of(harbour);
    const Take fine = take_of(scene);
    scene.rate_hz = 12;
    const Take coarse = take_of(scene);
    for (std::size_t row = 0; row < coarse.row_count(); ++row) {
        const auto at = numbers(coarse, row, "sea.skiff.position_m");
        const auto there = numbers(fine, 5 * row, "sea.skiff.position_m");
        for (std::size_t k = 0; k < 3; ++k)
            CHECK(at[k] == Approx(there[k]).margin(1e-9));
    }
    LiveScene live{scene};
    live.advance_to(1.3);
    const std::vector<std::byte> kept = live.save();
    LiveScene other{scene};
    REQUIRE(other.load(kept));
    live.advance_to(2);
    other.advance_to(2);
    CHECK(std::vector<double>(live.row().begin(), live.row().end()) ==
          std::vector<double>(other.row().begin(), other.row().end()));
}

TEST_CASE("higher waves are a dial, turned while they run", "[scene][swell][long]") {
    Scene scene = scene_of(harbour);
    const auto range_of = [](const Scene& of) {
        const Take take = take_of(of);
        for (const SystemReport& report : report_on(of, take, fine_take(of))) {
            if (report.name != "sea.buoy") continue;
            REQUIRE(report.figures.size() == 2);
            CHECK(report.figures[1].value > 1);
            CHECK(report.figures[1].value < 45);
            return report.figures[0].value;
        }
        return 0.0;
    };
    const double low = range_of(scene);
    CHECK(low > 0.1);
    set_matching(scene, "sea.significant_height_m", 1.0);
    CHECK(range_of(scene) == Approx(2 * low).epsilon(1e-6));
    // What follows one of them begins where it now is, not where the file had it.
    const Take take = take_of(scene);
    CHECK(numbers(take, 0, "lamp.value_m") == numbers(take, 0, "sea.buoy.position_m"));
    LiveScene live{scene};
    live.advance_to(1);
    for (const SceneDial& dial : dials_of(live.scene())) {
        if (dial.path == "sea.length_m") CHECK(live.set(dial, 7) == DialStatus::set);
    }
    live.advance_to(1.1);
    for (const double number : live.row())
        CHECK(std::isfinite(number));
}

TEST_CASE("what a swell cannot be is said at its key", "[scene][swell]") {
    const auto problem_of = [](const std::string& table) {
        try {
            static_cast<void>(scene_of("duration_s = 1\n[swell.sea]\n" + table));
        } catch (const io::InputProblems& problems) {
            return std::string{problems.what()};
        }
        return std::string{"none"};
    };
    CHECK(problem_of("") == "none");
    CHECK_THAT(problem_of("length_m = 0"), Contains("quay.toml:3:1: swell.sea.length_m"));
    CHECK_THAT(problem_of("waves = 0"), Contains("waves"));
    CHECK_THAT(problem_of("floats = [{ at_m = [0, 0, 0] }]"), Contains("expected a key 'name'"));
    CHECK_THAT(problem_of("floats = [{ name = 'a', length_m = -1 }]"), Contains("length_m"));
    CHECK_THAT(problem_of("surface = { width_m = 0 }"), Contains("width_m"));
    CHECK_THAT(problem_of("floats = [{ name = 'a', to = 'b' }]"), Contains("'b'"));
}
