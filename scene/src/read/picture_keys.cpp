#include "picture_keys.hpp"

namespace hopcoil::scene {
namespace {

using enum KeyType;

std::vector<KeyFacts> joined(std::vector<KeyFacts> first, const std::vector<KeyFacts>& second) {
    first.insert(first.end(), second.begin(), second.end());
    return first;
}

}  // namespace

std::vector<KeyFacts> look_keys() {
    return {{"at_m", numbers, "where it stands when nothing has moved it: x, y, z", "[0, 0, 0]"},
            {"shape",
             choice,
             "what it looks like in pictures; all but the disc point along Z",
             "`diamond`, or a `disc` for what does not turn",
             {"diamond", "disc", "arrow", "box"}},
            {"length_m", number, "of its shape", "what a picture has room for"},
            {"pivot_m", numbers, "the point of its shape that is moved and turned about: x, y, z",
             "[0, 0, 0], its middle"},
            {"colour", text, "as \"#c86432\"", "the next of the palette"},
            {"order", number, "in pictures without depth, drawn over those of a lower one", "0"},
            {"joined_to", text, "another body that a line is drawn to", "none"}};
}

std::vector<TableFacts> picture_tables() {
    return {
        {"body", "`[body.NAME]`",
         "What moves and turns one thing: a node of its own in a model, a shape in pictures. What "
         "moves and is part of no body is one by itself.",
         joined({{"position", source, "an output: a vector, or a number along an axis",
                  "does not move"},
                 {"axis", choice, "which one", "`x`", {"x", "y", "z"}},
                 {"turn_axis",
                  choice,
                  "the axis that an angle turns it about",
                  "`y`",
                  {"x", "y", "z"}},
                 {"rotation", source, "an output: a rotation or an angle", "does not turn"},
                 {"scale", source, "an output: a number or a vector, above 0", "keeps its size"}},
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
          {"around", texts, "it is as large as what these do; patterns", "all that is shown"},
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
