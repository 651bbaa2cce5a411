#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

/// @file
/// How each mover of a scene fared in a run, read off its take.

namespace hopcoil::scene {

/// One number of what moves, over time, as it is shown to people: degrees for radians, and on past
/// the seam.
struct Lane {
    std::string name{};  ///< "x"; empty for the only one
    std::vector<double> values{};
    std::vector<double> targets{};
};

/// How one mover (one link of a cascade) fared in a run.
struct MoverReport {
    std::string name{};
    std::string kind{};
    std::string target{};
    std::string words{};             ///< its numbers
    std::optional<Tuning> tuning{};  ///< of a follower or a link
    ValueKind value_kind = ValueKind::number;
    std::string unit{};           ///< as shown to people: "deg" for angles
    double per_unit = 1.0;        ///< shown units in one of the take's
    std::vector<double> stops{};  ///< that it must not pass, as in the take
    double nearest_stop = 0.0;    ///< the least distance to one of them

    std::vector<Lane> lanes{};
    Tracking tracking{};              ///< of a vector its length, of a rotation its angle
    std::optional<JumpsMet> jumps{};  ///< where the target jumps
    std::optional<double> lag_s{};
};

/// The take has every channel of the scene.
[[nodiscard]] std::vector<MoverReport> report_on(const Scene& scene, const Take& take);

}  // namespace hopcoil::scene
