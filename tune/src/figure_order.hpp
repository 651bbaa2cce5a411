#pragma once

#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::tune {

/// Rows by index, and figures in the order in which a sweep from the first run to the last meets
/// them, whatever was run where.
void put_in_order(SweepTable& table);

}  // namespace hopcoil::tune
