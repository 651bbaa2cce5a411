// [brachiator.NAME]: its keys.

#include <algorithm>
#include <memory>
#include <optional>
#include <utility>
#include <vector>

#include <hopcoil/base/math.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_pictures.hpp"
#include "brachiating.hpp"
#include "brachiator.hpp"
#include "mounts.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// One hold, or a row of them.
void read_holds(KindReader& reader, std::vector<Vector3>& all) {
    bool is_right = true;
    reader.each_table("holds", "holds", [&](KindReader& one) {
        const bool is_one = one.has("at_m");
        const auto at = three(one, "at_m");
        const auto from = three(one, "from_m");
        const auto to = three(one, "to_m");
        const std::size_t count = one.whole_number("count", 2, 1000).value_or(2);
        is_right = is_right && (at || (from && to));
        if (is_one) {
            if (from || to) one.problem("", "expected 'at_m', or 'from_m' and 'to_m' of a row");
            if (at) all.push_back(*at);
            return;
        }
        if (!from || !to) {
            one.problem("", "expected 'at_m' of one hold, or 'from_m' and 'to_m' of a row");
            return;
        }
        const Vector3 first = *from;
        const Vector3 way = *to - first;
        for (std::size_t i = 0; i < count; ++i)
            all.push_back(first + way * (static_cast<double>(i) / static_cast<double>(count - 1)));
    });
    if (is_right && all.size() < 2) reader.problem("holds", "expected two holds or more");
}

/// A hold by its number in the file: the first is 1.
std::optional<std::uint32_t> read_hold(KindReader& one, const char* key, std::size_t count) {
    const auto number = one.whole_number(key, 1, std::max<std::size_t>(count, 1));
    if (!number) return std::nullopt;
    return static_cast<std::uint32_t>(*number - 1);
}

void read_leaps(KindReader& reader, BrachiatorParts& parts) {
    reader.each_table("leaps", "leap", [&](KindReader& one) {
        LeapAt leap{.at_s = one.number("at_s").value_or(0)};
        if (!(leap.at_s >= 0)) one.problem("at_s", "expected 0 or more");
        leap.from_hold = read_hold(one, "from_hold", parts.holds.size());
        leap.to_hold = read_hold(one, "to_hold", parts.holds.size());
        const auto spot = three(one, "to_ground_m");
        if (one.has("to_hold") == one.has("to_ground_m"))
            one.problem("", "expected 'to_hold' or 'to_ground_m'");
        if (spot) leap.to_ground = *spot;
        parts.leaps.push_back(leap);
    });
}

void read_brachiator(KindReader& reader) {
    BrachiatorParts parts;
    const bool has_speed = reader.has("speed");
    std::optional<std::size_t> speed;
    if (has_speed) speed = reader.target("speed");
    parts.speed = reader.number("speed_m_per_s").value_or(1.2);
    BrachiatorSettings& settings = parts.settings;
    const auto size = [&](const char* key, double& number) {
        if (const auto given = reader.number(key)) number = *given;
    };
    size("arm_length_m", settings.arm_length_m);
    const double scale = settings.arm_length_m / BrachiatorSettings{}.arm_length_m;
    for (double* const number :
         {&settings.shoulder_width_m, &settings.shoulder_height_m, &settings.hip_width_m,
          &settings.hip_depth_m, &settings.leg_length_m})
        *number *= scale;
    size("leg_length_m", settings.leg_length_m);
    size("mass_kg", settings.mass_kg);
    reader.dials(settings);
    read_holds(reader, parts.holds);
    const auto spot = three(reader, "stands_at_m");
    const double yaw_rad = reader.number("yaw_deg").value_or(0) * math::pi / 180;
    if (spot) parts.stand = {*spot, yaw_rad};
    if (reader.has("yaw_deg") && !reader.has("stands_at_m"))
        reader.problem("yaw_deg", "expected a key 'stands_at_m' beside it");
    read_leaps(reader, parts);
    parts.radius_m = reader.number("limb_radius_m").value_or(0.04 * scale);
    parts.colours = read_colours(reader.table(), "colours");
    parts.order = reader.number("order").value_or(0);
    if (has_speed && !speed) return;
    std::vector<std::size_t> targets;
    if (speed) {
        if (reader.target_at(*speed).kind() != ValueKind::number) {
            reader.problem("speed", "expected a number: metres per second along the holds");
            return;
        }
        targets.push_back(*speed);
    }
    if (parts.holds.size() < 2) return;
    reader.try_to([&] { reader.add(brachiator_spec(std::move(parts)), std::move(targets)); });
}

}  // namespace

SystemKind brachiator_kind() {
    using enum KeyType;
    return {
        "brachiator",
        {{"brachiator",
          "`[brachiator.NAME]`",
          "A body that goes hand over hand along a row of holds. `NAME` is its centre of mass, "
          "`NAME.facing` how it is turned, `NAME.gaze` where it looks, `NAME.arm1` shoulder, elbow "
          "and hand of its left arm, `NAME.leg1` hip, knee and foot.",
          {{"holds", tables, "holds that it hangs from, in order", "required", {}, {"holds"}},
           {"stands_at_m", vector, "middle between its feet at the start",
            "it hangs from the first two holds"},
           {"yaw_deg", number, "direction that it faces there: turned from +Z about Y", "0"},
           {"leaps", tables, "leaps onto holds and onto the ground", "none", {}, {"leap"}},
           {"speed", source, "target of its speed along the holds in m/s; below 0 it comes back",
            "`speed_m_per_s`"},
           {"speed_m_per_s", number, "constant speed along the holds; below 0 it comes back",
            "1.2"},
           {"arm_length_m", number,
            "length from shoulder to grip; other sizes are in proportion to it", "1.05"},
           {"leg_length_m", number, "length of a stretched leg, from hip to sole",
            "0.81 arm lengths"},
           {"mass_kg", number, "its mass, which sets the force of its hands", "70"},
           dial_key({"most_speed_m_per_s", number, "highest speed along the holds", "2.5"}),
           dial_key(
               {"lean", number, "0: it stays upright; 1: it hangs in line with its arm", "0.6"}),
           dial_key({"twist_rad", number,
                     "how far the shoulders turn to bring the reaching arm ahead", "0.5"}),
           dial_key(
               {"fold", number, "how far it folds its legs before a hold; 0: not at all", "1"}),
           dial_key(
               {"push_decay_hz", number, "frequency of the spring that takes out a push", "0.6"}),
           dial_key(
               {"most_leap_speed_m_per_s", number,
                "highest take-off speed from its feet; from and into its hands it is 0.8 of that",
                "4.5"}),
           {"limb_radius_m", number, "radius of its limbs in pictures", "0.038 arm lengths"},
           {"colours", texts, "colours of its limbs, from root to tip", "the next of the palette"},
           order_key()}},
         {"holds",
          "Holds of a brachiator",
          "One hold, or a row of holds at equal distances.",
          {{"at_m", vector, "place of a single hold", "none"},
           {"from_m", vector, "first hold of a row", "none"},
           {"to_m", vector, "last hold of a row", "none"},
           {"count", whole_number, "number of holds in the row, both ends included", "2"}}},
         {"leap",
          "Leaps of a brachiator",
          "It leaps from where it stands or hangs by both hands; on its way along the row it stops "
          "first.",
          {{"at_s", number, "earliest time", "0"},
           {"from_hold", whole_number, "hold that it leaps from, counted from 1", "none"},
           {"to_hold", whole_number,
            "hold that it leaps to, with one hand, the other on a neighbour; counted from 1",
            "none"},
           {"to_ground_m", vector, "middle between its feet where it lands on the ground",
            "none"}}}},
        {},
        read_brachiator};
}

}  // namespace hopcoil::scene
