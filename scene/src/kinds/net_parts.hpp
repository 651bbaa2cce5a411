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

/// What a table [net.NAME] says.
struct NetParts {
    std::variant<ClothSettings, RopeSettings, SoftBallSettings, OwnNet> made_of{};
    Placement placement{};
    std::optional<Vector3> far_end{};  ///< of a rope that hangs between two places
    NetSettings settings{};
    std::vector<NetPin> pins{};
    std::vector<NetBall> balls{};
    std::vector<MountedShape> shapes{};
    std::vector<NetForce> forces{};
    NetLook look{};

    /// How many points it has without balls; they come after.
    [[nodiscard]] std::size_t point_count() const;
    /// With pins and balls.
    [[nodiscard]] NetStructure build() const;
};

}  // namespace hopcoil::scene
