// [pose.NAME]: a follower for each part that has a target, and a body of them.

#include <fmt/format.h>

#include <hopcoil/follow/pose.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_moves.hpp"
#include "../read/read_pictures.hpp"
#include "read_mover.hpp"

namespace hopcoil::scene {
namespace {

/// The follower of one part; the output that it is.
template <class Parameters>
std::optional<OutputRef> read_pose_part(KindReader& reader, const std::string& part,
                                        const Parameters& parameters) {
    const auto target = reader.target(part);
    if (!target) return std::nullopt;
    const SceneTarget& followed = reader.target_at(*target);
    const bool turns = followed.kind() == ValueKind::rotation;
    if (turns != (part == "rotation")) {
        reader.problem(part, turns ? "expected a number or a vector, found a rotation"
                                   : "expected a rotation");
        return std::nullopt;
    }
    if (part == "scale") {
        const ValueArray first = reader.start_at(*target);
        for (std::size_t i = 0; i < followed.path.size(); ++i) {
            if (first[i] > 0) continue;
            reader.problem(part, fmt::format("a size starts above 0, found {}", first[i]));
        }
    }
    const std::size_t index = reader.builder().scene().systems.size();
    reader.add_as(reader.name() + '.' + part, mover_spec(parameters, shape_of(followed), {}),
                  {*target});
    return OutputRef{index, 0};
}

void read_pose(KindReader& reader) {
    const PoseTuning tuning = reader.builder().tunings().read_pose(reader.table(), "tuning");
    Body body{.name = reader.name()};
    body.position = read_pose_part(reader, "position", tuning.position);
    body.rotation = read_pose_part(reader, "rotation", tuning.rotation);
    body.scale = read_pose_part(reader, "scale", SizeParameters{tuning.scale});
    if (!reader.has("position") && !reader.has("rotation") && !reader.has("scale")) {
        reader.problem("", "expected a target for one of position, rotation and scale");
    }
    read_look(reader.table(), body, reader.builder().declared());
    reader.builder().scene().bodies.push_back(std::move(body));
}

}  // namespace

SystemKind pose_kind() {
    using enum KeyType;
    return {
        "pose",
        {{"pose", "`[pose.NAME]`",
          "A body whose position, rotation and scale follow targets of their own: `NAME.position`, "
          "`NAME.rotation` and `NAME.scale`, as far as their targets are given.",
          joined({{"position", source, "target of the position: a vector", "does not move"},
                  {"rotation", source, "target of the rotation", "does not turn"},
                  {"scale", source, "target of the scale: a number or a vector, above 0",
                   "keeps its size"},
                  {"tuning", pose_tuning, "tuning of all three, or one for each",
                   "2 Hz; damping ratio 0.5 for the place, 1 for turn and size"}},
                 look_keys())}},
        {"position", "rotation", "scale"},
        read_pose};
}

}  // namespace hopcoil::scene
