#include <chrono>
#include <cmath>
#include <exception>
#include <string>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/spring/step_response.hpp>

#include "page/answers.hpp"
#include "page/columns_text.hpp"
#include "page/drives.hpp"

namespace hopcoil::page {
namespace {

constexpr double longest_run_s = 3600;
constexpr double most_numbers = 2e7;  ///< in the take of one request

/// A take that ends when it takes too long or too much.
class BoundedTake final : public TakeSink {
  public:
    explicit BoundedTake(std::chrono::milliseconds longest)
        : longest_{longest}, deadline_{std::chrono::steady_clock::now() + longest} {}
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
            throw RequestProblem{
                too_much, fmt::format("the run took longer than {:g} s and was called off at "
                                      "{:.3g} s of the scene; ask for fewer seconds or a "
                                      "lower rate",
                                      std::chrono::duration<double>{longest_}.count(), time_s)};
        }
        take_.row(time_s, numbers);
    }
    [[nodiscard]] const Take& take() const noexcept { return take_; }

  private:
    Take take_;
    double columns_ = 0;
    std::chrono::milliseconds longest_;
    std::chrono::steady_clock::time_point deadline_;
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
    json["swings"] = Json::array();
    for (const Swing& swing : answer.swings)
        json["swings"].push_back({{"time_s", swing.time_s}, {"percent", swing.percent}});
    return json;
}

/// The response of each system to a jump of 1, by itself: all over the same time.
std::string jumps_text(const scene::Scene& scene) {
    constexpr int samples = 400;
    double seconds = 0.1;
    for (const scene::SceneSystem& system : scene.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        if (responder != nullptr && responder->has_target())
            seconds = std::max(seconds, 1.1 * responder->observation_time_s(1));
    }
    std::vector<double> times_s;
    times_s.reserve(samples);
    for (int i = 0; i < samples; ++i)
        times_s.push_back(i * seconds / (samples - 1));
    std::string text{"["};
    for (const scene::SceneSystem& system : scene.systems) {
        const scene::StepResponder* const responder = system.spec->step_responder();
        if (responder == nullptr || !responder->has_target()) continue;
        const auto curves = responder->jump_curves(seconds, samples);
        const std::vector<scene::Port> ports = system.spec->outputs();
        for (std::size_t i = 0; i < curves.size(); ++i) {
            const Json json{{"mover", scene::output_name(system, ports.at(i))},
                            {"figures", figures_of(responder->jump(i, 1))}};
            if (text.size() > 1) text += ',';
            text += with_key(json.dump(), "values", list_text(curves[i]));
        }
    }
    return fmt::format(R"({{"times_s":{},"movers":{}]}})", list_text(times_s), text);
}

/// A chart of a kind's own, in no more rows than a screen shows.
Json chart_json(const scene::SystemChart& chart, const Take& take) {
    constexpr std::size_t most_rows = 800;
    const std::size_t stride = 1 + take.row_count() / most_rows;
    const auto thinned = [&](const std::vector<double>& all) {
        Json list = Json::array();
        for (std::size_t i = 0; i < all.size(); i += stride)
            list.push_back(static_cast<float>(all[i]));
        return list;
    };
    Json curves = Json::array();
    for (const scene::ComponentCurve& curve : chart.curves) {
        curves.push_back({{"name", curve.name},
                          {"values", thinned(curve.values)},
                          {"targets", thinned(curve.targets)}});
    }
    return {{"title", chart.title},
            {"unit", chart.unit},
            {"times_s", thinned(take.times_s())},
            {"curves", std::move(curves)}};
}

Json metrics_of(const scene::Scene& scene, const Take& take) {
    Json list = Json::array();
    if (take.row_count() == 0) return list;
    for (const scene::SystemReport& report : scene::report_on(scene, take)) {
        const auto in_units = [&](double number) {
            return number * report.per_unit;
        };
        Json json{{"mover", report.name}, {"words", report.words}, {"unit", report.unit}};
        for (const scene::ReportFigure& figure : report.figures) {
            json["figures"].push_back(
                {{"name", figure.name}, {"unit", figure.unit}, {"value", figure.value}});
        }
        for (const scene::SystemChart& chart : report.charts)
            json["charts"].push_back(chart_json(chart, take));
        if (report.tracking) {
            const Tracking& tracking = *report.tracking;
            json["largest_gap"] = in_units(tracking.largest_gap);
            json["largest_gap_time_s"] = tracking.largest_gap_time_s;
            json["rms_gap"] = in_units(tracking.rms_gap);
            json["peak_velocity"] = in_units(tracking.peak_velocity);
            json["lag_s"] = report.lag_s ? Json(*report.lag_s) : Json(nullptr);
        }
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
    use_drives(changed, request);
    changed.record.clear();
    return changed;
}

std::string run_answer(const scene::Scene& scene, const Request& request,
                       std::chrono::milliseconds longest) {
    request.finish({"values", "duration_s", "rate_hz", "channels", "most_rows", "jumps", "drives"});
    scene::Scene changed = with_values(scene, request);
    changed.duration_s = request.number("duration_s", 1e-3, longest_run_s,
                                        std::min(changed.duration_s, longest_run_s));
    changed.rate_hz = request.number("rate_hz", 1, 1e4, changed.rate_hz);
    const auto most_rows = static_cast<std::size_t>(request.number("most_rows", 2, 1e6, 4000));
    BoundedTake sink{longest};
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
