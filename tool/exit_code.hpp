#pragma once

namespace hopcoil::tool {

/// What the command says to the shell.
enum class ExitCode : int {
    done = 0,
    check_failed = 1,   ///< a check that was asked for failed
    wrong_input = 2,    ///< wrong usage, or a file says what cannot be
    file_problem = 3,   ///< a file could not be read or written
    diverged = 4,       ///< the simulation diverged
    interrupted = 130,  ///< by SIGINT or SIGTERM, as shells have it
};

}  // namespace hopcoil::tool
