#pragma once

#include <array>
#include <cstdio>
#include <string>
#include <sys/wait.h>

#include "support/files.hpp"

/// What a command line came to.
struct CommandResult {
    int exit_code = -1;
    std::string output;
    std::string errors;
};

/// Runs `hopcoil` with arguments as typed in a shell, in a folder.
inline CommandResult run_hopcoil(const std::string& arguments, const TestFolder& folder) {
    const TestFolder aside;
    const std::string errors = (aside.path() / "errors").string();
    const std::string line = "cd '" + folder.path().string() + "' && '" HOPCOIL_COMMAND "' " +
                             arguments + " 2>'" + errors + "' </dev/null";
    CommandResult result;
    std::FILE* const pipe = ::popen(line.c_str(), "r");
    std::array<char, 4096> buffer{};
    for (std::size_t n = 0; (n = std::fread(buffer.data(), 1, buffer.size(), pipe)) > 0;) {
        result.output.append(buffer.data(), n);
    }
    const int status = ::pclose(pipe);
    result.exit_code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    result.errors = contents_of(errors);
    return result;
}
