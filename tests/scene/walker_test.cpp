// Ground and walkers in scenes.

#include <algorithm>
#include <cmath>
#include <string>
#include <utility>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/height_file.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string walking = R"(
duration_s = 6
[ground.quay]
boxes = [{ middle_m = [0, 0.08, 2], size_m = [2, 0.16, 1.5] }]
platforms = [{ name = "raft", position = "swell", rotation = "roll", middle_m = [0, -0.1, 0], size_m = [2, 0.2, 2] }]
[target.swell]
start_m = [0, 0.2, 4]
moves = [{ sine_amplitude_m = [0.05, 0.05, 0], frequency_hz = 0.3 }]
[target.roll]
rotation = true
moves = [{ sine_amplitude_deg = [2, 0, 3], frequency_hz = 0.2 }]
[target.way]
start_m = [0, 0, 0]
moves = [{ at_s = 0.2, through_m = [[4, 0, 0.4, 4]] }]
[walker.crab]
target = "way"
ground = "quay"
legs = 4
leg_length_m = 0.8
[chain.tail]
root = "crab"
facing = "crab.facing"
nodes = 4
)";

}  // namespace

TEST_CASE("a walker in a scene gets there, its feet stand still, and it reports its steps",
          "[scene][walker]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, walking);
    const Take take = take_of(scene);
    const auto body = take.columns_of(*take.find_channel("crab.position_m")).first;
    CHECK(take.row(take.row_count() - 1)[body + 2] == Approx(4).margin(0.25));
    // A foot that stands on what never moves has the same bits from row to row.
    const auto leg = take.columns_of(*take.find_channel("crab.leg1.position_m")).first;
    const auto planted = take.columns_of(*take.find_channel("crab.leg1.planted")).first;
    int stood = 0;
    for (std::size_t row = 1; row < take.row_count(); ++row) {
        if (take.row(row)[planted] == 0 || take.row(row - 1)[planted] == 0) continue;
        if (take.row(row)[leg + 8] > 2.7) continue;  // on the raft
        ++stood;
        for (std::size_t k = 6; k < 9; ++k)
            REQUIRE(take.row(row)[leg + k] == take.row(row - 1)[leg + k]);
    }
    CHECK(stood > 50);
    for (const SystemReport& report : report_on(scene, take)) {
        if (report.name != "crab") continue;
        REQUIRE(report.figures.size() == 12);
        CHECK(report.figures[0].value > 10);  // steps
        CHECK(report.figures[3].value == 2);  // at most half of its feet up
        CHECK(report.figures[4].value == 0);  // slip
        CHECK(report.figures[5].value <= 100);
        REQUIRE(report.charts.size() == 1);
        CHECK(report.charts[0].curves.size() == 4);
    }
}

TEST_CASE("what follows bodies on raised ground begins at rest where they stand", "[walker]") {
    const TestFolder folder;
    const Take take = take_of(scene_in(folder, R"(
duration_s = 0.2
[ground.quay]
boxes = [{ middle_m = [0, 0.6, 0], size_m = [8, 1.2, 8] }]
[target.spot]
start_m = [0, 1.2, 1]
moves = []
[target.bow]
start_deg = 90
moves = []
[walker.crab]
target = "spot"
facing = "bow"
ground = "quay"
legs = 6
leg_length_m = 0.3
[balance.hand]
target = "spot"
facing = "bow"
ground = "quay"
[follower.gull]
target = "crab"
[follower.hat]
target = "hand.head"
[net.scarf]
rope = { length_m = 0.5, segments = 8 }
pins = [{ where = "start", to = "hand.head" }]
[target.between]
start_m = [0, 0, 0]
layers = [{ follows = "crab", scale = 0.5 }, { follows = "hat", scale = 0.5 }]
[follower.moth]
target = "between"
[net.thread]
to = "between"
rope = { length_m = 0.2, segments = 2 }
pins = [{ where = "start" }]
)"));
    const double between = take.row(0)[*take.find_column("between.value_m.y")];
    CHECK(between > 1.9);
    CHECK(take.row(0)[*take.find_column("moth.value_m.y")] == Approx(between));
    CHECK(take.row(0)[*take.find_column("thread.position_m.0.y")] == Approx(between));
    for (const std::string name : {"gull", "hat", "moth"}) {
        const auto moves = take.columns_of(*take.find_channel(name + ".velocity_m_per_s"));
        for (std::size_t row = 0; row < take.row_count(); ++row) {
            for (const double each : take.row(row).subspan(moves.first, 3))
                CHECK(std::abs(each) < 0.05);
        }
    }
    CHECK(take.row(0)[*take.find_column("gull.value_m.y")] > 1.3);
    CHECK(take.row(0)[*take.find_column("hat.value_m.y")] > 2.5);
    const double tied = take.row(0)[*take.find_column("scarf.position_m.0.y")];
    CHECK(tied == Approx(take.row(0)[*take.find_column("hand.head.position_m.y")]).margin(1e-9));
}

TEST_CASE("footfalls of a scene are the same at every rate", "[scene][walker][long]") {
    const TestFolder folder;
    // Up to the raft, where they depend on how it was predicted to move; and with six legs straight
    // ahead from rest, where three of them are as good to begin with as the others.
    const std::string straight =
        "duration_s = 6\n[target.way]\nstart_m = [0, 0, 0]\nmoves = [{ at_s = 0.52, through_m = "
        "[[3, 0, 0, 1.2], [5, 0.4, 0, 2]] }]\n[walker.crab]\ntarget = 'way'\nlegs = 6\n";
    for (const auto& [text, until_s] : {std::pair{walking, 3.9}, {straight, 6.0}}) {
        Scene scene = scene_in(folder, text);
        scene.record = {"crab.leg?.planted", "crab.position_m", "crab.gaze*"};
        const auto at_rate = [&](double hz) {
            scene.rate_hz = hz;
            return take_of(scene);
        };
        const Take slow = at_rate(24);
        for (const double hz : {48.0, 144.0, 240.0}) {
            CAPTURE(text, hz);
            const Take quick = at_rate(hz);
            const auto every = static_cast<std::size_t>(hz / 24);
            double largest = 0;
            for (std::size_t row = 0; slow.times_s()[row] < until_s; ++row) {
                for (std::size_t k = 0; k < slow.row(row).size(); ++k)
                    largest =
                        std::max(largest, std::abs(slow.row(row)[k] - quick.row(every * row)[k]));
            }
            CHECK(largest < 0.01);
        }
    }
}

TEST_CASE("a walker faces what it is told to: an angle of any size, or a rotation",
          "[scene][walker]") {
    const TestFolder folder;
    const std::string way =
        "duration_s = 3\n[target.way]\nstart_m = [0, 0, 0]\nmoves = [{ at_s = 9, "
        "jump_to_m = [0, 0, 0] }]\n[walker.crab]\ntarget = 'way'\nfacing = "
        "'eyes'\nlegs = 6\n";
    const auto yaw_at_end = [&](const std::string& eyes) {
        const Take take = take_of(scene_in(folder, way + eyes));
        const auto turn = take.columns_of(*take.find_channel("crab.facing.value")).first;
        const auto row = take.row(take.row_count() - 1);
        return 2 * std::atan2(row[turn + 2], row[turn]);
    };
    for (const double angle : {0.3, 1.0, -1.2}) {
        CAPTURE(angle);
        const std::string to = std::to_string(angle);
        CHECK(yaw_at_end("[target.eyes]\nangle = true\nmoves = [{ at_s = 0.1, jump_to_rad = " + to +
                         " }]\n") == Approx(angle).margin(0.03));
        const std::string degrees = std::to_string(angle * 57.29577951308232);
        CHECK(
            yaw_at_end("[target.eyes]\nrotation = true\nmoves = [{ at_s = 0.1, jump_to_deg = [0, " +
                       degrees + ", 0] }]\n") == Approx(angle).margin(0.03));
    }
}

TEST_CASE("a walker's dials turn, and what cannot be is refused with its place",
          "[scene][walker]") {
    const TestFolder folder;
    Scene scene = scene_in(folder, walking);
    set_values(scene, {{"crab.lift_height", 0.2}, {"crab.step_time", 1.5}});
    CHECK(take_of(scene).row_count() == 361);
    CHECK_THROWS_WITH(set_values(scene, {{"crab.step_time", 9}}),
                      Contains("crab.step_time cannot be 9: expected a number from 0.7 to 2.5"));
    const auto complaint = [&](const std::string& text) {
        try {
            static_cast<void>(scene_in(folder, text));
        } catch (const std::exception& problem) {
            return std::string{problem.what()};
        }
        return std::string{};
    };
    const std::string way = "[target.way]\nstart_m = [0, 0, 0]\nmoves = []\n";
    CHECK_THAT(complaint("[walker.w]\n"), Contains("target"));
    CHECK_THAT(complaint(way + "[walker.w]\ntarget = 'way'\nlegs = 3\n"), Contains("even number"));
    CHECK_THAT(complaint(way + "[walker.w]\ntarget = 'way'\nlift_height = 7\n"),
               Contains("lift_height") && Contains("0.01 to 0.5"));
    CHECK_THAT(complaint(way + "[walker.w]\ntarget = 'way'\nground = 'nowhere'\n"),
               Contains("nowhere"));
    CHECK_THAT(complaint("[ground.g]\nboxes = [{ size_m = [1, -1, 1] }]\n"),
               Contains("size_m: expected three numbers of 0 or more"));
    CHECK_THAT(complaint("[ground.g]\ncsv = 'missing.csv'\n"), Contains("missing.csv"));
}

TEST_CASE("the order of steps is a dial whose values have names, and turns in mid-walk",
          "[scene][walker][long]") {
    const TestFolder folder;
    Scene scene = scene_in(folder, walking);
    CHECK(value_from(scene, "crab.step_order", "trot") == 6.0);
    CHECK(value_from(scene, "*.step_order", "7") == 7.0);
    CHECK_FALSE(value_from(scene, "crab.lift_height", "trot"));
    CHECK_THROWS_WITH(value_from(scene, "crab.step_order", "trott"),
                      Contains("cannot be 'trott'") && Contains("did you mean 'trot'"));
    for (const double refused : {-1.0, 13.0, 2.5})
        CHECK_THROWS_WITH(set_values(scene, {{"crab.step_order", refused}}), Contains("by_speed"));
    set_matching(scene, "crab.step_order", 6);
    CHECK(scene.changes == std::vector<std::string>{"crab.step_order=trot"});
    const Scene said =
        scene_in(folder, walking + "[walker.cat]\ntarget = 'way'\nstep_order = 'pace'\n");
    for (const SceneDial& dial : dials_of(said)) {
        if (dial.path == "cat.step_order")
            CHECK(value_in_words(dial, value_of(said, dial)) == "pace");
    }
    // A walker that is under way goes on; what stands stays.
    LiveScene live{scene_in(folder, walking)};
    const std::vector<SceneDial> dials = dials_of(live.scene());
    const auto order = std::find_if(dials.begin(), dials.end(), [](const SceneDial& dial) {
        return dial.path == "crab.step_order";
    });
    REQUIRE(order != dials.end());
    REQUIRE(order->names.size() == 13);
    Vector3 before{};
    for (int frame = 0; frame < 300; ++frame) {
        if (frame % 40 == 20) REQUIRE(live.set(*order, frame / 40) == DialStatus::set);
        live.step(1.0 / 60);
        const ValueArray place = live.output(0, 0, 0).value;
        const Vector3 now{place[0], place[1], place[2]};
        if (frame > 0) CHECK(dot(now - before, now - before) < 0.05 * 0.05);
        before = now;
    }
}

TEST_CASE("a platform is where its targets have it, and others can follow it",
          "[scene][ground][long]") {
    const TestFolder folder;
    const Scene scene = scene_in(folder, walking +
                                             "[follower.flag]\ntarget = 'quay.raft'\n"
                                             "tuning = { frequency_hz = 30, damping_ratio = 1, "
                                             "lead = 1 }\n[body.deck]\nposition = 'flag'\n"
                                             "rotation = 'quay.raft.facing'\n");
    const Take take = take_of(scene);
    const auto column = [&](const std::string& name) {
        const auto channel = take.find_channel(name);
        REQUIRE(channel);
        return take.columns_of(*channel).first;
    };
    const std::size_t raft = column("quay.raft.position_m");
    const std::size_t swell = column("swell.value_m");
    const std::size_t turn = column("quay.raft.facing.value");
    const std::size_t roll = column("roll.value");
    const std::size_t flag = column("flag.value_m");
    const std::size_t speed = column("quay.raft.velocity_m_per_s");
    const std::size_t spin = column("quay.raft.facing.velocity_rad_per_s");
    double turned = 0;
    for (std::size_t row = 1; row + 1 < take.row_count(); ++row) {
        const auto now = take.row(row);
        for (std::size_t k = 0; k < 3; ++k) {
            CHECK(now[raft + k] == Approx(now[swell + k]).margin(1e-12));
            const double moved = take.row(row + 1)[raft + k] - take.row(row - 1)[raft + k];
            CHECK(now[speed + k] == Approx(30 * moved).margin(2e-3));
            CHECK(now[flag + k] == Approx(now[raft + k]).margin(2e-3));
        }
        for (std::size_t k = 0; k < 4; ++k)
            CHECK(now[turn + k] == Approx(now[roll + k]).margin(1e-12));
        const auto turn_at = [&](std::size_t at) {
            const auto numbers = take.row(at).subspan(turn, 4);
            return Quaternion{numbers[0], numbers[1], numbers[2], numbers[3]};
        };
        const Vector3 way = rotation_vector(turn_at(row + 1) * conjugate(turn_at(row - 1))) * 30;
        CHECK(now[spin] == Approx(way.x).margin(1e-3));
        CHECK(now[spin + 2] == Approx(way.z).margin(1e-3));
        turned = std::max(turned, std::abs(now[turn + 1]));
    }
    CHECK(turned > 0.01);
    // It is a solid of the model, where it is turned.
    const io::ModelChannels model = model_channels_of(scene, take);
    const auto found = std::find_if(model.nodes.begin(), model.nodes.end(),
                                    [](const auto& node) { return node.name == "quay.box1"; });
    REQUIRE(found != model.nodes.end());
    CHECK(found->solid.faces.size() == 6);
    CHECK_FALSE(found->position);
}

TEST_CASE("ground is seen where feet find it", "[scene][ground]") {
    const TestFolder folder;
    std::string csv = "x_m,z_m,height_m\n";
    for (int row = 0; row < 9; ++row) {
        for (int column = 0; column < 13; ++column) {
            csv += std::to_string(0.5 * column) + ',' + std::to_string(0.5 * row) + ',' +
                   std::to_string(0.1 * ((row * 7 + column * 5) % 4)) + '\n';
        }
    }
    folder.write("rough.csv", csv);
    const Scene scene = scene_in(folder,
                                 "[ground.rough]\ncsv = 'rough.csv'\nslope_x = 0.1\n"
                                 "height_m = -2\ncan_stand = false\n"
                                 "boxes = [{ middle_m = [9, 1, 0], size_m = [1, 2, 3], "
                                 "yaw_deg = 30 }]\n");
    const std::vector<Scenery> all = scenery_of(scene);
    REQUIRE(all.size() == 3);
    CHECK(all[0].name == "rough.plane1");
    CHECK(all[1].name == "rough.field1");
    CHECK(all[2].name == "rough.box1");
    CHECK(all[0].colour != all[1].colour);  // water
    const HeightField field = io::read_height_field((folder.path() / "rough.csv").string());
    int looked = 0;
    for (const Scenery& each : all) {
        Vector3 middle{};
        const auto corner = [&](std::size_t i) {
            const auto& [x, y, z] = each.solid.corners_m.at(i);
            return Vector3{x, y, z};
        };
        for (std::size_t i = 0; i < each.solid.corners_m.size(); ++i)
            middle = middle + corner(i) * (1.0 / static_cast<double>(each.solid.corners_m.size()));
        for (const std::vector<std::size_t>& face : each.solid.faces) {
            Vector3 centre{};
            for (const std::size_t i : face)
                centre = centre + corner(i) * (1.0 / static_cast<double>(face.size()));
            const Vector3 normal =
                cross(corner(face[1]) - corner(face[0]), corner(face[2]) - corner(face[0]));
            // Seen from outside: the field's triangles from above.
            const bool is_top = each.name == "rough.field1" && face.size() == 3;
            CHECK(dot(normal, is_top ? Vector3{0, 1, 0} : centre - middle) > 0);
            if (!is_top) continue;
            ++looked;
            REQUIRE(field.at(centre.x, centre.z));
            CHECK(field.at(centre.x, centre.z)->height == Approx(centre.y));
        }
    }
    CHECK(looked == 2 * 8 * 12);
}

TEST_CASE("a height field is read from a table, in any order of its rows", "[io][ground]") {
    const TestFolder folder;
    folder.write("h.csv", "x_m,z_m,height_m\n1,0,2\n0,0,1\n0,1,3\n1,1,4\n");
    const HeightField field = io::read_height_field((folder.path() / "h.csv").string());
    CHECK(field.at(0, 0)->height == 1);
    CHECK(field.at(1, 0)->height == 2);
    CHECK(field.at(0, 1)->height == 3);
    folder.write("bad.csv", "x_m,z_m,height_m\n0,0,1\n1,0,2\n0,1,3\n");
    CHECK_THROWS_WITH(io::read_height_field((folder.path() / "bad.csv").string()),
                      Contains("expected a grid") && Contains("found 3 rows"));
    folder.write("uneven.csv", "x_m,z_m,height_m\n0,0,1\n1,0,2\n3,0,2\n0,1,3\n1,1,1\n3,1,1\n");
    CHECK_THROWS_WITH(io::read_height_field((folder.path() / "uneven.csv").string()),
                      Contains("even steps"));
}

TEST_CASE("a walker drives the legs of a skeleton beside the scene, under a clip", "[walker]") {
    const Scene scene = read_scene(SCENES "/quay/dog_bones.toml");
    Scene all = scene;
    all.record.clear();
    const Take take = take_of(all);
    const auto joints = take.columns_of(*take.find_channel("dog.joints.position_m")).first;
    const std::vector<View> views = scene.systems.back().spec->views();
    const View& skeleton = views.back();
    REQUIRE(skeleton.type == View::Type::skeleton);
    const auto joint_named = [&](const std::string& name) {
        const auto& names = skeleton.joints;
        return static_cast<std::size_t>(std::find(names.begin(), names.end(), name) -
                                        names.begin());
    };
    // The walker's first leg is the left one in front; its ankle is 5 cm over its sole while that
    // is flat, and near it while it rolls.
    const auto foot = take.columns_of(*take.find_channel("dog.foot1.position_m")).first;
    const auto leg = take.columns_of(*take.find_channel("dog.leg1.position_m")).first;
    const std::size_t ankle = joint_named("fore.left.ankle");
    const std::size_t tail = joint_named("tail.4");
    double off = 0;
    double off_rolled = 0;
    double flat_rows = 0;
    double sway = 0;
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        const auto numbers = take.row(row);
        const auto apart = [&](std::size_t a, std::size_t b) {
            return std::hypot(numbers[a] - numbers[b], numbers[a + 1] - numbers[b + 1],
                              numbers[a + 2] - numbers[b + 2]);
        };
        const double now = std::fabs(apart(joints + 3 * ankle, leg + 6) - 0.05);
        const bool is_flat = std::fabs(numbers[foot + 1] - numbers[foot + 4]) < 1e-12;
        flat_rows += is_flat ? 1 : 0;
        off_rolled = std::fmax(off_rolled, now);
        if (is_flat) off = std::fmax(off, now);
        const std::size_t hips = joint_named("hips");
        sway = std::fmax(sway, std::fabs(numbers[joints + 3 * tail] - numbers[joints + 3 * hips]));
    }
    CHECK(off < 1e-6);
    CHECK(flat_rows > 10);
    CHECK((off_rolled > 0.002 && off_rolled < 0.02));
    CHECK(sway > 0.05);

    const TestFolder folder;
    const auto problem = [&](const std::string& keys) {
        folder.write("odd.toml",
                     "[target.t]\nstart_m = [0, 0, 0]\nmoves = [{ at_s = 1, jump_to_m "
                     "= [1, 0, 0] }]\n[walker.dog]\ntarget = \"t\"\n" +
                         keys);
        try {
            static_cast<void>(read_scene((folder.path() / "odd.toml").string()));
        } catch (const std::exception& what) {
            return std::string{what.what()};
        }
        return std::string{};
    };
    const std::string file = "skeleton = \"" SCENES "/quay/quay_dog.gltf\"\n";
    CHECK_THAT(problem(file), Contains("leg_joints"));
    CHECK_THAT(problem(R"(clip = "glad")"), Contains("expected a key 'skeleton'"));
    CHECK_THAT(problem(file + R"(leg_joints = [{ hip = "hips", knee = "spine", ankle = "nose" }])"),
               Contains("nose") && Contains("a child of 'spine'"));
    CHECK_THAT(problem(file + "legs = 4\nclip = \"gladd\"\n" +
                       R"(leg_joints = [{ hip = "hips", knee = "spine", ankle = "chest" }])"),
               Contains("did you mean 'glad'") && Contains("the skeleton says this"));
}

TEST_CASE("a walker hops when the scene says, on the run and onto a place", "[walker]") {
    const TestFolder folder;
    const auto take_with = [&](const std::string& hops, double rate_hz, RunLog& log) {
        Scene scene = read_scene(folder.write("run.toml", R"(
duration_s = 8
[target.way]
start_m = [0, 0, 0]
moves = [{ at_s = 0.5, ramp_to_m = [0, 0, 9], over_s = 6 }]
[walker.runner]
target = "way"
hops = [)" + hops + "]\n"));
        scene.rate_hz = rate_hz;
        Take take;
        log = run(scene, take);
        return take;
    };
    const auto numbers = [](const Take& take, const std::string& name) {
        return take.column(take.columns_of(*take.find_channel(name)).first);
    };
    RunLog log;
    const Take take = take_with("{ at_s = 3, apex_m = 0.25 }", 60, log);
    CHECK(log.warnings.empty());
    const std::vector<double> flies = numbers(take, "runner.flies");
    const auto first = std::find(flies.begin(), flies.end(), 1.0);
    REQUIRE(first != flies.end());
    const double off_s = take.times_s()[static_cast<std::size_t>(first - flies.begin())];
    CHECK(off_s > 3);
    CHECK(off_s < 3.6);
    CHECK(std::count(flies.begin(), flies.end(), 1.0) > 10);
    // It keeps on at its speed while it flies.
    const auto columns = take.columns_of(*take.find_channel("runner.velocity_m_per_s"));
    const double speed =
        take.row(static_cast<std::size_t>(first - flies.begin()))[columns.first + 2];
    CHECK(speed == Approx(1.5).margin(0.3));
    // The same at another rate.
    RunLog slow_log;
    const Take slow = take_with("{ at_s = 3, apex_m = 0.25 }", 20, slow_log);
    const auto place = take.columns_of(*take.find_channel("runner.position_m"));
    CHECK(slow.row(slow.row_count() - 1)[place.first + 2] ==
          Approx(take.row(take.row_count() - 1)[place.first + 2]).margin(1e-6));
    CHECK_THROWS_WITH(take_with("{ at_s = -3 }", 60, log), Contains("expected 0 or more"));
    CHECK_THROWS_WITH(take_with("{ to_m = [1, 2] }", 60, log), Contains("3 numbers"));
}
