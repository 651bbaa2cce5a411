#include <cerrno>
#include <cstdio>
#include <cstring>
#include <exception>
#include <iostream>
#include <new>
#include <stdexcept>
#include <system_error>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/run.hpp>

#include "tool/arguments.hpp"
#include "tool/commands.hpp"
#include "tool/interrupt.hpp"

namespace {

using hopcoil::tool::ExitCode;

ExitCode report(ExitCode code, const char* message) {
    fmt::print(stderr, "{}\n", message);
    return code;
}

ExitCode guarded_main(int argc, const char* const* argv) {
    try {
        return hopcoil::tool::run_command_line(argc, argv);
    } catch (const hopcoil::io::FileProblem& problem) {
        return report(ExitCode::file_problem, problem.what());
    } catch (const hopcoil::scene::Diverged& problem) {
        return report(ExitCode::diverged, problem.what());
    } catch (const hopcoil::tool::Interrupted& problem) {
        return report(ExitCode::interrupted, problem.what());
    } catch (const std::system_error& problem) {  // what is printed cannot be written
        return report(ExitCode::file_problem, problem.what());
    } catch (const std::bad_alloc&) {
        return report(ExitCode::wrong_input, "hopcoil: out of memory; ask for fewer frames");
    } catch (const std::exception& problem) {
        return report(ExitCode::wrong_input, problem.what());
    }
}

/// Standard output must have been written.
ExitCode with_output_written(ExitCode code) {
    std::cout.flush();
    errno = 0;
    const bool is_written =
        std::fflush(stdout) == 0 && std::ferror(stdout) == 0 && std::cout.good();
    if (is_written || code == ExitCode::file_problem) return code;
    return report(ExitCode::file_problem,
                  fmt::format("hopcoil: standard output cannot be written{}{}",
                              errno != 0 ? ": " : "", errno != 0 ? std::strerror(errno) : "")
                      .c_str());
}

}  // namespace

int main(int argc, char** argv) {
    hopcoil::tool::note_interrupts();
    return static_cast<int>(with_output_written(guarded_main(argc, argv)));
}
