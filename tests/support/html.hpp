#pragma once

#include <string>

#include <catch2/catch.hpp>

/// How often a text has another in it.
inline std::size_t count_in(const std::string& text, const std::string& what) {
    std::size_t count = 0;
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 1))
        ++count;
    return count;
}

/// Nothing is fetched from anywhere: no links, no scripts, no files beside it.
inline void check_stands_alone(const std::string& html) {
    using Catch::Matchers::Contains;
    CHECK_THAT(html, Contains("<!doctype html>") && Contains("name=\"viewport\"") &&
                         Contains("prefers-color-scheme"));
    CHECK(count_in(html, "<script") == 0);
    CHECK(count_in(html, "<link") == 0);
    CHECK(count_in(html, " src=") == count_in(html, " src=\"data:image/"));
    CHECK(count_in(html, "url(http") == 0);
    CHECK(count_in(html, "href=\"http") == 0);
    CHECK(count_in(html, "<section>") == count_in(html, "</section>"));
}
