#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/stop_profile.hpp>

namespace hopcoil {
namespace {

StopProfile::State along(double place, double velocity, double acceleration, double time_s) {
    return {place + (velocity + 0.5 * acceleration * time_s) * time_s,
            velocity + acceleration * time_s};
}

}  // namespace

void StopProfile::add(double duration_s, double acceleration) noexcept {
    if (!(duration_s > 0)) return;
    Piece& piece = pieces_[count_];
    piece.duration_s = duration_s;
    piece.acceleration = acceleration;
    ++count_;
    duration_s_ += duration_s;
    if (count_ == pieces_.size()) return;
    const State end = along(piece.place, piece.velocity, acceleration, duration_s);
    pieces_[count_].place = end.place;
    pieces_[count_].velocity = end.velocity;
}

StopProfile::StopProfile(double place, double velocity, double max_speed,
                         double max_acceleration) noexcept {
    if (std::isinf(max_acceleration)) {
        pieces_[0].place = place;
        pieces_[0].velocity = place > 0 ? -max_speed : max_speed;
        add(std::abs(place) / max_speed, 0);
        return;
    }
    const double a = max_acceleration;
    // Where it would stop if it braked from now on decides which way to go.
    const double stop = place + velocity * std::abs(velocity) / (2 * a);
    const double side = stop > 0 || (stop == 0 && velocity < 0) ? -1 : 1;
    const double way = -side * place;      // still to go, that way
    const double speed = side * velocity;  // towards it
    pieces_[0].place = place;
    pieces_[0].velocity = velocity;
    const double top = math::sqrt(std::max(0.0, a * way + 0.5 * speed * speed));
    const double peak = std::min(top, max_speed);
    if (speed > max_speed) {
        add((speed - max_speed) / a, -side * a);
    } else {
        add((peak - speed) / a, side * a);
    }
    const double cruise = way +
                          (speed > max_speed ? -1 : 1) * (speed - peak) * (speed + peak) / (2 * a) -
                          peak * peak / (2 * a);
    if (top > max_speed) add(cruise / max_speed, 0);
    add(peak / a, -side * a);
}

StopProfile::State StopProfile::at(double time_s) const noexcept {
    // A sum of steps may miss the end by its rounding.
    if (!(time_s < duration_s_ * (1 - 1e-14))) return {};
    double begun_s = 0;
    for (std::size_t i = 0; i < count_; ++i) {
        const Piece& piece = pieces_[i];
        if (time_s < begun_s + piece.duration_s || i + 1 == count_) {
            return along(piece.place, piece.velocity, piece.acceleration, time_s - begun_s);
        }
        begun_s += piece.duration_s;
    }
    return {};
}

}  // namespace hopcoil
