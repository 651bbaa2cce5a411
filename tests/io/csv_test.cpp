#include <cmath>
#include <limits>
#include <vector>

#include <catch2/catch.hpp>

#include <hopcoil/io/csv.hpp>
#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/io/take_file.hpp>
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

TEST_CASE("a table from a spreadsheet is read, or named for what separates its columns", "[csv]") {
    const TestFolder folder;
    // Blanks behind commas, numbers in quotes, as a table and as a take.
    const auto path = folder.write(
        "sheet.csv", "\"time_s\", x_m ,\ty_m\r\n\"0\", \"1.5\" ,2\r\n\"0.5\",-1e1,\"+3\"\r\n");
    const Take take = read_take(path.string());
    CHECK(take.column_names() == std::vector<std::string>{"x_m", "y_m"});
    CHECK(take.times_s()[1] == 0.5);
    CHECK(take.row(0)[0] == 1.5);
    CHECK(take.row(1)[0] == -10);
    CHECK(take.row(1)[1] == 3);
    const CsvTable table = read_csv(folder.write("table.csv", "time_s, x_m\n0,\"1\"\n"));
    CHECK(number_column(table, "x_m") == std::vector<double>{1});
    for (const std::string separator : {";", "\t"}) {
        const auto other =
            folder.write("other.csv", "time_s" + separator + "x_m\n0" + separator + "1\n");
        const std::string name = separator == ";" ? "semicolons" : "tabs";
        const auto complains = Contains(
            "other.csv:1:1: expected commas between the columns, "
            "found " +
            name);
        CHECK_THROWS_WITH(read_csv(other), complains);
        CHECK_THROWS_WITH(read_take(other.string()), complains);
    }
}

TEST_CASE("any texts come back from a table as they were written", "[csv]") {
    const TestFolder folder;
    Random random{41};
    const std::string letters = "ab, \"\n\t;.-1\xC3\xA9";
    for (int round = 0; round < 200; ++round) {
        std::vector<std::vector<std::string>> cells(4, std::vector<std::string>(3));
        std::string text;
        for (std::size_t row = 0; row < cells.size(); ++row) {
            for (std::size_t column = 0; column < 3; ++column) {
                std::string& cell = cells[row][column];
                if (row == 0) cell = "c" + std::to_string(column);
                for (int i = random.whole(row == 0 ? 0 : 1, 6); i > 0 && row > 0; --i)
                    cell += letters[static_cast<std::size_t>(random.whole(0, 11))];
                text += (column > 0 ? "," : "") + csv_field(cell);
            }
            text += random.chance(0.5) ? "\n" : "\r\n";
        }
        CAPTURE(text);
        const CsvTable table = read_csv(folder.write("any.csv", text));
        REQUIRE(table.rows.size() == 3);
        CHECK(table.header == cells[0]);
        for (std::size_t row = 1; row < 4; ++row)
            CHECK(table.rows[row - 1] == cells[row]);
    }
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
