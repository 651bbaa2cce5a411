#pragma once

#include <cstddef>
#include <exception>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/skeleton_file.hpp>
#include <hopcoil/scene/kind.hpp>

#include "../read/toml_reader.hpp"

namespace hopcoil::scene {

/// A skeleton from a model that goes as a body does, and an animation of that model.
template <class R>
struct RigWithClip {
    R rig;
    std::optional<io::Clip> clip{};

    [[nodiscard]] std::size_t joint_count() const { return rig.skeleton().joints.size(); }
};

/// The animation of a model that the key `clip` names.
[[nodiscard]] inline std::optional<io::Clip> read_clip(KindReader& reader, const std::string& path,
                                                       const Skeleton& skeleton) {
    const std::optional<std::string> name = reader.text("clip");
    if (!name) return std::nullopt;
    std::vector<std::string> all;
    for (const io::ModelAnimation& animation : io::read_animations(path)) {
        if (animation.name == *name) return io::Clip{skeleton, animation};
        all.push_back(animation.name);
    }
    reader.problem("clip", fmt::format("there is no animation '{}'; there is {}{}", *name,
                                       io::any_of(all), io::did_you_mean(*name, all)));
    return std::nullopt;
}

/// What `make(skeleton)` makes of the model beside the scene that the key `skeleton` names; what is
/// wrong with its joints is noted at the key that names them. Nothing where it could not be made.
template <class R, class Make>
[[nodiscard]] std::shared_ptr<const RigWithClip<R>> read_model_rig(KindReader& reader,
                                                                   const char* joints_key,
                                                                   const Make& make) {
    const std::string file = reader.text("skeleton").value_or("");
    const std::string path = (reader.table().folder() / file).string();
    try {
        R rig = make(io::read_skeleton(path));
        std::optional<io::Clip> clip = read_clip(reader, path, rig.skeleton());
        return std::make_shared<RigWithClip<R>>(RigWithClip<R>{std::move(rig), std::move(clip)});
    } catch (const InvalidValue& problem) {
        reader.problem(joints_key, fmt::format("{}: {}: expected {}", file, problem.field(),
                                               problem.expected()));
    } catch (const std::exception& problem) {
        reader.problem("skeleton", problem.what());
    }
    return nullptr;
}

}  // namespace hopcoil::scene
