#pragma once

#include <string>

#include "tool/exit_code.hpp"

namespace hopcoil::tool {

/// Reads the command line and runs the command it names. Help and version are printed here.
/// Errors  UsageProblem for what the command line gets wrong.
ExitCode run_command_line(int argc, const char* const* argv);

}  // namespace hopcoil::tool
