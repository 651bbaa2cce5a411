#pragma once

#include <hopcoil/follow/detail/cubic_way.hpp>
#include <hopcoil/points/plant.hpp>

namespace hopcoil {

/// The base during a step: cubics between its ends, of its place and of how it is turned since.
struct Plant::BasePath {
    CubicWay<Vector3> way;
    CubicWay<Vector3> turn;
    Quaternion facing{};  ///< at the start

    [[nodiscard]] Quaternion facing_at(double time_s) const noexcept {
        return turned_by(turn.place(time_s)) * facing;
    }
};

/// A substep as the plant's own frame has it in the middle of it.
struct Plant::Moment {
    Vector3 travel[2]{};    ///< of the base, in either half
    Vector3 velocity[3]{};  ///< at its start, middle and end
    Vector3 turned[2]{};
    Vector3 spin[3]{};
    Vector3 pull{};  ///< its acceleration
    Vector3 twist{};

    /// Of a point that goes along with it.
    [[nodiscard]] Vector3 acceleration_at(const Vector3& place) const noexcept {
        return pull + cross(twist, place) + cross(spin[1], cross(spin[1], place));
    }
};

}  // namespace hopcoil
