#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/gait/leg_ik.hpp>

namespace hopcoil {
namespace {

constexpr std::size_t most_joints = 64;

/// A unit vector; `otherwise` for a vector too short to have a direction.
Vector3 direction_of(const Vector3& v, const Vector3& otherwise) noexcept {
    const double length = length_of(v);
    return length > 1e-12 ? v * (1 / length) : otherwise;
}

/// Some direction across another.
Vector3 across(const Vector3& direction) noexcept {
    const Vector3 axis = std::abs(direction.z) < 0.9 ? Vector3{0, 0, 1} : Vector3{1, 0, 0};
    return direction_of(axis - direction * dot(axis, direction), {1, 0, 0});
}

/// Turns a direction toward another until it is at most a given angle from it.
Vector3 within(const Vector3& direction, const Vector3& ahead, double most_rad) noexcept {
    const double c = std::clamp(dot(direction, ahead), -1.0, 1.0);
    const double cos_most = math::cos(std::min(most_rad, math::pi));
    if (c >= cos_most || most_rad >= math::pi) return direction;
    const Vector3 side = direction_of(direction - ahead * c, across(ahead));
    return ahead * cos_most + side * math::sin(most_rad);
}

}  // namespace

TwoBonePose bend_two_bones(const Vector3& hip, const Vector3& spot, const Vector3& pole,
                           double thigh_m, double shin_m) noexcept {
    const Vector3 way = spot - hip;
    const double asked = math::sqrt(dot(way, way));
    const Vector3 down = asked > 1e-12 ? way * (1 / asked) : Vector3{0, -1, 0};
    const double distance = std::clamp(asked, std::abs(thigh_m - shin_m), thigh_m + shin_m);
    const Vector3 beyond = pole - down * dot(pole, down);
    const double width = math::sqrt(dot(beyond, beyond));
    const Vector3 side = width > 1e-12 ? beyond * (1 / width) : across(down);
    // Along the way the knee is at (d^2 + a^2 - b^2) / 2 d; beside it by Heron's formula.
    const double along =
        distance > 0 ? 0.5 * (distance + (thigh_m - shin_m) * (thigh_m + shin_m) / distance) : 0.0;
    const double beside = math::sqrt(std::max(0.0, (thigh_m - along) * (thigh_m + along)));
    TwoBonePose pose;
    pose.knee = hip + down * along + side * beside;
    pose.error_m = std::abs(asked - distance);
    pose.ankle = pose.error_m > 0 ? hip + down * distance : spot;
    return pose;
}

double knee_angle_rad(const Vector3& hip, const TwoBonePose& pose) noexcept {
    const Vector3 thigh = pose.knee - hip;
    const Vector3 shin = pose.ankle - pose.knee;
    return math::atan2(length_of(cross(thigh, shin)), dot(thigh, shin));
}

double bend_limb(std::span<Vector3> joints, const Vector3& spot,
                 const LimbSettings& settings) noexcept {
    const std::size_t count = std::min(joints.size(), most_joints);
    if (count < 2) return count == 0 ? 0 : length_of(joints[0] - spot);
    std::array<double, most_joints> lengths{};
    for (std::size_t i = 0; i + 1 < count; ++i)
        lengths[i] = length_of(joints[i + 1] - joints[i]);
    const Vector3 root = joints[0];
    Vector3 first = direction_of(joints[1] - joints[0], {0, -1, 0});
    double left = length_of(joints[count - 1] - spot);
    for (int round = 0; round < settings.most_rounds && left > settings.tolerance_m; ++round) {
        joints[count - 1] = spot;
        for (std::size_t i = count - 1; i > 0; --i) {
            const Vector3 back = direction_of(joints[i - 1] - joints[i], first * -1);
            joints[i - 1] = joints[i] + back * lengths[i - 1];
        }
        joints[0] = root;
        Vector3 ahead{};
        for (std::size_t i = 0; i + 1 < count; ++i) {
            Vector3 direction = direction_of(joints[i + 1] - joints[i], first);
            if (i > 0) direction = within(direction, ahead, settings.most_bend_rad);
            joints[i + 1] = joints[i] + direction * lengths[i];
            ahead = direction;
        }
        left = length_of(joints[count - 1] - spot);
    }
    return left;
}

}  // namespace hopcoil
