#include "picture_keys.hpp"

namespace hopcoil::scene {
namespace {

using enum KeyType;

/// What is asked of whatever is seen.
std::vector<KeyFacts> look_keys() {
    return {{"at_m", numbers, "where it stands when nothing has moved it: x, y, z", "[0, 0, 0]"},
            {"shape",
             choice,
             "what it looks like in pictures; all but the disc point along Z",
             "`diamond`, or a `disc` for what does not turn",
             {"diamond", "disc", "arrow", "box"}},
            {"length_m", number, "of its shape", "what a picture has room for"},
            {"joined_to", text, "another body that a line is drawn to", "none"}};
}

}  // namespace

std::vector<KeyFacts> joined(std::vector<KeyFacts> first, const std::vector<KeyFacts>& second) {
    first.insert(first.end(), second.begin(), second.end());
    return first;
}

std::vector<TableFacts> picture_tables() {
    return {
        {"body", "`[body.NAME]`",
         "What moves and turns one thing: a node of its own in a model, a shape in pictures. What "
         "moves and is part of no body is one by itself.",
         joined(
             {{"position", text, "a mover: a vector, or a number along an axis", "does not move"},
              {"axis", choice, "which one", "`x`", {"x", "y", "z"}},
              {"rotation", text, "a mover: a rotation or an angle (about Y)", "does not turn"},
              {"scale", text, "a mover: a number or a vector, above 0", "keeps its size"}},
             look_keys())},
        {"pose", "`[pose.NAME]`",
         "A body whose place, turn and size each follow a target of their own: `NAME.position`, "
         "`NAME.rotation` and `NAME.scale`, where their targets are given.",
         joined({{"position", text, "a target: a vector", "does not move"},
                 {"rotation", text, "a target: a rotation", "does not turn"},
                 {"scale", text, "a target: a number or a vector, above 0", "keeps its size"},
                 {"tuning", pose_tuning, "one for all parts, or for each",
                  "2 Hz; damping ratio 0.5 for the place, 1 for turn and size"}},
                look_keys())},
        {"picture",
         "`[picture.NAME]`",
         "Made by `run`, beside its other files.",
         {{"kind",
           choice,
           "where everything went, with ghosts evenly in time; moments side by side; or frames and "
           "an "
           "animated picture",
           "`paths`",
           {"paths", "strip", "film"}},
          {"view",
           choice,
           "from the side (x to the right, y up), from the top (x to the right, z down), from the "
           "end "
           "(z to the right, y up), or slanted",
           "`side`",
           {"side", "top", "end", "slanted"}},
          {"from_s", number, "the stretch of time that it shows", "0"},
          {"to_s", number, "the end of that", "the end of the run"},
          {"every_s", number, "from ghost to ghost, from moment to moment",
           "a twelfth of the stretch"},
          {"bodies", texts, "which ones; patterns, as in `record`", "all"},
          {"compare", texts, "takes (CSV, JSON) to be drawn behind it, relative to the scene",
           "none"},
          {"references", texts,
           "PNG files beside the moments of a strip, the nearest in time to each, relative to the "
           "scene",
           "none"},
          {"references_from_s", number, "the time of the first", "0"},
          {"references_every_s", number, "from one to the next", "a 24th"},
          {"rate_hz", number, "frames a second, of a film", "25"},
          {"speed", number, "of a film: 0.5 is half as fast as it happens", "1"},
          {"format", choice, "of a file that is no film", "`png`", {"png", "svg"}}}},
    };
}

}  // namespace hopcoil::scene
