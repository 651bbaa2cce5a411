#include <algorithm>
#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/random.hpp>

using namespace hopcoil;

namespace {

Vector3 random_axis(RandomNumbers& numbers) {
    for (;;) {
        const double x = numbers.between(-1, 1);
        const double y = numbers.between(-1, 1);
        const double z = numbers.between(-1, 1);
        const double size = std::sqrt(x * x + y * y + z * z);
        if (size > 0.1 && size <= 1) return Vector3{x, y, z} * (1 / size);
    }
}

double distance(const Vector3& a, const Vector3& b) {
    return std::sqrt(dot(a - b, a - b));
}

}  // namespace

TEST_CASE("turns of any size are exact to rounding, and come back", "[base][rotation]") {
    RandomNumbers numbers{stream_of(4, "turns")};
    // Across the size at which series take over from sines.
    for (int i = 0; i < 20'000; ++i) {
        const double angle = i % 3 == 0   ? std::pow(10, numbers.between(-12, -1))
                             : i % 3 == 1 ? numbers.between(0.08, 0.12)
                                          : numbers.between(0, 3.1);
        const Vector3 axis = random_axis(numbers);
        const Quaternion q = turned_by(axis * angle);
        const long double half = 0.5L * static_cast<long double>(angle);
        const auto sine = static_cast<double>(std::sin(half));
        // Beside its own rounding that of the vector's length.
        CHECK(std::abs(q.w - static_cast<double>(std::cos(half))) < 3e-16 * (1 + angle));
        const double error = distance({q.x, q.y, q.z}, axis * sine);
        if (!(error < 6e-16 * std::max(sine, 1e-300))) CHECK(error < 6e-16 * sine);
        const double returned = distance(rotation_vector(q), axis * angle);
        if (!(returned < 2e-15 * angle)) CHECK(returned < 2e-15 * angle);
    }
    CHECK(turned_by({}) == Quaternion{});
    CHECK(rotation_vector({}) == Vector3{});
    // The other quaternion of the same turn.
    const Vector3 small{0.01, -0.02, 0.005};
    const Quaternion q = turned_by(small);
    CHECK(distance(rotation_vector({-q.w, -q.x, -q.y, -q.z}), small) < 1e-17);
    // Of no unit length: the direction counts.
    CHECK(distance(rotation_vector({5 * q.w, 5 * q.x, 5 * q.y, 5 * q.z}), small) < 1e-16);
}

TEST_CASE("a turn is found from the axes that it makes", "[base][rotation]") {
    RandomNumbers numbers{stream_of(6, "axes")};
    for (int i = 0; i < 2'000; ++i) {
        // Half turns about each axis among them, where the real part vanishes.
        const double angle = i % 4 == 0 ? 3.141592653589793 : numbers.between(0, 3.14);
        const Quaternion turn = turned_by(random_axis(numbers) * angle);
        const Vector3 x = rotated(turn, {1, 0, 0});
        const Vector3 y = rotated(turn, {0, 1, 0});
        const Vector3 z = rotated(turn, {0, 0, 1});
        const Quaternion found = from_axes(x, y, z);
        CHECK(std::abs(length_of(found) - 1) < 1e-14);
        CHECK(distance(rotated(found, {1, 0, 0}), x) < 1e-14);
        CHECK(distance(rotated(found, {0, 1, 0}), y) < 1e-14);
        CHECK(distance(rotated(found, {0, 0, 1}), z) < 1e-14);
    }
}
