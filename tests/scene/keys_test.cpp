// The facts about keys are what the readers read: neither has a key that the other has not.

#include <map>
#include <set>
#include <string>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/schema.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "support/files.hpp"

using namespace hopcoil::io;
using namespace hopcoil::scene;
using Catch::Matchers::Contains;

namespace {

const std::string hook = "[target.hook]\nmoves = [{ at_s = 1, jump_to = 1 }]\n";
const std::string lamp = "[follower.lamp]\ntarget = 'hook'\n";

std::string in_moves(const std::string& move) {
    return "[target.hook]\nmoves = [{ " + move + ", @ }]\n" + lamp;
}
std::string in_mover(const std::string& kind) {
    return hook + "[" + kind + ".lamp]\n@\n";
}
std::string in_tuning(const std::string& form) {
    return hook + lamp + "tuning = { " + form + ", @ }\n";
}

/// For every kind of table a text in which a key of it may stand at the @.
std::map<std::string, std::string> places_for_keys() {
    std::map<std::string, std::string> places{
        {"scene", "@\n" + hook + lamp},
        {"clock", hook + lamp + "[clock]\n@\n"},
        {"long frame", hook + lamp + "[clock]\nlong_frames = [{ @ }]\n"},
        {"target of moves", "[target.hook]\n@\n" + lamp},
        {"jump", in_moves("jump_to = 1")},
        {"ramp", in_moves("ramp_to = 1")},
        {"path", in_moves("through = [[1, 2]]")},
        {"sine", in_moves("sine_amplitude = 1")},
        {"pulses", in_moves("pulse = 1")},
        {"noise", in_moves("noise_amplitude = 1")},
        {"random steps", in_moves("random_from = 1")},
        {"target from a table", "[target.hook]\ncsv = 'a.csv'\n@\n" + lamp},
        {"target from a model", "[target.hook]\ngltf = 'a.gltf'\n@\n" + lamp},
        {"target that is driven", hook + lamp + "[target.t]\nfollows = 'lamp'\n@\n"},
        {"target a step behind",
         hook + lamp + "[target.t]\nfollows = 'lamp'\nprevious_step = true\n@\n"},
        {"target of layers", hook + lamp + "[target.t]\nlayers = [{ follows = 'lamp' }]\n@\n"},
        {"layer", hook + lamp + "[target.t]\nlayers = [{ @ }]\n"},
        {"fade", hook + lamp + "[target.t]\nlayers = [{ follows = 'lamp', fades = [{ @ }] }]\n"},
        {"link", hook + "[cascade.lamp]\ntarget = 'hook'\nlinks = [{ @ }]\n"},
        {"shelter", hook + lamp + "[wind.w]\nshelters = [{ @ }]\n"},
        {"probe", hook + lamp + "[wind.w]\nprobes = [{ @ }]\n"},
        {"float", hook + lamp + "[swell.s]\nfloats = [{ @ }]\n"},
        {"float spot", hook + lamp + "[swell.s]\nfloats = [{ carried = [{ @ }] }]\n"},
        {"surface", hook + lamp + "[swell.s]\nsurface = { @ }\n"},
        {"undulation", hook + lamp + "[chain.c]\nundulation = { @ }\n"},
        {"carried", hook + lamp + "[chain.c]\ncarried = [{ @ }]\n"},
        {"box", hook + lamp + "[ground.g]\nboxes = [{ @ }]\n"},
        {"cloth", hook + lamp + "[net.n]\ncloth = { @ }\n"},
        {"rope", hook + lamp + "[net.n]\nrope = { @ }\n"},
        {"soft ball", hook + lamp + "[net.n]\nsoft_ball = { @ }\n"},
        {"body of points", hook + lamp + "[net.n]\nbody = { @ }\n"},
        {"limb", hook + lamp + "[net.n]\nbody = { limbs = [{ @ }] }\n"},
        {"net point", hook + lamp + "[net.n]\nown_points = [{ @ }]\n"},
        {"net link",
         hook + lamp + "[net.n]\nown_points = [{ at_m = [0, 0, 0] }]\nlinks = [{ @ }]\n"},
        {"net bend",
         hook + lamp + "[net.n]\nown_points = [{ at_m = [0, 0, 0] }]\nbends = [{ @ }]\n"},
        {"pin", hook + lamp + "[net.n]\ncloth = {}\npins = [{ @ }]\n"},
        {"ball", hook + lamp + "[net.n]\ncloth = {}\nballs = [{ @ }]\n"},
        {"net shape", hook + lamp + "[net.n]\ncloth = {}\nshapes = [{ @ }]\n"},
        {"force", hook + lamp + "[net.n]\ncloth = {}\nforces = [{ @ }]\n"},
        {"burst", hook + lamp + "[particles.p]\nbursts = [{ @ }]\n"},
        {"plant branch", hook + lamp + "[plant.p]\nbranches = [{ @ }]\n"},
        {"plant bed", hook + lamp + "[plant.p]\nbed = { @ }\n"},
        {"plant push", hook + lamp + "[plant.p]\npushes = [{ @ }]\n"},
        {"plant spot", hook + lamp + "[plant.p]\ncarried = [{ @ }]\n"},
        {"part", hook + lamp + "[parts.p]\nparts = [{ @ }]\n"},
        {"part joint", hook + lamp + "[parts.p]\nparts = [{ name = 'a' }]\njoints = [{ @ }]\n"},
        {"part row", hook + lamp + "[parts.p]\nparts = [{ name = 'a' }]\nrows = [{ @ }]\n"},
        {"part link", hook + lamp + "[parts.p]\nparts = [{ name = 'a' }]\nlinks = [{ @ }]\n"},
        {"part group", hook + lamp + "[parts.p]\nparts = [{ name = 'a' }]\ngroups = [{ @ }]\n"},
        {"part blow", hook + lamp + "[parts.p]\nparts = [{ name = 'a' }]\nblows = [{ @ }]\n"},
        {"part shape", hook + lamp + "[parts.p]\nparts = [{ name = 'a' }]\nshapes = [{ @ }]\n"},
        {"particle shape", hook + lamp + "[particles.p]\nshapes = [{ @ }]\n"},
        {"body joints", "[balance.b]\nskeleton = \"dog.gltf\"\njoints = { @ }\n"},
        {"thing", "[balance.b]\nthings = [{ @ }]\n"},
        {"balance blow", "[balance.b]\nblows = [{ @ }]\n"},
        {"balance push", "[balance.b]\npushes = [{ @ }]\n"},
        {"balance state", "[balance.b]\nstates = [{ @ }]\n"},
        {"grip", "[balance.b]\ngrips = [{ @ }]\n"},
        {"balance shape", "[balance.b]\nshapes = [{ @ }]\n"},
        {"holds", "[brachiator.b]\nholds = [{ @ }]\n"},
        {"hop", "[walker.w]\nhops = [{ @ }]\n"},
        {"leap", "[brachiator.b]\nleaps = [{ @ }]\n"},
        {"leg_joints",
         hook + "[walker.w]\ntarget = \"hook\"\nskeleton = \"dog.gltf\"\nleg_joints = [{ @ }]\n"},
        {"platform", hook + lamp + "[ground.g]\nplatforms = [{ @ }]\n"},
        {"kick", hook + lamp + "kicks = [{ @ }]\n"},
        {"body", hook + lamp + "[body.b]\n@\n"},
        {"picture", hook + lamp + "[picture.p]\n@\n"},
        {"tuning by feel", hook + lamp + "tuning = { @ }\n"},
        {"tuning by wish", in_tuning("settling_time_s = 1")},
        {"tuning as a spring", in_tuning("damping_n_s_per_m = 1")},
        {"tuning as a damped spring", in_tuning("damping_ratio = 1, mass_kg = 1")},
        {"tuning by half-life", in_tuning("half_life_s = 1")},
        {"tuning by coefficients", in_tuning("y_rate_s = 1")},
        {"pose tuning", hook + "[pose.p]\nposition = 'hook'\ntuning = { position = {}, @ }\n"},
        {"named tuning", "[tuning.a]\nlead = 1\n@\n"},
        {"named settings", "[settings.a]\n@\n"},
        {"tuning file", "@\n"}};
    for (const SystemKind& kind : built_in_kinds())
        places[kind.name] = in_mover(kind.name);
    return places;
}

std::string complaint_about(const std::string& text, bool tunings) {
    const TestFolder folder;
    folder.write("a.csv", "time_s,a\n0,0\n");
    const auto file = folder.write("test.toml", text);
    try {
        if (tunings) {
            static_cast<void>(read_tunings(file));
            static_cast<void>(read_settings(file));
        } else {
            static_cast<void>(read_scene(file));
        }
        return {};
    } catch (const std::runtime_error& problem) {
        return problem.what();
    }
}

bool stands_already(const std::string& place, const std::string& key) {
    for (const char* before : {"{ ", ", ", "\n"}) {
        if (place.find(before + key + " =") != std::string::npos) return true;
    }
    return false;
}

}  // namespace

TEST_CASE("every key that is listed is read: a wrong value of it is noted", "[keys]") {
    const auto places = places_for_keys();
    for (const TableFacts& table : all_tables()) {
        const std::string name{table.name};
        CAPTURE(name);
        REQUIRE(places.count(name) == 1);
        const std::string& place = places.at(name);
        const bool tunings =
            name == "named tuning" || name == "named settings" || name == "tuning file";
        for (const KeyFacts& key : table.keys) {
            for (const std::string& spelling : spellings_of(key)) {
                CAPTURE(spelling);
                std::string text = place;
                if (stands_already(place, spelling)) {
                    // The kind hangs on it: it is given a wrong value where it stands.
                    const std::size_t at = text.find(spelling + " = ") + spelling.size() + 3;
                    const std::size_t end = text.find_first_of(",\n}", at);
                    if (text[at] == '[') continue;  // a list that the place itself needs
                    text.replace(at, end - at, "1979-05-27");
                    const std::size_t hole = text.find('@');
                    const bool after_comma = hole >= 2 && text[hole - 2] == ',';
                    text.replace(after_comma ? hole - 2 : hole, after_comma ? 3 : 1, "");
                } else {
                    text.replace(text.find('@'), 1, spelling + " = 1979-05-27");
                }
                const std::string complaint = complaint_about(text, tunings);
                CHECK_THAT(complaint, Contains(spelling));
                CHECK_THAT(complaint, Contains("found a date or time") ||
                                          Contains("expected a table [" + spelling) ||
                                          Contains("cannot redefine existing date '" + spelling));
                CHECK_THAT(complaint, !Contains(spelling + ": unknown key"));
            }
        }
    }
}

TEST_CASE("a key that is not listed is refused in every table", "[keys]") {
    for (const auto& [name, place] : places_for_keys()) {
        CAPTURE(name);
        std::string text = place;
        text.replace(text.find('@'), 1, "no_such_key = 1");
        const bool tunings = name == "named tuning" || name == "tuning file";
        CHECK_THAT(complaint_about(text, tunings), Contains("no_such_key: unknown key; expected"));
    }
}

TEST_CASE("the schema and the page of keys have every key", "[keys]") {
    const std::string schema = scene_schema() + tuning_schema();
    const std::string page = page_of_keys();
    std::set<std::string> headings;
    for (const TableFacts& table : all_tables()) {
        CHECK(headings.insert(std::string{table.heading}).second);
        CHECK_THAT(page, Contains("## " + std::string{table.heading} + "\n"));
        for (const KeyFacts& key : table.keys) {
            CAPTURE(table.name, key.name);
            CHECK_FALSE(key.meaning.empty());
            CHECK_THAT(page, Contains(std::string{key.meaning}));
            for (const std::string& spelling : spellings_of(key))
                CHECK_THAT(schema, Contains("\"" + spelling + "\": {"));
        }
    }
    CHECK_THROWS_AS(table_facts("no such table"), std::out_of_range);
}
