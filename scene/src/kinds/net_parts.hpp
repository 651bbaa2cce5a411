#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include <hopcoil/points/net_builders.hpp>
#include <hopcoil/points/net_settings.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/scene/view.hpp>

#include "mounts.hpp"

namespace hopcoil::scene {

/// Points that are held, and by what; at rest where they were built without a mount.
struct NetPin {
    std::vector<std::uint32_t> points{};
    Mount mount{};
    double until_s = std::numeric_limits<double>::infinity();
    friend bool operator==(const NetPin&, const NetPin&) = default;
};

/// A loose ball that the net catches.
struct NetBall {
    std::string name{};
    Vector3 place{};
    Vector3 velocity{};
    double radius_m = 0.1;
    double mass_kg = 0.5;
    double until_s = 0;  ///< it is held so long
    friend bool operator==(const NetBall&, const NetBall&) = default;
};

struct NetForce {
    std::vector<std::uint32_t> points{};
    Vector3 newtons{};
    friend bool operator==(const NetForce&, const NetForce&) = default;
};

/// How it is drawn.
struct NetLook {
    std::vector<double> radius_m{};
    std::vector<Colour> colours{};
    double order = 0;
};

/// Points and links of a scene's own.
struct OwnNet {
    NetStructure structure{};
};

/// A rope that hangs from one of the six points of a body.
struct NetLimb {
    std::uint32_t from = 0;  ///< -X, +X, -Y, +Y, -Z, +Z
    RopeSettings rope{};
};

/// Six points with a full orientation, and what hangs on them.
struct BodyOfPoints {
    static constexpr std::size_t corners = 6;

    OrientedSettings body{};
    std::vector<NetLimb> limbs{};
    Vector3 velocity{};  ///< with which it is thrown
    Vector3 turn_rate{};

    [[nodiscard]] std::size_t point_count() const;
    [[nodiscard]] NetStructure build(const Placement& placement) const;
    /// That each point hangs on; the six on themselves.
    [[nodiscard]] std::vector<std::size_t> parents() const;
};

/// What a table [net.NAME] says.
struct NetParts {
    std::variant<ClothSettings, RopeSettings, SoftBallSettings, OwnNet, BodyOfPoints> made_of{};
    Placement placement{};
    std::optional<Vector3> far_end{};  ///< of a rope that hangs between two places
    NetSettings settings{};
    std::vector<NetPin> pins{};
    std::vector<NetBall> balls{};
    std::vector<MountedShape> shapes{};
    std::vector<NetForce> forces{};
    NetLook look{};

    [[nodiscard]] const BodyOfPoints* body() const { return std::get_if<BodyOfPoints>(&made_of); }
    /// Of a body, where it is; how it is turned is the next one.
    [[nodiscard]] std::size_t middle_port() const { return balls.size() + 1; }
    /// How many points it has without balls; they come after.
    [[nodiscard]] std::size_t point_count() const;
    /// With pins and balls.
    [[nodiscard]] NetStructure build() const;
};

}  // namespace hopcoil::scene
