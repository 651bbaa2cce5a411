#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/spring/tuning.hpp>
#include <hopcoil/tune/fit_settings.hpp>
#include <hopcoil/tune/reference.hpp>

namespace hopcoil::scene {
struct Scene;
}

namespace hopcoil::tune {

/// A number found, with its confidence interval.
struct FittedNumber {
    std::string name{};
    double value = 0.0;
    // In 95 of 100 such records the true number lies between these.
    double low = 0.0;
    double high = 0.0;
    bool is_at_bound = false;  ///< of its range: what explains the record best may lie beyond
};

/// Where the motion is explained worst.
struct WorstStretch {
    double from_s = 0.0;
    double to_s = 0.0;
    double share_percent = 0.0;  ///< of the sum of squared residuals
};

/// How well a motion could be explained, and by which numbers.
///
/// Model   least squares: the noise of the record is taken to be its own in every sample. Where
///         the residual is correlated from sample to sample the intervals are widened.
/// Units   those of the reference.
struct ReferenceFit {
    std::vector<FittedNumber> numbers{};
    /// The combination that the record determines, where single numbers remain open (an interval
    /// wider than a third).
    std::optional<FittedNumber> combination{};
    double residual_rms = 0.0;
    double noise_rms = 0.0;  ///< the part of it that changes from sample to sample
    /// Rest of it, over the motion's own rms about its mean.
    double unexplained_percent = 0.0;
    bool is_explained = false;  ///< at most 5 % are left
    WorstStretch worst{};
    std::vector<std::vector<double>> fitted{};  ///< what the numbers give, as Reference::motion
    bool is_cancelled = false;
};

/// Numbers of a follower that are known beforehand. To first order a lead and a delay have the same
/// effect, so one of them has to be known: the other is found.
struct KnownNumbers {
    std::optional<double> lead{};
    std::optional<double> delay_s = 0.0;
};

/// How the target is taken to have moved from one sample to the next.
enum class TargetPath : std::uint8_t {
    straight,
    smooth,       ///< along cubics
    leaps_early,  ///< straight; where it leaps at once, at the first of the two samples
    leaps_late,   ///< the same at the second
};

struct FollowerFit {
    Tuning tuning{};
    double delay_s = 0.0;                    ///< it follows where its target was so long ago
    TargetPath path = TargetPath::straight;  ///< whichever explains the most
    ReferenceFit fit{};  ///< of frequency_hz, damping_ratio, and lead or delay_s
};

/// Frequency, damping ratio and lead (or delay) of the follower that explains a motion best. Value
/// and velocity at the start are found as well.
///
/// Model   the exact motion of a follower after the recorded target, for a delay after the target
///         as it was. Where the target leaps, and stands still before and after, it may have leapt
///         at once. Noise in the target itself is not accounted for.
/// Errors  std::invalid_argument for an invalid reference or one without a target, one whose target
///         never moves, or both lead and delay unknown.
/// Cost    some tenths of a second for 1000 samples.
[[nodiscard]] FollowerFit fit_follower(const Reference& reference, const KnownNumbers& known = {},
                                       const FitSettings& settings = {});

/// Which column of a run should match which motion.
struct Match {
    std::string column{};  ///< of the scene's take: "lamp.value_m", "rope.position_m.7.y"
    std::vector<double> motion{};
};

/// Numbers of a scene with which its take has these motions: a survey of the ranges, then least
/// squares from the best places. Columns count alike, each over its own deviation from its mean.
///
/// Errors  std::invalid_argument for no range or match, a column that the take does not have, and
///         as `require_valid(Reference)`; what a run throws in the middle of the ranges.
[[nodiscard]] ReferenceFit fit_scene(const scene::Scene& scene, const std::vector<FitRange>& ranges,
                                     const std::vector<double>& times_s,
                                     const std::vector<Match>& matches,
                                     const FitSettings& settings = {});

}  // namespace hopcoil::tune
