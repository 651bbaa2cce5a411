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

/// Adds options of one group, one a line.
class Options {
  public:
    explicit Options(CLI::App& app, std::string group = "Options")
        : app_{app}, group_{std::move(group)} {}

    template <class Value>
    CLI::Option* operator()(const char* name, Value& value, const char* type,
                            const std::string& help) const {
        return app_.add_option(name, value, help)->type_name(type)->group(group_);
    }
    /// One value each time it is given.
    template <class Value>
    void repeated(const char* name, Value& values, const char* type,
                  const std::string& help) const {
        (*this)(name, values, type, help)->take_all()->allow_extra_args(false);
    }
    CLI::Option* flag(const char* name, bool& value, const std::string& help) const {
        return app_.add_flag(name, value, help)->group(group_);
    }

  private:
    CLI::App& app_;
    std::string group_;
};

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
    add_list(app, "--stiffness", options.stiffnesses_n_per_m, "N/M",
             "with --mass: stiffness of the spring", at_least_zero(" newtons per metre"));
    add_list(app, "--damping", options.dampings_n_s_per_m, "N*S/M", "with --mass: damping (0)",
             at_least_zero(" newton seconds per metre"));
    add_list(app, "--overshoot", options.overshoots_percent, "PERCENT",
             "with --mass and --stiffness: overshoot to solve the damping for",
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
    add_each(app, "--glide", options.glides, "HALF_LIFE_S", "a glide: the gap halves in this time");
    add_each(app, "--pursuit", options.pursuits, "SPEED[:ACCELERATION]",
             "a pursuit: caps on speed and acceleration");
    add_each(app, "--settle", options.settles, "PERCENT:SECONDS",
             "a settle curve: overshoot in percent, settling time");
    add_each(app, "--curve", options.curves, "FAMILY:WAY:SECONDS",
             "a move along an ease: past_and_back:out:0.4");
    add_each(app, "--cascade", options.cascades, "HZ:RATIO/HZ:RATIO", "followers behind followers");
    add_each(app, "--coast", options.coasts, "HALF_LIFE_S",
             "thrown by a kick, its speed halves in this time");
}

void add_save(CLI::App& app, SaveOptions& save) {
    const Options add{app, "Saving"};
    CLI::Option* const name = add("--save", save.name, "NAME", "keep the tuning under this name")
                                  ->check(not_empty("a name"));
    add("--into", save.file, "FILE.toml", "the tuning file, made if it is not there (tunings.toml)")
        ->check(not_empty("a file"))
        ->needs(name);
    add("--about", save.about, "TEXT", "a line about it (unchanged)")->needs(name);
    add.flag("--replace", save.replace, "replace what has this name")->needs(name);
}

void add_signal(CLI::App& app, ResponseOptions& options) {
    const Options add{app, "Signal"};
    add("--signal", options.signal, "NAME",
        "jump, kick, ramp, sine, pulse, noise, csv, or frequencies: gain and lag of sines (jump)")
        ->check(one_of({"jump", "kick", "ramp", "sine", "pulse", "noise", "csv", "frequencies"}));
    add("--size", options.size, "NUMBER", "size of the jump, kick, ramp, sine, noise or pulse (1)")
        ->check(not_zero(""));
    add("--initial-velocity", options.initial_velocity, "NUMBER",
        "velocity when the signal begins, per second (0)")
        ->check(any_number(" per second"));
    add("--sine-frequency", options.sine_hz, "HZ",
        "frequency of the sine, or of the slowest part of the noise (1)")
        ->check(above_zero(" hertz"));
    add("--pulse-seconds", options.pulse_s, "S", "how long the pulse lasts (0.25)")
        ->check(above_zero(" seconds"));
    add("--seed", options.seed, "N", "seed of the noise (0)")->check(whole_number());
    add("--target", options.target, "FILE.csv", "a recorded target, with a column time_s");
    add("--column", options.column, "NAME", "the column to follow (the one after time_s)");
    add("--after-end", options.after_end, "NAME",
        "what follows the last sample: hold, loop, mirror or continue (hold)")
        ->check(one_of({"hold", "loop", "mirror", "continue"}));
}

void add_response(CLI::App& app, ResponseOptions& options) {
    add_tunings(app, options.movers);
    add_other_movers(app, options.movers);
    Options{app, "Other ways to choose a motion"}(
        "--equal-lag", options.movers.equal_lag_s, "S",
        "gives each mover the speed at which it lags this far behind a steady target")
        ->check(above_zero(" seconds"));
    add_signal(app, options);
    add_save(app, options.save);
    const Options add{app, "Output"};
    add("--seconds", options.seconds, "S", "duration (until it has settled)")
        ->check(above_zero(" seconds"));
    add("--rate", options.rate_hz, "HZ",
        "rows per second in the CSV, samples per second of noise (60; of a recorded target, its "
        "own)")
        ->check(above_zero(" hertz"));
    add.flag("--json", options.json, "print one JSON object instead of the table");
    add("--csv", options.csv, "FILE.csv", "write the motion to this file");
    add("--figure", options.figure, "FILE.png|.svg", "draw a figure into this file");
    app.footer(help::response);
}

void add_set(CLI::App& app, ChangeOptions& options, const std::string& group = "Options") {
    const Options add{app, group};
    add("--set", options.changes, "PATH=NUMBER|NAME",
        "change a number of the scene, or give a system named settings (or a blend of two); '*' "
        "stands for any letters (string.*.lead=1, lamp=lively, lamp=calm:lively:0.3)");
    if (app.get_option_no_throw("--tunings") != nullptr) return;
    add.repeated("--tunings", options.tuning_files, "FILE.toml",
                 "a tuning file whose names --set may use; repeatable");
}

void add_run(CLI::App& app, RunOptions& options) {
    options.out = "hopcoil-run";
    const Options add{app};
    add("scene", options.scene, "SCENE.toml", "the scene to run")->required();
    add("--out", options.out, "DIR",
        "folder for the take, its figure and its report (hopcoil-run)");
    add("--seconds", options.seconds, "S", "duration (the scene's)")->check(above_zero(" seconds"));
    add("--rate", options.rate_hz, "HZ", "frames per second (the scene's)")
        ->check(above_zero(" hertz"));
    add("--seed", options.seed, "N", "seed of everything random (the scene's, else 0)")
        ->check(whole_number());
    add_set(app, options.changes);
    add.flag("--overlay", options.overlay, "draw all movers of one target on one scale");
    add("--figure", options.figure, "FILE.png|.svg", "draw the figure into this file instead");
    add.repeated("--take", options.takes, "FILE.csv|.json|.gltf|.glb",
                 "write the take to this file too; repeatable");
    add.flag("--take-only", options.takes_only,
             "write only these takes, row by row: for long runs, in constant memory");
    add.flag("--json", options.json, "print one JSON object instead of the summary");
    app.footer(help::run);
}

void add_live(CLI::App& app, LiveOptions& options) {
    const Options add{app};
    add("scene", options.scene, "FILE.toml", "a scene file")->required();
    add("--port", options.port, "NUMBER", "on 127.0.0.1 (a free one)")
        ->check(number(
            [](double value) { return value >= 1 && value <= 65535 && value == std::floor(value); },
            "a whole number from 1 to 65535"));
    add("--seed", options.seed, "NUMBER", "seed of everything random (the scene's)")
        ->check(whole_number());
    add.flag("--no-browser", options.no_browser, "print the address without opening a browser");
    add.flag("--json", options.json, "print the address as JSON");
    app.footer(help::live);
}

void add_tunings_command(CLI::App& app, TuningsOptions& options) {
    Options{app}("names", options.tunings.names, "NAME", "only these (all built-in tunings)");
    add_tunings(app, options.tunings);
    app.remove_option(app.get_option("--named"));
    const std::string group = "Settings of a system";
    const Options system{app, group};
    system("--scene", options.scene, "SCENE.toml", "the scene with the system");
    system("--system", options.system, "NAME",
           "the system whose numbers to print, compare or save");
    system("--only", options.only, "PATTERN", "only the dials that match (all)");
    add_set(app, options.changes, group);
    const Options add{app};
    add.flag("--compare", options.compare, "print them side by side, each compared with the first");
    add("--figure", options.figure, "FILE.png|.svg", "draw their responses to a jump");
    add_save(app, options.save);
    add.flag("--json", options.json, "print one JSON object instead of the table");
    app.footer(help::tunings);
}

void add_timestep(CLI::App& app, TimestepOptions& options) {
    const Options add{app};
    add("scene", options.scene, "SCENE.toml",
        "every follower and net of this scene, instead of a tuning");
    add_tunings(app, options.tunings);
    add_set(app, options.changes);
    add("--rates", options.rates_hz, "HZ", "steps per second to compare (15 30 60 120 240 1000)")
        ->delimiter(',')
        ->expected(1, 16)
        ->check(above_zero(" hertz"));
    add("--wanted-error", options.wanted_error_percent, "PERCENT",
        "the error to meet, in percent of a jump (1)")
        ->check(above_zero(" percent"));
    add("--figure", options.figure, "FILE.png|.svg", "draw a figure into this file");
    add("--draw", options.draw, "NAME",
        "map: which steps are stable; error: against step; motion: one jump under four schemes; "
        "energy: over a million steps (map)")
        ->check(one_of({"map", "error", "motion", "energy"}));
    add("--at-rate", options.at_rate_hz, "HZ", "steps per second in the figure (30)")
        ->check(above_zero(" hertz"));
    add.flag("--json", options.json, "print one JSON object instead of the tables");
    app.footer(help::timestep);
}

/// The options of a trial that runs again and again.
void add_trial(CLI::App& app, TrialOptions& options) {
    const Options add{app};
    add("scene", options.scene, "SCENE.toml", "the scene to run, instead of a tuning");
    add("--frequency", options.tuning.frequency_hz, "HZ", "natural frequency, if not varied (2)")
        ->check(at_least_zero(" hertz"));
    add("--damping-ratio", options.tuning.damping_ratio, "RATIO",
        "damping ratio, if not varied (0.5)")
        ->check(at_least_zero(""));
    add("--lead", options.tuning.lead, "LEAD", "lead, if not varied (0)")->check(any_number(""));
    add_set(app, options.changes);
    add("--seconds", options.seconds, "S", "duration of a run")->check(above_zero(" seconds"));
    add("--seed", options.seed, "N", "seed of everything random")->check(whole_number());
}

void add_sweep(CLI::App& app, SweepOptions& options) {
    const Options add{app};
    add_trial(app, options);
    add("--vary", options.vary, "PATH=VALUES",
        "a number and its values: LOW:HIGH:COUNT, LOW:HIGH:COUNT:log or A,B,C; repeatable");
    add("--keep", options.keep, "FIGURE<NUMBER",
        "keep only runs that meet this: \"overshoot_percent<15\"; repeatable");
    add("--rank", options.rank, "FIGURE", "sort by this figure, smallest first");
    add("--rows", options.rows, "N", "how many runs to print (20)");
    add("--shard", options.part, "PART/PARTS", "run one part only: 3/8 is the third of eight");
    add("--merge", options.merge, "TABLE.csv", "join tables of parts, instead of running");
    add("--out", options.out, "TABLE.csv",
        "write the table to this file; after an interrupt the same command goes on");
    add("--figure", options.figure, "FILE.png|.svg",
        "draw a map of the figure of --rank over one or two varied numbers");
    add("--sheet", options.sheet, "FILE.png|.svg", "draw the motion of every run, side by side");
    add("--show", options.show, "NAME", "the system to draw (the one varied first)");
    add("--moments", options.moments_s, "S,S,...",
        "draw these moments of each run instead of a curve")
        ->delimiter(',')
        ->check(number([](double s) { return s >= 0; }, "0 or more seconds"));
    add("--picture", options.picture, "NAME", "draw moments as this picture of the scene does");
    app.add_flag("--json", options.json, "print one JSON object instead of the table");
    app.footer(help::sweep);
}

void add_fit(CLI::App& app, FitOptions& options) {
    const Options add{app};
    add_trial(app, options);
    add.repeated("--vary", options.vary, "PATH=LOW:HIGH",
                 "a number to find, and its range; repeatable");
    add("--most-runs", options.most_runs, "N", "the most runs that the search may take (600)")
        ->check(number([](double value) { return value >= 10 && value <= 1e6; },
                       "a number from 10 to 1000000"));
    const Options wish{app, "A wish"};
    wish("--want", options.wants, "FIGURE=NUMBER",
         "a figure's wanted value or limit: =, < or >; :WEIGHT may follow; repeatable");
    const Options reference{app, "A reference"};
    reference("--reference", options.reference, "FILE",
              "a recorded motion: .csv, .json, .gltf or .glb");
    reference("--motion", options.motion, "NAME",
              "the column, channel or node to be explained (the second)");
    reference("--target", options.target, "NAME",
              "the column, channel or node that it followed (the first)");
    reference("--delay", options.delay_s, "S",
              "delay after the target (0; found, if --lead is given)")
        ->check(at_least_zero(" seconds"));
    reference.repeated("--match", options.matches, "COLUMN=COLUMN",
                       "of a scene: a column of its take, and that of the reference; repeatable");
    add_save(app, options.save);
    const Options output{app, "Output"};
    output("--figure", options.figure, "FILE.png|.svg", "draw the result into this file");
    output("--show", options.show, "NAME", "the system to draw (the one varied first)");
    output.flag("--json", options.json, "print one JSON object instead of the table");
    app.footer(help::fit);
}

void add_bake(CLI::App& app, BakeOptions& options) {
    const Options add{app};
    add("source", options.source, "TAKE.csv|.json|SCENE.toml", "a take, or a scene to be run first")
        ->required();
    add("--out", options.out, "FILE.csv|.json|.gltf|.glb",
        "write the keys, or a model with them, to this file");
    add("--channel", options.channels, "NAME",
        "only these channels; '*' stands for any letters (every value)");
    add("--tolerance", options.tolerance, "DISTANCE",
        "how far a key curve may be from the take, in its unit (0.001)")
        ->check(above_zero(""));
    add("--angle-tolerance", options.angle_tolerance_deg, "DEG", "tolerance for angles (0.1)")
        ->check(above_zero(" degrees"));
    add("--shape", options.shape, "NAME", "between keys: cubic or straight (cubic)")
        ->check(one_of({"cubic", "straight"}));
    add("--from", options.from_s, "S", "start at this time");
    add("--to", options.to_s, "S", "end at this time");
    add("--rate", options.rate_hz, "HZ", "rows per second to resample to first (as recorded)")
        ->check(above_zero(" hertz"));
    add("--loop-over", options.loop_over_s, "S",
        "blend the last S seconds so that the end meets the beginning")
        ->check(above_zero(" seconds"));
    add_set(app, options.changes);
    add("--seed", options.seed, "N", "seed of everything random in a scene")->check(whole_number());
    add.flag("--json", options.json, "print one JSON object, keys and all");
    app.footer(help::bake);
}

void add_check(CLI::App& app, CheckOptions& options) {
    app.add_option("files", options.scenes, "scenes, tuning files, takes and models to read")
        ->type_name("FILE");
    app.add_flag("--dials", options.dials, "list what --set can change");
    add_set(app, options.changes);
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
    const Options add{app};
    add("scene", options.names, "NAME", "scenes by name (all)")->check(one_of(demo_names()));
    add("--out", options.out, "DIR", "folder to write to (hopcoil-demo)");
    add("--scenes", options.scenes, "DIR", "folder of the demo data (the one shipped)");
    add.flag("--json", options.json, "print one JSON object instead of the summary");
    app.footer(help::demo);
}

/// Names the first unknown argument on the command line.
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
        add("demo", "run the demo, Saltlamp Quay, and write its report: start here", add_demo,
            run_demo, demo_);
        add("response", "how movers respond to a jump, kick, ramp, sine or recorded target",
            add_response, run_response, response_);
        add("run", "run a scene; write its take, figure and report", add_run, run_run, run_);
        add("live", "tune a scene in the browser: move a slider, see the motion at once", add_live,
            run_live, live_);
        add("tunings", "list the named tunings; print a tuning in every form", add_tunings_command,
            run_tunings, tunings_);
        add("timestep", "which schemes and steps are stable, ring or diverge, and what to use",
            add_timestep, run_timestep, timestep_);
        add("sweep", "try many values of a scene's or tuning's numbers, and compare the results",
            add_sweep, run_sweep, sweep_);
        add("fit", "find numbers: for a wish, or to explain a recorded motion", add_fit, run_fit,
            fit_);
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
            throw UsageProblem{fmt::format("{}: {}\n{} --help shows every option", where,
                                           in_words(problem), where)};
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
    FitOptions fit_;
    BakeOptions bake_;
    CheckOptions check_;
};

}  // namespace

ExitCode run_command_line(int argc, const char* const* argv) {
    return CommandLine{}.run(argc, argv);
}

}  // namespace hopcoil::tool
