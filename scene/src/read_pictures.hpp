#pragma once

#include <string>
#include <vector>

#include "read_movers.hpp"

namespace hopcoil::scene {

/// What a body looks like, and where it stands.
void read_look(TableReader& reader, Body& body, const DeclaredNames& declared);

/// Reads [body.NAME] and [picture.NAME], when all movers are read.
class PictureReader {
  public:
    PictureReader(Scene& scene, const DeclaredNames& declared, MoverReader& movers)
        : scene_{scene}, declared_{declared}, movers_{movers} {}

    void read_body(TableReader& reader, const std::string& name);
    void read_picture(TableReader& reader, const std::string& name);

  private:
    [[nodiscard]] std::optional<MoverPart> part(TableReader& reader, const std::string& key);

    Scene& scene_;
    const DeclaredNames& declared_;
    MoverReader& movers_;
};

}  // namespace hopcoil::scene
