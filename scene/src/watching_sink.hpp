#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include <hopcoil/base/take_sink.hpp>
#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// Notes of watched movers when they are at rest and what happens to them, read off the rows, and
/// passes on the channels that the scene keeps.
class WatchingSink final : public TakeSink {
  public:
    [[nodiscard]] static bool is_needed(const Scene& scene);

    WatchingSink(const Scene& scene, TakeSink& inner) : scene_{scene}, inner_{inner} {}

    void begin(std::span<const RecordedChannel> channels) override;
    void row(double time_s, std::span<const double> numbers) override;
    void expect(std::size_t rows) override { inner_.expect(rows); }

  private:
    /// One mover, or link of a cascade, from row to row.
    struct Watch {
        std::size_t value = 0;  ///< columns
        std::size_t velocity = 0;
        std::size_t target = 0;
        bool angle = false;
        double last_gap = 0.0;
        double last_velocity = 0.0;
        double furthest = 0.0;  ///< in this motion
        double fastest = 0.0;
        bool rests = true;
    };
    void add_watches(const SceneMover& mover, const std::vector<std::string>& columns);
    void look(Watch& watch, std::span<const double> numbers);

    const Scene& scene_;
    TakeSink& inner_;
    std::vector<Watch> watches_;
    std::vector<RecordedChannel> channels_;
    std::vector<std::size_t> kept_;  ///< columns
    std::vector<double> all_;
    std::vector<double> row_;
};

}  // namespace hopcoil::scene
