#include "net_balls.hpp"

#include <algorithm>

#include "../base/vectors.hpp"

namespace hopcoil {

NetBalls::NetBalls(const NetStructure& structure, const NetSettings& settings)
    : friction_{settings.friction} {
    for (std::uint32_t ball = 0; ball < structure.points.size(); ++ball) {
        const double radius_m = structure.points[ball].radius_m;
        if (!(radius_m > 0)) continue;
        for (std::uint32_t i = 0; i < structure.points.size(); ++i) {
            const double other_m = structure.points[i].radius_m;
            if (i == ball || (other_m > 0 && i < ball)) continue;
            all_.push_back({ball, i, radius_m + (other_m > 0 ? other_m : settings.thickness_m)});
        }
    }
    chosen_.resize(all_.size());
}

bool NetBalls::choose(std::span<const Vector3> from, std::span<const Vector3> to) noexcept {
    // Points close by may come into contact while the step is solved.
    constexpr double margin = 1.1;
    std::size_t count = 0;
    bool is_new = false;
    for (std::uint32_t k = 0; k < all_.size(); ++k) {
        const Pair& pair = all_[k];
        const Vector3 before = from[pair.point] - from[pair.ball];
        const Vector3 way = to[pair.point] - to[pair.ball] - before;
        const double square = dot(way, way);
        const double part = square > 0 ? std::clamp(-dot(before, way) / square, 0.0, 1.0) : 0;
        if (!(norm(before + way * part) < margin * pair.least_m)) continue;
        is_new = is_new || count >= chosen_count_ || chosen_[count] != k;
        chosen_[count++] = k;
    }
    is_new = is_new || count != chosen_count_;
    chosen_count_ = count;
    return is_new;
}

Vector3 NetBalls::correction(const Pair& pair, std::span<const Vector3> from,
                             std::span<const Vector3> now) const noexcept {
    const Vector3 before = from[pair.point] - from[pair.ball];
    const Vector3 away = now[pair.point] - now[pair.ball];
    const Vector3 side = unit(before, {0, 1, 0});
    const Vector3 normal = dot(away, side) > 0 ? unit(away, side) : side;
    const double depth = pair.least_m - dot(away, normal);
    if (!(depth > 0)) return {};
    const Vector3 slip = away - before;
    const Vector3 along = slip - normal * dot(slip, normal);
    const double sideways = norm(along);
    const Vector3 out = normal * depth;
    return sideways > 0 ? out - along * std::min(1.0, friction_ * depth / sideways) : out;
}

}  // namespace hopcoil
