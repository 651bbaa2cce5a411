#include "frames.hpp"

#include <algorithm>
#include <cmath>

namespace hopcoil::scene {

Frames::Frames(const Scene& scene, RunningScene& running, Recording& recording)
    : scene_{scene}, running_{running}, recording_{recording} {
    count_ = 1 + static_cast<std::size_t>(
                     std::floor(scene.duration_s * scene.rate_hz + same_time_s * scene.rate_hz));
    if (!is_stepped()) return;
    clock_.step_s = 1 / scene.clock.step_hz;
    clock_.max_steps = scene.clock.most_steps;
    require_valid(clock_);
}

/// The usual length, or that of a long one which begins in this frame.
double Frames::frame_length_s() const {
    const double usual_s = static_cast<double>(ticks_ + 1) / scene_.rate_hz + late_s_ - time_s_;
    for (const LongFrame& each : scene_.clock.long_frames) {
        const bool begins_here =
            each.at_s >= time_s_ - same_time_s && each.at_s < time_s_ + usual_s - same_time_s;
        if (begins_here) return each.lasts_s;
    }
    return usual_s;
}

bool Frames::next() {
    if (!has_begun_) {
        has_begun_ = true;
        running_.advance(0);
        const std::span<const double> first = recording_.row(0);
        now_.assign(first.begin(), first.end());
        before_ = now_;
        return true;
    }
    const double before_s = time_s_;
    const double length_s = frame_length_s();
    ++ticks_;
    const double usual_end_s = static_cast<double>(ticks_) / scene_.rate_hz + late_s_;
    if (std::abs(before_s + length_s - usual_end_s) > same_time_s) {
        late_s_ += before_s + length_s - usual_end_s;
    }
    time_s_ = static_cast<double>(ticks_) / scene_.rate_hz + late_s_;
    if (time_s_ > scene_.duration_s + same_time_s) return false;
    step(time_s_ - before_s);
    return true;
}

/// All steps that a frame is to take, and where between the last two it shows.
void Frames::step(double frame_s) {
    if (!is_stepped()) {
        running_.advance(time_s_);
        return;
    }
    const FrameSteps frame = clock_.advance(frame_s);
    const auto taken_before = static_cast<double>(clock_.steps_taken) - frame.steps;
    for (int i = 1; i <= frame.steps; ++i) {
        const double clock_s = (taken_before + i) / scene_.clock.step_hz;
        running_.advance(clock_s);
        before_.swap(now_);
        const std::span<const double> row = recording_.row(clock_s);
        now_.assign(row.begin(), row.end());
    }
    blend_ = frame.blend;
}

std::span<const double> Frames::row() {
    if (!is_stepped()) return recording_.row(time_s_);
    recording_.blend(before_, now_, blend_, shown_);
    return shown_;
}

}  // namespace hopcoil::scene
