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

/// The keys `skeleton` and `clip`, as they read.
struct ModelKeys {
    std::optional<std::string> skeleton{};
    std::optional<std::string> clip{};
};

/// Without a skeleton it is noted that a clip, or names of joints, have nothing to go with.
[[nodiscard]] inline ModelKeys read_model_keys(KindReader& reader, const char* joints_key) {
    ModelKeys keys{reader.text("skeleton"), reader.text("clip")};
    if (reader.has("skeleton")) return keys;
    for (const char* key : {"clip", joints_key})
        if (reader.has(key)) reader.problem(key, "expected a key 'skeleton' beside it");
    return keys;
}

/// The animation of a model by its name.
[[nodiscard]] inline std::optional<io::Clip> find_clip(KindReader& reader, const std::string& path,
                                                       const std::string& name,
                                                       const Skeleton& skeleton) {
    std::vector<std::string> all;
    for (const io::ModelAnimation& animation : io::read_animations(path)) {
        if (animation.name == name) return io::Clip{skeleton, animation};
        all.push_back(animation.name);
    }
    reader.problem("clip", fmt::format("there is no animation '{}'; there is {}{}", name,
                                       io::any_of(all), io::did_you_mean(name, all)));
    return std::nullopt;
}

/// What `make(skeleton)` makes of a model beside the scene; what is wrong with its joints is noted
/// at the key that names them. Nothing where it could not be made.
template <class R, class Make>
[[nodiscard]] std::shared_ptr<const RigWithClip<R>> read_model_rig(KindReader& reader,
                                                                   const ModelKeys& keys,
                                                                   const char* joints_key,
                                                                   const Make& make) {
    const std::string& file = keys.skeleton.value();
    const std::string path = (reader.table().folder() / file).string();
    try {
        RigWithClip<R> made{.rig = make(io::read_skeleton(path))};
        if (keys.clip) made.clip = find_clip(reader, path, *keys.clip, made.rig.skeleton());
        return std::make_shared<RigWithClip<R>>(std::move(made));
    } catch (const InvalidValue& problem) {
        reader.problem(joints_key, fmt::format("{}: {}: expected {}", file, problem.field(),
                                               problem.expected()));
    } catch (const std::exception& problem) {
        reader.problem("skeleton", problem.what());
    }
    return nullptr;
}

}  // namespace hopcoil::scene
