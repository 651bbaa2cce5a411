#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/problems.hpp>

namespace hopcoil {

bool is_available(InstructionSet set) noexcept {
#if defined(__x86_64__) && !defined(HOPCOIL_PLAIN_LOOPS)
    if (set == InstructionSet::avx2) {
        return __builtin_cpu_supports("avx2") && __builtin_cpu_supports("fma");
    }
    if (set == InstructionSet::avx512) {
        return __builtin_cpu_supports("avx512f") && __builtin_cpu_supports("avx512dq") &&
               __builtin_cpu_supports("avx512bw") && __builtin_cpu_supports("avx512vl");
    }
#endif
    return set == InstructionSet::plain;
}

InstructionSet best_instruction_set() noexcept {
    for (const InstructionSet set : {InstructionSet::avx512, InstructionSet::avx2}) {
        if (is_available(set)) return set;
    }
    return InstructionSet::plain;
}

void require_available(InstructionSet set) {
    if (is_available(set)) return;
    throw InvalidValue{"instruction_set", static_cast<double>(set), "one that this processor has"};
}

}  // namespace hopcoil
