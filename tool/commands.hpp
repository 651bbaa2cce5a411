#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

#include <hopcoil/spring/tuning.hpp>

#include "tool/exit_code.hpp"

/// @file
/// The commands, each with the options it was given, already checked one by one.

namespace hopcoil::tool {

/// The options do not go together, or name what is not there; `what()` says how to mend it.
class UsageProblem : public std::runtime_error {
  public:
    using std::runtime_error::runtime_error;
};

/// The movers, as the command line gives them.
struct TuningOptions {
    // Lists of one length; a single value serves all.
    std::vector<double> frequencies_hz{};
    std::vector<double> damping_ratios{};
    std::vector<double> leads{};
    std::vector<double> masses_kg{};
    std::vector<double> stiffnesses_n_per_m{};
    std::vector<double> dampings_n_s_per_m{};
    std::vector<double> overshoots_percent{};  ///< instead of a damping: it is solved
    std::vector<std::filesystem::path>
        files{};  ///< of named tunings, beside those that are shipped
    // One mover each.
    std::vector<std::string> names{};
    std::vector<std::string> wishes{};
    std::vector<std::string> decays{};
    std::vector<std::string> coefficients{};
    std::vector<std::string> glides{};
    std::vector<std::string> pursuits{};
    std::vector<std::string> settles{};
    std::vector<std::string> curves{};
    std::vector<std::string> cascades{};
    std::vector<std::string> coasts{};
    std::optional<double> equal_lag_s{};  ///< each is made so quick that it lags by this
};

/// Changes of a scene's numbers before it is run.
struct ChangeOptions {
    std::vector<std::string> changes{};                 ///< PATH=NUMBER, SYSTEM=NAME
    std::vector<std::filesystem::path> tuning_files{};  ///< whose names may be used
};

/// A tuning to be kept under a name.
struct SaveOptions {
    std::string name{};
    std::filesystem::path file = "tunings.toml";
    std::string about{};
    bool replace = false;  ///< what has the name already
};

struct ResponseOptions {
    TuningOptions movers{};
    std::string signal{};
    double size = 1.0;
    std::optional<double> initial_velocity{};
    double sine_hz = 1.0;
    std::filesystem::path target{};
    std::string column{};
    std::string after_end = "hold";
    double pulse_s = 0.25;
    std::uint64_t seed = 0;
    SaveOptions save{};
    std::optional<double> seconds{};
    std::optional<double> rate_hz{};  ///< 60, or that of a recorded target
    bool json = false;
    std::filesystem::path csv{};
    std::filesystem::path figure{};
};
ExitCode run_response(const ResponseOptions& given);
/// Draws the requested figure, and does nothing else.
void draw_response(const ResponseOptions& given);

struct RunOptions {
    std::filesystem::path scene{};
    std::filesystem::path out{};
    std::optional<double> seconds{};
    std::optional<double> rate_hz{};
    std::optional<std::uint64_t> seed{};
    ChangeOptions changes{};
    std::filesystem::path figure{};
    bool overlay = false;                        ///< movers of one target in one chart
    std::vector<std::filesystem::path> takes{};  ///< beside the folder's own
    bool takes_only = false;
    bool json = false;
};
ExitCode run_run(const RunOptions& options);

struct LiveOptions {
    std::filesystem::path scene{};
    int port = 0;  ///< 0: a free one
    std::optional<std::uint64_t> seed{};
    bool no_browser = false;
    bool json = false;
};
/// Returns when it is asked to end by a signal.
ExitCode run_live(const LiveOptions& options);

struct TuningsOptions {
    TuningOptions tunings{};
    std::filesystem::path scene{};  ///< whose system's settings are wanted
    std::string system{};
    std::vector<std::string> only{"*"};  ///< patterns of its dials
    ChangeOptions changes{};
    bool compare = false;
    std::filesystem::path figure{};
    SaveOptions save{};
    bool json = false;
};
ExitCode run_tunings(const TuningsOptions& options);

struct TimestepOptions {
    TuningOptions tunings{};
    std::filesystem::path scene{};  ///< instead of tunings: every follower in it
    std::vector<double> rates_hz{15, 30, 60, 120, 240, 1000};
    double wanted_error_percent = 1.0;
    ChangeOptions changes{};
    double at_rate_hz = 30.0;
    std::string draw = "map";
    std::filesystem::path figure{};
    bool json = false;
};
ExitCode run_timestep(const TimestepOptions& options);

/// What is given of one tuning.
struct OneTuning {
    std::optional<double> frequency_hz{};
    std::optional<double> damping_ratio{};
    std::optional<double> lead{};

    [[nodiscard]] Tuning tuning() const {
        const Tuning otherwise;
        return {frequency_hz.value_or(otherwise.frequency_hz),
                damping_ratio.value_or(otherwise.damping_ratio), lead.value_or(otherwise.lead)};
    }
};

/// The options of a trial: what is run, and what is changed first.
struct TrialOptions {
    std::filesystem::path scene{};  ///< instead of a tuning
    OneTuning tuning{};
    std::vector<std::string> vary{};
    ChangeOptions changes{};
    std::optional<std::uint64_t> seed{};
    std::optional<double> seconds{};
};

struct SweepOptions : TrialOptions {
    std::vector<std::string> keep{};
    std::string rank{};
    std::size_t rows = 20;  ///< printed
    std::string part{};     ///< "3/8": of eight parts the third
    std::vector<std::filesystem::path> merge{};
    std::filesystem::path out{};
    std::filesystem::path figure{};
    std::filesystem::path sheet{};
    std::string show{};  ///< whose motion the sheet shows; the first that is varied, without it
    std::vector<double> moments_s{};  ///< that the sheet shows rather than curves
    std::string picture{};            ///< of the scene, as which moments are shown
    bool json = false;
};
ExitCode run_sweep(const SweepOptions& options);

struct FitOptions : TrialOptions {
    std::size_t most_runs = 600;
    std::vector<std::string> wants{};
    std::filesystem::path reference{};
    std::string motion{};
    std::string target{};
    std::optional<double> delay_s{};
    std::vector<std::string> matches{};
    SaveOptions save{};
    std::filesystem::path figure{};
    std::string show{};
    bool json = false;
};
ExitCode run_fit(const FitOptions& options);

struct BakeOptions {
    std::filesystem::path source{};  ///< a take (CSV or JSON) or a scene
    std::filesystem::path out{};
    std::vector<std::string> channels{};
    double tolerance = 1e-3;
    double angle_tolerance_deg = 0.1;
    std::string shape = "cubic";
    std::optional<double> from_s{};  ///< the stretch to be baked
    std::optional<double> to_s{};
    std::optional<double> rate_hz{};  ///< of the rows, before they become keys
    std::optional<double> loop_over_s{};
    std::optional<std::uint64_t> seed{};
    ChangeOptions changes{};
    bool json = false;
};
ExitCode run_bake(const BakeOptions& options);

struct CheckOptions {
    std::vector<std::filesystem::path> scenes{};
    bool dials = false;
    ChangeOptions changes{};          ///< to the scenes, before they are checked
    bool statistics = false;          ///< of takes
    std::filesystem::path against{};  ///< a take to compare takes with
    double within = 0.0;              ///< how far they may be apart
    std::string schema{};             ///< "scene" or "tunings": print that instead
    bool keys = false;                ///< print the page of keys instead
    bool json = false;
};
ExitCode run_check(const CheckOptions& options);

struct DemoOptions {
    std::vector<std::string> names{};  ///< of scenes, among demo_names(); none: all of them
    std::filesystem::path out{};
    std::filesystem::path scenes{};  ///< empty: those that came with the command
    bool json = false;
};
ExitCode run_demo(const DemoOptions& options);
/// The scenes of the demo, in the order of its report.
std::vector<std::string> demo_names();

}  // namespace hopcoil::tool
