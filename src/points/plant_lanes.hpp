#pragma once

#include <cmath>
#include <cstddef>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/points/detail/plant_room.hpp>
#include <hopcoil/points/plant_structure.hpp>

#include "../base/instruction_sets.hpp"

/// @file
/// Numbers of plants side by side, for the loops over them: compiled into each, for the same
/// instructions.

namespace hopcoil::plant {
namespace {

// Keeps a loop separate until it is vectorised.
#define HOPCOIL_EACH_LANE \
    HOPCOIL_SIDE_BY_SIDE  \
    HOPCOIL_UNROLLED(1)   \
    for (std::size_t k = 0; k < lanes; ++k)

template <std::size_t lanes>
HOPCOIL_INTO_EACH Vector3 vector_in(const double* numbers, std::size_t i, std::size_t k) {
    const double* const first = numbers + 3 * lanes * i + k;
    return {first[0], first[lanes], first[2 * lanes]};
}
template <std::size_t lanes>
HOPCOIL_INTO_EACH void put_in(double* numbers, std::size_t i, std::size_t k, const Vector3& v) {
    double* const first = numbers + 3 * lanes * i + k;
    first[0] = v.x;
    first[lanes] = v.y;
    first[2 * lanes] = v.z;
}
template <std::size_t lanes>
HOPCOIL_INTO_EACH Quaternion quaternion_in(const double* numbers, std::size_t i, std::size_t k) {
    const double* const first = numbers + 4 * lanes * i + k;
    return {first[0], first[lanes], first[2 * lanes], first[3 * lanes]};
}
template <std::size_t lanes>
HOPCOIL_INTO_EACH void put_in(double* numbers, std::size_t i, std::size_t k, const Quaternion& q) {
    double* const first = numbers + 4 * lanes * i + k;
    first[0] = q.w;
    first[lanes] = q.x;
    first[2 * lanes] = q.y;
    first[3 * lanes] = q.z;
}
HOPCOIL_INTO_EACH Vector3 lane_of(const VectorLanes& vectors, std::size_t k) {
    return {vectors.x[k], vectors.y[k], vectors.z[k]};
}

// In this order g++ 12 finds no adjacent sums and differences that it would fuse with their
// products.
HOPCOIL_INTO_EACH Quaternion product(const Quaternion& a, const Quaternion& b) {
    return {((a.w * b.w - a.x * b.x) - a.y * b.y) - a.z * b.z,
            ((a.w * b.x + a.x * b.w) + a.y * b.z) - a.z * b.y,
            ((a.w * b.y + a.y * b.w) + a.z * b.x) - a.x * b.z,
            ((a.w * b.z + a.z * b.w) + a.x * b.y) - a.y * b.x};
}
HOPCOIL_INTO_EACH Vector3 turned(const Quaternion& q, const Vector3& v) {
    const Vector3 u{q.x, q.y, q.z};
    const Vector3 t = cross(u, v) * 2;
    return v + t * q.w + cross(u, t);
}
HOPCOIL_INTO_EACH Vector3 turned_back(const Quaternion& q, const Vector3& v) {
    return turned({q.w, -q.x, -q.y, -q.z}, v);
}
/// The part of a stream that is perpendicular to a direction of unit length.
HOPCOIL_INTO_EACH Vector3 across(const Vector3& stream, const Vector3& direction) {
    return stream - direction * dot(stream, direction);
}
HOPCOIL_INTO_EACH double length(const Vector3& v) {
    return std::sqrt(dot(v, v));
}

/// Of all bends, from those of the modes.
template <std::size_t lanes>
HOPCOIL_INTO_EACH void sum_modes(const PlantStructure& structure, const double* of_modes,
                                 double* sums) {
    const auto modes = structure.modes();
    const std::size_t bends = 2 * structure.size();
    for (std::size_t at = 0; at < bends * lanes; ++at)
        sums[at] = 0;
    std::size_t m = 0;
    for (; m + 4 <= modes.size(); m += 4) {
        const double* const a = modes[m].turns.data();
        const double* const b = modes[m + 1].turns.data();
        const double* const c = modes[m + 2].turns.data();
        const double* const d = modes[m + 3].turns.data();
        const double* const some = of_modes + m * lanes;
        for (std::size_t i = 0; i < bends; ++i) {
            double* const sum = sums + i * lanes;
            HOPCOIL_EACH_LANE
            sum[k] = (((sum[k] + a[i] * some[k]) + b[i] * some[lanes + k]) +
                      c[i] * some[2 * lanes + k]) +
                     d[i] * some[3 * lanes + k];
        }
    }
    for (; m < modes.size(); ++m) {
        const double* const turns = modes[m].turns.data();
        const double* const one = of_modes + m * lanes;
        for (std::size_t i = 0; i < bends; ++i) {
            double* const sum = sums + i * lanes;
            HOPCOIL_EACH_LANE
            sum[k] += turns[i] * one[k];
        }
    }
}

/// Of each mode, the sum over two numbers of each branch times its own share of them.
template <std::size_t lanes, class SharesOf>
HOPCOIL_INTO_EACH void sum_on_modes(const PlantStructure& structure, const SharesOf& shares_of,
                                    const double* numbers, double* of_modes) {
    const auto modes = structure.modes();
    for (std::size_t at = 0; at < modes.size() * lanes; ++at)
        of_modes[at] = 0;
    for (std::size_t i = 0; i < 2 * structure.size(); i += 2) {
        const double* const first = numbers + i * lanes;
        for (std::size_t m = 0; m < modes.size(); ++m) {
            const double* const shares = shares_of(modes[m]) + i;
            double* const sum = of_modes + m * lanes;
            HOPCOIL_EACH_LANE
            sum[k] = (sum[k] + shares[0] * first[k]) + shares[1] * first[lanes + k];
        }
    }
}
HOPCOIL_INTO_EACH const double* turns_of(const PlantStructure::Mode& mode) {
    return mode.turns.data();
}
HOPCOIL_INTO_EACH const double* squares_of(const PlantStructure::Mode& mode) {
    return mode.squares.data();
}

}  // namespace
}  // namespace hopcoil::plant
