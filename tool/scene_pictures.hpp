#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>
#include <hopcoil/take/take.hpp>

#include "draw/picture.hpp"

namespace hopcoil::tool {

/// A run of a scene as one of its pictures shows it.
/// Errors  UsageProblem when there is nothing to be seen; those of reading a take to compare with.
[[nodiscard]] draw::Picture picture_of(const scene::Scene& scene, const Take& take,
                                       const scene::PictureSettings& settings,
                                       const std::string& footer);

/// Makes all pictures of a scene in a folder. The files: of a film its animated picture, and its
/// frames in a folder beside it.
std::vector<std::filesystem::path> make_pictures(const scene::Scene& scene, const Take& take,
                                                 const std::filesystem::path& folder,
                                                 const std::string& footer);

}  // namespace hopcoil::tool
