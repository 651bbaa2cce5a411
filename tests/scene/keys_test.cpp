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

const std::string a_hook = "[target.hook]\nmoves = [{ at_s = 1, jump_to = 1 }]\n";
const std::string a_lamp = "[follower.lamp]\ntarget = 'hook'\n";

std::string in_moves(const std::string& move) {
    return "[target.hook]\nmoves = [{ " + move + ", @ }]\n" + a_lamp;
}
std::string in_mover(const std::string& kind) {
    return a_hook + "[" + kind + ".lamp]\n@\n";
}
std::string in_tuning(const std::string& form) {
    return a_hook + a_lamp + "tuning = { " + form + ", @ }\n";
}

/// For every kind of table a text in which a key of it may stand at the @.
std::map<std::string, std::string> places_for_keys() {
    std::map<std::string, std::string> places{
        {"scene", "@\n" + a_hook + a_lamp},
        {"clock", a_hook + a_lamp + "[clock]\n@\n"},
        {"long frame", a_hook + a_lamp + "[clock]\nlong_frames = [{ @ }]\n"},
        {"target of moves", "[target.hook]\n@\n" + a_lamp},
        {"jump", in_moves("jump_to = 1")},
        {"ramp", in_moves("ramp_to = 1")},
        {"path", in_moves("through = [[1, 2]]")},
        {"sine", in_moves("sine_amplitude = 1")},
        {"pulses", in_moves("pulse = 1")},
        {"noise", in_moves("noise_amplitude = 1")},
        {"random steps", in_moves("random_from = 1")},
        {"target from a table", "[target.hook]\ncsv = 'a.csv'\n@\n" + a_lamp},
        {"target from a model", "[target.hook]\ngltf = 'a.gltf'\n@\n" + a_lamp},
        {"target that is driven", a_hook + a_lamp + "[target.t]\nfollows = 'lamp'\n@\n"},
        {"target a step behind",
         a_hook + a_lamp + "[target.t]\nfollows = 'lamp'\nprevious_step = true\n@\n"},
        {"target of layers", a_hook + a_lamp + "[target.t]\nlayers = [{ follows = 'lamp' }]\n@\n"},
        {"layer", a_hook + a_lamp + "[target.t]\nlayers = [{ @ }]\n"},
        {"fade",
         a_hook + a_lamp + "[target.t]\nlayers = [{ follows = 'lamp', fades = [{ @ }] }]\n"},
        {"link", a_hook + "[cascade.lamp]\ntarget = 'hook'\nlinks = [{ @ }]\n"},
        {"shelter", a_hook + a_lamp + "[wind.w]\nshelters = [{ @ }]\n"},
        {"probe", a_hook + a_lamp + "[wind.w]\nprobes = [{ @ }]\n"},
        {"float", a_hook + a_lamp + "[swell.s]\nfloats = [{ @ }]\n"},
        {"float spot", a_hook + a_lamp + "[swell.s]\nfloats = [{ carried = [{ @ }] }]\n"},
        {"surface", a_hook + a_lamp + "[swell.s]\nsurface = { @ }\n"},
        {"undulation", a_hook + a_lamp + "[chain.c]\nundulation = { @ }\n"},
        {"carried", a_hook + a_lamp + "[chain.c]\ncarried = [{ @ }]\n"},
        {"box", a_hook + a_lamp + "[ground.g]\nboxes = [{ @ }]\n"},
        {"cloth", a_hook + a_lamp + "[net.n]\ncloth = { @ }\n"},
        {"rope", a_hook + a_lamp + "[net.n]\nrope = { @ }\n"},
        {"soft ball", a_hook + a_lamp + "[net.n]\nsoft_ball = { @ }\n"},
        {"body of points", a_hook + a_lamp + "[net.n]\nbody = { @ }\n"},
        {"limb", a_hook + a_lamp + "[net.n]\nbody = { limbs = [{ @ }] }\n"},
        {"net point", a_hook + a_lamp + "[net.n]\nown_points = [{ @ }]\n"},
        {"net link",
         a_hook + a_lamp + "[net.n]\nown_points = [{ at_m = [0, 0, 0] }]\nlinks = [{ @ }]\n"},
        {"net bend",
         a_hook + a_lamp + "[net.n]\nown_points = [{ at_m = [0, 0, 0] }]\nbends = [{ @ }]\n"},
        {"pin", a_hook + a_lamp + "[net.n]\ncloth = {}\npins = [{ @ }]\n"},
        {"ball", a_hook + a_lamp + "[net.n]\ncloth = {}\nballs = [{ @ }]\n"},
        {"net shape", a_hook + a_lamp + "[net.n]\ncloth = {}\nshapes = [{ @ }]\n"},
        {"force", a_hook + a_lamp + "[net.n]\ncloth = {}\nforces = [{ @ }]\n"},
        {"burst", a_hook + a_lamp + "[particles.p]\nbursts = [{ @ }]\n"},
        {"plant branch", a_hook + a_lamp + "[plant.p]\nbranches = [{ @ }]\n"},
        {"plant bed", a_hook + a_lamp + "[plant.p]\nbed = { @ }\n"},
        {"plant push", a_hook + a_lamp + "[plant.p]\npushes = [{ @ }]\n"},
        {"plant spot", a_hook + a_lamp + "[plant.p]\ncarried = [{ @ }]\n"},
        {"part", a_hook + a_lamp + "[parts.p]\nparts = [{ @ }]\n"},
        {"part joint", a_hook + a_lamp + "[parts.p]\nparts = [{ name = 'a' }]\njoints = [{ @ }]\n"},
        {"part row", a_hook + a_lamp + "[parts.p]\nparts = [{ name = 'a' }]\nrows = [{ @ }]\n"},
        {"part link", a_hook + a_lamp + "[parts.p]\nparts = [{ name = 'a' }]\nlinks = [{ @ }]\n"},
        {"part group", a_hook + a_lamp + "[parts.p]\nparts = [{ name = 'a' }]\ngroups = [{ @ }]\n"},
        {"part blow", a_hook + a_lamp + "[parts.p]\nparts = [{ name = 'a' }]\nblows = [{ @ }]\n"},
        {"part shape", a_hook + a_lamp + "[parts.p]\nparts = [{ name = 'a' }]\nshapes = [{ @ }]\n"},
        {"particle shape", a_hook + a_lamp + "[particles.p]\nshapes = [{ @ }]\n"},
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
         a_hook + "[walker.w]\ntarget = \"hook\"\nskeleton = \"dog.gltf\"\nleg_joints = [{ @ }]\n"},
        {"platform", a_hook + a_lamp + "[ground.g]\nplatforms = [{ @ }]\n"},
        {"kick", a_hook + a_lamp + "kicks = [{ @ }]\n"},
        {"body", a_hook + a_lamp + "[body.b]\n@\n"},
        {"picture", a_hook + a_lamp + "[picture.p]\n@\n"},
        {"tuning by feel", a_hook + a_lamp + "tuning = { @ }\n"},
        {"tuning by wish", in_tuning("settling_time_s = 1")},
        {"tuning as a spring", in_tuning("damping_n_s_per_m = 1")},
        {"tuning as a damped spring", in_tuning("damping_ratio = 1, mass_kg = 1")},
        {"tuning by half-life", in_tuning("half_life_s = 1")},
        {"tuning by coefficients", in_tuning("y_rate_s = 1")},
        {"pose tuning", a_hook + "[pose.p]\nposition = 'hook'\ntuning = { position = {}, @ }\n"},
        {"named tuning", "[tuning.a]\nlead = 1\n@\n"},
        {"named settings", "[settings.a]\n@\n"},
        {"tuning file", "@\n"}};
    for (const SystemKind& kind : built_in_kinds())
        places[kind.name] = in_mover(kind.name);
    return places;
}

std::string complaint_about_place(const std::string& text, bool tunings) {
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

TEST_CASE("every key that is listed is read: a wrong value of it is noted", "[keys][long]") {
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
                const std::string complaint = complaint_about_place(text, tunings);
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
        CHECK_THAT(complaint_about_place(text, tunings),
                   Contains("no_such_key: unknown key; expected"));
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
