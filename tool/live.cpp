#include <array>
#include <atomic>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fcntl.h>
#include <spawn.h>
#include <string>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

#include <fmt/format.h>

#include <hopcoil/base/version.hpp>

#include "page/server.hpp"
#include "tool/commands.hpp"
#include "tool/made_by.hpp"

namespace hopcoil::tool {
namespace {

/// While it lives, SIGINT and SIGTERM end what it was given instead of the program; a second one
/// ends the program.
class EndBySignal {
  public:
    /// To be made before any other thread: those inherit which signals they do not take.
    EndBySignal() {
        sigemptyset(&signals_);
        sigaddset(&signals_, SIGINT);
        sigaddset(&signals_, SIGTERM);
        pthread_sigmask(SIG_BLOCK, &signals_, nullptr);
    }
    EndBySignal(const EndBySignal&) = delete;
    EndBySignal& operator=(const EndBySignal&) = delete;
    ~EndBySignal() {
        if (!waiter_.joinable()) return;
        is_over_ = true;
        ::kill(::getpid(), SIGTERM);  // the waiter alone takes it
        waiter_.join();
    }

    void watch(page::LiveServer& server) {
        waiter_ = std::thread{[this, &server] {
            int which = 0;
            sigwait(&signals_, &which);
            if (is_over_) return;
            server.stop();
            sigwait(&signals_, &which);
            if (!is_over_) std::_Exit(128 + which);
        }};
    }

  private:
    sigset_t signals_{};
    std::atomic<bool> is_over_ = false;
    std::thread waiter_;
};

/// In whatever the desktop opens pages with, if there is a desktop.
void open_page(const std::string& address) {
    const bool has_desktop =
        std::getenv("DISPLAY") != nullptr || std::getenv("WAYLAND_DISPLAY") != nullptr;
    if (!has_desktop) return;
    std::string argument = address;
    posix_spawn_file_actions_t quiet{};
    posix_spawn_file_actions_init(&quiet);
    posix_spawn_file_actions_addopen(&quiet, STDOUT_FILENO, "/dev/null", O_WRONLY, 0);
    posix_spawn_file_actions_addopen(&quiet, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    posix_spawnattr_t attributes{};
    posix_spawnattr_init(&attributes);
    sigset_t none{};  // this program keeps signals back; that one must not
    sigemptyset(&none);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
    for (std::string program : {"xdg-open", "sensible-browser"}) {
        const std::array<char*, 3> arguments{program.data(), argument.data(), nullptr};
        pid_t child = 0;
        const int failed =
            posix_spawnp(&child, program.c_str(), &quiet, &attributes, arguments.data(), environ);
        if (failed != 0) continue;
        std::thread{[child] {
            waitpid(child, nullptr, 0);
        }}.detach();
        break;
    }
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&quiet);
}

}  // namespace

ExitCode run_live(const LiveOptions& options) {
    EndBySignal end;
    page::LiveServer server{
        {.scene = options.scene.string(), .seed = options.seed, .port = options.port}};
    end.watch(server);
    if (options.json) {
        print_json({{"made_by", made_by("live")},
                    {"scene", options.scene.string()},
                    {"address", server.address()},
                    {"port", server.port()}});
    } else {
        fmt::print("{} is tuned at\n  {}\nCtrl-C ends it.\n", options.scene.string(),
                   server.address());
    }
    static_cast<void>(std::fflush(stdout));
    if (!options.no_browser) open_page(server.address());
    server.serve();
    return ExitCode::done;
}

}  // namespace hopcoil::tool
