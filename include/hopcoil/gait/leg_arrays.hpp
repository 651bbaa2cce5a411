#pragma once

#include <array>
#include <cstddef>
#include <span>

#include <hopcoil/base/instruction_set.hpp>

namespace hopcoil {

/// Legs of two bones for a crowd, in arrays of floats: a number of each leg side by side.
///
/// Shapes  x, y and z of hips, of the spots their ankles go to, of the directions in which knees
///         point, and of the knees that come out: all as long as `error_m`. None may overlap.
/// Units   metres; both bones longer than 0.
struct LegArrays {
    using Axes = std::array<std::span<const float>, 3>;
    Axes hip{};
    Axes spot{};
    Axes pole{};
    std::array<std::span<float>, 3> knee{};
    std::span<float> error_m{};  ///< how far a spot is beyond what its leg reaches
    float thigh_m = 0.5F;
    float shin_m = 0.5F;
};

/// Where the knees are: `bend_two_bones` for all of them.
///
/// Model   the same equations in floats, without trigonometry; a knee is within 1e-4 leg lengths
///         of that of `bend_two_bones` but for legs that are all but straight (3e-4). The same bits
///         with every instruction set. A pole along the leg leaves the knee on it.
/// Errors  InvalidValue for arrays of different lengths, or a bone that is not above 0.
void bend_legs(const LegArrays& legs, InstructionSet set = best_instruction_set());

}  // namespace hopcoil
