#include <cmath>
#include <limits>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/quaternion.hpp>

namespace hopcoil {
namespace {

/// Vectors shorter than this have no direction: dividing by their length would overflow.
constexpr double least_size = 1e-150;

/// How the rate of a rotation vector and its angular velocity correspond: along the axis they are
/// equal; across it the rate is turned by half the angle and shortened to the chord.
struct ChartScale {
    double half_rad = 0.0;
    double sin_half = 0.0;
    double cos_half = 1.0;
    Vector3 axis{};
};

ChartScale scale_at(const Vector3& rotation_rad) {
    const double angle = length_of(rotation_rad);
    if (angle < least_size) return {};
    const auto [s, c] = math::sincos(0.5 * angle);
    return {0.5 * angle, s, c, rotation_rad * (1 / angle)};
}

Vector3 any_perpendicular(const Vector3& v) {
    const Vector3 other = std::abs(v.y) < 0.9 * length_of(v) ? Vector3{0, 1, 0} : Vector3{0, 0, 1};
    return cross(v, other);
}

Vector3 unit(const Vector3& v) {
    return v * (1 / length_of(v));
}

}  // namespace

Quaternion from_axes(const Vector3& x, const Vector3& y, const Vector3& z) noexcept {
    // The largest of the four parts is found first, so that none is divided by almost nothing.
    const double trace = x.x + y.y + z.z;
    if (trace > 0) {
        const double s = 2 * math::sqrt(1 + trace);
        return {0.25 * s, (y.z - z.y) / s, (z.x - x.z) / s, (x.y - y.x) / s};
    }
    if (x.x > y.y && x.x > z.z) {
        const double s = 2 * math::sqrt(1 + x.x - y.y - z.z);
        return {(y.z - z.y) / s, 0.25 * s, (y.x + x.y) / s, (z.x + x.z) / s};
    }
    if (y.y > z.z) {
        const double s = 2 * math::sqrt(1 + y.y - x.x - z.z);
        return {(z.x - x.z) / s, (y.x + x.y) / s, 0.25 * s, (z.y + y.z) / s};
    }
    const double s = 2 * math::sqrt(1 + z.z - x.x - y.y);
    return {(x.y - y.x) / s, (z.x + x.z) / s, (z.y + y.z) / s, 0.25 * s};
}

/// The square of half an angle up to which series of few terms are exact to rounding.
constexpr double small_square = 0.0025;

double length_of(const Quaternion& q) noexcept {
    const double across = length_of(Vector3{q.x, q.y, q.z});
    return length_of(Vector3{q.w, across, 0});
}

Quaternion normalized(const Quaternion& q) noexcept {
    const double length = length_of(q);
    if (!(length > 0) || std::isinf(length)) {
        constexpr double none = std::numeric_limits<double>::quiet_NaN();
        return {none, none, none, none};
    }
    return {q.w / length, q.x / length, q.y / length, q.z / length};
}

Quaternion turned_by(const Vector3& rotation_rad) noexcept {
    // For a small rotation the first terms of both series are exact to rounding, and quicker.
    const double square = 0.25 * dot(rotation_rad, rotation_rad);
    if (square < small_square) {
        const double sine = 1 - square / 6 * (1 - square / 20 * (1 - square / 42));
        const double cosine =
            1 - square / 2 * (1 - square / 12 * (1 - square / 30 * (1 - square / 56)));
        return {cosine, rotation_rad.x * (0.5 * sine), rotation_rad.y * (0.5 * sine),
                rotation_rad.z * (0.5 * sine)};
    }
    const double angle = length_of(rotation_rad);
    const auto [s, c] = math::sincos(0.5 * angle);
    const double scale = angle < least_size ? 0.5 : s / angle;
    return {c, rotation_rad.x * scale, rotation_rad.y * scale, rotation_rad.z * scale};
}

Vector3 rotation_vector(const Quaternion& q) noexcept {
    const double sign = q.w < 0 ? -1 : 1;
    const Vector3 across = Vector3{q.x, q.y, q.z} * sign;
    const double square = dot(across, across);
    const double w = sign * q.w;
    if (square < small_square * (w * w)) {
        const double u = square / (w * w);
        const double arc =
            1 - u * (1.0 / 3 - u * (0.2 - u * (1.0 / 7 - u * (1.0 / 9 - u * (1.0 / 11)))));
        return across * (2 / w * arc);
    }
    const double size = length_of(across);
    if (size < least_size) return across * 2;
    return across * (2 * math::atan2(size, sign * q.w) / size);
}

Vector3 rotation_vector_near(const Quaternion& q, const Vector3& guess) noexcept {
    const Vector3 shorter = rotation_vector(q);
    const double angle = length_of(shorter);
    const double far = length_of(guess);
    if (angle < 1e-9) {
        // Almost a whole turn, or none: the axis of the guess is kept.
        const double turns = std::round(far / (2 * math::pi));
        return turns == 0 ? shorter : shorter + guess * (turns * 2 * math::pi / far);
    }
    const Vector3 axis = shorter * (1 / angle);
    const double turns = std::round((dot(axis, guess) - angle) / (2 * math::pi));
    return turns == 0 ? shorter : axis * (angle + turns * 2 * math::pi);
}

Vector3 angular_velocity_from(const Vector3& rotation_rad, const Vector3& rate) noexcept {
    const ChartScale scale = scale_at(rotation_rad);
    if (scale.half_rad == 0) return rate;
    const Vector3 along = scale.axis * dot(scale.axis, rate);
    const Vector3 across = rate - along;
    const double chord = scale.sin_half / scale.half_rad;
    return along + (across * scale.cos_half + cross(scale.axis, across) * scale.sin_half) * chord;
}

Vector3 rate_from(const Vector3& rotation_rad, const Vector3& angular_velocity) noexcept {
    constexpr double least_chord = 0.05;
    const ChartScale scale = scale_at(rotation_rad);
    if (scale.half_rad == 0) return angular_velocity;
    const Vector3 along = scale.axis * dot(scale.axis, angular_velocity);
    const Vector3 across = angular_velocity - along;
    double chord = scale.sin_half / scale.half_rad;
    if (std::abs(chord) < least_chord) chord = chord < 0 ? -least_chord : least_chord;
    return along +
           (across * scale.cos_half - cross(scale.axis, across) * scale.sin_half) * (1 / chord);
}

Quaternion facing(const Vector3& direction, const Vector3& forward, const Vector3& up) noexcept {
    const double length = length_of(direction);
    if (!(length > least_size) || std::isinf(length)) return {};
    const Vector3 ahead = direction * (1 / length);
    Vector3 side = cross(Vector3{0, 1, 0}, ahead);
    if (length_of(side) < 1e-9) side = any_perpendicular(ahead);
    side = unit(side);
    const Quaternion world = from_axes(side, cross(ahead, side), ahead);

    const Vector3 own_ahead = unit(forward);
    const Vector3 own_side = unit(cross(up, own_ahead));
    const Quaternion own = from_axes(own_side, cross(own_ahead, own_side), own_ahead);
    return normalized(world * conjugate(own));
}

}  // namespace hopcoil
