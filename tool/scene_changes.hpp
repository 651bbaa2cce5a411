#pragma once

#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>

namespace hopcoil::tool {

/// Makes the changes that --set asks for, each PATH=NUMBER. Errors: UsageProblem.
void make_changes(scene::Scene& scene, const std::vector<std::string>& changes,
                  const std::string& command);

}  // namespace hopcoil::tool
