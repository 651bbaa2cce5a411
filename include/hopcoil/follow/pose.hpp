#pragma once

#include <cstddef>
#include <span>

#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/motion.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {

/// Where something is, how it is turned, how large it is.
struct Pose {
    Vector3 position{};
    Quaternion rotation{};
    Vector3 scale{1, 1, 1};  ///< each above 0

    friend bool operator==(const Pose&, const Pose&) = default;
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(position, rotation, scale);
    }
};

/// How a pose changes: per second; the rotation in radians about fixed axes.
struct PoseVelocity {
    Vector3 position{};
    Vector3 rotation{};
    Vector3 scale{};
};

/// The motion of a pose: what one mover of a pose takes over from another.
struct PoseMotion {
    Motion<Vector3> position;
    RotationMotion rotation;
    Motion<Vector3> scale;
};

/// A tuning for each part; by default rotation and scale do not overshoot.
struct PoseTuning {
    Tuning position{.frequency_hz = 2, .damping_ratio = 0.5};
    Tuning rotation{.frequency_hz = 2, .damping_ratio = 1};
    Tuning scale{.frequency_hz = 2, .damping_ratio = 1};

    static constexpr std::size_t dial_count = 9;
    /// "position.frequency_hz", ..., "scale.lead".
    [[nodiscard]] static std::span<const Dial<PoseTuning>> dials() noexcept;

    [[nodiscard]] static PoseTuning shared(const Tuning& tuning) noexcept {
        return {tuning, tuning, tuning};
    }
};

/// Errors  InvalidValue for a position that is not finite, a rotation that is zero or not finite, a
///         scale that is not finite and above 0.
void require_valid(const Pose& pose);

}  // namespace hopcoil
