#include "picture_keys.hpp"

namespace hopcoil::scene {
namespace {

using enum KeyType;

std::vector<KeyFacts> joined(std::vector<KeyFacts> first, const std::vector<KeyFacts>& second) {
    first.insert(first.end(), second.begin(), second.end());
    return first;
}

}  // namespace

KeyFacts order_key() {
    return {"order", KeyType::number,
            "drawing order in pictures: higher ones are drawn over lower ones that are nearer",
            "0"};
}

std::vector<KeyFacts> look_keys() {
    return {
        {"at_m", numbers, "where it stands as long as nothing moves it: x, y, z", "[0, 0, 0]"},
        {"shape",
         choice,
         "shape in pictures; all but the disc point along +Z",
         "`diamond`, or a `disc` for what does not turn",
         {"diamond", "disc", "arrow", "box"}},
        {"length_m", number, "length of the shape", "what a picture has room for"},
        {"pivot_m", numbers, "point of the shape that is moved, and that it turns about: x, y, z",
         "[0, 0, 0], its middle"},
        {"colour", text, "colour, as in \"#c86432\"", "the next of the palette"},
        order_key(),
        {"joined_to", text, "name of a body to which a line is drawn", "none"}};
}

std::vector<TableFacts> picture_tables() {
    return {
        {"body", "`[body.NAME]`",
         "What moves, turns and scales one thing: a node in a model, a shape in pictures. An "
         "output that no body names is a body by itself.",
         joined(
             {{"position", source, "output that moves it: a vector, or a number along `axis`",
               "does not move"},
              {"axis", choice, "axis that a number moves it along", "`x`", {"x", "y", "z"}},
              {"turn_axis", choice, "axis that an angle turns it about", "`y`", {"x", "y", "z"}},
              {"rotation", source, "output that turns it: a rotation or an angle", "does not turn"},
              {"scale", source, "output that scales it: a number or a vector, above 0",
               "keeps its size"}},
             look_keys())},
        {"picture",
         "`[picture.NAME]`",
         "A picture that `run` writes beside its other files.",
         {{"kind",
           choice,
           "`paths`: where everything went, with ghosts at even times; `strip`: moments side by "
           "side; `film`: frames and an animated picture",
           "`paths`",
           {"paths", "strip", "film"}},
          {"view",
           choice,
           "`side`: x to the right, y up; `top`: x to the right, z down; `end`: z to the right, y "
           "up; `slanted`: in space",
           "`side`",
           {"side", "top", "end", "slanted"}},
          {"from_s", number, "start of the time that it shows", "0"},
          {"to_s", number, "end of the time that it shows", "the end of the run"},
          {"every_s", number, "time from ghost to ghost, or from moment to moment",
           "a twelfth of the stretch"},
          {"bodies", texts, "bodies that it shows, as patterns", "all"},
          {"around", texts, "bodies whose motion sets the size of the picture, as patterns",
           "all that is shown"},
          {"compare", texts, "takes (CSV, JSON) that are drawn behind it, relative to the scene",
           "none"},
          {"references", texts,
           "PNG files that are shown beside the moments of a strip, each beside the nearest in "
           "time; relative to the scene",
           "none"},
          {"references_from_s", number, "time of the first reference", "0"},
          {"references_every_s", number, "time from one reference to the next", "a 24th"},
          {"rate_hz", number, "frames per second of a film", "25"},
          {"speed", number, "speed of a film: 0.5 is half as fast as it happens", "1"},
          {"format", choice, "file format, unless it is a film", "`png`", {"png", "svg"}}}},
    };
}

}  // namespace hopcoil::scene
