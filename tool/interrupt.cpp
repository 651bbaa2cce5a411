#include "tool/interrupt.hpp"

#include <csignal>

namespace hopcoil::tool {
namespace {

volatile std::sig_atomic_t was_interrupted = 0;

extern "C" void note(int /*signal*/) {
    was_interrupted = 1;
}

}  // namespace

void note_interrupts() {
    struct sigaction action {};
    action.sa_handler = note;
    action.sa_flags = static_cast<int>(SA_RESETHAND) | SA_RESTART;
    sigemptyset(&action.sa_mask);
    sigaction(SIGINT, &action, nullptr);
    sigaction(SIGTERM, &action, nullptr);
}

bool is_interrupted() noexcept {
    return was_interrupted != 0;
}

}  // namespace hopcoil::tool
