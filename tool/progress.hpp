#pragma once

#include <chrono>
#include <cstddef>
#include <string>

#include <hopcoil/base/take_sink.hpp>

#include "tool/interrupt.hpp"

namespace hopcoil::tool {

/// How far long work is: a bar on a terminal, nothing elsewhere, and nothing for what is quick.
class ProgressBar {
  public:
    ProgressBar(std::string what, std::size_t total, bool is_wanted = true);
    ProgressBar(const ProgressBar&) = delete;
    ProgressBar& operator=(const ProgressBar&) = delete;
    /// Takes the bar away.
    ~ProgressBar();

    void show(std::size_t done);

  private:
    std::string what_;
    std::size_t total_;
    bool on_terminal_;
    bool is_shown_ = false;
    std::size_t next_look_ = 0;
    std::chrono::steady_clock::time_point start_;
};

/// A take's sink that shows how far the recording is.
class ProgressSink final : public TakeSink {
  public:
    ProgressSink(TakeSink& inner, std::size_t rows, bool is_shown = true)
        : inner_{inner}, bar_{"running", rows, is_shown} {}
    void begin(std::span<const RecordedChannel> channels) override { inner_.begin(channels); }
    void expect(std::size_t rows) override { inner_.expect(rows); }
    void row(double time_s, std::span<const double> numbers) override {
        inner_.row(time_s, numbers);
        bar_.show(++done_);
        last_s_ = time_s;
        if (is_interrupted()) throw Interrupted{"interrupted"};
    }
    [[nodiscard]] std::size_t rows() const noexcept { return done_; }
    [[nodiscard]] double last_s() const noexcept { return last_s_; }

  private:
    TakeSink& inner_;
    ProgressBar bar_;
    std::size_t done_ = 0;
    double last_s_ = 0;
};

}  // namespace hopcoil::tool
