#pragma once

#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/named_settings.hpp>
#include <hopcoil/scene/tuning_file.hpp>

#include "toml_reader.hpp"

namespace hopcoil::scene {

/// Reads tunings where they are used: by name, or in one of their forms.
class TuningReader {
  public:
    /// A name that may be used from now on; false when it is taken.
    bool add(SharedTuning tuning);

    /// Under a key: a name, or a table in one of the forms; `otherwise` when it is missing or
    /// wrong.
    [[nodiscard]] Tuning read(TableReader& reader, const std::string& key,
                              const Tuning& otherwise = {}) const;
    /// For the parts of a pose: one for all, one for each, or a name for either.
    [[nodiscard]] PoseTuning read_pose(TableReader& reader, const std::string& key) const;

  private:
    [[nodiscard]] std::optional<SharedTuning> find(TableReader& reader,
                                                   const std::string& key) const;

    std::vector<SharedTuning> shared_;
};

/// Those of a tuning file that is open already.
[[nodiscard]] std::vector<SharedTuning> tunings_in(const toml::table& root,
                                                   const std::string& path);
[[nodiscard]] std::vector<NamedSettings> settings_in(const toml::table& root,
                                                     const std::string& path);

/// A table [tuning.NAME].
[[nodiscard]] SharedTuning read_named_tuning(const toml::table& table, const std::string& name,
                                             const std::string& file,
                                             std::vector<io::Problem>& problems);

}  // namespace hopcoil::scene
