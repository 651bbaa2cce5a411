// Coherent noise at several points side by side, compiled once for each instruction set. The same
// operations in the same order as for one point (space_noise.cpp), so the same bits.

#include "noise_kernels.hpp"

#include <bit>
#include <cmath>

#include <hopcoil/base/random.hpp>

#include "../base/instruction_sets.hpp"

namespace hopcoil::lattice {
namespace {

constexpr std::size_t lanes = points_at_a_time;

/// The cells that points lie in, and where in them.
template <int n>
struct InCells {
    alignas(64) std::uint64_t lower[n][lanes];  ///< what each side of a cell adds to the bits
    alignas(64) std::uint64_t upper[n][lanes];
    alignas(64) double part[n][lanes];
    alignas(64) double blend[n][lanes];
    alignas(64) std::uint64_t exists[lanes];  ///< all ones, or zeros
};

constexpr std::uint64_t golden = 0x9e3779b97f4a7c15U;
/// Added to a whole number below 2^51, this puts the number into the lowest bits of the sum.
constexpr double shift = 0x1.8p52;

HOPCOIL_INTO_EACH std::uint64_t mixed(std::uint64_t value) {
    value = (value ^ (value >> 30U)) * 0xbf58476d1ce4e5b9U;
    value = (value ^ (value >> 27U)) * 0x94d049bb133111ebU;
    return value ^ (value >> 31U);
}

template <int n>
HOPCOIL_INTO_EACH void find_cells(const std::array<Lanes, n>& points, InCells<n>& in) {
    for (std::size_t k = 0; k < lanes; ++k)
        in.exists[k] = ~std::uint64_t{0};
    for (std::size_t i = 0; i < n; ++i) {
        const double* const point = points[i].data();
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < lanes; ++k) {
            const double floor = std::floor(point[k]);
            const bool is_near = std::abs(floor) < 0x1p50;
            in.exists[k] &= is_near ? ~std::uint64_t{0} : std::uint64_t{0};
            const double cell = is_near ? floor : 0;
            const double p = is_near ? point[k] - floor : 0;
            const std::uint64_t at =
                std::bit_cast<std::uint64_t>(cell + shift) - std::bit_cast<std::uint64_t>(shift);
            in.lower[i][k] = golden * (at + 1);
            in.upper[i][k] = golden * (at + 2);
            in.part[i][k] = p;
            in.blend[i][k] = p * p * p * (p * (6 * p - 15) + 10);
        }
    }
}

template <int n>
using Corners = double[std::size_t{1} << n][lanes];

/// The random bits of all corners: those of an axis are mixed into those of the axes before.
template <int n>
HOPCOIL_INTO_EACH void find_bits(const InCells<n>& in, std::uint64_t stream,
                                 std::uint64_t (&bits)[std::size_t{1} << n][lanes]) {
    for (std::size_t k = 0; k < lanes; ++k)
        bits[0][k] = stream;
    for (std::size_t i = 0; i < n; ++i) {
        const std::size_t before = std::size_t{1} << i;
        for (std::size_t corner = 0; corner < before; ++corner) {
            HOPCOIL_SIDE_BY_SIDE
            for (std::size_t k = 0; k < lanes; ++k) {
                const std::uint64_t own = bits[corner][k];
                bits[corner + before][k] = mixed(own + in.upper[i][k]);
                bits[corner][k] = mixed(own + in.lower[i][k]);
            }
        }
    }
}

/// 16 of a corner's bits as a number between -1 and 1: its slope along an axis.
HOPCOIL_INTO_EACH double slope_of(std::uint64_t bits, std::size_t axis) {
    const std::uint64_t number = (bits >> (16 * axis)) & 0xffffU;
    const double whole = std::bit_cast<double>(0x4330000000000000U | number) - 0x1p52;
    return whole * (2.0 / 65535) - 1;
}

/// The value at each corner: its slope times the distance from it along each axis, summed.
template <int n>
HOPCOIL_INTO_EACH void find_corner_values(const std::uint64_t (&bits)[std::size_t{1} << n][lanes],
                                          const InCells<n>& in, Corners<n>& values) {
    HOPCOIL_UNROLLED(16)
    for (std::size_t corner = 0; corner < (std::size_t{1} << n); ++corner) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < lanes; ++k) {
            double sum = 0;
            HOPCOIL_UNROLLED(4)
            for (std::size_t axis = 0; axis < n; ++axis) {
                const auto side = static_cast<double>((corner >> axis) & 1U);
                sum += slope_of(bits[corner][k], axis) * (in.part[axis][k] - side);
            }
            values[corner][k] = sum;
        }
    }
}

template <int n>
HOPCOIL_INTO_EACH void find_corner_slopes(const std::uint64_t (&bits)[std::size_t{1} << n][lanes],
                                          std::size_t axis, Corners<n>& slopes) {
    for (std::size_t corner = 0; corner < (std::size_t{1} << n); ++corner) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < lanes; ++k)
            slopes[corner][k] = slope_of(bits[corner][k], axis);
    }
}

/// Blends along one axis: the upper half of the corners into the lower one.
template <int n>
HOPCOIL_INTO_EACH void blend_along(Corners<n>& numbers, std::size_t axis,
                                   const double (&blend)[lanes]) {
    const std::size_t half = std::size_t{1} << axis;
    for (std::size_t corner = 0; corner < half; ++corner) {
        HOPCOIL_SIDE_BY_SIDE
        for (std::size_t k = 0; k < lanes; ++k)
            numbers[corner][k] += blend[k] * (numbers[corner + half][k] - numbers[corner][k]);
    }
}

HOPCOIL_INTO_EACH double either(std::uint64_t first, double a) {
    return std::bit_cast<double>(std::bit_cast<std::uint64_t>(a) & first);
}

template <int n>
HOPCOIL_INTO_EACH void value_loop(const OctavePass<n>& pass) {
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    InCells<n> in;
    find_cells<n>(pass.points, in);
    alignas(64) std::uint64_t bits[std::size_t{1} << n][lanes];
    find_bits<n>(in, pass.stream, bits);
    alignas(64) Corners<n> values;
    find_corner_values<n>(bits, in, values);
    for (std::size_t i = n; i-- > 0;)
        blend_along<n>(values, i, in.blend[i]);
    for (std::size_t k = 0; k < lanes; ++k)
        pass.values[k] = either(in.exists[k], values[0][k]);
}

template <int n>
HOPCOIL_INTO_EACH void slopes_loop(const SlopesPass<n>& pass) {
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    InCells<n> in;
    find_cells<n>(pass.octave.points, in);
    alignas(64) std::uint64_t bits[std::size_t{1} << n][lanes];
    find_bits<n>(in, pass.octave.stream, bits);
    alignas(64) Corners<n> values;
    find_corner_values<n>(bits, in, values);
    alignas(64) Corners<n> slopes[n];
    for (std::size_t i = 0; i < n; ++i)
        find_corner_slopes<n>(bits, i, slopes[i]);
    for (std::size_t i = n; i-- > 0;) {
        for (Corners<n>& each : slopes)
            blend_along<n>(each, i, in.blend[i]);
        const std::size_t half = std::size_t{1} << i;
        for (std::size_t corner = 0; corner < half; ++corner) {
            HOPCOIL_SIDE_BY_SIDE
            for (std::size_t k = 0; k < lanes; ++k) {
                const double p = in.part[i][k];
                const double blend_slope = 30 * p * p * (p * (p - 2) + 1);
                slopes[i][corner][k] +=
                    blend_slope * (values[corner + half][k] - values[corner][k]);
            }
        }
        blend_along<n>(values, i, in.blend[i]);
    }
    for (std::size_t k = 0; k < lanes; ++k)
        pass.octave.values[k] = either(in.exists[k], values[0][k]);
    for (std::size_t i = 0; i < n; ++i) {
        for (std::size_t k = 0; k < lanes; ++k)
            pass.slopes[i][k] = either(in.exists[k], slopes[i][0][k]);
    }
}

}  // namespace

HOPCOIL_FOR_EACH_SET(find_values, value_loop<1>, OctavePass<1>)
HOPCOIL_FOR_EACH_SET(find_values, value_loop<2>, OctavePass<2>)
HOPCOIL_FOR_EACH_SET(find_values, value_loop<3>, OctavePass<3>)
HOPCOIL_FOR_EACH_SET(find_values, value_loop<4>, OctavePass<4>)
HOPCOIL_FOR_EACH_SET(find_slopes, slopes_loop<1>, SlopesPass<1>)
HOPCOIL_FOR_EACH_SET(find_slopes, slopes_loop<2>, SlopesPass<2>)
HOPCOIL_FOR_EACH_SET(find_slopes, slopes_loop<3>, SlopesPass<3>)
HOPCOIL_FOR_EACH_SET(find_slopes, slopes_loop<4>, SlopesPass<4>)

}  // namespace hopcoil::lattice
