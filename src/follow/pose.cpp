#include <algorithm>
#include <array>
#include <string_view>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/pose.hpp>

namespace hopcoil {
namespace {

/// A dial of one part's tuning.
template <Tuning PoseTuning::*part, double Tuning::*field>
Dial<PoseTuning> part_dial(std::string_view path, const Dial<Tuning>& of_tuning) {
    return {.path = path,
            .unit = of_tuning.unit,
            .hard = of_tuning.hard,
            .slider = of_tuning.slider,
            .scale = of_tuning.scale,
            .default_value = PoseTuning{}.*part.*field,
            .get = [](const PoseTuning& pose) { return pose.*part.*field; },
            .set =
                [](PoseTuning& pose, double value) {
                    Tuning changed = pose.*part;
                    changed.*field = value;
                    if (!is_valid(changed)) return DialStatus::refused;
                    pose.*part = changed;
                    return DialStatus::set;
                }};
}

template <Tuning PoseTuning::*part>
std::array<Dial<PoseTuning>, 3> part_dials(const std::array<std::string_view, 3>& paths) {
    const std::span<const Dial<Tuning>> of_tuning = Tuning::dials();
    return {part_dial<part, &Tuning::frequency_hz>(paths[0], of_tuning[0]),
            part_dial<part, &Tuning::damping_ratio>(paths[1], of_tuning[1]),
            part_dial<part, &Tuning::lead>(paths[2], of_tuning[2])};
}

}  // namespace

std::span<const Dial<PoseTuning>> PoseTuning::dials() noexcept {
    static const std::array<Dial<PoseTuning>, dial_count> all = [] {
        std::array<Dial<PoseTuning>, dial_count> dials;
        auto next = dials.begin();
        for (const auto& part :
             {part_dials<&PoseTuning::position>(
                  {"position.frequency_hz", "position.damping_ratio", "position.lead"}),
              part_dials<&PoseTuning::rotation>(
                  {"rotation.frequency_hz", "rotation.damping_ratio", "rotation.lead"}),
              part_dials<&PoseTuning::scale>(
                  {"scale.frequency_hz", "scale.damping_ratio", "scale.lead"})}) {
            next = std::copy(part.begin(), part.end(), next);
        }
        return dials;
    }();
    return all;
}

void require_valid(const Pose& pose) {
    for (const double each : {pose.position.x, pose.position.y, pose.position.z})
        require_finite("position", each);
    (void)require_rotation("rotation", pose.rotation);
    for (const double each : {pose.scale.x, pose.scale.y, pose.scale.z})
        require_above_zero("scale", each);
}

}  // namespace hopcoil
