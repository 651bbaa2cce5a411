#include <cstdio>
#include <exception>
#include <new>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/scene/run.hpp>

#include "tool/arguments.hpp"
#include "tool/commands.hpp"

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
    } catch (const std::bad_alloc&) {
        return report(ExitCode::wrong_input, "hopcoil: out of memory; ask for fewer frames");
    } catch (const std::exception& problem) {
        return report(ExitCode::wrong_input, problem.what());
    }
}

}  // namespace

int main(int argc, char** argv) {
    return static_cast<int>(guarded_main(argc, argv));
}
