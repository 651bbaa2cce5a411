#include "page/live_file.hpp"

#include <system_error>
#include <utility>

#include <hopcoil/scene/file_problems.hpp>

namespace hopcoil::page {
namespace {

constexpr std::chrono::milliseconds between_looks{80};

/// An editor may put a new file in the place of the old one in two steps: one that is missing for a
/// moment is no problem yet.
scene::Scene read_patiently(const std::string& path, std::optional<std::uint64_t> seed) {
    try {
        return scene::read_scene(path, seed);
    } catch (const scene::FileProblem&) {
        std::this_thread::sleep_for(between_looks);
        return scene::read_scene(path, seed);
    }
}

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

void LiveFile::look() {
    const std::scoped_lock looking{looking_};
    Stamps stamps;
    for (const auto& [file, stamp] : stamps_)
        stamps.emplace(file, stamp_of(file));
    if (stamps == stamps_) return;
    stamps_ = std::move(stamps);
    Snapshot next = now();
    ++next.revision;
    try {
        next.scene = std::make_shared<const scene::Scene>(read_patiently(path_, seed_));
        next.problem.clear();
        add_stamps(stamps_, next.scene->files);
    } catch (const std::exception& problem) {
        next.problem = problem.what();
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
