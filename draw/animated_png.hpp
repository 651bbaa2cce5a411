#pragma once

#include <filesystem>
#include <vector>

namespace hopcoil::draw {

/// Puts PNG pictures of one size together as one that moves, for ever again.
///
/// Source  Animated PNG (APNG), as in the third edition of the PNG specification: the frames' own
///         compressed data in its fdAT chunks.
/// Errors  std::invalid_argument for no frames, a file that is no PNG, or frames that differ in
///         size or kind; scene::FileProblem.
void write_animated_png(const std::vector<std::filesystem::path>& frames, double rate_hz,
                        const std::filesystem::path& path);

}  // namespace hopcoil::draw
