#pragma once

#include <string>
#include <vector>

#include <hopcoil/take/take.hpp>

#include "draw/chart.hpp"
#include "tool/response_figures.hpp"

namespace hopcoil::tool {

/// The picture of a response: value and velocity of each tuning over the target, with its swings,
/// its settling and its figures. `take` has the target first, then each tuning's two channels.
[[nodiscard]] draw::Chart response_chart(const ResponseOptions& options,
                                         const std::vector<ResponseFigures>& answers,
                                         const Take& take);

}  // namespace hopcoil::tool
