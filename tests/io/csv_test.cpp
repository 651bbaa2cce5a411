#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/text_file.hpp>

#include "support/files.hpp"
#include "support/random.hpp"

using namespace hopcoil;
using namespace hopcoil::io;
using Catch::Matchers::Contains;

TEST_CASE("CSV is read as RFC 4180 writes it", "[csv]") {
    const TestFolder folder;
    const auto path = folder.write("a.csv",
                                   "\xEF\xBB\xBFtime_s,\"a, \"\"b\"\"\",c\r\n"
                                   "0,1.5,\"two\nlines\"\r\n"
                                   "\r\n"
                                   "1, +2e3 ,x");
    const io::CsvTable table = io::read_csv(path);
    CHECK(table.header == std::vector<std::string>{"time_s", "a, \"b\"", "c"});
    REQUIRE(table.rows.size() == 2);
    CHECK(table.rows[0][2] == "two\nlines");
    CHECK(io::number_column(table, "a, \"b\"") == std::vector<double>{1.5, 2000});
    CHECK(table.positions[2][2].line == 5);
    CHECK(table.positions[2][2].column == 10);
}

TEST_CASE("what is wrong in a CSV is named with its place", "[csv]") {
    const TestFolder folder;
    const auto read_column = [&](const std::string& text) {
        static_cast<void>(io::number_column(io::read_csv(folder.write("bad.csv", text)), "x"));
    };
    CHECK_THROWS_WITH(read_column(""), Contains("bad.csv:1:1: the file is empty"));
    CHECK_THROWS_WITH(read_column("\n\n"), Contains("the file is empty"));
    CHECK_THROWS_WITH(read_column("time_s,x\n1,2\n3\n"),
                      Contains("bad.csv:3:1: this row has 1 fields, expected 2"));
    CHECK_THROWS_WITH(read_column("time_s,x\n1,\"2\n"), Contains("bad.csv:2:3: a quote is opened"));
    CHECK_THROWS_WITH(read_column("time_s,x\n1,\"2\"3\n"),
                      Contains("bad.csv:2:6: expected a comma"));
    CHECK_THROWS_WITH(read_column("x,x\n"), Contains("bad.csv:1:3: two columns are named 'x'"));
    CHECK_THROWS_WITH(read_column("time_s,y\n1,2\n"), Contains("there is no column 'x'"));
    CHECK_THROWS_WITH(read_column("time_s,xx\n1,2\n"), Contains("did you mean 'xx'?"));
    for (const std::string wrong : {"nan", "inf", "1e999", "", "1,5", "0x10", "one", "1 2"}) {
        CAPTURE(wrong);
        const std::string field = wrong.find(',') == std::string::npos ? wrong : '"' + wrong + '"';
        CHECK_THROWS_WITH(read_column("time_s,x\n1," + field + "\n"),
                          Contains("bad.csv:2:3: x: expected a finite number"));
    }
    CHECK_THROWS_AS(io::read_csv(folder.path() / "missing.csv"), io::FileProblem);
    CHECK_THROWS_WITH(io::read_csv(folder.path() / "bda.csv"), Contains("did you mean 'bad.csv'?"));
    CHECK_THROWS_WITH(io::read_csv(folder.path()), Contains("expected a file, found a folder"));
}

TEST_CASE("a file is written whole or not at all", "[csv]") {
    const TestFolder folder;
    const auto path = folder.write("kept.txt", "old");
    io::write_text_file(path, "new");
    CHECK(contents_of(path) == "new");
    CHECK_THROWS_WITH(io::write_text_file(folder.path() / "no" / "where.txt", "x"),
                      Contains("there is no folder"));
    CHECK_THROWS_WITH(io::write_text_file(folder.path(), "x"), Contains("it is a folder"));
    CHECK_THROWS_AS(io::make_folder(path / "below"), io::FileProblem);
    CHECK(folder.file_count() == 1);
}
