#pragma once

#include <chrono>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>

namespace hopcoil::page {

struct ServerSettings {
    std::string scene{};
    std::optional<std::uint64_t> seed{};
    int port = 0;                                      ///< 0: a free one
    std::chrono::milliseconds longest_answer{10'000};  ///< of a run, a map or a fit
};

/// Serves the tuning page of one scene on this machine alone, and what it asks for: docs/live.md.
///
/// Requests that name another host, or come from a page of another origin, are refused; bodies,
/// runs and waits are bounded; every request has its thread, and remembers nothing.
class LiveServer {
  public:
    /// Reads the scene and takes the port.
    /// Errors  as scene::read_scene; std::runtime_error when the port cannot be had.
    explicit LiveServer(const ServerSettings& settings);
    LiveServer(const LiveServer&) = delete;
    LiveServer& operator=(const LiveServer&) = delete;
    ~LiveServer();

    [[nodiscard]] int port() const noexcept;
    /// "http://127.0.0.1:40123/"
    [[nodiscard]] std::string address() const;

    /// Answers until `stop`.
    void serve();
    /// From any thread: what is under way is finished, then `serve` returns.
    void stop() noexcept;

  private:
    struct Inside;
    std::unique_ptr<Inside> inside_;
};

}  // namespace hopcoil::page
