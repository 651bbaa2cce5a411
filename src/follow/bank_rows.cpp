#include "bank_rows.hpp"

#include <hopcoil/follow/follower_bank.hpp>

namespace hopcoil::bank {

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
