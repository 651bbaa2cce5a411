#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/step_response.hpp>
#include <hopcoil/take/take.hpp>

/// @file
/// The report on each system of a scene after a run, read off its take.

namespace hopcoil::scene {

/// One number over time, as shown to people: in degrees for radians, and continuous across the
/// seam.
struct ComponentCurve {
    std::string name{};  ///< "x"; empty for the only one
    std::vector<double> values{};
    std::vector<double> targets{};  ///< none where nothing is followed
};

/// One figure of a run.
struct ReportFigure {
    std::string key{};   ///< in JSON: "largest_stretch_percent"
    std::string name{};  ///< in a text: "largest stretch"
    std::string unit{};
    double value = 0.0;
};

/// A chart over the run's time of something that is no output: a length, a load, a margin.
struct SystemChart {
    std::string title{};
    std::string unit{};
    std::vector<ComponentCurve> curves{};  ///< a value, and what it should be, for each row
};

/// The report on one output of a system.
struct SystemReport {
    std::string name{};
    std::string kind{};
    std::string target{};            ///< what it follows; empty where nothing is followed
    std::string words{};             ///< its numbers
    std::optional<Tuning> tuning{};  ///< of a follower or a link
    ValueKind value_kind = ValueKind::number;
    std::string unit{};           ///< as shown to people: "deg" for angles
    double per_unit = 1.0;        ///< shown units in one of the take's
    std::vector<double> stops{};  ///< that it must not pass, as in the take
    double nearest_stop = 0.0;    ///< the least distance to one of them

    std::vector<ComponentCurve> components{};
    std::optional<Tracking> tracking{};  ///< of a vector its length, of a rotation its angle
    std::optional<JumpsMet> jumps{};     ///< where the target jumps
    std::optional<double> lag_s{};
    std::vector<ReportFigure> figures{};  ///< other figures of its kind
    std::vector<SystemChart> charts{};    ///< other charts of its kind
};

/// The takes from which a system's spec makes its report.
struct ReportInput {
    const Scene& scene;
    const SceneSystem& system;
    const Take& take;  ///< with every channel of the scene: what curves and charts are read off
    const Take& fine;  ///< the same run in finer rows: what figures are read off
};

/// Figures are read off the fine take, so that they do not depend on the rate of the other.
[[nodiscard]] std::vector<SystemReport> report_on(const Scene& scene, const Take& take,
                                                  const Take& fine);
[[nodiscard]] inline std::vector<SystemReport> report_on(const Scene& scene, const Take& take) {
    return report_on(scene, take, take);
}

/// The response of a system of one number to a jump or a kick of its target, by itself and free of
/// stops.
class StepResponder {
  public:
    virtual ~StepResponder() = default;
    /// The feel of the part behind an output, where that is a tuning.
    [[nodiscard]] virtual std::optional<Tuning> tuning(std::size_t port) const = 0;
    /// How long to observe a jump of this size until its response is over.
    [[nodiscard]] virtual double observation_time_s(double size) const = 0;
    /// Whether it follows a target, rather than being thrown.
    [[nodiscard]] virtual bool has_target() const = 0;
    [[nodiscard]] virtual JumpResponse jump(std::size_t port, double size) const = 0;
    [[nodiscard]] virtual KickResponse kick(double velocity) const = 0;
    /// Whether its response to a target twice as large is twice as large. Of others the figures of
    /// a ramp and of noise are measured at the size that is stated.
    [[nodiscard]] virtual bool is_linear() const = 0;
    /// Behind a target that moves steadily at this speed, in seconds of its travel.
    [[nodiscard]] virtual Figure ramp_lag_s(double speed) const = 0;
    /// The part of noise that is left, for a target sampled at this rate: the standard deviation of
    /// the output over that of the input, which is rms.
    [[nodiscard]] virtual Figure noise_left(double rate_hz, double rms) const = 0;
    /// Each output over a time in even samples, after a jump of the target from 0 to 1; nothing for
    /// what has no target.
    [[nodiscard]] virtual std::vector<std::vector<double>> jump_curves(double seconds,
                                                                       int samples) const = 0;
    /// Values of dials, by their paths, with which it overshoots and settles so.
    /// Errors  std::invalid_argument when its numbers cannot give that.
    [[nodiscard]] virtual std::vector<std::pair<std::string, double>> solve(
        std::size_t port, double overshoot_percent, double settling_time_s) const = 0;

  protected:
    StepResponder() = default;
    StepResponder(const StepResponder&) = default;
    StepResponder(StepResponder&&) = default;
    StepResponder& operator=(const StepResponder&) = default;
    StepResponder& operator=(StepResponder&&) = default;
};

}  // namespace hopcoil::scene
