#pragma once

#include <deque>
#include <mutex>
#include <optional>
#include <string>
#include <utility>

#include <hopcoil/scene/live_scene.hpp>

namespace hopcoil::page {

/// Running scenes by their states, so that the next step of one does not build it anew. Nothing
/// depends on the cache: a scene that is not in it is made from its state.
class LiveCache {
  public:
    /// The scene that stands at this state, taken out.
    struct Kept {
        std::string key{};
        std::string values{};  ///< of its dials, as they were asked for
        scene::LiveScene live;
    };
    [[nodiscard]] std::optional<Kept> take(const std::string& key) {
        const std::scoped_lock lock{mutex_};
        for (auto each = kept_.begin(); each != kept_.end(); ++each) {
            if (each->key != key) continue;
            Kept found = std::move(*each);
            kept_.erase(each);
            return found;
        }
        return std::nullopt;
    }
    void put(Kept kept) {
        const std::scoped_lock lock{mutex_};
        kept_.push_front(std::move(kept));
        if (kept_.size() > most) kept_.pop_back();
    }

  private:
    static constexpr std::size_t most = 8;
    std::mutex mutex_;
    std::deque<Kept> kept_;
};

}  // namespace hopcoil::page
