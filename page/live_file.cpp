#include "page/live_file.hpp"

#include <system_error>
#include <utility>

namespace hopcoil::page {
namespace {

constexpr std::chrono::milliseconds between_looks{80};

/// A file may be read while it is half written, or missing while an editor replaces it: problems
/// count once the files have not changed for so long.
constexpr std::chrono::milliseconds to_settle{150};
/// Files that keep changing are reported as they are after so many such waits.
constexpr int most_waits = 10;

}  // namespace

LiveFile::LiveFile(std::string path, std::optional<std::uint64_t> seed)
    : path_{std::move(path)}, seed_{seed} {
    add_stamps(stamps_, {path_});
    snapshot_.scene = std::make_shared<const scene::Scene>(scene::read_scene(path_, seed_));
    add_stamps(stamps_, snapshot_.scene->files);
    watcher_ = std::thread{[this] {
        watch();
    }};
}

LiveFile::~LiveFile() {
    stop();
    watcher_.join();
}

LiveFile::Stamp LiveFile::stamp_of(const std::string& file) {
    std::error_code none;  // a file that is gone has no time and no size
    Stamp stamp;
    stamp.time = std::filesystem::last_write_time(file, none);
    stamp.size = std::filesystem::file_size(file, none);
    return stamp;
}

void LiveFile::add_stamps(Stamps& stamps, const std::vector<std::string>& files) {
    for (const std::string& file : files)
        stamps.try_emplace(file, stamp_of(file));
}

LiveFile::Snapshot LiveFile::now() const {
    const std::scoped_lock lock{mutex_};
    return snapshot_;
}

LiveFile::Snapshot LiveFile::wait_for_other(std::uint64_t revision,
                                            std::chrono::seconds most) const {
    std::unique_lock lock{mutex_};
    changed_.wait_for(lock, most, [&] { return stopped_ || snapshot_.revision != revision; });
    return snapshot_;
}

bool LiveFile::has_changed() {
    Stamps stamps;
    for (const auto& [file, stamp] : stamps_)
        stamps.emplace(file, stamp_of(file));
    if (stamps == stamps_) return false;
    stamps_ = std::move(stamps);
    return true;
}

void LiveFile::read_into(Snapshot& next) {
    try {
        next.scene = std::make_shared<const scene::Scene>(scene::read_scene(path_, seed_));
        next.problem.clear();
        add_stamps(stamps_, next.scene->files);
    } catch (const std::exception& problem) {
        next.problem = problem.what();
    }
}

void LiveFile::look() {
    const std::scoped_lock looking{looking_};
    if (!has_changed()) return;
    Snapshot next = now();
    ++next.revision;
    read_into(next);
    for (int wait = 0; wait < most_waits && !next.problem.empty(); ++wait) {
        std::this_thread::sleep_for(to_settle);
        if (!has_changed()) break;
        read_into(next);
    }
    {
        const std::scoped_lock lock{mutex_};
        snapshot_ = std::move(next);
    }
    changed_.notify_all();
}

void LiveFile::stop() {
    {
        const std::scoped_lock lock{mutex_};
        stopped_ = true;
    }
    changed_.notify_all();
}

void LiveFile::watch() {
    while (true) {
        {
            std::unique_lock lock{mutex_};
            if (changed_.wait_for(lock, between_looks, [this] { return stopped_; })) return;
        }
        look();
    }
}

}  // namespace hopcoil::page
