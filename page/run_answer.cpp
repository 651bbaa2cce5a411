#include <chrono>
#include <cmath>
#include <exception>
#include <string>
#include <utility>
#include <variant>

#include <fmt/format.h>

#include <hopcoil/scene/any_mover.hpp>
#include <hopcoil/scene/measured_jump.hpp>
#include <hopcoil/scene/mover_report.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "page/answers.hpp"
#include "page/columns_text.hpp"

namespace hopcoil::page {
namespace {

constexpr double longest_run_s = 3600;
constexpr double most_numbers = 2e7;  ///< in the take of one request
constexpr std::chrono::seconds longest_answer{10};

/// A take that ends when it takes too long or too much.
class BoundedTake final : public TakeSink {
  public:
    void begin(std::span<const RecordedChannel> channels) override {
        take_.begin(channels);
        columns_ = static_cast<double>(take_.column_names().size());
    }
    void expect(std::size_t rows) override {
        if (static_cast<double>(rows) * columns_ > most_numbers) {
            throw RequestProblem{
                too_much, fmt::format("{} rows of {} columns are more than this page takes; ask "
                                      "for fewer seconds or a lower rate",
                                      rows, columns_)};
        }
        take_.expect(rows);
    }
    void row(double time_s, std::span<const double> numbers) override {
        constexpr std::size_t rows_between_looks = 64;
        if (take_.row_count() % rows_between_looks == 0 &&
            std::chrono::steady_clock::now() > deadline_) {
            throw RequestProblem{too_much,
                                 fmt::format("the run took longer than {} s and was called off at "
                                             "{:.3g} s of the scene; ask for fewer seconds or a "
                                             "lower rate",
                                             longest_answer.count(), time_s)};
        }
        take_.row(time_s, numbers);
    }
    [[nodiscard]] const Take& take() const noexcept { return take_; }

  private:
    Take take_;
    double columns_ = 0;
    std::chrono::steady_clock::time_point deadline_ =
        std::chrono::steady_clock::now() + longest_answer;
};

void put_figure(Json& json, const std::string& key, const Figure& figure) {
    if (figure.value()) {
        json[key] = *figure.value();
    } else {
        json[key] = nullptr;
        json[key + "_reason"] = std::string{figure.reason()};
    }
}

Json figures_of(const JumpResponse& answer) {
    Json json = Json::object();
    put_figure(json, "overshoot_percent", answer.overshoot_percent);
    put_figure(json, "anticipation_percent", answer.anticipation_percent);
    put_figure(json, "rise_time_s", answer.rise_time_s);
    put_figure(json, "peak_time_s", answer.peak_time_s);
    put_figure(json, "settling_time_s", answer.settling_time_s);
    put_figure(json, "reversals", answer.reversals);
    put_figure(json, "peak_velocity", answer.peak_velocity);
    return json;
}

/// The mover by itself, at rest at 0 and free: what it is in for, not where it is.
scene::SceneMover bare(const scene::SceneMover& mover) {
    scene::SceneMover alone{.name = mover.name, .numbers = mover.numbers};
    if (const auto* bounded = std::get_if<scene::BoundedParameters>(&mover.numbers))
        alone.numbers = bounded->tuning;
    if (const auto* size = std::get_if<scene::SizeParameters>(&mover.numbers))
        alone.numbers = size->tuning;
    if (auto* settle = std::get_if<scene::SettleParameters>(&alone.numbers)) settle->stops = {};
    return alone;
}

/// Each part of it over the time that is telling, after a jump of the target from 0 to 1.
std::vector<std::vector<double>> jump_curves(const scene::SceneMover& mover, double seconds,
                                             int samples) {
    std::vector<std::vector<double>> curves(scene::part_count(mover.numbers));
    std::visit(
        [&](auto made) {
            if constexpr (requires {
                              made.jump(1.0);
                              made.step(1.0, 1.0);
                          }) {
                const auto note = [&] {
                    for (std::size_t part = 0; part < curves.size(); ++part) {
                        if constexpr (requires { made.value(part); }) {
                            curves[part].push_back(made.value(part));
                        } else {
                            curves[part].push_back(made.value());
                        }
                    }
                };
                made.jump(1.0);
                note();
                for (int i = 1; i < samples; ++i) {
                    made.step(1.0, seconds / (samples - 1));
                    note();
                }
            }
        },
        scene::make_mover(mover, false));
    return curves;
}

/// In closed form where there is one; of a cascade's link, as the last of those up to it.
JumpResponse jump_response_of(const scene::SceneMover& mover, std::size_t part) {
    if (const auto* tuning = std::get_if<Tuning>(&mover.numbers)) return jump_response(*tuning);
    scene::SceneMover up_to = mover;
    if (auto* cascade = std::get_if<scene::CascadeParameters>(&up_to.numbers)) {
        cascade->names.resize(part + 1);
        cascade->tunings.resize(part + 1);
    }
    return scene::measured_jump(up_to, 1);
}

/// How each mover answers a jump of 1, by itself: all over the same time.
std::string jumps_text(const scene::Scene& scene) {
    constexpr int samples = 400;
    std::vector<scene::SceneMover> movers;
    double seconds = 0.1;
    for (const scene::SceneMover& mover : scene.movers) {
        if (std::holds_alternative<scene::CoastParameters>(mover.numbers)) continue;
        movers.push_back(bare(mover));
        seconds = std::max(seconds, 1.1 * scene::observation_time_s(movers.back().numbers, 1));
    }
    std::vector<double> times_s;
    times_s.reserve(samples);
    for (int i = 0; i < samples; ++i)
        times_s.push_back(i * seconds / (samples - 1));
    std::string text{"["};
    for (const scene::SceneMover& mover : movers) {
        const auto curves = jump_curves(mover, seconds, samples);
        for (std::size_t part = 0; part < curves.size(); ++part) {
            if (curves[part].empty()) continue;
            const Json json{{"mover", mover.name + scene::part_suffix(mover.numbers, part)},
                            {"figures", figures_of(jump_response_of(mover, part))}};
            if (text.size() > 1) text += ',';
            text += with_key(json.dump(), "values", list_text(curves[part]));
        }
    }
    return fmt::format(R"({{"times_s":{},"movers":{}]}})", list_text(times_s), text);
}

Json metrics_of(const scene::Scene& scene, const Take& take) {
    Json list = Json::array();
    if (take.row_count() == 0) return list;
    for (const scene::MoverReport& report : scene::report_on(scene, take)) {
        const auto in_units = [&](double number) {
            return number * report.per_unit;
        };
        const Tracking& tracking = report.tracking;
        Json json{{"mover", report.name},
                  {"words", report.words},
                  {"unit", report.unit},
                  {"largest_gap", in_units(tracking.largest_gap)},
                  {"largest_gap_time_s", tracking.largest_gap_time_s},
                  {"rms_gap", in_units(tracking.rms_gap)},
                  {"peak_velocity", in_units(tracking.peak_velocity)},
                  {"lag_s", report.lag_s ? Json(*report.lag_s) : Json(nullptr)}};
        if (report.jumps) {
            json["jump_overshoot_percent"] = report.jumps->largest_overshoot_percent;
            json["jump_settling_s"] = report.jumps->longest_settling_s
                                          ? Json(*report.jumps->longest_settling_s)
                                          : Json(nullptr);
        }
        list.push_back(std::move(json));
    }
    return list;
}

}  // namespace

scene::Scene with_values(const scene::Scene& scene, const Request& request) {
    scene::Scene changed = scene;
    scene::set_values(changed, request.numbers("values"));
    changed.record.clear();
    return changed;
}

std::string run_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"values", "duration_s", "rate_hz", "channels", "most_rows", "jumps"});
    scene::Scene changed = with_values(scene, request);
    changed.duration_s = request.number("duration_s", 1e-3, longest_run_s,
                                        std::min(changed.duration_s, longest_run_s));
    changed.rate_hz = request.number("rate_hz", 1, 1e4, changed.rate_hz);
    const auto most_rows = static_cast<std::size_t>(request.number("most_rows", 2, 1e6, 4000));
    BoundedTake sink;
    Json answer{{"made_by", made_by_live(changed)}, {"diverged", nullptr}};
    try {
        answer["warnings"] = scene::run(changed, sink).warnings;
    } catch (const scene::Diverged& problem) {
        answer["diverged"] = problem.what();  // what it did until then is worth a look
        answer["warnings"] = Json::array();
    }
    answer["metrics"] = metrics_of(changed, sink.take());
    std::string text = with_key(answer.dump(-1, ' ', false, Json::error_handler_t::replace), "take",
                                columns_text(sink.take(), request.texts("channels"), most_rows));
    if (request.flag("jumps", true)) text = with_key(std::move(text), "jumps", jumps_text(changed));
    return text;
}

}  // namespace hopcoil::page
