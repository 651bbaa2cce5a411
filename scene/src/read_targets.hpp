#pragma once

#include <string>

#include "read_movers.hpp"

namespace hopcoil::scene {

/// Reads the tables [target.NAME], whatever they are made of.
class TargetReader {
  public:
    TargetReader(Scene& scene, const MoverReader& movers) : scene_{scene}, movers_{movers} {}

    /// What such a table is made of, as its facts.
    [[nodiscard]] static const TableFacts& facts_of(const toml::table& table);

    void read(TableReader& reader, const std::string& name);

  private:
    void read_moves(TableReader& reader, const std::string& name);
    void read_record(TableReader& reader, const std::string& name);
    void read_model(TableReader& reader, const std::string& name);
    void read_led(TableReader& reader, const std::string& name);
    void read_layers(TableReader& reader, const std::string& name);
    [[nodiscard]] std::optional<Leader> read_leader(TableReader& reader, Shape& shape);

    Scene& scene_;
    const MoverReader& movers_;
};

}  // namespace hopcoil::scene
