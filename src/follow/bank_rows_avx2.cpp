// Compiled for processors with AVX2 and FMA alone; called where there are both.

#if defined(__x86_64__)

#include <immintrin.h>

#include "../spring/short_series.hpp"
#include "bank_rows.hpp"

#if defined(__clang__)
#pragma clang attribute push(__attribute__((target("avx2,fma"))), apply_to = function)
#else
#pragma GCC push_options
#pragma GCC target("avx2,fma")
#endif

#include "bank_rows_kernel.hpp"
#include "bank_short_rows_kernel.hpp"

namespace hopcoil::bank {
namespace {

HOPCOIL_SIDE_BY_SIDE(FourSideBySide, 32);

struct FourDoubles {
    using Parameters = __m256d;
    using Lanes = std::uint32_t;  ///< a bit for each
    static constexpr std::size_t size = 4;

    static Parameters all(double number) { return _mm256_set1_pd(number); }
    static Parameters load(const double* from) { return _mm256_loadu_pd(from); }
    static void store(float* to, Parameters x) { _mm_storeu_ps(to, _mm256_cvtpd_ps(x)); }
    static void store(double* to, Parameters x) { _mm256_storeu_pd(to, x); }
    static Parameters times_plus(Parameters a, Parameters b, Parameters c) {
        return _mm256_fmadd_pd(a, b, c);
    }
    static Parameters times_minus(Parameters a, Parameters b, Parameters c) {
        return _mm256_fmsub_pd(a, b, c);
    }
    /// c - a b
    static Parameters minus_times(Parameters c, Parameters a, Parameters b) {
        return _mm256_fnmadd_pd(a, b, c);
    }
    static Parameters size_of(Parameters x) { return _mm256_andnot_pd(_mm256_set1_pd(-0.0), x); }
    static Parameters lesser(Parameters a, Parameters b) { return _mm256_min_pd(a, b); }
    static Lanes not_at_least(Parameters x, Parameters least) {
        return static_cast<Lanes>(_mm256_movemask_pd(_mm256_cmp_pd(x, least, _CMP_NGE_UQ)));
    }

    /// Of the 29 bits that float has not, of two packs: zero where they are within 2^14 of one
    /// half.
    static __m256i distance(Parameters a, Parameters b) {
        const __m256 low =
            _mm256_shuffle_ps(_mm256_castpd_ps(a), _mm256_castpd_ps(b), _MM_SHUFFLE(2, 0, 2, 0));
        const __m256i from_half =
            _mm256_add_epi32(_mm256_castps_si256(low), _mm256_set1_epi32((1 << 28) + (1 << 14)));
        return _mm256_and_si256(from_half, _mm256_set1_epi32((1 << 29) - (1 << 15)));
    }
    static Lanes roundings_in_doubt(const Rows<FourDoubles>& r) {
        const __m256i least = _mm256_min_epu32(
            distance(r.gap_of_gap, r.gap_of_velocity),
            _mm256_min_epu32(distance(r.gap_of_travel, r.velocity_of_gap),
                             distance(r.velocity_of_velocity, r.velocity_of_travel)));
        const __m256i none = _mm256_cmpeq_epi32(least, _mm256_setzero_si256());
        const auto halves = static_cast<unsigned>(_mm256_movemask_ps(_mm256_castsi256_ps(none)));
        if (halves == 0) return 0;
        // In each four: two lanes of the one pack, the same two of the other.
        const unsigned either = (halves | (halves >> 2U)) & 0x33U;
        return (either | (either >> 2U)) & 0xFU;
    }
};

}  // namespace

std::uint32_t short_rows_avx2(const NumbersBatch& springs, double dt,
                              RowBatch<double>& rows) noexcept {
    return short_rows_by<FourSideBySide>(springs, dt, rows);
}

std::size_t quick_rows_avx2(const SpringBatch* springs, std::size_t count, const QuickStep& step,
                            RowBatch<float>* rows, std::uint32_t* unsure) noexcept {
    return quick_rows<FourDoubles>(springs, count, step, rows, unsure);
}

}  // namespace hopcoil::bank

#if defined(__clang__)
#pragma clang attribute pop
#else
#pragma GCC pop_options
#endif
#endif
