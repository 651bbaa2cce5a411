#pragma once

#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::tune {

/// Rows by index and figures by name: the same whatever was run where, and when.
void put_in_order(SweepTable& table);

}  // namespace hopcoil::tune
