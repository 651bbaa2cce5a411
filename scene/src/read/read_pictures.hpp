#pragma once

#include <string>
#include <vector>

#include "scene_builder.hpp"

namespace hopcoil::scene {

/// A colour as "#c86432".
[[nodiscard]] std::optional<Colour> read_colour(TableReader& reader, const std::string& key);

[[nodiscard]] std::vector<Colour> read_colours(TableReader& reader, const std::string& key);

/// What a body looks like, and where it stands.
void read_look(TableReader& reader, Body& body, const DeclaredNames& declared);

/// Reads [body.NAME] and [picture.NAME], when all systems are read.
class PictureReader {
  public:
    explicit PictureReader(SceneBuilder& builder)
        : scene_{builder.scene()}, declared_{builder.declared()}, builder_{builder} {}

    void read_body(TableReader& reader, const std::string& name);
    void read_picture(TableReader& reader, const std::string& name);

  private:
    [[nodiscard]] std::optional<OutputRef> output(TableReader& reader, const std::string& key);

    Scene& scene_;
    const DeclaredNames& declared_;
    SceneBuilder& builder_;
};

}  // namespace hopcoil::scene
