#include <cmath>
#include <fstream>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/take/take.hpp>

#include "support/files.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using namespace hopcoil::io;
using Catch::Matchers::Contains;

namespace {

Take take_of_all_kinds(unsigned seed, std::size_t rows) {
    Random random{seed};
    Take take;
    const std::vector<RecordedChannel> channels{
        {.name = "plain"},
        {.name = "odd, \"name\"", .kind = ChannelKind::vector, .components = 2},
        {.name = "gull.value_m", .kind = ChannelKind::vector, .components = 3, .unit = "m"},
        {.name = "gull.turn", .kind = ChannelKind::rotation, .components = 4},
        {.name = "vane.velocity_rad_per_s", .unit = "rad_per_s"},
        {.name = "lit", .kind = ChannelKind::flag},
        {.name = "rung", .kind = ChannelKind::event}};
    take.begin(channels);
    for (std::size_t i = 0; i < rows; ++i) {
        std::vector<double> row;
        for (std::size_t k = 0; k < take.column_names().size(); ++k) {
            row.push_back((random.between(0, 1) < 0.5 ? -1 : 1) *
                          random.over_magnitudes(1e-310, 1e308));
        }
        row.back() = i % 3 == 0 ? 1 : -0.0;
        take.row(static_cast<double>(i) / 60, row);
    }
    return take;
}

void check_same_rows(const Take& a, const Take& b) {
    REQUIRE(a.column_names() == b.column_names());
    REQUIRE(a.times_s() == b.times_s());
    for (std::size_t k = 0; k < a.column_names().size(); ++k)
        CHECK(a.column(k) == b.column(k));
}

std::string complaint(const std::string& name, const std::string& text) {
    const TestFolder folder;
    try {
        static_cast<void>(io::read_take(folder.write(name, text)));
        return {};
    } catch (const io::InputProblems& problem) {
        return problem.what();
    }
}

}  // namespace

TEST_CASE("a take that was written, read and written again is the same bytes", "[take_file]") {
    const TestFolder folder;
    for (const unsigned seed : {61U, 62U, 63U}) {
        for (const char* name : {"take.csv", "take.json"}) {
            Take take = take_of_all_kinds(seed, 200);
            take.set_made_by(R"({"version": "0.1", "scene": "a \"quay\"", "seed": 3})");
            const auto first = folder.path() / name;
            io::write_take(first, take);
            const Take read = io::read_take(first);
            check_same_rows(take, read);
            const auto second = folder.path() / ("again_" + std::string{name});
            io::write_take(second, read);
            CHECK(contents_of(first) == contents_of(second));
            CHECK(contents_of(first).find('\r') == std::string::npos);
        }
    }
}

TEST_CASE("JSON keeps kinds and units; CSV says them by its columns' names", "[take_file]") {
    const TestFolder folder;
    const Take take = take_of_all_kinds(7, 3);
    io::write_take(folder.path() / "a.json", take);
    const Take from_json = io::read_take(folder.path() / "a.json");
    io::write_take(folder.path() / "a.csv", take);
    const Take from_csv = io::read_take(folder.path() / "a.csv");
    REQUIRE(from_json.channels().size() == take.channels().size());
    REQUIRE(from_csv.channels().size() == take.channels().size());
    for (std::size_t i = 0; i < take.channels().size(); ++i) {
        const RecordedChannel& channel = take.channels()[i];
        CAPTURE(channel.name);
        CHECK(from_json.channels()[i].kind == channel.kind);
        CHECK(from_json.channels()[i].unit == channel.unit);
        CHECK(from_csv.channels()[i].name == channel.name);
        CHECK(from_csv.channels()[i].components == channel.components);
        CHECK(from_csv.channels()[i].unit == channel.unit);
    }
    CHECK(from_csv.channels()[3].kind == ChannelKind::rotation);
    CHECK(from_csv.channels()[2].kind == ChannelKind::vector);
}

TEST_CASE("a writer in flat memory writes what a whole take writes", "[take_file]") {
    const TestFolder folder;
    const Take take = take_of_all_kinds(9, 500);
    for (const char* name : {"streamed.csv", "streamed.json"}) {
        const auto path = folder.path() / name;
        {
            io::TakeWriter writer{path};
            writer.begin(take.channels());
            for (std::size_t i = 0; i < take.row_count(); ++i)
                writer.row(take.times_s()[i], take.row(i));
            CHECK_FALSE(std::filesystem::exists(path));  // only once it is whole
            writer.finish();
            CHECK(writer.row_count() == take.row_count());
        }
        CHECK(contents_of(path) ==
              (path.extension() == ".csv" ? io::to_csv(take) : io::to_json(take)));
    }
    {
        io::TakeWriter abandoned{folder.path() / "never.csv"};
        abandoned.begin(take.channels());
    }
    CHECK(folder.file_count() == 2);  // nothing half-written
    CHECK_THROWS_AS(io::TakeWriter(folder.path() / "no" / "x.csv"), io::FileProblem);
    CHECK_THROWS_AS(io::TakeWriter(folder.path() / "x.txt"), std::invalid_argument);
    CHECK(folder.file_count() == 2);
}

TEST_CASE("what is wrong in a take is named with its place", "[take_file]") {
    const auto csv = [](const std::string& text) {
        return complaint("t.csv", text);
    };
    CHECK_THAT(csv(""), Contains("t.csv:1:1") && Contains("time_s"));
    CHECK_THAT(csv("t,a\n"), Contains("expected time_s as the first column, found 't'"));
    CHECK_THAT(csv("time_s\n"), Contains("a column beside time_s"));
    CHECK_THAT(csv("time_s,a\n0,1\n1,x\n"), Contains("t.csv:3:3: a: expected a finite number"));
    CHECK_THAT(csv("time_s,a\n0,nan\n"), Contains("found 'nan'"));
    CHECK_THAT(csv("time_s,a,b\n0,1\n"), Contains("t.csv:2:4: this row has 2 fields, expected 3"));
    CHECK_THAT(csv("time_s,a\n0,1,2\n"), Contains("more fields than the 2"));
    CHECK_THAT(csv("time_s,a\n1,1\n0,1\n"), Contains("t.csv:3:1") && Contains("no earlier"));
    CHECK_THAT(csv("time_s,a,a\n"), Contains("two channels make a column named a"));
    CHECK_THAT(csv("time_s,\"a\n0,1\n"), Contains("t.csv:1:10: a quote is opened"));

    const auto json = [](const std::string& text) {
        return complaint("t.json", text);
    };
    const std::string head = R"({"take": 1, "made_by": {}, "channels": [)";
    const std::string a = R"({"name": "a", "kind": "scalar", "components": 1, "unit": ""}], )";
    CHECK_THAT(json("{\n  \"take\": 1,,\n"), Contains("t.json:2:13: expected JSON"));
    CHECK_THAT(json("[]"), Contains("/: expected an object, found a list"));
    CHECK_THAT(json(R"({"take": 2})"), Contains("/take: expected version 1, found 2"));
    CHECK_THAT(json(head + R"({"name": "a", "kind": "sclar"}]})"),
               Contains("/channels/0/kind: expected scalar"));
    CHECK_THAT(json(head + R"({"name": "a", "kind": "rotation", "components": 3, "unit": ""}]})"),
               Contains("/channels: channel a has 3 components"));
    CHECK_THAT(json(head + a + R"("rows": [[0, 1], [1]]})"),
               Contains("/rows/1: expected 2 numbers, found 1"));
    CHECK_THAT(json(head + a + R"("rows": [[0, "x"]]})"), Contains("/rows/0/1: expected a finite"));
    CHECK_THAT(json(head + a + R"("rows": [[1, 1], [0, 1]]})"), Contains("/rows/1: time_s = 0"));
    CHECK_THAT(json(std::string(100, '[')), Contains("nested deeper") || Contains("expected JSON"));
    CHECK_THROWS_AS(io::read_take("nowhere.csv"), io::FileProblem);
    CHECK_THROWS_AS(io::read_take("take.txt"), std::invalid_argument);
}
