#include <algorithm>
#include <array>
#include <cmath>
#include <string>
#include <vector>

#include <Eigen/Geometry>
#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/take_model.hpp>
#include <hopcoil/parts/balance.hpp>
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

const std::string deckhand = R"(
duration_s = 9
[target.way]
start_m = [0, 0, 0]
moves = [{ at_s = 0.1, ramp_to_m = [1.5, 0, 0], over_s = 1.8 }]
[balance.hand]
target = "way"
height_m = 1.6
lies_s = 0.2
things = [
    { name = "sack", type = "sphere", radius_m = 0.15, mass_kg = 6, at_m = [1.5, 1.3, 2], thrown_at_s = 4, velocity_m_per_s = [0, 1.5, -4] },
]
pushes = [{ at_s = 5.5, velocity_m_per_s = [6, 0, 1] }]
[follower.lantern]
target = "hand.head"
)";

std::string problems_in(const TestFolder& folder, const std::string& text) {
    folder.write("bad.toml", text);
    return complaint_of(
        [&] { static_cast<void>(read_scene((folder.path() / "bad.toml").string())); });
}

/// A model of hips, chest and two legs, without an animation.
std::string sailor_model() {
    const auto node = [](const std::string& name, const std::string& place,
                         const std::string& children) {
        return "{\"name\":\"" + name + "\",\"translation\":[" + place + "]" +
               (children.empty() ? "" : ",\"children\":[" + children + "]") + "}";
    };
    return "{\"asset\":{\"version\":\"2.0\"},\"scene\":0,\"scenes\":[{\"nodes\":[0]}],\"nodes\":[" +
           node("hips", "0,0.9,0", "1,2,3") + "," + node("chest", "0,0.4,0", "") + "," +
           node("thigh.l", "0.1,0,0", "4") + "," + node("thigh.r", "-0.1,0,0", "5") + "," +
           node("knee.l", "0,-0.4,0.01", "6") + "," + node("knee.r", "0,-0.4,0.01", "7") + "," +
           node("ankle.l", "0,-0.42,0", "") + "," + node("ankle.r", "0,-0.42,0", "") + "]}";
}

const std::string sailor_joints =
    "joints = { hips = ['thigh.l', 'thigh.r'], knees = ['knee.l', 'knee.r'], ankles = "
    "['ankle.l', 'ankle.r'], chest = 'chest' }\n";

}  // namespace

TEST_CASE("a body starts where it is told to, then goes to its target and turns", "[balance]") {
    const TestFolder folder;
    folder.write("quay.toml", R"(
duration_s = 6
[target.goal]
start_m = [0, 0, 0]
moves = []
[target.look]
start_deg = 0
moves = []
[balance.hand]
target = "goal"
facing = "look"
at_m = [2, 0, 1]
yaw_deg = 90
)");
    Take take;
    run(read_scene((folder.path() / "quay.toml").string()), take);
    const auto ends_of = [&](const std::string& column) {
        const std::vector<double> all = take.column(*take.find_column(column));
        return std::array{all.front(), all.back()};
    };
    CHECK(ends_of("hand.position_m.x")[0] == Approx(2).margin(0.02));
    CHECK(ends_of("hand.position_m.z")[0] == Approx(1).margin(0.02));
    CHECK(ends_of("hand.facing.value.y")[0] == Approx(std::sqrt(0.5)).margin(0.01));
    CHECK(std::hypot(ends_of("hand.position_m.x")[1], ends_of("hand.position_m.z")[1]) < 0.3);
    CHECK(std::abs(ends_of("hand.facing.value.y")[1]) < 0.1);
}

TEST_CASE("a scene's body walks to its target, is struck, falls and gets up", "[balance][long]") {
    const TestFolder folder;
    folder.write("quay.toml", deckhand);
    const Scene scene = read_scene((folder.path() / "quay.toml").string());
    Take take;
    const RunLog log = run(scene, take);
    CHECK(log.warnings.empty());
    const auto column = [&](const char* name) {
        return take.column(*take.find_column(name));
    };
    const auto row = [&](double time_s) {
        return static_cast<std::size_t>(std::lround(time_s * 60));
    };
    CHECK(std::abs(column("hand.position_m.x")[row(3.9)] - 1.5) < 0.15);
    CHECK(column("hand.sack.position_m.z")[row(3.9)] == 2);
    CHECK(column("hand.sack.position_m.z")[row(4.3)] < 1.2);
    CHECK(column("hand.state")[row(5.4)] == 0);
    CHECK(column("hand.state")[row(6.4)] == 1);
    CHECK(column("hand.state").back() == 0);
    CHECK(column("lantern.value_m.y").back() > 1.2);
    CHECK(column("hand.foot1.planted").front() == 1);
    const SystemReport report = report_on(scene, take).front();
    CHECK(figure_of(report, "falls") == 1);
    CHECK(figure_of(report, "most_help") == 0);
    CHECK(figure_of(report, "standing_percent") > 60);
    CHECK(figure_of(report, "standing_percent") < 95);
    // Another frame rate, the same motion.
    Scene other = scene;
    other.rate_hz = 24;
    Take coarse;
    run(other, coarse);
    const auto x = *take.find_column("hand.head.position_m.x");
    // Contacts of what lies multiply what differs in the last bits.
    const double lies_from_s = 6;
    for (const double at_s : {2.0, 4.5, 5.75, 9.0}) {
        const auto coarse_row = static_cast<std::size_t>(std::lround(at_s * 24));
        CAPTURE(at_s);
        const double most_m = at_s < lies_from_s ? 1e-9 : 1e-4;
        CHECK(std::abs(coarse.row(coarse_row)[x] - take.row(row(at_s))[x]) < most_m);
    }
}

TEST_CASE("the limits of a body's joints are drawn where they are, each joint inside its own",
          "[balance]") {
    const TestFolder folder;
    const auto scene_with = [&folder](const std::string& key) {
        folder.write("limits.toml",
                     "duration_s = 2\n[target.way]\nmoves = [{ at_s = 0.2, ramp_to_m = [1, 0, 1], "
                     "over_s = 1.5 }]\n[balance.hand]\ntarget = 'way'\n" +
                         key);
        return read_scene((folder.path() / "limits.toml").string());
    };
    const auto names_limits = [](const View& view) {
        return view.name == "limits";
    };
    const std::vector<View> usual = scene_with("").systems[0].spec->views();
    CHECK(std::none_of(usual.begin(), usual.end(), names_limits));

    const Scene scene = scene_with("shows_limits = true\n");
    const std::vector<View> views = scene.systems[0].spec->views();
    const auto view = std::find_if(views.begin(), views.end(), names_limits);
    REQUIRE(view != views.end());
    CHECK(view->is_aid);
    Take take;
    run(scene, take);
    const auto points = take.columns_of(*take.find_channel("hand.limits.position_m"));
    constexpr std::size_t points_of_one = 14;
    REQUIRE(points.count == 3 * view->parents.size());
    REQUIRE(view->parents.size() % points_of_one == 0);
    int hinges = 0;
    for (std::size_t first = 0; first < view->parents.size(); first += points_of_one) {
        // A fan begins and ends at its joint; a cone's rim does not.
        const bool is_fan = view->parents[first + 1] == first;
        if (!is_fan) continue;
        ++hinges;
        for (std::size_t row = 0; row < take.row_count(); row += 7) {
            const auto at = [&](std::size_t k) {
                const auto numbers = take.row(row).subspan(points.first + 3 * (first + k), 3);
                return Eigen::Vector3d{numbers[0], numbers[1], numbers[2]};
            };
            const Eigen::Vector3d low = at(1) - at(0);
            const Eigen::Vector3d high = at(points_of_one - 3) - at(0);
            const Eigen::Vector3d now = at(points_of_one - 1) - at(0);
            double fan = 0;
            for (std::size_t k = 1; k + 3 < points_of_one; ++k) {
                const Eigen::Vector3d from = at(k) - at(0);
                const Eigen::Vector3d to = at(k + 1) - at(0);
                fan += std::atan2(from.cross(to).norm(), from.dot(to));
            }
            const auto angle = [](const Eigen::Vector3d& a, const Eigen::Vector3d& b) {
                return std::atan2(a.cross(b).norm(), a.dot(b));
            };
            CAPTURE(first, row);
            CHECK((at(points_of_one - 2) - at(0)).norm() < 1e-12);
            // Inside the fan its distances to both of its ends add up to it.
            CHECK(angle(low, now) + angle(now, high) < fan + 0.02);
        }
    }
    CHECK(hinges >= 2);  // knees
}

TEST_CASE("a live body is pushed, pulled, retuned and loaded", "[balance]") {
    const TestFolder folder;
    folder.write("quay.toml", "[balance.hand]\n");
    LiveScene live{read_scene((folder.path() / "quay.toml").string())};
    const auto go_on = [&](double seconds) {
        for (int i = 0; i < std::lround(seconds * 60); ++i)
            live.step(1.0 / 60);
    };
    const auto place = [&] {
        return live.output(0).value;
    };
    go_on(0.5);
    CHECK(live.push(0, ValueArray{{0.6, 0, 0, 0}}));
    go_on(1.5);
    CHECK(place()[0] > 0.05);
    const double x = place()[0];
    CHECK(live.grab(0, ValueArray{{x + 0.25, 1.25, 0.1, 0}}));
    go_on(1);
    CHECK(place()[0] > x + 0.1);
    CHECK(live.grab(0, std::nullopt));
    CHECK_FALSE(live.grab(0, ValueArray{}, 1));  // a direction is not pulled
    const auto kept = live.save();
    go_on(0.7);
    const ValueArray there = place();
    REQUIRE(live.load(kept));
    go_on(0.7);
    CHECK(place() == there);
    for (const SceneDial& dial : dials_of(live.scene())) {
        if (dial.path == "hand.ride_height") CHECK(live.set(dial, 0.8) == DialStatus::set);
    }
    go_on(2);
    CHECK(place()[1] < there[1] - 0.08);
}

TEST_CASE("what a body's table cannot say is told with its place", "[balance]") {
    const TestFolder folder;
    const auto problems = [&](const std::string& text) {
        return problems_in(folder, "[balance.hand]\n" + text);
    };
    CHECK_THAT(problems("help = 0.4\n"), Contains("bad.toml:2:1") && Contains("0 to 0.2"));
    CHECK_THAT(problems("height_m = -1\n"), Contains("height_m"));
    CHECK_THAT(problems("leg_length_m = 0.02\n"), Contains("ankle_height_m"));
    CHECK_THAT(problems("target = 'nowhere'\n"), Contains("nowhere"));
    CHECK_THAT(problems("blows = [{ part = 'torsso', newton_seconds = [1, 0, 0] }]\n"),
               Contains("did you mean 'torso'"));
    CHECK_THAT(problems("blows = [{ part = 'torso' }]\n"), Contains("newton_seconds"));
    CHECK_THAT(problems("grips = [{ thing = 'x' }]\n"),
               Contains("expected a list 'things' beside it"));
    CHECK_THAT(problems("things = [{ name = 'torso' }]\n"), Contains("name of its own"));
    CHECK_THAT(problems("things = [{ name = 'a', velocity_m_per_s = [1, 0, 0] }]\n"),
               Contains("thrown_at_s"));
    CHECK_THAT(problems("pushes = [{ at_s = 1 }]\n"), Contains("velocity_m_per_s"));
    CHECK_THAT(problems("states = [{ to = 'flies' }]\n"), Contains("limp"));
}

TEST_CASE("a body of a scene can be a model's skeleton", "[balance]") {
    const TestFolder folder;
    folder.write("sailor.gltf", sailor_model());
    folder.write("quay.toml", "duration_s = 3\n[balance.hand]\nskeleton = 'sailor.gltf'\n" +
                                  sailor_joints +
                                  "pushes = [{ at_s = 1, velocity_m_per_s = [0.4, 0, 0.2] }]\n");
    const Scene scene = read_scene((folder.path() / "quay.toml").string());
    Take take;
    run(scene, take);
    const auto columns = take.find_channel("hand.joints.position_m");
    REQUIRE(columns);
    CHECK(take.columns_of(*columns).count == 8 * 3);
    CHECK(std::abs(take.column(*take.find_column("hand.joints.position_m.0.y")).front() - 0.85) <
          0.1);
    CHECK_THAT(problems_in(folder, "[balance.hand]\nskeleton = 'sailor.gltf'\n"),
               Contains("joints"));
    CHECK_THAT(problems_in(folder, "[balance.hand]\nclip = 'a'\n"), Contains("skeleton"));
    CHECK_THAT(problems_in(folder, "[balance.hand]\nskeleton = 'sailor.gltf'\nclip = 'a'\n" +
                                       sailor_joints),
               Contains("no animation 'a'"));
    CHECK_THAT(problems_in(folder, "[balance.hand]\nskeleton = 'none.gltf'\n" + sailor_joints),
               Contains("none.gltf"));
    CHECK_THAT(problems_in(folder, "[balance.hand]\nstates = [{ to = 'animated' }]\n"),
               Contains("clip"));
    CHECK_THAT(problems_in(folder,
                           "[balance.hand]\nskeleton = 'sailor.gltf'\n"
                           "joints = { hips = ['thigh.l'] }\n"),
               Contains("two names"));
}

TEST_CASE("a body goes as its clip does, then on its own feet", "[balance]") {
    const TestFolder folder;
    folder.write("sailor.gltf", sailor_model());
    // A walk of three metres, baked, is the clip.
    const Scene walk =
        read_scene(folder.write("walk.toml",
                                "duration_s = 4\n[target.way]\nstart_m = [0, 0, 0]\n"
                                "moves = [{ at_s = 0.2, ramp_to_m = [0, 0, 3], over_s = 3.4 }]\n"
                                "[balance.hand]\ntarget = 'way'\nskeleton = 'sailor.gltf'\n" +
                                    sailor_joints));
    Take walked;
    run(walk, walked);
    io::BakedModel baked = io::model_of(walked, model_channels_of(walk, walked), {});
    baked.model.animation = "walk";
    io::write_model(folder.path() / "walking.glb", baked.model);

    const Scene scene = read_scene(folder.write(
        "quay.toml",
        "duration_s = 5\n[balance.hand]\nskeleton = 'walking.glb'\nclip = 'walk'\n" +
            sailor_joints +
            "states = [{ at_s = 0.5, to = 'animated' }, { at_s = 2, to = 'stands' }]\n"));
    Take take;
    run(scene, take);
    const auto column = [](const Take& from, const char* name) {
        return from.column(*from.find_column(name));
    };
    const std::vector<double> z = column(take, "hand.position_m.z");
    const std::vector<double> state = column(take, "hand.state");
    CHECK(state[90] == static_cast<double>(BalanceState::animated));
    CHECK(state[130] == static_cast<double>(BalanceState::stands));
    // While it is animated it goes as far as the walk does in that time.
    const std::vector<double> way = column(walked, "hand.position_m.z");
    CHECK(std::abs((z[115] - z[60]) - (way[115] - way[60])) < 0.05);
    // It goes on from there without a leap, and comes to rest on its feet.
    double fastest = 0;
    for (std::size_t i = 61; i < z.size(); ++i)
        fastest = std::max(fastest, std::abs(z[i] - z[i - 1]) * 60);
    CHECK(fastest < 2);
    CHECK(column(take, "hand.falls").back() == 0);
    CHECK(std::abs(z.back() - z[z.size() - 30]) < 0.02);
}

TEST_CASE("a scene's body leans into the wind that it stands in", "[balance][long]") {
    const TestFolder folder;
    const auto end_of = [&](const std::string& wind) {
        const Scene scene = read_scene(folder.write("storm.toml", R"(
duration_s = 6
[wind.storm]
mean_m_per_s = [0, 0, 14]
spread_m_per_s = 0
[balance.mate]
)" + wind));
        Take take;
        run(scene, take);
        CHECK(take.column(*take.find_column("mate.falls")).back() == 0);
        return take.column(*take.find_column("mate.position_m.z")).back();
    };
    CHECK(end_of("wind = \"storm\"\n") < end_of("") - 0.02);
}

TEST_CASE("a body follows another one, and stands on what moves", "[balance][long]") {
    const TestFolder folder;
    const Scene scene = read_scene(folder.write(
        "quay.toml",
        "duration_s = 10\n[target.way]\nstart_m = [0, 0.2, 1.5]\n"
        "moves = [{ at_s = 0.5, ramp_to_m = [3, 0.2, 1.5], over_s = 5 }]\n"
        "[target.swell]\nstart_m = [0, 0.2, 0]\n"
        "moves = [{ sine_amplitude_m = [0, 0.05, 0], frequency_hz = 0.3 }]\n"
        "[ground.deck]\nplatforms = [{ name = 'raft', position = 'swell', middle_m = [0, -0.1, 0], "
        "size_m = [12, 0.2, 12] }]\n"
        "[balance.mate]\ntarget = 'way'\nground = 'deck'\n"
        "[balance.hand]\nat_m = [0, 0.2, 0]\ntarget = 'mate'\nground = 'deck'\n"));
    Take take;
    const RunLog log = run(scene, take);
    CHECK(log.warnings.empty());
    const auto last = [&](const char* name) {
        return take.column(*take.find_column(name)).back();
    };
    CHECK(last("mate.position_m.x") > 2.5);
    CHECK(last("hand.position_m.x") > 2);
    CHECK(last("hand.falls") == 0);
    CHECK(last("mate.falls") == 0);
    // Their soles are on the deck, wherever it is.
    const double deck = last("swell.value_m.y");
    for (const char* foot : {"mate.foot1", "mate.foot2", "hand.foot1", "hand.foot2"}) {
        if (last((std::string{foot} + ".planted").c_str()) == 0) continue;
        CHECK(std::abs(last((std::string{foot} + ".position_m.y").c_str()) - deck) < 1e-9);
    }
}
