#include <cmath>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/scene/run.hpp>

namespace hopcoil::scene {
namespace {

/// A knot this near to a frame's end is at its end: both are rounded.
constexpr double same_time_s = 1e-9;

/// A follower and how far along its target it is.
class Runner {
  public:
    Runner(const SceneFollower& item, const Target& target)
        : target_{&target}, follower_{item.tuning, item.start} {
        follower_.push(item.start_velocity);
        follower_.cut(target.before(0).value);
        take_up(target.after(0));
    }

    /// Up to `frame_end_s`; false when the state would leave the range of numbers.
    bool advance(double frame_end_s) {
        while (time_s_ < frame_end_s) {
            const double knot_s = target_->next_knot_s(time_s_);
            const bool at_knot = knot_s <= frame_end_s + same_time_s;
            const double end_s = at_knot ? knot_s : frame_end_s;
            const TargetPoint end = target_->before(end_s);
            const double dt = end_s - time_s_;
            const StepStatus status = target_->is_straight()
                                          ? follower_.step(end.value, dt)
                                          : follower_.step(end.value, end.velocity, dt);
            if (status != StepStatus::stepped) return false;
            time_s_ = end_s;
            if (!at_knot) continue;
            // What the target does in no time: a jump, or a new velocity.
            const TargetPoint after = target_->after(end_s);
            if (after.value != end.value || after.velocity != end.velocity) take_up(after);
        }
        return true;
    }

    [[nodiscard]] const Follower<double>& follower() const { return follower_; }

  private:
    void take_up(const TargetPoint& point) {
        if (target_->is_straight()) {
            follower_.jump(point.value);
        } else {
            follower_.step(point.value, point.velocity, 0.0);
        }
    }

    const Target* target_;
    Follower<double> follower_;
    double time_s_ = 0.0;
};

/// After the events of this time, as the followers have seen them.
double value_shown(const Target& target, double time_s) {
    const double knot_s = target.next_knot_s(time_s);
    return target.after(knot_s <= time_s + same_time_s ? knot_s : time_s).value;
}

std::vector<RecordedChannel> channels_of(const Scene& scene) {
    std::vector<RecordedChannel> channels;
    const auto add = [&](const std::string& owner, const std::string& quantity,
                         const std::string& unit) {
        channels.push_back({.name = channel_name(owner, quantity, unit), .unit = unit});
    };
    for (const SceneTarget& target : scene.targets)
        add(target.name, "value", target.unit);
    for (const SceneFollower& follower : scene.followers) {
        const std::string& unit = scene.targets[follower.target].unit;
        add(follower.name, "value", unit);
        add(follower.name, "velocity", unit.empty() ? "per_s" : unit + "_per_s");
    }
    return channels;
}

}  // namespace

std::string channel_name(const std::string& owner, const std::string& quantity,
                         const std::string& unit) {
    return unit.empty() || unit == "per_s" ? owner + '.' + quantity
                                           : owner + '.' + quantity + '_' + unit;
}

void require_valid_clock(double duration_s, double rate_hz) {
    require_above_zero("duration_s", duration_s);
    require_above_zero("rate_hz", rate_hz);
    if (duration_s * rate_hz > most_frames) {
        throw InvalidValue{"duration_s", duration_s,
                           fmt::format("at most {} frames; at {} Hz that is {} s", most_frames,
                                       rate_hz, most_frames / rate_hz)};
    }
}

void run(const Scene& scene, TakeSink& sink) {
    require_valid_clock(scene.duration_s, scene.rate_hz);
    std::vector<Runner> runners;
    runners.reserve(scene.followers.size());
    for (const SceneFollower& item : scene.followers) {
        runners.emplace_back(item, scene.targets.at(item.target).path);
    }
    sink.begin(channels_of(scene));
    std::vector<double> numbers;
    const auto frames = static_cast<std::size_t>(
        std::floor(scene.duration_s * scene.rate_hz + same_time_s * scene.rate_hz));
    for (std::size_t frame = 0; frame <= frames; ++frame) {
        const double time_s = static_cast<double>(frame) / scene.rate_hz;
        for (std::size_t i = 0; i < runners.size(); ++i) {
            if (!runners[i].advance(time_s)) {
                throw Diverged{fmt::format(
                    "follower.{} left the range of numbers before {} s; its tuning is {} Hz, "
                    "damping ratio {}, lead {}: damp it, or keep its target within reach",
                    scene.followers[i].name, time_s, scene.followers[i].tuning.frequency_hz,
                    scene.followers[i].tuning.damping_ratio, scene.followers[i].tuning.lead)};
            }
        }
        numbers.clear();
        for (const SceneTarget& target : scene.targets) {
            numbers.push_back(value_shown(target.path, time_s));
        }
        for (const Runner& runner : runners) {
            numbers.push_back(runner.follower().value());
            numbers.push_back(runner.follower().velocity());
        }
        sink.row(time_s, numbers);
    }
}

}  // namespace hopcoil::scene
