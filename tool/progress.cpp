#include "tool/progress.hpp"

#include <algorithm>
#include <cstdio>
#include <unistd.h>
#include <utility>

#include <fmt/format.h>

namespace hopcoil::tool {

ProgressBar::ProgressBar(std::string what, std::size_t total, bool is_wanted)
    : what_{std::move(what)},
      total_{std::max<std::size_t>(total, 1)},
      on_terminal_{is_wanted && ::isatty(STDERR_FILENO) == 1},
      start_{std::chrono::steady_clock::now()} {}

ProgressBar::~ProgressBar() {
    if (is_shown_) fmt::print(stderr, "\r\x1b[K");
}

void ProgressBar::show(std::size_t done) {
    if (!on_terminal_ || done < next_look_) return;
    // Each hundredth of the work is often enough to look at the clock.
    next_look_ = done + std::max<std::size_t>(total_ / 100, 1);
    constexpr double quick_s = 0.5;
    const std::chrono::duration<double> gone = std::chrono::steady_clock::now() - start_;
    if (!is_shown_ && gone.count() < quick_s) return;
    is_shown_ = true;
    constexpr std::size_t width = 32;
    const double part = std::min(1.0, static_cast<double>(done) / static_cast<double>(total_));
    const auto full = static_cast<std::size_t>(part * width);
    const double left_s = part > 0 ? gone.count() * (1 - part) / part : 0;
    fmt::print(stderr, "\r{} [{}{}] {:3.0f} %, {:.0f} s left \x1b[K", what_, std::string(full, '='),
               std::string(width - full, ' '), 100 * part, left_s);
    static_cast<void>(std::fflush(stderr));
}

}  // namespace hopcoil::tool
