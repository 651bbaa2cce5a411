#include "tool/frequency_view.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/io/csv_text.hpp>
#include <hopcoil/io/text_file.hpp>
#include <hopcoil/spring/frequency_response.hpp>
#include <hopcoil/tune/measured_frequencies.hpp>

#include "draw/chart.hpp"
#include "draw/palette.hpp"
#include "tool/made_by.hpp"
#include "tool/movers_from_options.hpp"

namespace hopcoil::tool {
namespace {

constexpr double degrees = 180 / math::pi;

/// One mover over frequency: measured, and in closed form where there is one.
struct Seen {
    std::string name{};
    std::string heading{};             ///< in a few letters
    std::vector<std::string> parts{};  ///< what it is made of
    std::vector<FrequencyPoint> measured{};
    std::vector<FrequencyPoint> closed{};
    std::optional<FrequencyFigures> figures{};
};

/// The followers one behind the other that a mover is made of; none, if it is something else.
std::vector<Tuning> links_of(const scene::SystemSpec& spec) {
    std::vector<Tuning> links;
    for (std::size_t i = 0; i < spec.outputs().size(); ++i) {
        const std::optional<Tuning> tuning = spec.step_responder()->tuning(i);
        if (!tuning) return {};
        links.push_back(*tuning);
    }
    return links;
}

std::string name_of(const scene::SystemSpec& spec) {
    std::string name = fmt::format("{}: {}", spec.kind(), spec.in_words(0));
    for (std::size_t i = 1; i < spec.outputs().size(); ++i)
        name += fmt::format(" / {}", spec.in_words(i));
    return name;
}

std::vector<double> by_factors(double low, double high, int count) {
    std::vector<double> all;
    all.reserve(static_cast<std::size_t>(count));
    for (int i = 0; i < count; ++i)
        all.push_back(low * math::pow(high / low, static_cast<double>(i) / (count - 1)));
    return all;
}

/// From well below to well above what all of them do.
std::pair<double, double> range_of(const std::vector<WantedMover>& wanted) {
    double low = 0.2;
    double high = 5;
    for (const WantedMover& each : wanted) {
        for (const Tuning& link : links_of(*each.spec)) {
            if (!(link.frequency_hz > 0)) continue;
            low = std::min(low, 0.1 * link.frequency_hz);
            high = std::max(high, 6 * link.frequency_hz);
        }
    }
    return {low, high};
}

Seen seen(const WantedMover& mover, const ResponseOptions& options, double low, double high) {
    Seen one{.name = mover.name.empty() ? name_of(*mover.spec) : mover.name,
             .heading = mover.name.empty() ? mover.spec->kind() : mover.name};
    for (std::size_t i = 0; i < mover.spec->outputs().size(); ++i)
        one.parts.push_back(mover.spec->in_words(i));
    constexpr int measured_count = 33;
    constexpr int drawn_count = 400;
    one.measured = tune::measured_frequencies(*mover.spec, by_factors(low, high, measured_count),
                                              options.size);
    const std::vector<Tuning> links = links_of(*mover.spec);
    if (links.empty()) return one;
    one.closed = frequency_response(links, by_factors(low, high, drawn_count));
    one.figures = frequency_figures(links);
    return one;
}

std::vector<std::pair<const char*, const Figure*>> figures_of(const FrequencyFigures& figures) {
    return {{"resonance_hz", &figures.resonance_hz},
            {"resonance_gain", &figures.resonance_gain},
            {"bandwidth_hz", &figures.bandwidth_hz},
            {"lag_s", &figures.lag_s}};
}

Json json_of(const Seen& one) {
    Json json{{"name", one.name}, {"signal", "frequencies"}};
    if (one.figures) {
        for (const auto& [key, figure] : figures_of(*one.figures))
            set_figure(json, key, *figure);
    }
    const auto add = [&](const char* key, const std::vector<FrequencyPoint>& points) {
        json[key] = Json::array();
        for (const FrequencyPoint& point : points) {
            json[key].push_back(
                {{"frequency_hz", point.frequency_hz},
                 {"gain", std::isfinite(point.gain) ? Json(point.gain) : Json(nullptr)},
                 {"phase_lag_deg", degrees * point.phase_lag_rad}});
        }
    };
    add("closed_form", one.closed);
    add("measured", one.measured);
    return json;
}

void print(const Seen& one) {
    fmt::print("{}\n", one.name);
    if (one.figures) {
        const FrequencyFigures& figures = *one.figures;
        const auto line = [](const char* name, const Figure& figure, const char* unit) {
            if (figure.value()) {
                fmt::print("  {:<24} {:.4g}{}\n", name, *figure.value(), unit);
            } else {
                fmt::print("  {:<24} none: {}\n", name, figure.reason());
            }
        };
        line("swings widest at", figures.resonance_hz, " Hz");
        if (figures.resonance_hz.value())
            line("and there", figures.resonance_gain, " times the target");
        line("falls to 0.707 at", figures.bandwidth_hz, " Hz");
        line("lag behind slow motion", figures.lag_s, " s");
    }
    fmt::print("  {:>10}  {:>8}  {:>9}\n", "Hz", "gain", "lag (deg)");
    constexpr std::size_t every = 4;
    for (std::size_t i = 0; i < one.measured.size(); i += every) {
        const FrequencyPoint& point = one.measured[i];
        fmt::print("  {:>10.3g}  {:>8.3g}  {:>9.2f}\n", point.frequency_hz, point.gain,
                   degrees * point.phase_lag_rad);
    }
    fmt::print("\n");
}

std::string csv_of(const std::vector<Seen>& all) {
    std::string text = "frequency_hz";
    for (const Seen& one : all) {
        text += fmt::format(",{},{}", io::csv_field(one.name + ".gain"),
                            io::csv_field(one.name + ".phase_lag_deg"));
    }
    text += '\n';
    for (std::size_t i = 0; i < all.front().measured.size(); ++i) {
        text += fmt::format("{}", all.front().measured[i].frequency_hz);
        for (const Seen& one : all) {
            text += fmt::format(",{},{}", one.measured[i].gain,
                                degrees * one.measured[i].phase_lag_rad);
        }
        text += '\n';
    }
    return text;
}

draw::Curve curve_of(const std::vector<FrequencyPoint>& points, bool gain,
                     std::string_view colour) {
    draw::Curve curve{.colour = colour};
    for (const FrequencyPoint& point : points) {
        curve.xs.push_back(point.frequency_hz);
        curve.ys.push_back(gain ? point.gain : degrees * point.phase_lag_rad);
    }
    return curve;
}

void add(draw::Panel& gain, draw::Panel& phase, const Seen& one, std::string_view colour) {
    const std::vector<FrequencyPoint>& drawn = one.closed.empty() ? one.measured : one.closed;
    gain.curves.push_back(curve_of(drawn, true, colour));
    phase.curves.push_back(curve_of(drawn, false, colour));
    draw::LegendEntry entry{.colour = colour, .name = one.heading, .notes = one.parts};
    if (one.figures) {
        const FrequencyFigures& f = *one.figures;
        if (f.resonance_gain.value()) {
            gain.marks.push_back({*f.resonance_hz.value(), *f.resonance_gain.value(),
                                  fmt::format("{:.3g} times at {:.3g} Hz",
                                              *f.resonance_gain.value(), *f.resonance_hz.value()),
                                  colour});
        }
        if (f.bandwidth_hz.value()) {
            gain.moments.push_back({*f.bandwidth_hz.value(),
                                    fmt::format("{:.3g} Hz", *f.bandwidth_hz.value()), colour});
            entry.notes.push_back(fmt::format("0.707 at {:.3g} Hz", *f.bandwidth_hz.value()));
        }
        if (f.lag_s.value())
            entry.notes.push_back(fmt::format("lag {:.3g} s behind slow motion", *f.lag_s.value()));
        // What was measured lies on the curve.
        for (std::size_t i = 0; i < one.measured.size(); i += 2) {
            const FrequencyPoint& point = one.measured[i];
            gain.marks.push_back({point.frequency_hz, point.gain, "", colour});
            phase.marks.push_back({point.frequency_hz, degrees * point.phase_lag_rad, "", colour});
        }
        entry.notes.emplace_back("dots: measured with sines");
    } else {
        entry.notes.emplace_back("measured with sines");
    }
    gain.legend.push_back(std::move(entry));
}

void draw_view(const std::filesystem::path& file, const std::vector<Seen>& all, double low,
               double high) {
    draw::Chart chart{.title = "Gain and phase lag over frequency",
                      .x_label = "frequency of the target (Hz)",
                      .x_from = low,
                      .x_to = high,
                      .log_x = true,
                      .footer = made_by_line("response")};
    draw::Panel gain{.y_label = "gain", .share = 1.4, .log_y = true};
    draw::Panel phase{.y_label = "phase lag (deg)"};
    for (std::size_t i = 0; i < all.size(); ++i)
        add(gain, phase, all[i], draw::series_colour(i));
    chart.panels = {std::move(gain), std::move(phase)};
    draw::write_chart(chart, file);
}

}  // namespace

ExitCode show_frequencies(const ResponseOptions& options) {
    const std::vector<WantedMover> wanted = movers_from_options(options.movers, "response");
    for (const WantedMover& each : wanted) {
        if (each.spec->step_responder()->has_target()) continue;
        throw UsageProblem{
            "hopcoil response: --coast goes with --signal kick: it has no target to follow"};
    }
    const auto [low, high] = range_of(wanted);
    std::vector<Seen> all;
    all.reserve(wanted.size());
    for (const WantedMover& each : wanted)
        all.push_back(seen(each, options, low, high));
    if (!options.figure.empty()) draw_view(options.figure, all, low, high);
    if (!options.csv.empty()) io::write_text_file(options.csv, csv_of(all));
    if (options.json) {
        Json json{{"made_by", made_by("response")}, {"responses", Json::array()}};
        for (const Seen& one : all)
            json["responses"].push_back(json_of(one));
        print_json(json);
        return ExitCode::done;
    }
    for (const Seen& one : all)
        print(one);
    if (!options.figure.empty()) fmt::print("drawn: {}\n", options.figure.string());
    if (!options.csv.empty()) fmt::print("written: {}\n", options.csv.string());
    return ExitCode::done;
}

}  // namespace hopcoil::tool
