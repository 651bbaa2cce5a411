#include "draw/gnuplot.hpp"

#include <array>
#include <cerrno>
#include <cstdio>
#include <memory>
#include <spawn.h>
#include <string>
#include <sys/wait.h>
#include <unistd.h>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>

namespace hopcoil::draw {
namespace {

using File = std::unique_ptr<std::FILE, decltype(&std::fclose)>;

/// A file without a name, gone when closed.
File nameless_file() {
    File file{std::tmpfile(), &std::fclose};
    if (!file) throw io::FileProblem{"no temporary file can be made for the figure's script"};
    return file;
}

std::string text_of(std::FILE* file) {
    std::string text;
    std::rewind(file);
    for (int c = std::fgetc(file); c != EOF; c = std::fgetc(file))
        text += static_cast<char>(c);
    return text;
}

class FileActions {
  public:
    FileActions(std::FILE* in, std::FILE* out) {
        posix_spawn_file_actions_init(&actions_);
        posix_spawn_file_actions_adddup2(&actions_, fileno(in), STDIN_FILENO);
        posix_spawn_file_actions_adddup2(&actions_, fileno(out), STDOUT_FILENO);
        posix_spawn_file_actions_adddup2(&actions_, fileno(out), STDERR_FILENO);
    }
    FileActions(const FileActions&) = delete;
    FileActions& operator=(const FileActions&) = delete;
    ~FileActions() { posix_spawn_file_actions_destroy(&actions_); }
    [[nodiscard]] const posix_spawn_file_actions_t* get() const { return &actions_; }

  private:
    posix_spawn_file_actions_t actions_{};
};

}  // namespace

void run_gnuplot(const std::string& script) {
    const File input = nameless_file();
    const File output = nameless_file();
    const bool written =
        std::fwrite(script.data(), 1, script.size(), input.get()) == script.size() &&
        std::fflush(input.get()) == 0;
    if (!written) throw io::FileProblem{"the figure's script cannot be written: disk full?"};
    std::rewind(input.get());

    const FileActions actions{input.get(), output.get()};
    std::string name = "gnuplot";
    // gnuplot reads a file that it is given by name in blocks, its standard input a character at a
    // time.
    std::string script_file = "/dev/stdin";
    std::array<char*, 3> arguments{name.data(), script_file.data(), nullptr};
    pid_t child = 0;
    if (posix_spawnp(&child, name.c_str(), actions.get(), nullptr, arguments.data(), environ) !=
        0) {
        throw io::FileProblem{
            "gnuplot, which draws the figures, cannot be run; install the package gnuplot-nox"};
    }
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0) {
        throw io::FileProblem{
            fmt::format("gnuplot could not draw the figure: {}", text_of(output.get()))};
    }
}

}  // namespace hopcoil::draw
