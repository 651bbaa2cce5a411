// Systems that are no movers: chains and winds in scenes, channels of many values, loops, and a
// kind of the program's own.

#include <cmath>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/take_file.hpp>
#include <hopcoil/points/chain.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/live_scene.hpp>
#include <hopcoil/scene/own_system.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
#include <hopcoil/scene/scene_patch.hpp>

#include "support/files.hpp"
#include "support/scenes.hpp"

using namespace hopcoil;
using namespace hopcoil::io;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string hooked =
    "duration_s = 3\n[target.hook]\nstart_m = [0, 2, 0]\n"
    "moves = [{ at_s = 0.5, ramp_to_m = [1, 2, 0], over_s = 0.5 }]\n";
const std::string roped = "[chain.rope]\nroot = 'hook'\nnodes = 6\n";

std::string complaint_about(const std::string& text) {
    return complaint_of([&] { static_cast<void>(scene_of(text)); });
}

}  // namespace

TEST_CASE("a chain in a scene moves as the library's does", "[scene][kinds]") {
    Scene scene = scene_of(hooked + roped);
    const Take take = take_of(scene);
    const std::size_t channel = take.find_channel("rope.position_m").value();
    CHECK(take.channels()[channel].count == 7);
    CHECK(take.columns_of(channel).count == 21);
    CHECK(column_in(take, "rope.position_m.6.y").front() == Approx(2 - 0.6));
    CHECK(column_in(take, "rope.position_m.0.x") == column_in(take, "hook.value_m.x"));
    // Until it rests: straight down again, under where the hook has got to.
    CHECK(column_in(take, "rope.position_m.6.x").back() == Approx(1).margin(1e-3));
    CHECK(column_in(take, "rope.position_m.6.x")[45] < column_in(take, "hook.value_m.x")[45] - 0.1);
    // The same at every rate, within a hundredth of its length.
    scene.rate_hz = 24;
    const Take coarse = take_of(scene);
    const auto fine = column_in(take, "rope.position_m.6.x");
    const auto rough = column_in(coarse, "rope.position_m.6.x");
    for (std::size_t i = 0; i < rough.size(); i += 2)
        CHECK(rough[i] == Approx(fine[i / 2 * 5]).margin(0.006));
}

TEST_CASE("channels of many values are written and read back", "[scene][kinds][take]") {
    const Take take = take_of(scene_of(hooked + roped));
    const TestFolder folder;
    for (const char* name : {"rope.csv", "rope.json"}) {
        CAPTURE(name);
        io::write_take(folder.path() / name, take);
        const Take again = io::read_take((folder.path() / name).string());
        REQUIRE(again.column_names() == take.column_names());
        REQUIRE(again.channels().size() == take.channels().size());
        for (std::size_t i = 0; i < take.channels().size(); ++i) {
            CHECK(again.channels()[i].name == take.channels()[i].name);
            CHECK(again.channels()[i].count == take.channels()[i].count);
            CHECK(again.channels()[i].components == take.channels()[i].components);
            CHECK(again.channels()[i].kind == take.channels()[i].kind);
        }
        for (std::size_t row = 0; row < take.row_count(); ++row) {
            const auto a = take.row(row);
            const auto b = again.row(row);
            REQUIRE(std::equal(a.begin(), a.end(), b.begin(), b.end()));
        }
    }
}

TEST_CASE("anything a system puts out can be followed: a node, a spot, one number of it",
          "[scene][kinds]") {
    const Take take = take_of(scene_of(hooked + roped + R"(
carried = [{ name = "lantern", at = 0.5, forward = "y" }]
[follower.moth]
target = "rope.3"
tuning = { frequency_hz = 30, damping_ratio = 1, lead = 1 }
[follower.glow]
target = "rope.lantern"
[follower.turned]
target = "rope.lantern.facing"
[glide.height]
target = "rope.y"
half_life_s = 0.001
[chain.tassel]
root = "rope"
nodes = 3
)"));
    const auto node = column_in(take, "rope.position_m.3.x");
    const auto moth = column_in(take, "moth.value_m.x");
    for (std::size_t i = 0; i < node.size(); ++i)
        CHECK(moth[i] == Approx(node[i]).margin(0.02));
    CHECK(column_in(take, "rope.lantern.position_m.x") == node);
    CHECK(column_in(take, "height.value_m").back() == Approx(1.4).margin(0.01));
    CHECK(column_in(take, "tassel.position_m.0.x") == column_in(take, "rope.position_m.6.x"));
    CHECK(column_in(take, "turned.value.w").size() == node.size());
}

TEST_CASE("one wind blows whatever names it", "[scene][kinds]") {
    const std::string wind =
        "[wind.breeze]\nmean_m_per_s = [2, 0, 0]\nspread_m_per_s = 0\n"
        "probes = [{ name = 'mast', at_m = [0, 3, 0] }]\n";
    const Take take =
        take_of(scene_of(hooked + wind + roped + "wind = 'breeze'\nstiffness_m_per_s = 2\n"));
    CHECK(column_in(take, "breeze.mast.value_m_per_s.x").front() == 2);
    // As strong as its stiffness: at 45 degrees.
    CHECK(column_in(take, "rope.position_m.6.x").back() - 1 ==
          Approx(2 - column_in(take, "rope.position_m.6.y").back()).epsilon(0.01));
    const Take gusty = take_of(scene_of(
        "seed = 3\n" + hooked + "[wind.gale]\nspread_m_per_s = 2\n" + roped + "wind = 'gale'\n"));
    const auto swings = column_in(gusty, "rope.position_m.6.z");
    CHECK(*std::max_element(swings.begin(), swings.end()) > 0.02);
}

TEST_CASE("what is wrong with a chain or a wind is said with its key", "[scene][kinds]") {
    const std::vector<std::pair<std::string, std::string>> cases{
        {hooked + "[chain.c]\nroot = 'hok'\n", "did you mean 'hook'"},
        {hooked + "[chain.c]\n", "expected a key 'root'"},
        {hooked + "[chain.c]\nroot = 'hook'\nnodes = 0\n",
         "chain.c.nodes: expected a whole number"},
        {hooked + "[chain.c]\nroot = 'hook'\nspacing_m = -1\n", "spacing_m: expected"},
        {hooked + "[chain.c]\nroot = 'hook'\ncarry = 1\n", "chain.c.carry: expected 0 to below 1"},
        {hooked + "[chain.c]\nroot = 'hook'\nspacing = 'strechy'\n", "did you mean 'stretchy'"},
        {hooked + "[chain.c]\nroot = 'hook'\nrest_direction = [1, 2]\n",
         "expected a list of 3 numbers"},
        {hooked + "[chain.c]\nroot = 'hook'\nwind = 'gale'\n",
         "chain.c.wind: there is no wind 'gale'"},
        {hooked + "[wind.gale]\n[chain.c]\nroot = 'hook'\nwind = 'gal'\n",
         "there is no wind 'gal'; there is gale; did you mean 'gale'?"},
        {hooked + "[chain.c]\nroot = 'hook'\nwind = 'hook'\n",
         "expected a wind; 'hook' is a [target.NAME]"},
        {hooked + roped + "[chain.c]\nroot = 'hook'\nwind = 'rope'\n",
         "expected a wind; 'rope' is a [chain.NAME]"},
        {hooked + "[chain.c]\nroot = 'hook'\ncarried = [{ name = 'a' }, { name = 'a' }]\n",
         "carried[1].name: expected a name of its own"},
        {hooked + "[chain.c]\nroot = 'hook'\ncolours = 'red'\n", "expected a colour such as"},
        {hooked + "[chain.c]\nroot = 'c'\n", "a loop: c after c"},
        {"[target.n]\nmoves = []\n[chain.c]\nroot = 'n'\n", "expected a place"},
        {hooked + "[wind.w]\ncorrelation_s = 0\n", "wind.w.correlation_s: expected"},
        {hooked + "[wind.w]\nmean_m_per_s = [1]\n", "expected a list of 3 numbers"},
        {hooked + "[wind.w]\nprobes = [{ name = 'a' }, { name = 'a' }]\n",
         "wind.w.probes[1].name: expected a name of its own"},
        {hooked + "[wind.w]\nprobes = [{ name = 'a.b' }]\n", "expected a name of letters"},
        {hooked +
             "[ground.g]\nplatforms = [{ position = 'hook', size_m = [1, 1, 1] }, { position = "
             "'hook', size_m = [1, 1, 1] }]\n",
         "expected a key 'name': 'platform' is taken"},
        {hooked + roped + "[wind.gale]\n[chain.c]\nroot = 'hook'\nwind = 'rope'\n",
         "expected a wind: gale; 'rope' is a [chain.NAME]"},
        {hooked + "[ground.g]\nboxes = [{ size_m = [1, -1, 1] }]\n",
         "ground.g.boxes[0].size_m: expected three numbers of 0 or more"},
        {hooked + "[plant.p]\nbranches = [{ end_m = [0, 1, 0], continues = true }]\n",
         "plant.p.branches[0].continues: expected a key 'from'"},
        {hooked + roped + "[follower.f]\ntarget = 'rope.9'\n",
         "'rope' has no output 'rope.9'; it has rope or rope.0 to rope.6"}};
    for (const auto& [text, expected] : cases) {
        CAPTURE(text);
        CHECK_THAT(complaint_about(text), Contains(expected) && Contains("quay.toml:"));
    }
}

TEST_CASE("one mistake in a table is one problem", "[scene][kinds]") {
    const std::vector<std::pair<std::string, std::string>> cases{
        {"[balance.b]\nhip_width_m = 2\nposture_hz = 3\nfall_tilt_deg = 60\n", "hip_width_m"},
        {"[balance.b]\nfall_tilt_deg = 1\n", "expected a number from 5.72958 to 114.592, found 1"},
        {"[particles.p]\nrestitution = 2\nfriction = 0.4\n", "restitution"},
        {"[swell.s]\nfloats = [{ length_m = 1 }, { length_m = 2 }]\n", "'name'"},
        {hooked + "[glide.g]\ntarget = 'hook'\nat_rate_hz = 60\n", "'fraction'"},
        {"[target.n]\nmoves = []\n[coast.c]\nlow = 1\nstart = 0\n",
         "start 0 is outside the bounds: expected a number of 1 or more"}};
    for (const auto& [text, expected] : cases) {
        const std::string said = complaint_about(text);
        CAPTURE(text, said);
        CHECK_THAT(said, Contains(expected));
        const std::size_t names_missing = text.find("floats") == std::string::npos ? 1 : 2;
        CHECK(static_cast<std::size_t>(std::count(said.begin(), said.end(), '\n')) + 1 ==
              names_missing);
    }
}

TEST_CASE("two things may follow each other when one of them uses the previous step",
          "[scene][kinds][driven]") {
    const std::string loop = R"(
duration_s = 2
[target.back]
follows = "b"
previous_step = true
start_m = 1
[follower.a]
target = "back"
start_m = 0
tuning = { frequency_hz = 1, damping_ratio = 1 }
[follower.b]
target = "a"
start_m = 1
tuning = { frequency_hz = 1, damping_ratio = 1 }
)";
    const Take take = take_of(scene_of(loop));
    const auto a = column_in(take, "a.value_m");
    const auto b = column_in(take, "b.value_m");
    // They meet, between where they were.
    CHECK(a.back() == Approx(b.back()).margin(0.02));
    CHECK(a.back() > 0.2);
    CHECK(a.back() < 0.8);
    CHECK_THAT(complaint_about("[target.t]\nprevious_step = true\nfollows = 'x'\nstart = 0\n"
                               "[follower.a]\ntarget = 't'\n"),
               Contains("nothing that moves is named 'x'"));
    CHECK_THAT(complaint_about("[target.t]\nprevious_step = true\nfollows = 'a'\nstart_m = 0\n"
                               "[follower.a]\ntarget = 'u'\n[target.u]\nmoves = []\n"),
               Contains("another unit"));
}

TEST_CASE("a chain's dials turn as it moves; another number of nodes starts it alone anew",
          "[scene][kinds][live]") {
    LiveScene live{scene_of(hooked + roped + "[follower.lamp]\ntarget = 'hook'\n")};
    for (int i = 0; i < 60; ++i)
        live.step(1.0 / 60);
    const auto dial_named = [&](const std::string& path) {
        for (const SceneDial& dial : dials_of(live.scene())) {
            if (dial.path == path) return dial;
        }
        throw std::out_of_range{path};
    };
    const ValueArray tip = live.output(0, 0, 6).value;
    const ValueArray lamp = live.output(1).value;
    CHECK(live.set(dial_named("rope.tip.frequency_hz"), 5) == DialStatus::set);
    CHECK(live.output(0, 0, 6).value == tip);
    CHECK(live.set(dial_named("rope.nodes"), 9) == DialStatus::set);
    CHECK(live.output(0, 0, 9).value[1] == Approx(2 - 0.9));
    CHECK(live.output(1).value == lamp);
    CHECK(live.row().size() == 3 + 2 * 30 + 6);
    live.step(0.1);
    CHECK(live.set(dial_named("rope.nodes"), 0) == DialStatus::refused);
    const auto kept = live.save();
    REQUIRE(live.load(kept));
}

TEST_CASE("a chain's numbers are written back into its file", "[scene][kinds][patch]") {
    const TestFolder folder;
    const std::string file =
        folder.write("rope.toml", hooked + "[wind.w]\nmean_m_per_s = [1, 0, 2]\n" + roped +
                                      "root_tuning = { frequency_hz = 8 }\nwind = 'w'\n");
    Scene scene = read_scene(file);
    set_matching(scene, "rope.root.frequency_hz", 9);
    set_matching(scene, "rope.tip.lead", 0.25);
    set_matching(scene, "rope.carry", 0.1);
    set_matching(scene, "w.mean_z_m_per_s", 3);
    write_changes(scene);
    const std::string text = contents_of(file);
    CHECK_THAT(text, Contains("root_tuning = { frequency_hz = 9 }"));
    CHECK_THAT(text, Contains("lead = 0.25"));
    CHECK_THAT(text, Contains("mean_m_per_s = [1, 0, 3]"));
    CHECK_THAT(text, Contains("carry = 0.1"));
}

TEST_CASE("a chain is seen as a line through its nodes", "[scene][kinds]") {
    const Scene scene = scene_of(hooked + roped + "radius_m = [0.1, 0.02]\ncolours = '#ff0000'\n");
    const Take take = take_of(scene);
    const auto lines = lines_of(scene, take);
    REQUIRE(lines.size() == 1);
    CHECK(lines[0].name == "rope");
    CHECK(lines[0].view.type == View::Type::tube);
    CHECK(take.channels()[lines[0].channel].name == "rope.position_m");
    CHECK(hopcoil::io::profile_at(lines[0].view.radius_m, 0.5, 0) == Approx(0.06));
}

namespace {

/// A number that counts up, as a kind of the program's own.
struct Pace {
    double per_s = 1;
    static std::span<const Dial<Pace>> dials();
};
bool is_valid(const Pace& pace) {
    return std::isfinite(pace.per_s);
}
std::span<const Dial<Pace>> Pace::dials() {
    static constexpr Dial<Pace> all[]{
        field_dial<&Pace::per_s>(Dial<Pace>{"per_s", "1/s", {-1e9, 1e9}, {0, 5}})};
    return all;
}
struct TallySpec : SpecOf<TallySpec, Pace> {
    std::string kind() const override { return "tally"; }
    std::vector<Port> outputs() const override { return {{.unit = "m"}}; }
    std::unique_ptr<RunningSystem> start_running(const SystemInputs&) const override;
};
struct Tally : RunningOf<Tally, TallySpec> {
    using RunningOf::RunningOf;
    double sum = 0;
    double time_s = 0;
    bool advance(double until_s, const SystemInputs&) override {
        sum += parameters.per_s * (until_s - time_s);
        time_s = until_s;
        return true;
    }
    ValueAndVelocity output(std::size_t, std::size_t) const override {
        return {sum, parameters.per_s};
    }
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(sum, time_s);
    }
};
std::unique_ptr<RunningSystem> TallySpec::start_running(const SystemInputs&) const {
    return std::make_unique<Tally>(*this);
}
SystemKind tally_kind() {
    return {"tally",
            {{"tally",
              "`[tally.NAME]`",
              "",
              {{"per_s", KeyType::number, "how fast", "1", {}, {}, true}}}},
            {},
            [](KindReader& reader) {
                auto spec = std::make_unique<TallySpec>();
                reader.dials(spec->parameters);
                reader.add(std::move(spec), {});
            }};
}

}  // namespace

TEST_CASE("a program's own kind reads, runs, is followed and tuned as a built-in one",
          "[scene][kinds]") {
    const std::string text =
        "duration_s = 2\n[tally.t]\nper_s = 2\n[follower.f]\ntarget = 't'\n"
        "tuning = { frequency_hz = 9, damping_ratio = 1, lead = 1 }\n";
    const TestFolder folder;
    const std::string file = folder.write("test.toml", text);
    Scene scene = read_scene(file, {tally_kind()});
    const Take take = take_of(scene);
    CHECK(column_in(take, "t.value_m").back() == Approx(4));
    CHECK(column_in(take, "f.value_m").back() == Approx(4).margin(1e-3));
    CHECK(set_matching(scene, "t.per_s", 3) == 1);
    CHECK(column_in(take_of(scene), "t.value_m").back() == Approx(6));
    write_changes(scene);
    CHECK_THAT(contents_of(file), Contains("per_s = 3"));
    LiveScene live{scene};
    live.step(1);
    const auto kept = live.save();
    live.step(1);
    REQUIRE(live.load(kept));
    CHECK(live.output(0).value[0] == Approx(3));
    const auto complaint = [&](const std::string& wrong) {
        return complaint_of([&] {
            static_cast<void>(read_scene(folder.write("test.toml", wrong), {tally_kind()}));
        });
    };
    CHECK_THAT(complaint("[tally.t]\nper_sec = 2\n"), Contains("did you mean 'per_s'?"));
    CHECK_THAT(complaint("[tally.t]\nper_s = 1e99\n"),
               Contains("tally.t.per_s: expected a number"));
    CHECK_THAT(complaint("[taly.t]\nper_s = 1\n"), Contains("did you mean 'tally'?"));
    SystemKind taken = tally_kind();
    taken.name = "glide";
    CHECK_THROWS_WITH(read_scene(file, {taken}), Contains("a name of its own"));
}
