// A corpus of broken files: each gets its message and its exit code, and never a crash.

#include <cstdlib>
#include <fstream>
#include <set>
#include <sstream>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;

namespace {

struct BrokenFile {
    std::string name{};
    std::string run{};
    int exit_code = 0;
    std::vector<std::string> says{};
    std::string content{};
};

/// \xNN as a byte.
std::string unescaped(const std::string& line) {
    std::string bytes;
    for (std::size_t i = 0; i < line.size(); ++i) {
        if (line.compare(i, 2, "\\x") != 0) {
            bytes += line[i];
            continue;
        }
        bytes += static_cast<char>(std::stoi(line.substr(i + 2, 2), nullptr, 16));
        i += 3;
    }
    return bytes;
}

std::vector<BrokenFile> corpus() {
    std::ifstream file{CORPUS};
    std::vector<BrokenFile> all;
    bool in_content = false;
    for (std::string line; std::getline(file, line);) {
        const auto value = [&](const char* key) {
            return line.substr(std::string{key}.size());
        };
        if (line.starts_with("@@ ")) {
            all.push_back({.name = value("@@ ")});
            in_content = false;
        } else if (in_content) {
            all.back().content += unescaped(line) + '\n';
        } else if (line == "---") {
            in_content = true;
        } else if (line.starts_with("run: ")) {
            all.back().run = value("run: ");
        } else if (line.starts_with("exit: ")) {
            all.back().exit_code = std::stoi(value("exit: "));
        } else if (line.starts_with("says: ")) {
            all.back().says.push_back(value("says: "));
        }
    }
    return all;
}

std::string run_of(const BrokenFile& file) {
    std::string run = file.run;
    const std::size_t at = run.find('@');
    if (at != std::string::npos) run.replace(at, 1, "'" + file.name + "'");
    return run;
}

/// A scene after the animation of a model.
std::string scene_after(const std::string& model) {
    return "[target.t]\ngltf = '" + model + "'\nnode = 'gull'\n[follower.f]\ntarget = 't'\n";
}

CommandResult run_on(const TestFolder& folder, const std::string& name, const std::string& content,
                     const std::string& arguments) {
    folder.write(name, content);
    folder.write("scene.toml", scene_after(name));
    return run_hopcoil(arguments, folder);
}

}  // namespace

TEST_CASE("each broken file of the corpus gets its message and its exit code",
          "[command][broken]") {
    const std::vector<BrokenFile> files = corpus();
    REQUIRE(files.size() >= 60);
    std::set<std::string> names;
    for (const BrokenFile& file : files) {
        CAPTURE(file.name);
        CHECK(names.insert(file.name).second);
        REQUIRE_FALSE(file.says.empty());
        const TestFolder folder;
        const CommandResult result = run_on(folder, file.name, file.content, run_of(file));
        CHECK(result.exit_code == file.exit_code);
        for (const std::string& text : file.says)
            CHECK_THAT(result.output + result.errors, Contains(text));
    }
}

TEST_CASE("files that are far too long or too deep are refused, not choked on",
          "[command][broken][long]") {
    const TestFolder folder;
    const std::size_t long_line = 100'000'000;
    const std::string wide(long_line, 'x');
    const CommandResult scene = run_on(folder, "long.toml", "title = \"" + wide, "check long.toml");
    CHECK(scene.exit_code == 1);
    CHECK_THAT(scene.output, Contains("long.toml:1:"));
    const CommandResult csv =
        run_on(folder, "long.csv", "time_s,x\n0," + wide + "\n", "bake long.csv");
    CHECK(csv.exit_code == 2);
    CHECK_THAT(csv.errors, Contains("long.csv:2:3: x: expected a finite number"));
    CHECK(csv.errors.size() < 500);
    const CommandResult json =
        run_on(folder, "long.json", "{\"take\": \"" + wide, "bake long.json");
    CHECK(json.exit_code == 2);
    CHECK(json.errors.size() < 500);

    for (const char* open : {"[", "{a=", "{\"a\":"}) {
        std::string deep;
        for (int i = 0; i < 100'000; ++i)
            deep += open;
        CHECK(run_on(folder, "deep.toml", "title = " + deep, "check deep.toml").exit_code == 1);
        CHECK(run_on(folder, "deep.json", deep, "bake deep.json").exit_code == 2);
        CHECK(run_on(folder, "deep.gltf", deep, "check scene.toml").exit_code == 1);
    }
}

TEST_CASE("files cut short anywhere are read or refused, never a crash", "[command][broken]") {
    const TestFolder folder;
    const std::string scene = contents_of(SCENES "/quay/skiff.toml");
    folder.write("quay.tunings.toml", contents_of(SCENES "/quay/quay.tunings.toml"));
    for (std::size_t length = 0; length < scene.size(); length += scene.size() / 23) {
        CAPTURE(length);
        const int code =
            run_on(folder, "cut.toml", scene.substr(0, length), "check cut.toml").exit_code;
        CHECK((code == 0 || code == 1));
    }
    REQUIRE(
        run_hopcoil("bake '" SCENES "/quay/boom_lamp.toml' --out whole.glb", folder).exit_code ==
        0);
    const std::string model = contents_of(folder.path() / "whole.glb");
    for (std::size_t length = 4; length < model.size(); length += model.size() / 23) {
        CAPTURE(length);
        CHECK(run_on(folder, "cut.glb", model.substr(0, length), "check scene.toml").exit_code ==
              1);
    }
}
