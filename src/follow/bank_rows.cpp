#include "bank_rows.hpp"

#include <hopcoil/follow/follower_bank.hpp>

#include "bank_short_rows_kernel.hpp"

namespace hopcoil::bank {
namespace {

HOPCOIL_SIDE_BY_SIDE(TwoSideBySide, 16);

}  // namespace

std::uint32_t short_rows(InstructionSet set, const NumbersBatch& springs, double dt,
                         RowBatch<double>& rows) noexcept {
#if defined(__x86_64__)
    if (set == InstructionSet::avx512) return short_rows_avx512(springs, dt, rows);
    if (set == InstructionSet::avx2) return short_rows_avx2(springs, dt, rows);
#endif
    return short_rows_by<TwoSideBySide>(springs, dt, rows);
}

std::uint32_t short_rows(InstructionSet /*set*/, const NumbersBatch& springs, double dt,
                         RowBatch<float>& rows) noexcept {
    return short_rows_by<TwoSideBySide>(springs, dt, rows);
}

std::size_t quick_rows(InstructionSet set, const SpringBatch* springs, std::size_t count,
                       const QuickStep& step, RowBatch<float>* rows,
                       std::uint32_t* unsure) noexcept {
#if defined(__x86_64__)
    if (set == InstructionSet::avx512) return quick_rows_avx512(springs, count, step, rows, unsure);
    if (set == InstructionSet::avx2) return quick_rows_avx2(springs, count, step, rows, unsure);
#endif
    for (std::size_t i = 0; i < count; ++i)
        unsure[i] = static_cast<std::uint32_t>(i);
    return count;
}

}  // namespace hopcoil::bank
