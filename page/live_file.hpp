#pragma once

#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <thread>
#include <vector>

#include <hopcoil/scene/scene.hpp>

namespace hopcoil::page {

/// A scene's files on disk, read again whenever one of them changes.
class LiveFile {
  public:
    /// The contents of the files. While they are invalid, the last valid scene.
    struct Snapshot {
        std::shared_ptr<const scene::Scene> scene{};
        std::uint64_t revision = 1;  ///< another after every change
        std::string problem{};       ///< as the command would say it; empty when all is well
    };

    /// Errors  as scene::read_scene.
    explicit LiveFile(std::string path, std::optional<std::uint64_t> seed = {});
    LiveFile(const LiveFile&) = delete;
    LiveFile& operator=(const LiveFile&) = delete;
    ~LiveFile();

    [[nodiscard]] Snapshot now() const;
    /// As soon as the revision is another, or after a while.
    [[nodiscard]] Snapshot wait_for_other(std::uint64_t revision, std::chrono::seconds most) const;
    /// Looks at once instead of at the next turn.
    void look();
    /// Lets everyone go who waits; nothing is watched any more.
    void stop();

  private:
    struct Stamp {
        std::filesystem::file_time_type time{};
        std::uintmax_t size = 0;
        friend bool operator==(const Stamp&, const Stamp&) = default;
    };
    using Stamps = std::map<std::string, Stamp>;  ///< of each file
    [[nodiscard]] static Stamp stamp_of(const std::string& file);
    /// Those of files that were seen before stay: what changed while they were read is seen then.
    static void add_stamps(Stamps& stamps, const std::vector<std::string>& files);
    /// Since it was asked last.
    [[nodiscard]] bool has_changed();
    void read_into(Snapshot& next);
    void watch();

    std::string path_;
    std::optional<std::uint64_t> seed_;
    std::mutex looking_;  ///< one looks at a time
    Stamps stamps_;
    mutable std::mutex mutex_;
    mutable std::condition_variable changed_;
    Snapshot snapshot_;
    bool stopped_ = false;
    std::thread watcher_;
};

}  // namespace hopcoil::page
