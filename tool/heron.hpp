#pragma once

#include <hopcoil/take/take.hpp>

#include "draw/chart.hpp"
#include "draw/html.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {

/// The heron of Saltlamp Quay hops from post to post, leans as it goes, and looks where it will
/// land.
struct HeronRun {
    Take take{};
    draw::Chart chart{};
    std::string summary{};
    Json report{};
    draw::ReportSection section{};
};
[[nodiscard]] HeronRun run_heron();

}  // namespace hopcoil::tool
