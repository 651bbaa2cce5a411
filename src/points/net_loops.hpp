#pragma once

#include "../base/instruction_sets.hpp"
#include "net_kernels.hpp"

/// @file
/// What the loops of nets and particles share.

namespace hopcoil::net {

struct Arrays {
    double* x;
    double* y;
    double* z;
    HOPCOIL_INTO_EACH Vector3 operator[](std::size_t i) const { return {x[i], y[i], z[i]}; }
    HOPCOIL_INTO_EACH void put(std::size_t i, const Vector3& v) const {
        x[i] = v.x;
        y[i] = v.y;
        z[i] = v.z;
    }
    HOPCOIL_INTO_EACH void add(std::size_t i, const Vector3& v) const { put(i, (*this)[i] + v); }
};
struct ConstArrays {
    const double* x;
    const double* y;
    const double* z;
    HOPCOIL_INTO_EACH Vector3 operator[](std::size_t i) const { return {x[i], y[i], z[i]}; }
};
HOPCOIL_INTO_EACH Arrays arrays_of(Columns& columns) {
    return {columns.x.data(), columns.y.data(), columns.z.data()};
}
HOPCOIL_INTO_EACH ConstArrays arrays_of(const Columns& columns) {
    return {columns.x.data(), columns.y.data(), columns.z.data()};
}

/// Of numbers that follow one another for each point.
HOPCOIL_INTO_EACH Vector3 vector_at(const double* numbers, std::size_t i) {
    return {numbers[3 * i], numbers[3 * i + 1], numbers[3 * i + 2]};
}
HOPCOIL_INTO_EACH void put_at(double* numbers, std::size_t i, const Vector3& v) {
    numbers[3 * i] = v.x;
    numbers[3 * i + 1] = v.y;
    numbers[3 * i + 2] = v.z;
}

}  // namespace hopcoil::net
