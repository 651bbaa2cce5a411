#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <typeinfo>
#include <vector>

#include <hopcoil/scene/scene.hpp>

#include "read_tunings.hpp"
#include "reading.hpp"
#include "toml_reader.hpp"

namespace hopcoil::scene {

/// The names of everything in the files, read or not.
struct DeclaredNames {
    std::vector<std::string> targets{};
    std::vector<std::string> systems{};
    std::vector<std::string> bodies{};
};

/// A scene while it is read: what it has so far, found by name.
class SceneBuilder {
  public:
    SceneBuilder(Scene& scene, const DeclaredNames& declared, const TuningReader& tunings)
        : scene_{scene}, declared_{declared}, tunings_{tunings} {}

    [[nodiscard]] Scene& scene() noexcept { return scene_; }
    [[nodiscard]] const DeclaredNames& declared() const noexcept { return declared_; }
    [[nodiscard]] const TuningReader& tunings() const noexcept { return tunings_; }

    /// `place_in_files` puts the systems in order in the end.
    void add(SceneSystem system, std::size_t place_in_files);
    /// The systems as they stand in the files, whatever their kinds; references are renumbered.
    void put_in_order();

    /// An output by its name: "lamp", "string.tassel" (of several the system's main one, without
    /// it), "streamer.4" for one of several values (the last, without it), "skiff.x" for one number
    /// of a vector. Nothing when no system read so far has it.
    [[nodiscard]] std::optional<Source> find_output(const std::string& name) const;
    /// A target that is an output, where that starts; of its unit.
    [[nodiscard]] SceneTarget driven_target(const std::string& name, const Source& source);
    /// Where a target is at the start, with what drives it.
    [[nodiscard]] ValueArray start_of_target(std::size_t index);
    [[nodiscard]] std::size_t target_driven_by(const Source& source, const std::string& system);
    /// The target that a key names, made from an output where that is named; nothing, and noted,
    /// when there is none.
    std::optional<std::size_t> find_target(TableReader& reader, const std::string& key,
                                           const std::string& system);
    /// The system with such a field that a key names; nothing, and noted, when there is none.
    std::optional<std::size_t> find_field(TableReader& reader, const std::string& key,
                                          const std::type_info& type) const;

    /// A target that is driven by the previous step of what is named, whether that has been read or
    /// not; looked up by `resolve_previous_steps`.
    void drive_by_previous_step(std::size_t target, TableReader& reader, const std::string& name,
                                const Source& source);
    void resolve_previous_steps(std::vector<io::Problem>& problems);

    /// Notes that no output has a name.
    void complain_of_output(TableReader& reader, const std::string& key,
                            const std::string& name) const;
    /// Whether a name is that of a system, or of a part of one, that was found wrong itself.
    [[nodiscard]] bool is_unread(const std::string& name) const;
    /// Notes a name that something has already.
    void refuse_taken(TableReader& reader, const std::string& name);

  private:
    struct Awaited {
        std::size_t target = 0;
        std::string name{};
        Source source{};
        io::Problem problem{};  ///< what to note when there is no such output
    };
    /// A system as it is at time 0, what it follows and stands on included.
    [[nodiscard]] const RunningSystem& started(std::size_t index);
    [[nodiscard]] std::optional<Source> find_whole_output(const std::string& name) const;
    [[nodiscard]] std::vector<std::string> with_outputs() const;
    [[nodiscard]] std::string no_such_output(const std::string& name) const;

    Scene& scene_;
    const DeclaredNames& declared_;
    const TuningReader& tunings_;
    std::vector<std::string> names_;
    std::vector<std::size_t> places_;  ///< of the systems read so far
    std::vector<Awaited> awaited_;
    std::vector<std::unique_ptr<RunningSystem>> started_;  ///< those that were asked for
};

}  // namespace hopcoil::scene
