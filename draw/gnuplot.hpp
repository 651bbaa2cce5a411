#pragma once

#include <string>

namespace hopcoil::draw {

/// Runs gnuplot on a script. Errors: scene::FileProblem when it is not installed or fails, with
/// what it said.
void run_gnuplot(const std::string& script);

}  // namespace hopcoil::draw
