#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/detail/stop_profile.hpp>

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

double StopProfile::first_way(double place, double velocity, double max_acceleration) noexcept {
    const double stop = place + velocity * std::abs(velocity) / (2 * max_acceleration);
    return stop > 0 || (stop == 0 && velocity < 0) ? -1 : 1;
}

StopProfile::StopProfile(double place, double velocity, const StopCaps& caps) noexcept {
    pieces_[0].place = place;
    pieces_[0].velocity = velocity;
    if (std::isinf(caps.max_acceleration)) {
        pieces_[0].velocity = place > 0 ? -caps.max_speed : caps.max_speed;
        add(std::abs(place) / caps.max_speed, 0);
        return;
    }
    const double a = caps.max_acceleration;
    const double side = first_way(place, velocity, a);
    double way = -side * place;      // still to go, that way
    double speed = side * velocity;  // towards it
    const auto change_speed = [&](double to, double acceleration) {
        add((to - speed) / acceleration, side * acceleration);
        way -= (to - speed) * (to + speed) / (2 * acceleration);
        speed = to;
    };
    // Accelerating at b to this speed and braking from it just covers the distance.
    const auto top = [&](double b) {
        return math::sqrt(std::max(0.0, (2 * b * way + speed * speed) * (a / (a + b))));
    };
    if (speed > caps.max_speed) {
        change_speed(caps.max_speed, -a);
    } else {
        const double knee = std::clamp(caps.gentle_from, speed, caps.max_speed);
        change_speed(std::min(top(a), knee), a);
        if (speed == knee && knee < caps.max_speed && caps.gentle_acceleration > 0) {
            change_speed(std::min(top(caps.gentle_acceleration), caps.max_speed),
                         caps.gentle_acceleration);
        }
    }
    if (speed == caps.max_speed) {
        const double cruise = way - speed * speed / (2 * a);
        add(cruise / speed, 0);
        way -= cruise;
    }
    add(speed / a, -side * a);
}

StopProfile::State StopProfile::at(double time_s) const noexcept {
    // A sum of steps may miss the end by rounding.
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
