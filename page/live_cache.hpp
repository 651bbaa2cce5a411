#pragma once

#include <deque>
#include <mutex>
#include <optional>
#include <string>
#include <utility>

#include <hopcoil/scene/live_scene.hpp>

namespace hopcoil::page {

/// Scenes under way by their states, so that the next step of one does not make it anew. Nothing
/// depends on what is kept: a scene that is not here any more is made from its state.
class LiveCache {
  public:
    /// The scene that stands at this state, taken out.
    [[nodiscard]] std::optional<scene::LiveScene> take(const std::string& key) {
        const std::scoped_lock lock{mutex_};
        for (auto each = kept_.begin(); each != kept_.end(); ++each) {
            if (each->first != key) continue;
            scene::LiveScene live = std::move(each->second);
            kept_.erase(each);
            return live;
        }
        return std::nullopt;
    }
    void put(std::string key, scene::LiveScene live) {
        const std::scoped_lock lock{mutex_};
        kept_.emplace_front(std::move(key), std::move(live));
        if (kept_.size() > most) kept_.pop_back();
    }

  private:
    static constexpr std::size_t most = 8;
    std::mutex mutex_;
    std::deque<std::pair<std::string, scene::LiveScene>> kept_;
};

}  // namespace hopcoil::page
