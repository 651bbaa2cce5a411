// What every shipped scene has to stand, whatever kinds of systems are in it: scenes are found by
// their files, so that a new one is tested as it is added.

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "support/random.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;

namespace {

std::vector<std::string> shipped_scenes() {
    std::vector<std::string> files;
    for (const auto& entry : std::filesystem::directory_iterator{SCENES "/quay"}) {
        const std::string file = entry.path().string();
        if (entry.path().extension() == ".toml" && !is_tuning_file(file)) files.push_back(file);
    }
    std::sort(files.begin(), files.end());
    return files;
}

/// The first channel with a number that is not finite; empty where there is none.
std::string not_finite_in(LiveScene& live) {
    const auto row = live.row();
    std::size_t at = 0;
    for (const RecordedChannel& channel : live.channels()) {
        for (std::size_t i = 0; i < channel.components * channel.count; ++i)
            if (!std::isfinite(row[at++])) return channel.name;
    }
    return "";
}

/// What is dragged about and let go, in frames of any length.
void shake(LiveScene& live, Random& random, int frames) {
    const bool has_target = !live.scene().targets.empty() && live.can_hold(0);
    for (int frame = 0; frame < frames; ++frame) {
        if (has_target && frame % 11 == 3) {
            ValueArray place = live.target(0);
            place[0] += random.between(-1, 1);
            live.hold(0, place);
        }
        if (has_target && frame % 11 == 8 && live.is_held(0)) live.let_go(0);
        live.step(frame % 7 == 0 ? random.between(0.1, 0.3) : random.between(0.0005, 0.05));
    }
}

/// The channel "NAME.velocity_..." of what "NAME.position_m" or "NAME.value..." shows.
std::optional<std::size_t> velocity_of(const Take& take, const std::string& name) {
    const std::size_t dot = name.rfind('.');
    const std::string quantity = name.substr(dot + 1);
    if (quantity != "position_m" && quantity != "value_m" && quantity != "value")
        return std::nullopt;
    const std::string rate = quantity == "value" ? "velocity_rad_per_s" : "velocity_m_per_s";
    return take.find_channel(name.substr(0, dot + 1) + rate);
}

/// How far what moves is from moving as its velocity says, over that; root mean squares.
double mismatch(const Take& take, std::size_t shown, std::size_t velocity) {
    const RecordedChannel& channel = take.channels()[shown];
    const bool turns = channel.kind == ChannelKind::rotation;
    const std::size_t count = channel.count;
    double off = 0;
    double all = 0;
    for (std::size_t k = 1; k < take.row_count(); ++k) {
        const double dt = take.times_s()[k] - take.times_s()[k - 1];
        const auto before = take.row(k - 1);
        const auto now = take.row(k);
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t at = take.columns_of(shown).first + i * channel.components;
            const std::size_t numbers = take.channels()[velocity].components;
            const std::size_t rate = take.columns_of(velocity).first + i * numbers;
            Vector3 turned{};
            if (turns) {
                const Quaternion a{before[at], before[at + 1], before[at + 2], before[at + 3]};
                const Quaternion b{now[at], now[at + 1], now[at + 2], now[at + 3]};
                turned = rotation_vector(b * conjugate(a));
            }
            const std::array<double, 3> turn{turned.x, turned.y, turned.z};
            for (std::size_t c = 0; c < numbers; ++c) {
                const double moved = turns ? turn.at(c) : now[at + c] - before[at + c];
                const double said = (before[rate + c] + now[rate + c]) / 2;
                off += (moved / dt - said) * (moved / dt - said);
                all += said * said;
            }
        }
    }
    const double rows = static_cast<double>(take.row_count());
    return std::sqrt(off / std::max(all, 1e-4 * rows));
}

}  // namespace

TEST_CASE("what follows another thing begins where that is", "[scene][shipped]") {
    std::size_t checked = 0;
    for (const std::string& file : shipped_scenes()) {
        const LiveScene live{read_scene(file)};
        for (const SceneTarget& target : live.scene().targets) {
            if (!target.source || target.source->previous_step) continue;
            const Source& source = *target.source;
            const ValueAndVelocity now =
                live.output(source.output.system, source.output.port, source.index);
            const ValueArray is = source.seen(now, target.path.size()).value;
            const ValueArray begins = target.path.before(0).value;
            CAPTURE(file, target.name);
            for (std::size_t i = 0; i < target.path.size(); ++i)
                CHECK(begins[i] == Approx(is[i]).margin(1e-9));
            ++checked;
        }
    }
    CHECK(checked > 15);
}

TEST_CASE("every shipped scene goes on from a state that was kept with the same bits",
          "[scene][shipped]") {
    REQUIRE(shipped_scenes().size() >= 16);
    for (const std::string& file : shipped_scenes()) {
        CAPTURE(file);
        const Scene scene = read_scene(file);
        Random random{11};
        LiveScene live{scene};
        shake(live, random, 12);
        LiveScene loaded{scene};
        REQUIRE(loaded.load(live.save()));
        LiveScene copy = live;
        for (int frame = 0; frame < 8; ++frame) {
            const double dt = random.between(0.002, 0.05);
            for (LiveScene* each : {&live, &loaded, &copy})
                each->step(dt);
            const std::vector<double> row = row_of(live);
            REQUIRE(row_of(loaded) == row);
            REQUIRE(row_of(copy) == row);
        }
    }
}

TEST_CASE("every shipped scene stays finite in frames of any length, dragged about",
          "[scene][shipped]") {
    for (const std::string& file : shipped_scenes()) {
        CAPTURE(file);
        LiveScene live{read_scene(file)};
        Random random{23};
        shake(live, random, 24);
        CHECK(not_finite_in(live) == "");
    }
}

TEST_CASE("every dial of every shipped scene goes to both ends of its slider as the scene moves",
          "[scene][shipped][long]") {
    for (const std::string& file : shipped_scenes()) {
        const Scene scene = read_scene(file);
        LiveScene live{scene};
        for (int frame = 0; frame < 6; ++frame)
            live.step(1.0 / 60);
        for (const SceneDial& dial : dials_of(scene)) {
            if (dial.number) continue;  // of a file, which is read anew
            for (const double end : {dial.slider.least, dial.slider.most}) {
                LiveScene turned = live;
                CAPTURE(file, dial.path, end);
                // Refused where it does not go with the others: then nothing is changed.
                const DialStatus status = turned.set(dial, end);
                turned.step(1.0 / 60);
                CHECK(not_finite_in(turned) == "");
                if (status != DialStatus::set) continue;
                CHECK(value_of(turned.scene(), dial) == Approx(end).margin(1e-12));
            }
        }
    }
}

TEST_CASE("what a shipped scene shows moves as its velocities say", "[scene][shipped][long]") {
    std::size_t pairs = 0;
    for (const std::string& file : shipped_scenes()) {
        Scene scene = read_scene(file);
        scene.record.clear();
        scene.rate_hz = 240;
        scene.duration_s = std::min(scene.duration_s, 4.0);
        Take take;
        run(scene, take);
        for (std::size_t shown = 0; shown < take.channels().size(); ++shown) {
            const RecordedChannel& channel = take.channels()[shown];
            const auto velocity = velocity_of(take, channel.name);
            if (!velocity) continue;
            ++pairs;
            CAPTURE(file, channel.name);
            // A facing that a chain carries has the mean of its last step.
            const bool turns = channel.kind == ChannelKind::rotation;
            CHECK(mismatch(take, shown, *velocity) < (turns ? 0.45 : 0.1));
        }
    }
    CHECK(pairs > 60);
}

TEST_CASE("figures are read off as well where points that no report measures are left out",
          "[scene][demo][long]") {
    for (const std::string& file : shipped_scenes()) {
        CAPTURE(file);
        Scene scene = read_scene(file);
        scene.duration_s = std::min(scene.duration_s, 1.5);
        Scene with_all = finely_recorded(scene);
        with_all.is_for_figures = false;
        Take all;
        run(with_all, all);
        const Take measured = fine_take(scene);
        REQUIRE(measured.row_count() == all.row_count());
        // However many points there are.
        CHECK(measured.column_names().size() < 700);
        const std::vector<SystemReport> expected = report_on(scene, all);
        const std::vector<SystemReport> found = report_on(scene, all, measured);
        REQUIRE(found.size() == expected.size());
        CHECK(report_on(scene, measured).size() == expected.size());
        for (std::size_t i = 0; i < found.size(); ++i) {
            CAPTURE(found[i].name);
            REQUIRE(found[i].figures.size() == expected[i].figures.size());
            for (std::size_t k = 0; k < found[i].figures.size(); ++k) {
                CAPTURE(found[i].figures[k].key);
                CHECK(found[i].figures[k].value == expected[i].figures[k].value);
            }
            CHECK(found[i].lag_s == expected[i].lag_s);
        }
    }
}
