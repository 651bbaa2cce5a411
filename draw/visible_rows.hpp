#pragma once

#include <cstddef>
#include <vector>

#include "draw/chart.hpp"

namespace hopcoil::draw {

/// As many rows of a curve as a picture can show.
inline constexpr std::size_t most_rows_drawn = 6000;

/// The rows of a curve that have to be drawn for it to look as if all of them had been. Of more
/// than `most_rows_drawn`, in order of x: those within a stretch and the ones next to it; of more
/// still the first, lowest, highest and last of each short run. Gaps stay gaps.
[[nodiscard]] std::vector<std::size_t> visible_rows(const Curve& curve, double x_from, double x_to);

}  // namespace hopcoil::draw
