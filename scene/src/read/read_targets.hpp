#pragma once

#include <string>

#include "scene_builder.hpp"

namespace hopcoil::scene {

/// Reads the tables [target.NAME], whatever they are made of.
class TargetReader {
  public:
    explicit TargetReader(SceneBuilder& builder) : scene_{builder.scene()}, builder_{builder} {}

    /// What such a table is made of, as its facts.
    [[nodiscard]] static const TableFacts& facts_of(const toml::table& table);

    void read(TableReader& reader, const std::string& name);

  private:
    void read_moves(TableReader& reader, const std::string& name);
    void read_record(TableReader& reader, const std::string& name);
    void read_model(TableReader& reader, const std::string& name);
    void read_driven(TableReader& reader, const std::string& name);
    void read_layers(TableReader& reader, const std::string& name);
    [[nodiscard]] std::optional<Source> read_source(TableReader& reader, Shape& shape);
    void read_bends(TableReader& reader, Source& source, Shape& shape) const;
    void read_previous_step(TableReader& reader, const std::string& name);

    Scene& scene_;
    SceneBuilder& builder_;
};

}  // namespace hopcoil::scene
