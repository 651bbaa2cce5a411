#include <algorithm>
#include <bit>
#include <cmath>
#include <cstddef>
#include <utility>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/random.hpp>
#include <hopcoil/field/space_noise.hpp>

#include "noise_kernels.hpp"

namespace hopcoil {
namespace {

/// Slopes along each axis are even between -1 and 1; the sum has this deviation, found by averaging
/// over a million points.
constexpr std::array<double, 5> deviation{1, 0.1400, 0.1762, 0.1911, 0.1952};

std::int64_t wrapped_cell(std::int64_t cell, std::int64_t period) {
    if (period <= 0) return cell;
    const std::int64_t rest = cell % period;
    return rest < 0 ? rest + period : rest;
}

/// Numbers of the corners of a cell: bit i of a corner's index says on which side along axis i it
/// is.
template <int n, class T>
using Corners = std::array<T, std::size_t{1} << n>;

/// A point in its cell of the lattice.
template <int n>
struct InCell {
    std::array<std::int64_t, n> cell{};
    std::array<double, n> part{};
    std::array<double, n> blend{};
    bool exists = true;
};

template <int n>
InCell<n> cell_of(const std::array<double, n>& point) {
    InCell<n> in;
    for (std::size_t i = 0; i < n; ++i) {
        const double floor = std::floor(point[i]);
        if (!(std::abs(floor) < 0x1p50)) return {.exists = false};
        in.cell[i] = static_cast<std::int64_t>(floor);
        const double p = point[i] - floor;
        in.part[i] = p;
        in.blend[i] = p * p * p * (p * (6 * p - 15) + 10);
    }
    return in;
}

/// Calls `each` with 0 to n - 1 as constants, so that what is done along an axis is straight code.
template <int n, class Each>
void for_axes(const Each& each) {
    [&]<std::size_t... i>(std::index_sequence<i...>) {
        (each(std::integral_constant<std::size_t, i>{}), ...);
    }
    (std::make_index_sequence<n>{});
}
template <int n, class Each>
void for_axes_backward(const Each& each) {
    for_axes<n>([&](auto i) { each(std::integral_constant<std::size_t, n - 1 - i>{}); });
}

/// The random bits of all corners: those of an axis are mixed into those of the axes before.
template <int n>
Corners<n, std::uint64_t> corner_bits(const std::array<std::int64_t, n>& cell,
                                      const std::array<std::int64_t, n>& period,
                                      std::uint64_t stream) {
    Corners<n, std::uint64_t> bits;
    bits[0] = stream;
    for_axes<n>([&](auto i) {
        const auto of = [&](std::int64_t side) {
            const std::int64_t at = wrapped_cell(cell[i] + side, period[i]);
            return 0x9e3779b97f4a7c15ULL * static_cast<std::uint64_t>(at + 1);
        };
        const std::uint64_t lower = of(0);
        const std::uint64_t upper = of(1);
        constexpr std::size_t before = std::size_t{1} << i;
        for (std::size_t corner = 0; corner < before; ++corner) {
            bits[corner + before] = mixed_bits(bits[corner] + upper);
            bits[corner] = mixed_bits(bits[corner] + lower);
        }
    });
    return bits;
}

/// 16 bits of each corner's as a number between -1 and 1: its slope along an axis.
template <int n, std::size_t axis>
Corners<n, double> slopes_along(const Corners<n, std::uint64_t>& bits) {
    Corners<n, double> slopes;
    for (std::size_t corner = 0; corner < slopes.size(); ++corner) {
        // A whole number becomes a double as the last digits of 2^52: many at once.
        const std::uint64_t number = (bits[corner] >> (16 * axis)) & 0xffffU;
        const double whole = std::bit_cast<double>(0x4330000000000000U | number) - 0x1p52;
        slopes[corner] = whole * (2.0 / 65535) - 1;
    }
    return slopes;
}

template <int n, std::size_t axis>
void add_values(Corners<n, double>& values, const Corners<n, double>& slopes, double part) {
    const std::array<double, 2> from{part, part - 1};
    for (std::size_t corner = 0; corner < values.size(); ++corner)
        values[corner] += slopes[corner] * from[(corner >> axis) & 1U];
}

/// Blends along one axis: the upper half of the corners into the lower one.
template <int n, std::size_t axis>
void blend_along(Corners<n, double>& numbers, double blend) {
    constexpr std::size_t half = std::size_t{1} << axis;
    for (std::size_t corner = 0; corner < half; ++corner)
        numbers[corner] += blend * (numbers[corner + half] - numbers[corner]);
}

template <int n>
double octave_value(const InCell<n>& in, const std::array<std::int64_t, n>& period,
                    std::uint64_t stream) {
    const Corners<n, std::uint64_t> bits = corner_bits<n>(in.cell, period, stream);
    Corners<n, double> values{};
    for_axes<n>([&](auto i) { add_values<n, i>(values, slopes_along<n, i>(bits), in.part[i]); });
    for_axes_backward<n>([&](auto i) { blend_along<n, i>(values, in.blend[i]); });
    return values[0];
}

template <int n>
NoiseSample<n> octave_sample(const InCell<n>& in, const std::array<std::int64_t, n>& period,
                             std::uint64_t stream) {
    const Corners<n, std::uint64_t> bits = corner_bits<n>(in.cell, period, stream);
    std::array<Corners<n, double>, n> slopes{};
    Corners<n, double> values{};
    for_axes<n>([&](auto i) {
        slopes[i] = slopes_along<n, i>(bits);
        add_values<n, i>(values, slopes[i], in.part[i]);
    });
    for_axes_backward<n>([&](auto i) {
        for (Corners<n, double>& each : slopes)
            blend_along<n, i>(each, in.blend[i]);
        const double p = in.part[i];
        const double blend_slope = 30 * p * p * (p * (p - 2) + 1);
        constexpr std::size_t half = std::size_t{1} << i;
        for (std::size_t corner = 0; corner < half; ++corner)
            slopes[i][corner] += blend_slope * (values[corner + half] - values[corner]);
        blend_along<n, i>(values, in.blend[i]);
    });
    NoiseSample<n> sample{values[0], {}};
    for (std::size_t i = 0; i < n; ++i)
        sample.slope[i] = slopes[i][0];
    return sample;
}

}  // namespace

void require_valid(const SpaceNoiseSettings& settings) {
    if (settings.octaves < 1 || settings.octaves > 12)
        throw InvalidValue{"octaves", static_cast<double>(settings.octaves), "1 to 12"};
    if (!(settings.roughness >= 0 && settings.roughness <= 1))
        throw InvalidValue{"roughness", settings.roughness, "a number from 0 to 1"};
    for (const int each : settings.period) {
        if (each < 0 || each > (1 << 20))
            throw InvalidValue{"period", static_cast<double>(each), "0 to 1048576 cells"};
    }
}

template <int n>
SpaceNoise<n>::SpaceNoise(const SpaceNoiseSettings& settings, std::uint64_t stream)
    : settings_{settings}, stream_{stream} {
    require_valid(settings);
    double weight = 1;
    double weights = 0;
    for (int octave = 0; octave < settings.octaves; ++octave) {
        weights += weight * weight;
        weight *= settings.roughness;
    }
    scale_ = 1 / (math::sqrt(weights) * deviation[n]);
}

/// Calls `add(in_cell, period, stream, weight, fineness)` for each octave.
template <int n>
template <class Add>
void SpaceNoise<n>::for_each_octave(const std::array<double, n>& point,
                                    const Add& add) const noexcept {
    std::array<double, n> fine = point;
    std::array<std::int64_t, n> period{};
    for (std::size_t i = 0; i < n; ++i)
        period[i] = settings_.period[i];
    double weight = scale_;
    double fineness = 1;
    for (int octave = 0; octave < settings_.octaves; ++octave) {
        const InCell<n> in = cell_of<n>(fine);
        const std::uint64_t stream = mixed_bits(stream_ + static_cast<std::uint64_t>(octave));
        if (in.exists) add(in, period, stream, weight, fineness);
        weight *= settings_.roughness;
        fineness *= 2;
        for (std::size_t i = 0; i < n; ++i) {
            fine[i] = 2 * fine[i] + 0.613;  // else all octaves were 0 at the same corners
            period[i] *= 2;
        }
    }
}

template <int n>
NoiseSample<n> SpaceNoise<n>::at(const std::array<double, n>& point) const noexcept {
    NoiseSample<n> sum;
    for_each_octave(point, [&](const auto& in, const auto& period, std::uint64_t stream,
                               double weight, double fineness) {
        const NoiseSample<n> one = octave_sample<n>(in, period, stream);
        sum.value += weight * one.value;
        for (std::size_t i = 0; i < n; ++i)
            sum.slope[i] += weight * fineness * one.slope[i];
    });
    return sum;
}

template <int n>
double SpaceNoise<n>::value_at(const std::array<double, n>& point) const noexcept {
    double sum = 0;
    for_each_octave(point,
                    [&](const auto& in, const auto& period, std::uint64_t stream, double weight,
                        double) { sum += weight * octave_value<n>(in, period, stream); });
    return sum;
}

template <int n>
bool SpaceNoise<n>::repeats() const noexcept {
    return std::any_of(settings_.period.begin(), settings_.period.begin() + n,
                       [](int period) { return period > 0; });
}

/// Calls `add(points, stream, weight, fineness)` for each octave, the points axis by axis; where
/// there are too few, the last one counts several times.
template <int n>
template <class Add>
void SpaceNoise<n>::for_each_octave_of_some(std::span<const std::array<double, n>> points,
                                            const Add& add) const noexcept {
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    std::array<lattice::Lanes, n> fine;
    for (std::size_t i = 0; i < n; ++i) {
        for (std::size_t k = 0; k < fine[i].size(); ++k)
            fine[i][k] = points[std::min(k, points.size() - 1)][i];
    }
    double weight = scale_;
    double fineness = 1;
    for (int octave = 0; octave < settings_.octaves; ++octave) {
        add(fine, mixed_bits(stream_ + static_cast<std::uint64_t>(octave)), weight, fineness);
        weight *= settings_.roughness;
        fineness *= 2;
        for (lattice::Lanes& axis : fine) {
            for (double& number : axis)
                number = 2 * number + 0.613;
        }
    }
}

namespace {

/// Calls `each(first, count)` for runs of points that are computed at once, and `alone(index)`
/// where too few are left for that, or the noise repeats.
template <class Each, class Alone>
void in_runs(std::size_t count, bool repeats, const Each& each, const Alone& alone) {
    const std::size_t too_few = repeats ? count : 2;
    std::size_t first = 0;
    while (first < count) {
        const std::size_t some = std::min(lattice::points_at_a_time, count - first);
        if (some > too_few) {
            each(first, some);
        } else {
            for (std::size_t k = 0; k < some; ++k)
                alone(first + k);
        }
        first += some;
    }
}

}  // namespace

template <int n>
void SpaceNoise<n>::find(std::span<const std::array<double, n>> points,
                         std::span<NoiseSample<n>> samples, InstructionSet set) const noexcept {
    const std::size_t size = std::min(points.size(), samples.size());
    const auto alone = [&](std::size_t index) {
        samples[index] = at(points[index]);
    };
    const auto some = [&](std::size_t first, std::size_t count) {
        lattice::Lanes values;
        // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
        std::array<lattice::Lanes, n> slopes;
        std::fill_n(samples.begin() + static_cast<std::ptrdiff_t>(first), count, NoiseSample<n>{});
        for_each_octave_of_some(
            points.subspan(first, count),
            [&](const auto& fine, std::uint64_t stream, double weight, double fineness) {
                lattice::find_slopes(set, {{fine, stream, values}, slopes});
                for (std::size_t k = 0; k < count; ++k) {
                    NoiseSample<n>& sum = samples[first + k];
                    sum.value += weight * values[k];
                    for (std::size_t i = 0; i < n; ++i)
                        sum.slope[i] += weight * fineness * slopes[i][k];
                }
            });
    };
    in_runs(size, repeats(), some, alone);
}

template <int n>
void SpaceNoise<n>::find_values(std::span<const std::array<double, n>> points,
                                std::span<double> values, InstructionSet set) const noexcept {
    const std::size_t size = std::min(points.size(), values.size());
    const auto alone = [&](std::size_t index) {
        values[index] = value_at(points[index]);
    };
    const auto some = [&](std::size_t first, std::size_t count) {
        lattice::Lanes part;
        lattice::Lanes sums{};
        for_each_octave_of_some(points.subspan(first, count),
                                [&](const auto& fine, std::uint64_t stream, double weight, double) {
                                    lattice::find_values(set, {fine, stream, part});
                                    for (std::size_t k = 0; k < sums.size(); ++k)
                                        sums[k] += weight * part[k];
                                });
        std::copy_n(sums.begin(), count, values.begin() + static_cast<std::ptrdiff_t>(first));
    };
    in_runs(size, repeats(), some, alone);
}

template class SpaceNoise<1>;
template class SpaceNoise<2>;
template class SpaceNoise<3>;
template class SpaceNoise<4>;

}  // namespace hopcoil
