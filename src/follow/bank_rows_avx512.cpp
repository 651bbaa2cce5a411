// Compiled for processors with AVX-512 alone; called where there is one.

#if defined(__x86_64__)

#if !defined(__clang__)
// The compiler's own header passes numbers on that are never looked at.
#pragma GCC diagnostic ignored "-Wuninitialized"
#pragma GCC diagnostic ignored "-Wmaybe-uninitialized"
#endif
#include <immintrin.h>

#include "../spring/short_series.hpp"
#include "bank_rows.hpp"

#if defined(__clang__)
#pragma clang attribute push(__attribute__((target("avx512f,avx512dq,avx512bw,avx512vl,fma"))), \
                             apply_to = function)
#else
#pragma GCC push_options
#pragma GCC target("avx512f,avx512dq,avx512bw,avx512vl,fma")
#endif

#include "bank_rows_kernel.hpp"
#include "bank_short_rows_kernel.hpp"

namespace hopcoil::bank {
namespace {

HOPCOIL_SIDE_BY_SIDE(EightSideBySide, 64);

struct EightDoubles {
    using Parameters = __m512d;
    using Lanes = std::uint32_t;  ///< a bit for each
    static constexpr std::size_t size = 8;

    static Parameters all(double number) { return _mm512_set1_pd(number); }
    static Parameters load(const double* from) { return _mm512_loadu_pd(from); }
    static void store(float* to, Parameters x) { _mm256_storeu_ps(to, _mm512_cvtpd_ps(x)); }
    static void store(double* to, Parameters x) { _mm512_storeu_pd(to, x); }
    static Parameters times_plus(Parameters a, Parameters b, Parameters c) {
        return _mm512_fmadd_pd(a, b, c);
    }
    static Parameters times_minus(Parameters a, Parameters b, Parameters c) {
        return _mm512_fmsub_pd(a, b, c);
    }
    /// c - a b
    static Parameters minus_times(Parameters c, Parameters a, Parameters b) {
        return _mm512_fnmadd_pd(a, b, c);
    }
    static Parameters size_of(Parameters x) { return _mm512_abs_pd(x); }
    static Parameters lesser(Parameters a, Parameters b) { return _mm512_min_pd(a, b); }
    static Lanes not_at_least(Parameters x, Parameters least) {
        return _mm512_cmp_pd_mask(x, least, _CMP_NGE_UQ);
    }

    /// Of the 29 bits that float has not, of two packs: whether they are not within 2^14 of one
    /// half.
    static __mmask16 clear(__mmask16 so_far, Parameters a, Parameters b) {
        const __m512 low =
            _mm512_shuffle_ps(_mm512_castpd_ps(a), _mm512_castpd_ps(b), _MM_SHUFFLE(2, 0, 2, 0));
        const __m512i from_half =
            _mm512_add_epi32(_mm512_castps_si512(low), _mm512_set1_epi32((1 << 28) + (1 << 14)));
        return _mm512_mask_test_epi32_mask(so_far, from_half,
                                           _mm512_set1_epi32((1 << 29) - (1 << 15)));
    }
    static Lanes roundings_in_doubt(const Rows<EightDoubles>& r) {
        __mmask16 all_clear = clear(0xFFFF, r.gap_of_gap, r.gap_of_velocity);
        all_clear = clear(all_clear, r.gap_of_travel, r.velocity_of_gap);
        all_clear = clear(all_clear, r.velocity_of_velocity, r.velocity_of_travel);
        if (all_clear == 0xFFFF) return 0;
        // In each four: two lanes of the one pack, the same two of the other.
        const unsigned halves = 0xFFFFU & ~static_cast<unsigned>(all_clear);
        const unsigned either = (halves | (halves >> 2U)) & 0x3333U;
        const unsigned by_four = (either | (either >> 2U)) & 0x0F0FU;
        return (by_four | (by_four >> 4U)) & 0xFFU;
    }
};

}  // namespace

std::uint32_t short_rows_avx512(const NumbersBatch& springs, double dt,
                                RowBatch<double>& rows) noexcept {
    return short_rows_by<EightSideBySide>(springs, dt, rows);
}

std::size_t quick_rows_avx512(const SpringBatch* springs, std::size_t count, const QuickStep& step,
                              RowBatch<float>* rows, std::uint32_t* unsure) noexcept {
    return quick_rows<EightDoubles>(springs, count, step, rows, unsure);
}

}  // namespace hopcoil::bank

#if defined(__clang__)
#pragma clang attribute pop
#else
#pragma GCC pop_options
#endif
#endif
