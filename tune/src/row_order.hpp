#pragma once

#include <hopcoil/tune/sweep_table.hpp>

namespace hopcoil::tune {

/// Rows by their indices.
void put_in_order(SweepTable& table);

}  // namespace hopcoil::tune
