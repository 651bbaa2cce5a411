// The live page in a real browser, as its user has it under the hand.

#include <algorithm>
#include <cmath>
#include <fstream>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include "support/served_scene.hpp"
#include "support/web_driver.hpp"

using Catch::Matchers::Contains;
using nlohmann::json;

namespace {

/// One for all tests: it takes seconds to start.
Browser& shared_browser() {
    static Browser browser{1280, 800};
    return browser;
}

/// A page that has its first motion.
class OpenPage {
  public:
    explicit OpenPage(const std::string& scene = "vane.toml", int width = 1280, int height = 800)
        : served{scene} {
        browser.resize(width, height);
        browser.open("about:blank");
        browser.complaints();  // those of the page before are its own
        browser.open(served.address());
        Browser::wait_until("the page has a motion", [&] {
            return browser.run("return Boolean(window.hopcoil && hopcoil.answer)").get<bool>();
        });
    }
    ~OpenPage() = default;
    OpenPage(const OpenPage&) = delete;
    OpenPage& operator=(const OpenPage&) = delete;

    /// Puts a slider to a place from 0 to 1, as a hand does.
    void slide(const std::string& path, double place, bool let_go = true) {
        browser.run(
            "const s = document.querySelector(`[data-path=\"${arguments[0]}\"] input[type=range]`);"
            "s.value = 1000 * arguments[1]; s.dispatchEvent(new Event('input'));"
            "if (arguments[2]) s.dispatchEvent(new Event('change'));",
            {path, place, let_go});
    }
    double value(const std::string& path) {
        return browser.run("return hopcoil.settings.value(arguments[0])", {path});
    }
    std::string figure(const std::string& key, const std::string& column = ".now") {
        return browser.text_of("[data-figure=" + key + "] " + column);
    }
    /// A number read off the course chart's last curve.
    double drawn(int row) {
        return browser.run(
            "const g = hopcoil.course.chart.plot;"
            "return g.getValue(arguments[0], g.numColumns() - 1)",
            {row});
    }
    void wait_for(const std::string& what, const std::function<bool()>& holds) {
        Browser::wait_until(what, holds);
    }
    std::string said() { return browser.text_of("#said"); }

    ServedScene served;
    Browser& browser = shared_browser();
};

}  // namespace

TEST_CASE("a slider that is moved changes the figures and the curve", "[browser]") {
    OpenPage page;
    page.browser.click("#movers button:nth-child(2)");
    CHECK(page.browser.text_of("#course-heading") == "brass after wind, deg");
    const std::string before = page.figure("overshoot_percent");
    const double curve_before = page.drawn(900);
    page.slide("brass.damping_ratio", 0.5);
    page.wait_for("the figure is another",
                  [&] { return page.figure("overshoot_percent") != before; });
    CHECK(page.value("brass.damping_ratio") > 0.9);
    CHECK(page.drawn(900) != curve_before);
    // What the page shows is what the server says of the same numbers.
    const json answer =
        page.served
            .post("/v1/run",
                  {{"values", {{"brass.damping_ratio", page.value("brass.damping_ratio")}}}})
            .body;
    CHECK(std::stod(page.figure("overshoot_percent")) ==
          Approx(answer["jumps"]["movers"][1]["figures"]["overshoot_percent"].get<double>())
              .epsilon(0.01)
              .margin(0.01));
    CHECK(page.figure("overshoot_percent", "td:nth-child(3)").starts_with("\u2212"));
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE("each edit is compared with the one before it, however slowly the slider is let go",
          "[browser]") {
    OpenPage page;
    for (const double place : {0.4, 0.6, 0.8}) {
        const std::string before = page.figure("settling_time_s");
        page.slide("leaden.frequency_hz", place, false);
        page.wait_for("the motion is there",
                      [&] { return page.figure("settling_time_s") != before; });
        page.slide("leaden.frequency_hz", place);  // and only now let go
        CHECK(page.figure("settling_time_s", "td:nth-child(3)").starts_with("\u2212"));
        CHECK_THAT(page.browser.text_of("#course-key"), Contains("before"));
    }
}

TEST_CASE("numbers are typed, keys turn a dial finely and coarsely, a double click resets",
          "[browser]") {
    OpenPage page;
    const std::string number = "[data-path='leaden.frequency_hz'] input[type=number]";
    const std::string select_all = "\uE009a\uE000";
    page.browser.type(number, select_all + "0.4\t");
    page.wait_for("the number is taken", [&] { return page.value("leaden.frequency_hz") == 0.4; });
    const auto press = [&](const std::string& key, bool shift) {
        page.browser.run(
            "document.querySelector(\"[data-path='leaden.lead'] input[type=range]\").dispatchEvent("
            "new KeyboardEvent('keydown', {key: arguments[0], shiftKey: arguments[1], bubbles: "
            "true}))",
            {key, shift});
        return page.value("leaden.lead");
    };
    const double once = press("ArrowRight", false);
    const double finely = press("ArrowRight", true) - once;
    const double coarsely = press("PageUp", false) - once - finely;
    CHECK(once > 0);
    CHECK(finely == Approx(once / 10).epsilon(0.01));
    CHECK(coarsely == Approx(once * 10).epsilon(0.01));
    page.browser.run(
        "document.querySelector(\"[data-path='leaden.lead'] label\")"
        ".dispatchEvent(new MouseEvent('dblclick', {bubbles: true}))");
    CHECK(page.value("leaden.lead") == 0);
}

TEST_CASE("variants of the dial in hand lie side by side, and a click takes one", "[browser]") {
    OpenPage page;
    CHECK(page.browser.run("return document.querySelector('#variants').hidden").get<bool>());
    page.browser.run(
        "document.querySelector('[data-path=\"leaden.frequency_hz\"] input[type=range]').focus()");
    page.wait_for("there are seven", [&] {
        return page.browser.run(
                   "return document.querySelectorAll('#variants-row button').length") == 7;
    });
    CHECK_THAT(page.browser.text_of("#variants-heading"), Contains("leaden.frequency_hz, Hz"));
    const double before = page.value("leaden.frequency_hz");
    const std::string last = page.browser.run(
        "return document.querySelector('#variants-row button:last-child span').textContent");
    CHECK(std::stod(last) > before);
    // Each is a picture of its own.
    page.wait_for("no two look the same", [&] {
        return page.browser.run(
                   "return new Set([...document.querySelectorAll('#variants-row canvas')].map("
                   "(c) => c.toDataURL())).size") == 7;
    });
    page.browser.run("document.querySelector('#variants-row button:last-child').click()");
    CHECK(page.value("leaden.frequency_hz") == Approx(std::stod(last)).epsilon(1e-3));
    page.wait_for("the one that was taken is in the middle", [&] {
        return page.browser
            .run(
                "return document.querySelector('#variants-row button:nth-child(4)')"
                "?.getAttribute('aria-pressed') === 'true' && document.querySelector("
                "'#variants-row button:nth-child(4) span').textContent === arguments[0]",
                {last})
            .get<bool>();
    });
}

TEST_CASE("a map lies over the two dials last turned, and a click takes a cell", "[browser]") {
    OpenPage page;
    CHECK(page.browser.run("return document.querySelector('#map').hidden").get<bool>());
    page.slide("leaden.frequency_hz", 0.5);
    CHECK(page.browser.run("return document.querySelector('#map').hidden").get<bool>());
    page.slide("leaden.damping_ratio", 0.4);
    page.wait_for("there is a map", [&] {
        return page.browser.run("return hopcoil.map.answer?.cells.length === 81").get<bool>();
    });
    CHECK(page.browser.run("return document.querySelector('#map-figure').value") ==
          "leaden.overshoot_percent");
    // The leftmost cell of the top row.
    const json taken = page.browser.run(
        "const c = document.querySelector('#map-cells');"
        "const r = c.getBoundingClientRect();"
        "c.dispatchEvent(new MouseEvent('click', {bubbles: true, clientX: r.left + 66,"
        " clientY: r.top + 8}));"
        "const {axes} = hopcoil.map.answer;"
        "return Object.fromEntries([[axes[0].path, axes[0].values.at(-1)],"
        " [axes[1].path, axes[1].values[0]]])");
    REQUIRE(taken.size() == 2);
    for (const auto& [path, value] : taken.items())
        CHECK(page.value(path) == Approx(value.get<double>()).epsilon(1e-9));
}

TEST_CASE("the numbers of what is looked at are fitted to a reference", "[browser]") {
    OpenPage page{"sign.toml"};
    page.browser.run(
        "const s = document.getElementById('reference-name'); s.value = 'sign.csv';"
        "s.dispatchEvent(new Event('change'))");
    page.wait_for("its columns are there", [&] {
        return page.browser.run("return !document.getElementById('reference-column').disabled")
            .get<bool>();
    });
    page.browser.run(
        "const s = document.getElementById('reference-column'); s.value = 'sign_m';"
        "s.dispatchEvent(new Event('change'))");
    page.browser.run("document.getElementById('reference-fit').click()");
    page.wait_for("it says what it has found",
                  [&] { return page.said().find("unexplained") != std::string::npos; });
    CHECK_THAT(page.said(), Contains("sign.frequency_hz 0.8"));
    CHECK(page.value("sign.frequency_hz") == Approx(0.85).epsilon(0.02));
    CHECK(page.value("sign.damping_ratio") == Approx(0.14).margin(0.02));
}

TEST_CASE("a wish that is typed in moves the sliders", "[browser]") {
    OpenPage page;
    page.browser.type("#wish", "12 % past, 0.4 s\n");
    page.wait_for("the wish is solved", [&] { return page.figure("settling_time_s") == "0.4"; });
    CHECK(page.figure("overshoot_percent") == "12");
    CHECK(page.value("leaden.frequency_hz") > 2);
    page.browser.clear("#wish");
    page.browser.type("#wish", "soon\n");
    page.wait_for("the page says why not",
                  [&] { return page.said().find("expected") != std::string::npos; });
    CHECK_THAT(page.said(), Contains("12 % past, 0.4 s") && Contains("found 'soon'"));
    page.browser.clear("#wish");
    page.browser.type("#wish", "300 % past, 0.4 s\n");
    page.wait_for("reach is explained",
                  [&] { return page.said().find("overshoot") != std::string::npos; });
}

TEST_CASE("A is held and flipped; undo and redo go through the history", "[browser]") {
    OpenPage page;
    page.browser.click("#hold-a");
    page.slide("leaden.frequency_hz", 0.8);
    const double edited = page.value("leaden.frequency_hz");
    page.wait_for("A has figures", [&] { return page.figure("rise_time_s", ".of-a") == "2.14"; });
    page.wait_for("the edit has its own", [&] { return page.figure("rise_time_s") != "2.14"; });
    page.browser.click("#flip");
    CHECK(page.value("leaden.frequency_hz") == 0.25);
    page.browser.click("#flip");
    CHECK(page.value("leaden.frequency_hz") == edited);
    page.browser.click("#undo");
    page.browser.click("#undo");
    page.browser.click("#undo");
    CHECK(page.value("leaden.frequency_hz") == 0.25);
    CHECK_FALSE(page.browser.run("return document.getElementById('redo').disabled").get<bool>());
    page.browser.click("#redo");
    CHECK(page.value("leaden.frequency_hz") == edited);
    page.browser.run(
        "document.body.dispatchEvent("
        "new KeyboardEvent('keydown', {key: 'z', ctrlKey: true, bubbles: true}))");
    CHECK(page.value("leaden.frequency_hz") == 0.25);
}

TEST_CASE("a tuning that is saved is found in the file, and numbers in the scene", "[browser]") {
    OpenPage page;
    page.slide("leaden.damping_ratio", 0.3);
    const double ratio = page.value("leaden.damping_ratio");
    page.browser.click("#keep summary");
    page.browser.type("#save-name", "harbour\n");
    page.wait_for("it says so", [&] { return page.said().starts_with("Saved harbour"); });
    const std::string saved = contents_of(page.served.folder() / "quay.tunings.toml");
    CHECK_THAT(saved,
               Contains("[tuning.harbour]") && Contains("damping_ratio = " + json(ratio).dump()));
    // It can be put on another at once.
    page.browser.click("#movers button:nth-child(3)");
    page.browser.run(
        "const s = document.getElementById('named'); s.value = 'harbour';"
        "s.dispatchEvent(new Event('change'))");
    CHECK(page.value("paper.damping_ratio") == ratio);
    CHECK(page.value("paper.frequency_hz") == 0.25);
    page.browser.click("#undo");
    page.browser.click("#patch");
    page.wait_for("the file has it", [&] {
        return contents_of(page.served.folder() / "vane.toml")
                   .find("damping_ratio = " + json(ratio).dump()) != std::string::npos;
    });
    page.wait_for("it is no change any more", [&] {
        return page.browser.run("return Object.keys(hopcoil.settings.changes).length") == 0;
    });
}

TEST_CASE("a target is dragged, the motion follows it, and lets it go", "[browser]") {
    OpenPage page{"boom_lamp.toml"};
    page.browser.run("hopcoil.player.pause(); hopcoil.player.seek(3)");
    const json at = page.browser.run(
        "const h = hopcoil.stage.handles()[0].point;"
        "const r = document.getElementById('stage').getBoundingClientRect();"
        "return [r.left + h[0], r.top + h[1]]");
    const double x = at[0];
    const double y = at[1];
    std::vector<Browser::Point> way{{x, y}};
    for (int i = 1; i <= 10; ++i)
        way.push_back({x - 15.0 * i, y});
    page.browser.drag(way, true);
    page.wait_for("the lamp has followed", [&] {
        return page.browser
            .run(
                "const t = hopcoil.hand.take; if (!t) return false;"
                "const of = (name) => t.columns[name][t.times_s.length - 1];"
                "return of('boom.value_m') < 1.7 && Math.abs(of('string.lamp.value_m') - "
                "of('boom.value_m')) < 0.05")
            .get<bool>();
    });
    CHECK(page.browser.text_of("#stage-note") == "boom is held");
    CHECK(page.browser.run("return hopcoil.hand.take.columns['boom.value_m'][0]") ==
          Approx(2).margin(0.01));
    page.browser.click("#let-go");
    page.wait_for("it is back on its course", [&] {
        return page.browser
            .run(
                "const t = hopcoil.hand.take; return t === null || "
                "t.columns['boom.value_m'].at(-1) !== t.columns['boom.value_m'].at(-60)")
            .get<bool>();
    });
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE("the eye goes round, nearer and back; the view fills the window", "[browser]") {
    OpenPage page{"skiff.toml"};
    const auto eye = [&] {
        return page.browser.run("return hopcoil.stage.view.camera.position.toArray()")
            .get<std::vector<double>>();
    };
    const auto width = [&] {
        return page.browser.run("return document.getElementById('stage').clientWidth")
            .get<double>();
    };
    CHECK(width() >= 640);  // at least half of 1280
    const std::vector<double> first = eye();
    const Browser::Point middle = page.browser.middle_of("#stage");
    const Browser::Point corner{middle.x - 0.45 * width(), middle.y - 60};
    page.browser.drag({corner, {corner.x + 20, corner.y + 10}, {corner.x + 60, corner.y + 30}},
                      true);
    const std::vector<double> round = eye();
    CHECK(std::abs(round[0] - first[0]) + std::abs(round[1] - first[1]) > 0.1);
    CHECK_FALSE(page.browser.run("return hopcoil.hand.isActive").get<bool>());
    page.browser.click("#whole-window");
    CHECK(width() >= 900);
    page.browser.click("#whole-window");
    page.browser.click("#fit");
    CHECK(eye() == first);
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE("a click makes the target jump, a key takes it to and fro, a button kicks", "[browser]") {
    OpenPage page{"boom_lamp.toml"};
    page.browser.run("hopcoil.player.pause(); hopcoil.player.seek(8.5)");
    const auto boom = [&] {
        return page.browser.run(
            "const t = hopcoil.hand.take; return t ? t.columns['boom.value_m'].at(-1) : null");
    };
    const double before = page.browser.run("return hopcoil.stage.handles()[0].numbers[0]");
    const Browser::Point middle = page.browser.middle_of("#stage");
    page.browser.drag({{middle.x + 60, middle.y + 40}}, true);
    page.wait_for("the target has jumped", [&] { return boom().is_number(); });
    const double there = boom();
    CHECK(std::abs(there - before) > 0.3);
    page.browser.run(
        "document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 't', bubbles: true}))");
    page.wait_for("it is back", [&] { return std::abs(boom().get<double>() - before) < 1e-3; });
    page.browser.run(
        "document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 't', bubbles: true}))");
    page.wait_for("and there again", [&] { return std::abs(boom().get<double>() - there) < 1e-3; });

    page.browser.click("#let-go");
    page.browser.run("hopcoil.player.seek(8.9)");
    page.browser.click("#movers button:nth-child(2)");
    page.browser.click("#kick");
    page.wait_for("the lamp has been struck", [&] {
        return page.browser
            .run(
                "const t = hopcoil.hand.take; return Boolean(t) && "
                "Math.max(...t.columns['string.lamp.value_m'].map(Math.abs)) > 0.05")
            .get<bool>();
    });
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE("what the hand did is replayed under every setting, and kept in a file", "[browser]") {
    OpenPage page{"boom_lamp.toml"};
    page.browser.run("hopcoil.player.pause(); hopcoil.player.seek(0)");
    const json at = page.browser.run(
        "const h = hopcoil.stage.handles()[0].point;"
        "const r = document.getElementById('stage').getBoundingClientRect();"
        "return [r.left + h[0], r.top + h[1]]");
    std::vector<Browser::Point> way{{at[0], at[1]}};
    for (int i = 1; i <= 20; ++i)
        way.push_back({at[0].get<double>() + 6 * i, at[1]});
    page.browser.drag(way, false);
    page.wait_for("there is something to replay", [&] {
        return !page.browser.run("return document.getElementById('replay').disabled").get<bool>();
    });
    page.browser.click("#replay");
    const auto last = [&] {
        return page.browser.run("return hopcoil.answer.take.columns['boom.value_m'].at(-1)")
            .get<double>();
    };
    const double held = page.browser.run("return hopcoil.drive.values.at(-1)");
    CHECK(held > 0.1);
    page.wait_for("the run follows the hand", [&] { return std::abs(last() - held) < 1e-3; });
    page.slide("string.lamp.damping_ratio", 0.9);
    page.wait_for("under another setting too", [&] {
        return page.browser
                   .run(
                       "return hopcoil.settings.changes['string.lamp.damping_ratio'] > 1 && "
                       "!hopcoil.runs.busy")
                   .get<bool>() &&
               std::abs(last() - held) < 1e-3;
    });
    page.browser.click("#keep-drive");
    page.wait_for("it is written", [&] { return page.said().starts_with("Written: "); });
    CHECK_THAT(contents_of(page.served.folder() / "boom-by-hand.csv"),
               Contains("time_s,boom.value_m"));
    page.browser.click("#replay");
    page.wait_for("it goes its own way again", [&] { return std::abs(last() - held) > 1e-3; });
}

TEST_CASE("a heavy scene goes on with the new number, and is run anew behind it", "[browser]") {
    OpenPage page{"boom_lamp.toml"};
    page.browser.run("hopcoil.runTime = 1e4; hopcoil.player.seek(2); hopcoil.player.play()");
    const json before = page.browser.run("return hopcoil.answerIs");
    page.slide("string.lamp.frequency_hz", 0.9, false);
    page.wait_for("it goes on", [&] {
        return page.browser
            .run(
                "return hopcoil.hand.isActive && hopcoil.hand.take !== null && "
                "hopcoil.hand.time > 2.2")
            .get<bool>();
    });
    CHECK(page.browser.run("return hopcoil.answerIs") == before);
    // From where it was.
    CHECK(page.browser
              .run("const old = hopcoil.answer.take; const now = hopcoil.hand.take;"
                   "const row = old.times_s.findIndex((t) => t >= now.times_s[0]);"
                   "return Math.abs(now.columns['string.lamp.value_m'][0] - "
                   "old.columns['string.lamp.value_m'][row])")
              .get<double>() < 0.05);
    page.slide("string.lamp.frequency_hz", 0.9);
    page.wait_for("the charts follow",
                  [&] { return page.browser.run("return hopcoil.answerIs") != before; });
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE(
    "the keys of a curve are dragged on its chart; a chain has figures and a chart of its own",
    "[browser]") {
    OpenPage page{"streamer.toml"};
    page.browser.run("hopcoil.look('floats')");
    page.wait_for("its length is there", [&] {
        return page.browser.run("return document.querySelectorAll('#own-charts .plot').length") ==
               1;
    });
    CHECK(std::stod(page.browser.text_of("[data-figure='length at rest'] .now")) ==
          Approx(22 * 0.18).epsilon(0.01));
    std::ofstream{page.served.folder() / "streamer.toml"}
        << "[target.h]\nmoves = [{ at_s = 1, jump_to_m = 1 }]\n[curve.lid]\ntarget = 'h'\n"
           "duration_s = 0.5\nkeys = [[0, 0], [0.5, 0.5], [1, 1]]\n";
    page.wait_for("the curve is there", [&] {
        return page.browser
            .run(
                "return hopcoil.jump.keys.length === 3 && hopcoil.jump.chart.plot "
                "!== null && hopcoil.looked === 'lid'")
            .get<bool>();
    });
    const json at = page.browser.run(
        "const k = hopcoil.jump.keys[1]; const r = "
        "document.getElementById('jump').getBoundingClientRect();"
        "const [x, y] = hopcoil.jump.chart.plot.toDomCoords(k.time, k.percent);"
        "return [r.left + x, r.top + y]");
    const double x = at[0];
    const double y = at[1];
    page.browser.drag({{x, y}, {x + 5, y - 10}, {x + 10, y - 20}}, true);
    CHECK(page.value("lid.keys.1.1") > 0.55);
    CHECK(page.value("lid.keys.1.0") > 0.5);
    page.wait_for("the curve has changed",
                  [&] { return page.browser.run("return hopcoil.settings.past.length") == 2; });
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE("the keyboard alone takes hold of a target, and lets it go", "[browser]") {
    OpenPage page;
    page.browser.run("hopcoil.player.pause(); hopcoil.player.seek(3)");
    const double before = page.browser.run("return hopcoil.stage.handles()[0].numbers[0]");
    const std::string right = "\uE014";
    page.browser.type("#stage", right + right + right);
    page.wait_for("the target has moved", [&] {
        return page.browser
            .run(
                "return hopcoil.hand.isActive && hopcoil.hand.take !== null && "
                "Math.abs(hopcoil.hand.take.columns['wind.value_rad'].at(-1) - arguments[0]) > 0.1",
                {before})
            .get<bool>();
    });
    const std::string escape = "\uE00C";
    page.browser.type("#stage", escape);
    page.wait_for("it is let go", [&] {
        return page.browser.run("return hopcoil.hand.letting || !hopcoil.hand.isActive")
            .get<bool>();
    });
}

TEST_CASE("keys that are held drive a walker's target at a steady speed, and turn what it faces",
          "[browser]") {
    OpenPage page{"mud_crab.toml"};
    const auto key = [&](const std::string& what, const std::string& which) {
        page.browser.run(
            "document.getElementById('stage').dispatchEvent("
            "new KeyboardEvent(arguments[0], {key: arguments[1], bubbles: true}))",
            {what, which});
    };
    // How far the target goes for each second that the key is down.
    const auto rate = [&](const std::string& target, int numbers) {
        page.wait_for("it goes on for a second", [&] {
            return page.browser.run("return (hopcoil.hand.drive?.times_s.at(-1) ?? 0) > 2.2")
                .get<bool>();
        });
        return page.browser.run(
            "const {times_s: t, values: v, target} = hopcoil.hand.drive;"
            "const n = arguments[1]; const at = (i) => v.slice(n * i, n * i + n);"
            "const a = t.findIndex((time) => time > 1.3); const b = t.length - 1;"
            "return target === arguments[0] ? Math.hypot(...at(b).map((x, i) => x - at(a)[i]))"
            " / (t[b] - t[a]) : -1",
            {target, numbers});
    };
    page.browser.run("hopcoil.player.pause(); hopcoil.player.seek(1)");
    key("keydown", "ArrowUp");
    CHECK(rate("way", 3).get<double>() == Approx(1).epsilon(0.15));
    key("keyup", "ArrowUp");
    // The marks on its feet say why they step.
    page.wait_for("it walks", [&] {
        return page.browser
            .run(
                "const take = hopcoil.hand.take; const i = take.times_s.length - 1;"
                "return hopcoil.stage.marks.some((m) => m.words[take.columns[m.note]?.[i]] === "
                "'reaches')")
            .get<bool>();
    });
    page.browser.run("hopcoil.player.letGo(); hopcoil.hand.reset(); hopcoil.player.seek(1)");
    key("keydown", "q");
    CHECK(rate("eyes", 4).get<double>() == Approx(0.8).epsilon(0.2));  // half of the angle's
    key("keyup", "q");
    CHECK(page.browser.complaints() == json::array());
}

TEST_CASE("the order of a walker's steps is chosen by name, and by a key", "[browser]") {
    OpenPage page{"mud_crab.toml"};
    page.browser.run("hopcoil.look('crab')");
    const std::string list = "[data-path=\"crab.step_order\"] select";
    CHECK(page.browser.run("return document.querySelector(arguments[0]).selectedOptions[0].text",
                           {list}) == "groups in turn");
    page.browser.run(
        "const s = document.querySelector(arguments[0]); s.value = 6;"
        "s.dispatchEvent(new Event('change'))",
        {list});
    page.wait_for("the run is another", [&] {
        return page.browser.run("return hopcoil.answer.take.made_by?.set ?? true").get<bool>() &&
               page.value("crab.step_order") == 6;
    });
    page.browser.run(
        "document.activeElement.blur();"
        "document.dispatchEvent(new KeyboardEvent('keydown', {key: 'g'}))");
    CHECK(page.value("crab.step_order") == 7);
    CHECK(page.browser.run("return document.querySelector(arguments[0]).selectedOptions[0].text",
                           {list}) == "pace");
    // What it stands on is seen.
    CHECK(page.browser.run("return hopcoil.stage.scene.scenery.length").get<int>() == 3);
    CHECK(page.browser.complaints().empty());
}

TEST_CASE("particles alone are a scene to look at, in its view and in its moments", "[browser]") {
    OpenPage page;
    std::ofstream{page.served.folder() / "vane.toml"} << R"(
title = "Leaves"
duration_s = 3
[particles.leaves]
rate_per_s = 40
colours = ["#00ff00"]
radius_m = 0.06
spin_deg_per_s = 200
at_m = [0, 1, 0]
lifetime_least_s = 3
lifetime_most_s = 3
)";
    page.wait_for("the scene is another", [&] {
        return page.browser.run("return hopcoil.scene.title === 'Leaves'").get<bool>();
    });
    const auto greens = [&](const std::string& canvas) {
        return page.browser
            .run(
                "const c = document.querySelector(arguments[0]);"
                "const all = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;"
                "let count = 0;"
                "for (let i = 0; i < all.length; i += 4)"
                "  if (all[i + 1] > 150 && all[i] < 90 && all[i + 2] < 90) count += 1;"
                "return count",
                {canvas})
            .get<int>();
    };
    page.wait_for("leaves are in the view", [&] {
        page.browser.run("hopcoil.stage.draw(2.5, hopcoil.stage.take)");
        return greens("#over") > 50;
    });
    CHECK(page.browser.text_of("#course-heading") == "leaves, count");
    page.wait_for("leaves are in the moments", [&] { return greens("#strip") > 50; });
    CHECK(page.browser.complaints().empty());
}

TEST_CASE("a scene's file that is broken says so on the page, and goes on when it is mended",
          "[browser]") {
    OpenPage page;
    const auto file = page.served.folder() / "vane.toml";
    const std::string good = contents_of(file);
    std::string broken = good;
    broken.replace(broken.find("damping_ratio"), 13, "dampng_ratio ");
    const auto is_shown = [&] {
        return !page.browser.run("return document.getElementById('problem').hidden").get<bool>();
    };
    CHECK_FALSE(is_shown());
    std::ofstream{file} << broken;
    page.wait_for("the message is there", is_shown);
    CHECK_THAT(page.browser.text_of("#problem-text"),
               Contains("vane.toml:14:") && Contains("did you mean 'damping_ratio'?"));
    std::string other = good;
    other.replace(other.find("frequency_hz = 0.25"), 19, "frequency_hz = 0.75");
    std::ofstream{file} << other;
    page.wait_for("the message is gone", [&] { return !is_shown(); });
    page.wait_for("the new number is there",
                  [&] { return page.value("leaden.frequency_hz") == 0.75; });
}

TEST_CASE("a reference is laid under the value", "[browser]") {
    OpenPage page;
    const auto curves = [&] {
        return page.browser.run("return hopcoil.course.chart.plot.numColumns()").get<int>();
    };
    const int before = curves();
    page.browser.run(
        "const s = document.getElementById('reference-name'); s.value = 'wind.csv';"
        "s.dispatchEvent(new Event('change'))");
    page.wait_for("there is one curve more", [&] { return curves() == before + 1; });
    CHECK_THAT(page.browser.text_of("#course-key"), Contains("wind.csv: heading_deg"));
}

TEST_CASE("every scene of the demo, at every width, has a picture and nothing to complain of",
          "[browser]") {
    for (const std::string scene :
         {"skiff.toml", "tide_dial.toml", "boom_lamp.toml", "streamer.toml", "heron.toml"}) {
        OpenPage page{scene, 1280, 844};
        for (const int width : {1280, 390}) {
            CAPTURE(scene, width);
            page.browser.resize(width, 844);
            CHECK(page.browser.complaints() == json::array());
            page.wait_for("it fits", [&] {
                return page.browser.run("return document.documentElement.scrollWidth") <= width;
            });
            CHECK(page.browser
                      .run("const d = document.createElement('canvas').getContext('2d');"
                           "hopcoil.stage.draw(0); d.drawImage(document.getElementById('stage'), "
                           "0, 0);"
                           "return d.getImageData(0, 0, 300, 150).data.some((v) => v !== 0)")
                      .get<bool>());
        }
    }
}

TEST_CASE("from a slider to the picture it is a breath", "[browser]") {
    OpenPage page;
    const auto file = page.served.folder() / "vane.toml";
    std::string text = contents_of(file);
    text.replace(text.find("rate_hz = 60"), 12, "duration_s = 10\nrate_hz = 240");
    std::ofstream{file} << text;
    page.wait_for("the scene is the longer one",
                  [&] { return page.browser.run("return hopcoil.scene.rate_hz") == 240; });
    page.browser.run(
        "hopcoil.latencies.length = 0; window.turns = 0;"
        "const s = document.querySelector('[data-path=\"leaden.damping_ratio\"] "
        "input[type=range]');"
        "const turn = () => { if (window.turns++ >= 20) return;"
        "  s.value = 100 + 8 * window.turns; s.dispatchEvent(new Event('input'));"
        "  setTimeout(turn, 60); }; turn();");
    page.wait_for("twenty turns are done",
                  [&] { return page.browser.run("return window.turns > 20").get<bool>(); });
    std::vector<double> all = page.browser.run("return hopcoil.latencies");
    REQUIRE(all.size() > 4);
    std::sort(all.begin(), all.end());
    std::printf(
        "from slider to picture, 10 s at 240 Hz: median %.0f ms, nine in ten within %.0f ms\n",
        all[all.size() / 2], all[all.size() * 9 / 10]);
    // How long it takes is a figure to report; that each turn is shown is the property.
    page.wait_for("the last turn is shown", [&] {
        return page.browser
            .run("return hopcoil.answerIs === JSON.stringify(hopcoil.settings.changes)")
            .get<bool>();
    });
}

TEST_CASE("the command serves until it is asked to end", "[browser]") {
    const TestFolder folder;
    std::filesystem::copy(SCENES "/quay", folder.path() / "quay");
    const std::string out = (folder.path() / "said").string();
    Program live{{"/bin/sh", "-c",
                  "exec '" HOPCOIL_COMMAND "' live '" +
                      (folder.path() / "quay/vane.toml").string() + "' --no-browser --json > '" +
                      out + "'"}};
    Browser::wait_until("it says where", [&] { return contents_of(out).ends_with("}\n"); });
    const json said = json::parse(contents_of(out));
    httplib::Client client{"127.0.0.1", said["port"].get<int>()};
    CHECK(client.Get("/v1/scene")->status == 200);
    CHECK(live.end(SIGINT) == 0);
    CHECK_FALSE(client.Get("/v1/scene"));
}
