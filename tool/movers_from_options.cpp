#include "tool/movers_from_options.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <concepts>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/tuning_file.hpp>
#include <hopcoil/spring/named_tunings.hpp>
#include <hopcoil/spring/wish.hpp>

namespace hopcoil::tool {
namespace {

/// The value for the i-th tuning: its own, the only one given, or the default.
double pick(const std::vector<double>& list, std::size_t i, double unless_given) {
    if (list.empty()) return unless_given;
    return list.size() == 1 ? list.front() : list[i];
}

std::vector<std::string> split(const std::string& text, char separator) {
    std::vector<std::string> parts;
    std::size_t begin = 0;
    while (true) {
        const std::size_t end = text.find(separator, begin);
        parts.push_back(text.substr(begin, end - begin));
        if (end == std::string::npos) return parts;
        begin = end + 1;
    }
}

template <class Parameters>
WantedMover wanted_mover(const Parameters& parameters) {
    WantedMover wanted;
    wanted.started = [parameters](double value, double velocity) {
        return scene::mover_spec(parameters, {}, {.value = value, .initial_velocity = velocity});
    };
    wanted.spec = wanted.started(0, 0);
    if constexpr (std::same_as<Parameters, Tuning>) wanted.tuning = parameters;
    return wanted;
}

/// Reads what the options say, one member function a kind of mover.
class WantedReader {
  public:
    WantedReader(const TuningOptions& options, std::string command)
        : options_{options}, command_{std::move(command)} {}

    std::vector<WantedMover> read() {
        read_feels_and_springs();
        for (const std::string& name : options_.names)
            add_named(name);
        for (const std::string& text : options_.wishes)
            add_wish(text);
        for (const std::string& text : options_.decays)
            add_decay(text);
        for (const std::string& text : options_.coefficients)
            add_coefficients(text);
        for (const std::string& text : options_.glides)
            add(GlideTuning{numbers("--glide", text, "HALF_LIFE_S", 1, 1)[0]});
        for (const std::string& text : options_.pursuits)
            add_pursuit(text);
        for (const std::string& text : options_.settles)
            add_settle(text);
        for (const std::string& text : options_.curves)
            add_curve(text);
        for (const std::string& text : options_.cascades)
            add_cascade(text);
        for (const std::string& text : options_.coasts)
            add_coast(text);
        if (wanted_.empty()) add(Tuning{});
        return std::move(wanted_);
    }

  private:
    template <class Parameters>
    void add(Parameters parameters, double mass_kg = 1) {
        if (options_.equal_lag_s) set_lag(parameters, *options_.equal_lag_s);
        wanted_.push_back(wanted_mover(parameters));
        wanted_.back().mass_kg = mass_kg;
    }

    /// Nothing but its speed is changed.
    template <class Parameters>
    void set_lag(Parameters& parameters, double lag_s) const {
        const scene::AnySpec spec = wanted_mover(parameters).spec;
        const scene::StepResponder& responder = *spec->step_responder();
        const Figure now = responder.is_linear()
                               ? responder.ramp_lag_s(1)
                               : Figure::none("its lag depends on how its target moves");
        if (!now.value() || !(*now.value() > 0)) {
            refuse(fmt::format("--equal-lag: a {} ({}) has no lag that can be set: {}",
                               spec->kind(), spec->in_words(0),
                               now.value() ? "choose a lead below 1" : now.reason()));
        }
        const double slower = lag_s / *now.value();
        if constexpr (std::same_as<Parameters, Tuning>) {
            parameters.frequency_hz /= slower;
        } else if constexpr (std::same_as<Parameters, GlideTuning>) {
            parameters.half_life_s *= slower;
        } else if constexpr (std::same_as<Parameters, scene::CascadeParameters>) {
            for (Tuning& tuning : parameters.tunings)
                tuning.frequency_hz /= slower;
        }
    }

    [[noreturn]] void refuse(const std::string& what) const {
        throw UsageProblem{fmt::format("hopcoil {}: {}", command_, what)};
    }

    [[nodiscard]] double number(const std::string& option, const std::string& text,
                                const std::string& form, const std::string& whole) const {
        double value = 0;
        const char* const begin = text.data() + (text.starts_with('+') ? 1 : 0);
        const auto result = std::from_chars(begin, text.data() + text.size(), value);
        const bool is_number = result.ec == std::errc{} &&
                               result.ptr == text.data() + text.size() && std::isfinite(value);
        if (!is_number) {
            refuse(fmt::format("{}: expected {}, finite numbers with ':' between them, found '{}'",
                               option, form, whole));
        }
        return value;
    }

    [[nodiscard]] std::vector<double> numbers(const std::string& option, const std::string& text,
                                              const std::string& form, std::size_t least,
                                              std::size_t most) const {
        const std::vector<std::string> parts = split(text, ':');
        if (parts.size() < least || parts.size() > most) {
            refuse(fmt::format("{}: expected {}, found '{}'", option, form, text));
        }
        std::vector<double> values;
        values.reserve(parts.size());
        for (const std::string& part : parts)
            values.push_back(number(option, part, form, text));
        return values;
    }

    struct List {
        const char* option;
        const std::vector<double>& values;
    };

    /// How many tunings some lists make together.
    [[nodiscard]] std::size_t common_length(const std::vector<List>& lists) const {
        std::size_t length = 0;
        const char* longest = "";
        for (const List& list : lists) {
            if (list.values.size() > length) {
                length = list.values.size();
                longest = list.option;
            }
        }
        for (const List& list : lists) {
            if (list.values.size() > 1 && list.values.size() != length) {
                refuse(
                    fmt::format("{} has {} values and {} has {}: give as many of each, or one "
                                "for all",
                                list.option, list.values.size(), longest, length));
            }
        }
        return length;
    }

    /// Whether there is any mover beside the tunings that lists of numbers make.
    [[nodiscard]] bool has_others() const {
        const TuningOptions& o = options_;
        for (const auto* list : {&o.names, &o.wishes, &o.decays, &o.coefficients, &o.glides,
                                 &o.pursuits, &o.settles, &o.curves, &o.cascades, &o.coasts}) {
            if (!list->empty()) return true;
        }
        return false;
    }

    void read_feels_and_springs() {
        const bool springs = !options_.masses_kg.empty() || !options_.stiffnesses_n_per_m.empty() ||
                             !options_.dampings_n_s_per_m.empty() ||
                             !options_.overshoots_percent.empty();
        const bool frequencies = !options_.frequencies_hz.empty();
        const bool ratios = !options_.damping_ratios.empty();
        if (!options_.leads.empty() && !springs && !frequencies && !ratios && has_others()) {
            refuse(
                "--lead is a number of a tuning: give it beside --frequency, --damping-ratio or "
                "--stiffness, or within --wish PERCENT:SECONDS:LEAD, --decay or --cascade");
        }
        if (springs && (frequencies || (ratios && !options_.dampings_n_s_per_m.empty()))) {
            refuse(
                "give --frequency and --damping-ratio, or --mass, --stiffness and --damping (or "
                "--damping-ratio), not both");
        }
        if (springs) {
            read_springs();
        } else {
            read_feels();
        }
    }

    void read_springs() {
        if (options_.stiffnesses_n_per_m.empty()) {
            refuse("--mass, --damping and --overshoot need a --stiffness");
        }
        if (!options_.overshoots_percent.empty() &&
            !(options_.dampings_n_s_per_m.empty() && options_.damping_ratios.empty())) {
            refuse("--overshoot solves the damper: give it, or --damping, or --damping-ratio");
        }
        const std::size_t count = common_length({{"--mass", options_.masses_kg},
                                                 {"--stiffness", options_.stiffnesses_n_per_m},
                                                 {"--damping", options_.dampings_n_s_per_m},
                                                 {"--damping-ratio", options_.damping_ratios},
                                                 {"--overshoot", options_.overshoots_percent},
                                                 {"--lead", options_.leads}});
        std::vector<double> ratios = options_.damping_ratios;
        for (std::size_t i = 0; i < count && !options_.overshoots_percent.empty(); ++i) {
            ratios.push_back(
                tuning_from(Wish{.overshoot_percent = pick(options_.overshoots_percent, i, 0),
                                 .lead = pick(options_.leads, i, 0)})
                    .damping_ratio);
        }
        for (std::size_t i = 0; i < count; ++i) {
            const double mass_kg = pick(options_.masses_kg, i, 1);
            const double stiffness = pick(options_.stiffnesses_n_per_m, i, 0);
            const double lead = pick(options_.leads, i, 0);
            const Tuning tuning =
                ratios.empty() ? tuning_from(SpringConstants{
                                     .mass_kg = mass_kg,
                                     .stiffness_n_per_m = stiffness,
                                     .damping_n_s_per_m = pick(options_.dampings_n_s_per_m, i, 0),
                                     .lead = lead})
                               : tuning_from(SpringByRatio{.mass_kg = mass_kg,
                                                           .stiffness_n_per_m = stiffness,
                                                           .damping_ratio = pick(ratios, i, 0),
                                                           .lead = lead});
            add(tuning, mass_kg);
        }
    }

    void read_feels() {
        const std::size_t count = common_length({{"--frequency", options_.frequencies_hz},
                                                 {"--damping-ratio", options_.damping_ratios},
                                                 {"--lead", options_.leads}});
        const Tuning unless_given;
        for (std::size_t i = 0; i < count; ++i) {
            add(Tuning{
                .frequency_hz = pick(options_.frequencies_hz, i, unless_given.frequency_hz),
                .damping_ratio = pick(options_.damping_ratios, i, unless_given.damping_ratio),
                .lead = pick(options_.leads, i, unless_given.lead)});
        }
    }

    void add_named(const std::string& name) {
        std::vector<std::string> names;
        for (const WantedMover& each : tunings_with_names(options_.files)) {
            names.push_back(each.name);
            if (each.name != name) continue;
            wanted_.push_back(each);
            return;
        }
        const std::string elsewhere = scene::file_with_tuning(".", name);
        if (!elsewhere.empty()) {
            refuse(
                fmt::format("there is no tuning named '{}' here, but {} has one; add --tunings {}",
                            name, elsewhere, elsewhere));
        }
        refuse(io::there_is_no("tuning named", name, names));
    }

    void add_wish(const std::string& text) {
        const auto v = numbers("--wish", text, "PERCENT:SECONDS[:LEAD]", 2, 3);
        add(tuning_from(Wish{
            .overshoot_percent = v[0], .settling_time_s = v[1], .lead = v.size() > 2 ? v[2] : 0}));
    }

    void add_decay(const std::string& text) {
        const auto v = numbers("--decay", text, "HALF_LIFE_S[:RATIO[:LEAD]]", 1, 3);
        add(tuning_from(DecayHalfLife{.half_life_s = v[0],
                                      .damping_ratio = v.size() > 1 ? v[1] : 1,
                                      .lead = v.size() > 2 ? v[2] : 0}));
    }

    void add_coefficients(const std::string& text) {
        const auto v = numbers("--coefficients", text, "A:B[:C]", 2, 3);
        add(tuning_from(Coefficients{
            .y_rate_s = v[0], .y_acceleration_s2 = v[1], .x_rate_s = v.size() > 2 ? v[2] : 0}));
    }

    void add_pursuit(const std::string& text) {
        const auto v = numbers("--pursuit", text, "SPEED[:ACCELERATION]", 1, 2);
        PursuitTuning pursuit{.max_speed = v[0]};
        if (v.size() > 1) pursuit.max_acceleration = v[1];
        require_valid(pursuit);
        add(pursuit);
    }

    void add_settle(const std::string& text) {
        const auto v = numbers("--settle", text, "PERCENT:SECONDS", 2, 2);
        const SettleTuning settle{.duration_s = v[1], .overshoot_percent = v[0]};
        require_valid(settle);
        add(scene::SettleParameters{.tuning = settle});
    }

    void add_curve(const std::string& text) {
        const std::string form = "FAMILY:WAY:SECONDS[:PARAMETER]";
        const std::vector<std::string> parts = split(text, ':');
        if (parts.size() < 3 || parts.size() > 4) {
            refuse(fmt::format("--curve: expected {}, found '{}'", form, text));
        }
        const auto require_name = [&](const std::string& name,
                                      const std::vector<std::string>& names) {
            if (std::find(names.begin(), names.end(), name) != names.end()) return;
            refuse(fmt::format("--curve: expected {}, found '{}'{}", io::any_of(names), name,
                               io::did_you_mean(name, names)));
        };
        require_name(parts[0], scene::ease_family_names());
        require_name(parts[1], scene::ease_way_names());
        const EaseFamily family = scene::ease_family_of(parts[0]);
        const double parameter =
            parts.size() > 3 ? number("--curve", parts[3], form, text) : default_parameter(family);
        const CurveMoveTuning curve{.duration_s = number("--curve", parts[2], form, text),
                                    .curve = Ease{family, scene::ease_way_of(parts[1]), parameter}};
        require_valid(curve);
        add(curve);
    }

    void add_coast(const std::string& text) {
        const CoastTuning coast{.slowing_half_life_s =
                                    numbers("--coast", text, "HALF_LIFE_S", 1, 1)[0]};
        require_valid(coast);
        add(scene::CoastParameters{.tuning = coast});
    }

    void add_cascade(const std::string& text) {
        scene::CascadeParameters cascade;
        for (const std::string& link : split(text, '/')) {
            const auto v = numbers("--cascade", link, "HZ:RATIO[:LEAD]/HZ:RATIO...", 2, 3);
            const Tuning tuning{
                .frequency_hz = v[0], .damping_ratio = v[1], .lead = v.size() > 2 ? v[2] : 0};
            require_valid(tuning);
            cascade.names.push_back(fmt::format("link{}", cascade.names.size() + 1));
            cascade.tunings.push_back(tuning);
        }
        add(cascade);
    }

    const TuningOptions& options_;
    std::string command_;
    std::vector<WantedMover> wanted_;
};

}  // namespace

std::vector<WantedMover> tunings_with_names(const std::vector<std::filesystem::path>& files) {
    std::vector<WantedMover> all;
    for (const std::filesystem::path& file : files) {
        for (const scene::SharedTuning& shared : scene::read_tunings(file.string())) {
            const auto add = [&](const char* part, const std::optional<Tuning>& tuning) {
                if (!tuning) return;
                WantedMover& named = all.emplace_back(wanted_mover(*tuning));
                named.name = shared.name + part;
                named.about = shared.about;
            };
            add("", shared.whole);
            add(".position", shared.position);
            add(".rotation", shared.rotation);
            add(".scale", shared.scale);
        }
    }
    for (const NamedTuning& each : named_tunings()) {
        WantedMover& named = all.emplace_back(wanted_mover(each.tuning));
        named.name = each.name;
        named.about = each.description;
    }
    return all;
}

bool has_no_options(const TuningOptions& options) {
    return options.names.empty() && options.frequencies_hz.empty() &&
           options.damping_ratios.empty() && options.leads.empty() && options.masses_kg.empty() &&
           options.stiffnesses_n_per_m.empty() && options.dampings_n_s_per_m.empty() &&
           options.overshoots_percent.empty() && options.wishes.empty() && options.decays.empty() &&
           options.coefficients.empty();
}

std::vector<WantedMover> movers_from_options(const TuningOptions& options,
                                             const std::string& command) {
    return WantedReader{options, command}.read();
}

}  // namespace hopcoil::tool
