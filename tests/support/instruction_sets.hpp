#pragma once

#include <vector>

#include <hopcoil/base/instruction_set.hpp>

/// Those that this processor has, the plain one first.
inline std::vector<hopcoil::InstructionSet> available_sets() {
    using enum hopcoil::InstructionSet;
    std::vector<hopcoil::InstructionSet> sets;
    for (const hopcoil::InstructionSet set : {plain, avx2, avx512}) {
        if (hopcoil::is_available(set)) sets.push_back(set);
    }
    return sets;
}
