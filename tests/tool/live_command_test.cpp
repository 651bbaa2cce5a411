// `hopcoil live` that cannot serve: what it says, and how it ends. What it serves is tested with
// the page.

#include <string>

#include <catch2/catch.hpp>

#include "support/command.hpp"

using Catch::Matchers::Contains;

TEST_CASE("live names what is wrong with its scene as check does", "[live]") {
    const TestFolder folder;
    const CommandResult missing = run_hopcoil("live vane.toml --no-browser", folder);
    CHECK(missing.exit_code == 3);
    CHECK_THAT(missing.errors, Contains("vane.toml"));
    folder.write("bad.toml", "[target.hook]\nstrat_m = 0\n[follower.lamp]\ntarget = \"hook\"\n");
    const CommandResult bad = run_hopcoil("live bad.toml --no-browser", folder);
    CHECK(bad.exit_code == 2);
    CHECK_THAT(bad.errors, Contains("bad.toml:2:") && Contains("did you mean 'start_m'?"));
    CHECK_THAT(run_hopcoil("check bad.toml", folder).output, Contains(bad.errors));
    CHECK(bad.output.empty());
}

TEST_CASE("live refuses a port that is none, and a call without a scene", "[live]") {
    const TestFolder folder;
    for (const std::string port : {"0", "-1", "65536", "80.5", "http"}) {
        const CommandResult result = run_hopcoil("live x.toml --port " + port, folder);
        CHECK(result.exit_code == 2);
        CHECK_THAT(result.errors, Contains("--port") && Contains("a whole number from 1 to 65535"));
    }
    const CommandResult none = run_hopcoil("live", folder);
    CHECK(none.exit_code == 2);
    CHECK_THAT(none.errors, Contains("scene") && Contains("hopcoil live --help"));
    const CommandResult help = run_hopcoil("live --help", folder);
    CHECK(help.exit_code == 0);
    CHECK_THAT(help.output, Contains("hopcoil live scenes/quay/vane.toml"));
}
