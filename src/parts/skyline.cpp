#include "skyline.hpp"

#include <algorithm>

namespace hopcoil::parts {
namespace {

/// Four sums side by side, in one written order.
double dot_of(const double* a, const double* b, std::size_t count) noexcept {
    double s0 = 0;
    double s1 = 0;
    double s2 = 0;
    double s3 = 0;
    std::size_t i = 0;
    for (; i + 4 <= count; i += 4) {
        s0 += a[i] * b[i];
        s1 += a[i + 1] * b[i + 1];
        s2 += a[i + 2] * b[i + 2];
        s3 += a[i + 3] * b[i + 3];
    }
    for (; i < count; ++i)
        s0 += a[i] * b[i];
    return (s0 + s1) + (s2 + s3);
}

}  // namespace

void Skyline::reserve(std::size_t rows, std::size_t numbers) {
    firsts_.resize(rows);
    starts_.resize(rows);
    inverse_pivots_.resize(rows);
    numbers_.resize(numbers);
}

bool Skyline::begin(std::span<const std::uint32_t> firsts) noexcept {
    rows_ = 0;
    if (firsts.size() > firsts_.size()) return false;
    std::size_t start = 0;
    for (std::size_t i = 0; i < firsts.size(); ++i) {
        firsts_[i] = firsts[i];
        starts_[i] = start;
        start += i + 1 - firsts[i];
        if (start > numbers_.size()) return false;
    }
    std::fill_n(numbers_.begin(), start, 0.0);
    rows_ = firsts.size();
    return true;
}

void Skyline::factor() noexcept {
    // A pivot this small is rounding: the row depends on those before it.
    constexpr double dependent = 1e-10;
    for (std::size_t i = 0; i < rows_; ++i) {
        const std::size_t first = firsts_[i];
        double* const row = &numbers_[starts_[i]];
        for (std::size_t j = first; j < i; ++j) {
            const std::size_t from = std::max<std::size_t>(first, firsts_[j]);
            const double* const other = &numbers_[starts_[j]];
            row[j - first] -= dot_of(row + (from - first), other + (from - firsts_[j]), j - from);
        }
        const double whole = row[i - first];
        double pivot = whole;
        for (std::size_t j = first; j < i; ++j) {
            const double scaled = row[j - first] * inverse_pivots_[j];
            pivot -= scaled * row[j - first];
            row[j - first] = scaled;
        }
        inverse_pivots_[i] = pivot > dependent * whole && whole > 0 ? 1 / pivot : 0;
    }
}

void Skyline::solve(std::span<double> sides) const noexcept {
    for (std::size_t i = 0; i < rows_; ++i) {
        const std::size_t first = firsts_[i];
        sides[i] -= dot_of(&numbers_[starts_[i]], &sides[first], i - first);
    }
    for (std::size_t i = 0; i < rows_; ++i)
        sides[i] *= inverse_pivots_[i];
    for (std::size_t i = rows_; i-- > 0;) {
        const std::size_t first = firsts_[i];
        const double* const row = &numbers_[starts_[i]];
        for (std::size_t j = first; j < i; ++j)
            sides[j] -= row[j - first] * sides[i];
    }
}

}  // namespace hopcoil::parts
