#pragma once

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/scalar_of.hpp>
#include <hopcoil/base/vector3.hpp>

#include "support/random.hpp"

/// Vector types as programs have them.

/// Three floats and their operators.
struct Plain {
    float x = 0;
    float y = 0;
    float z = 0;

    friend Plain operator+(Plain a, Plain b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
    friend Plain operator-(Plain a, Plain b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
    friend Plain operator*(Plain a, float s) { return {a.x * s, a.y * s, a.z * s}; }
    friend bool operator==(Plain, Plain) = default;
};

/// Scaled as s * v only, and not comparable.
struct ScaledFromTheLeft {
    double coordinates[2] = {0, 0};

    const double& operator[](int i) const { return coordinates[i]; }
    friend ScaledFromTheLeft operator+(const ScaledFromTheLeft& a, const ScaledFromTheLeft& b) {
        return {{a[0] + b[0], a[1] + b[1]}};
    }
    friend ScaledFromTheLeft operator-(const ScaledFromTheLeft& a, const ScaledFromTheLeft& b) {
        return {{a[0] - b[0], a[1] - b[1]}};
    }
    friend ScaledFromTheLeft operator*(double s, const ScaledFromTheLeft& a) {
        return {{s * a[0], s * a[1]}};
    }
};

/// Hides its numbers behind a copy constructor of its own; has no x, no [], no Scalar.
class Sealed {
  public:
    Sealed(float first, float second) : first_{first}, second_{second} {}
    Sealed(const Sealed& other) : first_{other.first_}, second_{other.second_} {}
    Sealed& operator=(const Sealed& other) = default;

    friend Sealed operator+(const Sealed& a, const Sealed& b) {
        return {a.first_ + b.first_, a.second_ + b.second_};
    }
    friend Sealed operator-(const Sealed& a, const Sealed& b) {
        return {a.first_ - b.first_, a.second_ - b.second_};
    }
    friend Sealed operator*(const Sealed& a, float s) { return {a.first_ * s, a.second_ * s}; }
    friend bool operator==(const Sealed& a, const Sealed& b) {
        return a.first_ == b.first_ && a.second_ == b.second_;
    }
    [[nodiscard]] float first() const { return first_; }

  private:
    float first_;
    float second_;
};

/// Made of integers, whatever it is scaled by.
struct WholeNumbers {
    int x = 0;
    friend WholeNumbers operator+(WholeNumbers a, WholeNumbers b) { return {a.x + b.x}; }
    friend WholeNumbers operator-(WholeNumbers a, WholeNumbers b) { return {a.x - b.x}; }
    friend WholeNumbers operator*(WholeNumbers a, float) { return a; }
};

/// Scales by anything, so that its scalar has to be said.
struct Named {
    float value = 0;
    friend Named operator+(Named a, Named b) { return {a.value + b.value}; }
    friend Named operator-(Named a, Named b) { return {a.value - b.value}; }
    template <class S>
    friend Named operator*(Named a, S s) {
        return {a.value * static_cast<float>(s)};
    }
};

template <>
struct hopcoil::ScalarOf<Named> {
    using type = float;
};

/// Anywhere in a cube around the origin.
inline hopcoil::Vector3 random_vector(Random& random, double size) {
    return {random.between(-size, size), random.between(-size, size), random.between(-size, size)};
}

/// How far two places are apart.
inline double apart(const hopcoil::Vector3& a, const hopcoil::Vector3& b) {
    return hopcoil::length_of(a - b);
}

/// Of the turn from one rotation to the other, in radians.
inline double angle_between(const hopcoil::Quaternion& a, const hopcoil::Quaternion& b) {
    return length_of(rotation_vector(a * conjugate(b)));
}
