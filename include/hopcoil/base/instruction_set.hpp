#pragma once

#include <cstdint>

namespace hopcoil {

/// Which of the processor's instructions loops over many things may use. The bits are the same with
/// all of them.
enum class InstructionSet : std::uint8_t { plain, avx2, avx512 };

[[nodiscard]] bool is_available(InstructionSet set) noexcept;
[[nodiscard]] InstructionSet best_instruction_set() noexcept;
/// Errors  InvalidValue for one that this processor does not have.
void require_available(InstructionSet set);

}  // namespace hopcoil
