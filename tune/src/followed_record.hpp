#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

#include <hopcoil/spring/step_coefficients.hpp>
#include <hopcoil/tune/reference_fit.hpp>

namespace hopcoil::tune {

/// A follower's motion after a recorded target, and what a record has beyond it.
///
/// Model   The motion is linear in its place and velocity at the start and in the lead, so these
///         are solved for at once, whatever frequency, damping ratio and delay are tried.
/// Source  G. Golub, V. Pereyra: The differentiation of pseudo-inverses and nonlinear least squares
///         problems whose variables separate (1973).
class FollowedRecord {
  public:
    FollowedRecord(const Reference& reference, TargetPath path);

    /// Which steps of a target are leaps: much longer than those on both sides.
    [[nodiscard]] static std::vector<bool> leaps_of(const Reference& reference);

    struct Outcome {
        std::vector<std::vector<double>> left{};  ///< of Reference::motion
        double lead = 0.0;
        double cost = 0.0;  ///< sum of the squares of what is left
    };
    /// With the lead that is given, or the best one.
    [[nodiscard]] Outcome after(double frequency_hz, double damping_ratio,
                                std::optional<double> lead, double delay_s) const;

  private:
    /// A number over the record's times, and how fast it changes at each of them.
    struct Row {
        std::vector<double> values{};
        std::vector<double> slopes{};
    };
    /// Where a follower is beside its target at the record's times.
    struct Track {
        std::vector<double> gaps{};
        std::vector<double> velocities{};
    };
    /// What the target does in (a part of) a step, from a leap at its start on.
    struct Piece {
        double leap = 0.0;
        double travel = 0.0;
        double first_slope = 0.0;
        double last_slope = 0.0;
    };
    class Steps;

    [[nodiscard]] Piece piece_of(const Row& target, std::size_t k, double part_s) const;
    [[nodiscard]] Track track_of(const Row& target, const Tuning& tuning, double gap,
                                 double velocity) const;
    [[nodiscard]] std::vector<double> forced(const Row& target, const Tuning& tuning,
                                             double delay_s) const;

    [[nodiscard]] std::vector<double> settling(const Tuning& tuning, double gap,
                                               double velocity) const;

    const Reference& reference_;
    TargetPath path_;
    std::vector<double> times_s_{};  ///< of the target: along cubics, with one between each two
    std::size_t steps_each_ = 1;     ///< of these from one time of the record to the next
    std::vector<bool> is_leap_{};
    std::vector<Row> targets_{};
};

}  // namespace hopcoil::tune
