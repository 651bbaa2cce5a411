#include "tool/arguments.hpp"

#include <cmath>
#include <functional>
#include <map>
#include <string>
#include <string_view>

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <hopcoil/base/version.hpp>
#include <hopcoil/io/file_problems.hpp>

#include "tool/commands.hpp"
#include "tool/help_text.hpp"
#include "tool/option_checks.hpp"

namespace hopcoil::tool {
namespace {

/// One or several numbers, with spaces or commas between them.
void add_list(CLI::App& app, const std::string& name, std::vector<double>& values,
              const std::string& unit, const std::string& help, const CLI::Validator& check) {
    app.add_option(name, values, help)
        ->delimiter(',')
        ->expected(1, CLI::detail::expected_max_vector_size)
        ->check(check)
        ->type_name(unit)
        ->group("Tuning (several values draw several followers)");
}

/// One mover for each value.
void add_each(CLI::App& app, const std::string& name, std::vector<std::string>& values,
              const std::string& form, const std::string& help) {
    app.add_option(name, values, help)
        ->expected(1, CLI::detail::expected_max_vector_size)
        ->type_name(form)
        ->group("Other ways to choose a motion");
}

void add_tunings(CLI::App& app, TuningOptions& options) {
    add_list(app, "--frequency", options.frequencies_hz, "HZ", "natural frequency (2)",
             at_least_zero(" hertz"));
    add_list(app, "--damping-ratio", options.damping_ratios, "RATIO",
             "below 1 it swings past the target (0.5)", at_least_zero(""));
    add_list(app, "--lead", options.leads, "LEAD",
             "0 lags behind a moving target, 1 does not, below 0 first goes the other way (0)",
             any_number(""));
    add_list(app, "--mass", options.masses_kg, "KG", "instead of a frequency: mass (1)",
             above_zero(" kilograms"));
    add_list(app, "--stiffness", options.stiffnesses_n_per_m, "N/M", "with --mass: spring",
             at_least_zero(" newtons per metre"));
    add_list(app, "--damping", options.dampings_n_s_per_m, "N*S/M", "with --mass: damper (0)",
             at_least_zero(" newton seconds per metre"));
    add_list(app, "--overshoot", options.overshoots_percent, "PERCENT",
             "with --mass and --stiffness: solves the damper for this overshoot of a jump",
             number([](double value) { return value >= 0 && value < 100; },
                    "a number from 0 to less than 100 percent"));
    add_each(app, "--named", options.names, "NAME", "a tuning by its name");
    app.add_option("--tunings", options.files, "a tuning file whose names may be used; repeatable")
        ->take_all()
        ->allow_extra_args(false)
        ->type_name("FILE.toml")
        ->group("Other ways to choose a motion");
    add_each(app, "--wish", options.wishes, "PERCENT:SECONDS[:LEAD]",
             "overshoot in percent and settling time");
    add_each(app, "--decay", options.decays, "HALF_LIFE_S[:RATIO[:LEAD]]",
             "the remaining distance halves in this time (ratio 1)");
    add_each(app, "--coefficients", options.coefficients, "A:B[:C]",
             "of y + a y' + b y'' = x + c x'");
}

void add_other_movers(CLI::App& app, TuningOptions& options) {
    add_each(app, "--glide", options.glides, "HALF_LIFE_S", "half of the gap in this time");
    add_each(app, "--pursuit", options.pursuits, "SPEED[:ACCELERATION]", "under these caps");
    add_each(app, "--settle", options.settles, "PERCENT:SECONDS",
             "a settle curve: overshoot in percent, settling time");
    add_each(app, "--curve", options.curves, "FAMILY:WAY:SECONDS",
             "along an ease: past_and_back:out:0.4");
    add_each(app, "--cascade", options.cascades, "HZ:RATIO/HZ:RATIO", "followers behind followers");
    add_each(app, "--coast", options.coasts, "HALF_LIFE_S",
             "thrown by a kick, its speed halves in this time");
}

void add_save(CLI::App& app, SaveOptions& save) {
    const std::string group = "Keeping it";
    CLI::Option* const name = app.add_option("--save", save.name, "keep the tuning under this name")
                                  ->check(not_empty("a name"))
                                  ->type_name("NAME")
                                  ->group(group);
    app.add_option("--into", save.file, "the tuning file, made if it is not there (tunings.toml)")
        ->check(not_empty("a file"))
        ->needs(name)
        ->type_name("FILE.toml")
        ->group(group);
    app.add_option("--about", save.about, "a line on what it feels like (as it was)")
        ->needs(name)
        ->type_name("TEXT")
        ->group(group);
    app.add_flag("--replace", save.replace, "in place of what has the name already")
        ->needs(name)
        ->group(group);
}

void add_signal(CLI::App& app, ResponseOptions& options) {
    const std::string signal = "Signal";
    app.add_option("--signal", options.signal, "jump, kick, ramp, sine, pulse, noise or csv (jump)")
        ->check(one_of({"jump", "kick", "ramp", "sine", "pulse", "noise", "csv"}))
        ->type_name("NAME")
        ->group(signal);
    app.add_option(
           "--size", options.size,
           "how far it jumps, how hard the kick, how fast the ramp, how wide the sine or the "
           "noise, how high the pulse (1)")
        ->check(not_zero(""))
        ->type_name("NUMBER")
        ->group(signal);
    app.add_option("--initial-velocity", options.initial_velocity,
                   "of the follower when the signal comes, per second (0)")
        ->check(any_number(" per second"))
        ->type_name("NUMBER")
        ->group(signal);
    app.add_option("--sine-frequency", options.sine_hz,
                   "of the sine; of the slowest part of the noise (1)")
        ->check(above_zero(" hertz"))
        ->type_name("HZ")
        ->group(signal);
    app.add_option("--pulse-seconds", options.pulse_s, "how long the pulse lasts (0.25)")
        ->check(above_zero(" seconds"))
        ->type_name("S")
        ->group(signal);
    app.add_option("--seed", options.seed, "of the noise (0)")
        ->check(whole_number())
        ->type_name("N")
        ->group(signal);
    app.add_option("--target", options.target, "a recorded target, with a column time_s")
        ->type_name("FILE.csv")
        ->group(signal);
    app.add_option("--column", options.column, "its column to follow (the one after time_s)")
        ->type_name("NAME")
        ->group(signal);
    app.add_option("--after-end", options.after_end,
                   "after its last sample: hold, loop, mirror or continue (hold)")
        ->check(one_of({"hold", "loop", "mirror", "continue"}))
        ->type_name("NAME")
        ->group(signal);
}

void add_response(CLI::App& app, ResponseOptions& options) {
    add_tunings(app, options.movers);
    add_other_movers(app, options.movers);
    app.add_option("--equal-lag", options.movers.equal_lag_s,
                   "makes each so quick that it lags this far behind a steady mover, to compare "
                   "them: a spring and a glide, say")
        ->check(above_zero(" seconds"))
        ->type_name("S")
        ->group("Other ways to choose a motion");
    add_signal(app, options);
    add_save(app, options.save);
    const std::string output = "Output";
    app.add_option("--seconds", options.seconds, "how long (until it has settled)")
        ->check(above_zero(" seconds"))
        ->type_name("S")
        ->group(output);
    app.add_option("--rate", options.rate_hz,
                   "rows per second in the CSV, samples per second of noise (60; of a recorded "
                   "target, its own)")
        ->check(above_zero(" hertz"))
        ->type_name("HZ")
        ->group(output);
    app.add_flag("--json", options.json, "print one JSON object instead of the table")
        ->group(output);
    app.add_option("--csv", options.csv, "write the motion there")
        ->type_name("FILE.csv")
        ->group(output);
    app.add_option("--figure", options.figure, "draw it there")
        ->type_name("FILE.png|.svg")
        ->group(output);
    app.footer(help::response);
}

void add_set(CLI::App& app, ChangeOptions& options, const std::string& group = "Options") {
    app.add_option(
           "--set", options.changes,
           "change a number of the scene, or give a system named settings (or a blend of two); "
           "'*' stands for any letters (string.*.lead=1, lamp=lively, lamp=calm:lively:0.3)")
        ->type_name("PATH=NUMBER|NAME")
        ->group(group);
    if (app.get_option_no_throw("--tunings") != nullptr) return;
    app.add_option("--tunings", options.tuning_files,
                   "a tuning file whose names --set may use; repeatable")
        ->take_all()
        ->allow_extra_args(false)
        ->type_name("FILE.toml")
        ->group(group);
}

void add_run(CLI::App& app, RunOptions& options) {
    options.out = "hopcoil-run";
    app.add_option("scene", options.scene, "the scene to run")->required()->type_name("SCENE.toml");
    app.add_option("--out", options.out,
                   "folder for the take, its figure and its report "
                   "(hopcoil-run)")
        ->type_name("DIR");
    app.add_option("--seconds", options.seconds, "how long (as the scene says)")
        ->check(above_zero(" seconds"))
        ->type_name("S");
    app.add_option("--rate", options.rate_hz, "frames per second (as the scene says)")
        ->check(above_zero(" hertz"))
        ->type_name("HZ");
    app.add_option("--seed", options.seed, "of what is random in it (as the scene says, else 0)")
        ->check(whole_number())
        ->type_name("N");
    add_set(app, options.changes);
    app.add_flag("--overlay", options.overlay, "draw all movers of one target on one scale");
    app.add_option("--figure", options.figure, "draw the figure there instead")
        ->type_name("FILE.png|.svg");
    app.add_option("--take", options.takes, "write the take there too; repeatable")
        ->take_all()
        ->allow_extra_args(false)
        ->type_name("FILE.csv|.json|.gltf|.glb");
    app.add_flag("--take-only", options.takes_only,
                 "write nothing but those, as they are recorded: for long runs, in flat memory");
    app.add_flag("--json", options.json, "print one JSON object instead of the summary");
    app.footer(help::run);
}

void add_live(CLI::App& app, LiveOptions& options) {
    app.footer(help::live);
    app.add_option("scene", options.scene, "a scene file")->required()->type_name("FILE.toml");
    app.add_option("--port", options.port, "on 127.0.0.1 (a free one)")
        ->check(number(
            [](double value) { return value >= 1 && value <= 65535 && value == std::floor(value); },
            "a whole number from 1 to 65535"))
        ->type_name("NUMBER");
    app.add_option("--seed", options.seed, "of everything random (the scene's own)")
        ->check(whole_number())
        ->type_name("NUMBER");
    app.add_flag("--no-browser", options.no_browser, "print the address, open nothing");
    app.add_flag("--json", options.json, "print the address as JSON");
}

void add_tunings_command(CLI::App& app, TuningsOptions& options) {
    app.add_option("names", options.tunings.names, "only these (all built-in tunings)")
        ->type_name("NAME");
    add_tunings(app, options.tunings);
    app.remove_option(app.get_option("--named"));
    const std::string system = "Settings of a system";
    app.add_option("--scene", options.scene, "the scene that it stands in")
        ->type_name("SCENE.toml")
        ->group(system);
    app.add_option("--system", options.system, "whose numbers to print, compare or keep")
        ->type_name("NAME")
        ->group(system);
    app.add_option("--only", options.only, "those of its dials that match (all)")
        ->type_name("PATTERN")
        ->group(system);
    add_set(app, options.changes, system);
    app.add_flag("--compare", options.compare, "side by side, each beside the first");
    app.add_option("--figure", options.figure, "draw their jumps over one another there")
        ->type_name("FILE.png|.svg");
    add_save(app, options.save);
    app.add_flag("--json", options.json, "print one JSON object instead of the table");
    app.footer(help::tunings);
}

void add_timestep(CLI::App& app, TimestepOptions& options) {
    app.add_option("scene", options.scene,
                   "every follower and net of this scene, instead of a tuning")
        ->type_name("SCENE.toml");
    add_tunings(app, options.tunings);
    add_set(app, options.changes);
    app.add_option("--rates", options.rates_hz,
                   "steps per second to look at (15 30 60 120 240 1000)")
        ->delimiter(',')
        ->expected(1, 16)
        ->check(above_zero(" hertz"))
        ->type_name("HZ");
    app.add_option("--wanted-error", options.wanted_error_percent,
                   "the error to meet, in percent of a jump (1)")
        ->check(above_zero(" percent"))
        ->type_name("PERCENT");
    app.add_option("--figure", options.figure, "draw it there")->type_name("FILE.png|.svg");
    app.add_option("--draw", options.draw,
                   "map: which steps are stable; error: against step; motion: one jump under four "
                   "schemes; energy: over a million steps (map)")
        ->check(one_of({"map", "error", "motion", "energy"}))
        ->type_name("NAME");
    app.add_option("--at-rate", options.at_rate_hz, "steps per second in the figure (30)")
        ->check(above_zero(" hertz"))
        ->type_name("HZ");
    app.add_flag("--json", options.json, "print one JSON object instead of the tables");
    app.footer(help::timestep);
}

void add_sweep(CLI::App& app, SweepOptions& options) {
    const auto add = [&](const char* name, auto& value, const char* type, const char* help) {
        return app.add_option(name, value, help)->type_name(type);
    };
    add("scene", options.scene, "SCENE.toml", "the scene to run, instead of a tuning");
    add("--vary", options.vary, "PATH=VALUES",
        "a number and its values: LOW:HIGH:COUNT, LOW:HIGH:COUNT:log or A,B,C; repeatable");
    add("--frequency", options.tuning.frequencies_hz, "HZ", "of a tuning, if not varied (2)");
    add("--damping-ratio", options.tuning.damping_ratios, "RATIO", "the same (0.5)");
    add("--lead", options.tuning.leads, "LEAD", "the same (0)");
    add_set(app, options.changes);
    add("--seconds", options.seconds, "S", "how long each run is")->check(above_zero(" seconds"));
    add("--seed", options.seed, "N", "of what is random in a scene")->check(whole_number());
    add("--keep", options.keep, "FIGURE<NUMBER",
        "only runs of which this is so: \"overshoot_percent<15\"; repeatable");
    add("--rank", options.rank, "FIGURE", "sort by this figure, smallest first");
    add("--rows", options.rows, "N", "how many runs to print (20)");
    add("--shard", options.part, "PART/PARTS", "run the third of eight parts: 3/8");
    add("--merge", options.merge, "TABLE.csv", "join tables of parts, instead of running");
    add("--out", options.out, "TABLE.csv",
        "write the table there; after an interrupt the same command goes on");
    add("--figure", options.figure, "FILE.png|.svg",
        "draw the figure that ranks over one or two varied numbers as a map");
    add("--sheet", options.sheet, "FILE.png|.svg", "draw the motion of every run, side by side");
    add("--show", options.show, "NAME", "whose motion (the system that is varied first)");
    app.add_flag("--json", options.json, "print one JSON object instead of the table");
    app.footer(help::sweep);
}

void add_bake(CLI::App& app, BakeOptions& options) {
    app.add_option("source", options.source, "a take, or a scene to be run first")
        ->required()
        ->type_name("TAKE.csv|.json|SCENE.toml");
    app.add_option("--out", options.out, "write the keys, or a model with them, there")
        ->type_name("FILE.csv|.json|.gltf|.glb");
    app.add_option("--channel", options.channels,
                   "only these channels; '*' stands for any letters (every value)")
        ->type_name("NAME");
    app.add_option("--tolerance", options.tolerance,
                   "how far a key curve may be from the take, in its unit (0.001)")
        ->check(above_zero(""))
        ->type_name("DISTANCE");
    app.add_option("--angle-tolerance", options.angle_tolerance_deg, "the same for angles (0.1)")
        ->check(above_zero(" degrees"))
        ->type_name("DEG");
    app.add_option("--shape", options.shape, "between keys: cubic or straight (cubic)")
        ->check(one_of({"cubic", "straight"}))
        ->type_name("NAME");
    app.add_option("--from", options.from_s, "only from this time on")->type_name("S");
    app.add_option("--to", options.to_s, "only up to this time")->type_name("S");
    app.add_option("--rate", options.rate_hz,
                   "rows per second, before they become keys (as they are)")
        ->check(above_zero(" hertz"))
        ->type_name("HZ");
    app.add_option("--loop-over", options.loop_over_s,
                   "bend the last seconds so that the end meets the beginning")
        ->check(above_zero(" seconds"))
        ->type_name("S");
    add_set(app, options.changes);
    app.add_option("--seed", options.seed, "of what is random in a scene")
        ->check(whole_number())
        ->type_name("N");
    app.add_flag("--json", options.json, "print one JSON object, keys and all");
    app.footer(help::bake);
}

void add_check(CLI::App& app, CheckOptions& options) {
    app.add_option("files", options.scenes, "scenes, tuning files, takes and models to read")
        ->type_name("FILE");
    app.add_flag("--dials", options.dials, "list what --set can change");
    app.add_flag("--statistics", options.statistics, "of takes: least, most, mean of each column");
    app.add_option("--against", options.against, "of takes: how far they are from this one")
        ->type_name("TAKE.csv|.json");
    app.add_option("--within", options.within, "how far apart they may be (0)")
        ->check(at_least_zero(""))
        ->type_name("NUMBER");
    app.add_option("--schema", options.schema,
                   "print the JSON Schema of scenes or of tuning files instead, for an editor")
        ->check(one_of({"scene", "tunings"}))
        ->type_name("scene|tunings");
    app.add_flag("--keys", options.keys, "print a page of every key instead");
    app.add_flag("--json", options.json, "print one JSON object instead of lines");
    app.footer(help::check);
}

void add_demo(CLI::App& app, DemoOptions& options) {
    options.out = "hopcoil-demo";
    app.add_option("--out", options.out, "folder to write to (hopcoil-demo)")->type_name("DIR");
    app.add_option("--scenes", options.scenes, "folder of the demo data (the one shipped)")
        ->type_name("DIR");
    app.add_flag("--json", options.json, "print one JSON object instead of the summary");
    app.footer(help::demo);
}

/// Names the first thing on the command line that nobody asked for.
void refuse_leftovers(const CLI::App& app, const std::string& where) {
    const std::vector<std::string> leftovers = app.remaining();
    if (leftovers.empty()) return;
    const std::string& found = leftovers.front();
    const std::string name = found.substr(0, found.find('='));
    std::vector<std::string> known;
    if (found.starts_with('-')) {
        for (const CLI::Option* option : app.get_options()) {
            if (option->nonpositional()) known.push_back(option->get_name(false, false));
        }
    } else {
        for (const CLI::App* command : app.get_subcommands(nullptr)) {
            known.push_back(command->get_name());
        }
    }
    const bool is_command = !found.starts_with('-') && !known.empty();
    throw UsageProblem{fmt::format("{}: {} '{}'{}", where,
                                   is_command               ? "there is no command"
                                   : found.starts_with('-') ? "unknown option"
                                                            : "did not expect",
                                   found, io::did_you_mean(name, known))};
}

/// The command line: every command's options, and what runs it.
class CommandLine {
  public:
    CommandLine() {
        app_.set_version_flag("--version", fmt::format("hopcoil {}", version));
        app_.allow_extras();
        app_.require_subcommand(0, 1);
        app_.footer(
            "hopcoil COMMAND --help shows a command's options and an example.\n"
            "Exit codes: 0 done, 1 a check failed, 2 wrong usage or input, 3 a file could "
            "not be read or written, 4 the simulation diverged, 130 interrupted.");
        add("demo", "run Saltlamp Quay and write what it shows: start here", add_demo, run_demo,
            demo_);
        add("response", "how movers respond to a jump, kick, ramp, sine or recorded target",
            add_response, run_response, response_);
        add("run", "run a scene; write its take, figure and report", add_run, run_run, run_);
        add("live", "tune a scene in the browser: move a slider, see the motion at once", add_live,
            run_live, live_);
        add("tunings", "list the named tunings; print a tuning in every form", add_tunings_command,
            run_tunings, tunings_);
        add("timestep", "which schemes and steps are stable, ring or diverge, and what to use",
            add_timestep, run_timestep, timestep_);
        add("sweep", "try many numbers of a scene or tuning, and compare what comes of them",
            add_sweep, run_sweep, sweep_);
        add("bake", "a take or a scene to few keys within a tolerance", add_bake, run_bake, bake_);
        add("check", "read scenes, tunings, takes and models, and report every problem in them",
            add_check, run_check, check_);
    }

    ExitCode run(int argc, const char* const* argv) {
        std::string where = "hopcoil";
        try {
            app_.parse(argc, argv);
            if (app_.get_subcommands().empty()) {
                refuse_leftovers(app_, where);
                fmt::print("{}", app_.help());
                return ExitCode::done;
            }
            where += ' ' + app_.get_subcommands().front()->get_name();
            refuse_leftovers(*app_.get_subcommands().front(), where);
        } catch (const CLI::Success& asked) {  // help or version
            return static_cast<ExitCode>(app_.exit(asked));
        } catch (const CLI::ParseError& problem) {
            if (!app_.get_subcommands().empty())
                where = "hopcoil " + app_.get_subcommands().front()->get_name();
            throw UsageProblem{
                fmt::format("{}: {}\n{} --help shows every option", where, problem.what(), where)};
        }
        return runs_.at(app_.get_subcommands().front()->get_name())();
    }

  private:
    template <class Options>
    void add(const std::string& name, const std::string& help,
             void (*add_options)(CLI::App&, Options&), ExitCode (*run_command)(const Options&),
             Options& options) {
        CLI::App* const command = app_.add_subcommand(name, help);
        command->allow_extras();
        add_options(*command, options);
        runs_[name] = [run_command, &options] {
            return run_command(options);
        };
    }

    CLI::App app_{
        "Motion that is alive: springs, chains, nets, plants, particles, feet; at any time step.",
        "hopcoil"};
    std::map<std::string, std::function<ExitCode()>> runs_;
    DemoOptions demo_;
    ResponseOptions response_;
    RunOptions run_;
    LiveOptions live_;
    TuningsOptions tunings_;
    TimestepOptions timestep_;
    SweepOptions sweep_;
    BakeOptions bake_;
    CheckOptions check_;
};

}  // namespace

ExitCode run_command_line(int argc, const char* const* argv) {
    return CommandLine{}.run(argc, argv);
}

}  // namespace hopcoil::tool
