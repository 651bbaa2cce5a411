#pragma once

#include "tool/commands.hpp"

namespace hopcoil::tool {

/// Gain and phase lag of movers over frequency: `response --signal frequencies`.
ExitCode show_frequencies(const ResponseOptions& options);

}  // namespace hopcoil::tool
