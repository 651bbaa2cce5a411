#pragma once

#include <array>
#include <cmath>
#include <cstddef>

#include <hopcoil/spring/tuning.hpp>

/// An answer to the follower's equation that shares nothing with the library: the exponential of
/// its matrix in long double, with the target's polynomial as extra states.
namespace reference {

using Real = long double;

struct State {
    Real value = 0;
    Real velocity = 0;
};

/// A target x(t) = c0 + c1 s + c2 s^2 + c3 s^3 with s = t / dt.
using Cubic = std::array<Real, 4>;

[[nodiscard]] inline Cubic straight(Real from, Real to) {
    return {from, to - from, 0, 0};
}

/// The cubic between two points with given travel per step (velocity times dt) at its ends.
[[nodiscard]] inline Cubic hermite(Real from, Real to, Real first, Real last) {
    const Real travel = to - from;
    return {from, first, 3 * travel - 2 * first - last, first + last - 2 * travel};
}

namespace detail {

constexpr std::size_t size = 6;
using Matrix = std::array<std::array<Real, size>, size>;

inline Matrix product(const Matrix& a, const Matrix& b) {
    Matrix c{};
    for (std::size_t i = 0; i < size; ++i) {
        for (std::size_t k = 0; k < size; ++k) {
            for (std::size_t j = 0; j < size; ++j)
                c[i][j] += a[i][k] * b[k][j];
        }
    }
    return c;
}

/// e^A by scaling, 24 Taylor terms and repeated squaring of e^A - 1, which keeps small parts.
inline Matrix exponential(Matrix a) {
    Real norm = 0;
    for (const auto& row : a) {
        for (const Real each : row)
            norm = std::fmax(norm, std::fabs(each));
    }
    int squarings = 0;
    for (; norm > 0.03125L; norm /= 2)
        ++squarings;
    const Real scale = std::ldexp(Real{1}, -squarings);
    for (auto& row : a) {
        for (Real& each : row)
            each *= scale;
    }
    Matrix sum = a;
    Matrix term = a;
    for (int n = 2; n <= 24; ++n) {
        term = product(term, a);
        for (std::size_t i = 0; i < size; ++i) {
            for (std::size_t j = 0; j < size; ++j) {
                term[i][j] /= n;
                sum[i][j] += term[i][j];
            }
        }
    }
    for (; squarings > 0; --squarings) {
        const Matrix square = product(sum, sum);
        for (std::size_t i = 0; i < size; ++i) {
            for (std::size_t j = 0; j < size; ++j)
                sum[i][j] = 2 * sum[i][j] + square[i][j];
        }
    }
    for (std::size_t i = 0; i < size; ++i)
        sum[i][i] += 1;
    return sum;
}

}  // namespace detail

/// The state after `dt`. Works in the phase u = w dt, with velocities per unit of phase.
[[nodiscard]] inline State step(const hopcoil::Tuning& tuning, State start, const Cubic& target,
                                Real dt) {
    const Real w = 2 * 3.14159265358979323846264338328L * static_cast<Real>(tuning.frequency_hz);
    const Real z = static_cast<Real>(tuning.damping_ratio);
    const Real lead = static_cast<Real>(tuning.lead);
    const Real u = w * dt;
    if (u == 0) return {start.value + start.velocity * dt, start.velocity};

    // States: y, v/w, then the target's powers s^3, s^2, s, 1; the matrix is per step.
    detail::Matrix m{};
    m[0][1] = u;
    m[1] = {-u, -2 * z * u, 0, 0, 0, 0};
    for (std::size_t k = 0; k < 4; ++k) {
        m[1][5 - k] += u * target[k];
        if (k > 0) m[1][6 - k] += 2 * z * lead * static_cast<Real>(k) * target[k];
    }
    m[2][3] = 3;
    m[3][4] = 2;
    m[4][5] = 1;
    const detail::Matrix e = detail::exponential(m);
    const Real v = start.velocity / w;
    return {e[0][0] * start.value + e[0][1] * v + e[0][5],
            (e[1][0] * start.value + e[1][1] * v + e[1][5]) * w};
}

}  // namespace reference
