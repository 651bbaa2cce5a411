#pragma once

#include <filesystem>
#include <string>
#include <string_view>

namespace hopcoil::io {

/// A whole file as it is. Errors: FileProblem, with a similar name from the same folder if the
/// file is not there.
[[nodiscard]] std::string read_text_file(const std::filesystem::path& path);

/// Writes all of a file or nothing: into a temporary file beside it, which then takes its name.
/// Errors: FileProblem, the old file untouched.
void write_text_file(const std::filesystem::path& path, std::string_view text);

/// A temporary name beside `path`, to write to until the file is complete. Errors: FileProblem when
/// its folder cannot be written to.
[[nodiscard]] std::filesystem::path temporary_beside(const std::filesystem::path& path);

/// Gives a finished temporary file its name. Errors: FileProblem, the temporary file removed.
void move_into_place(const std::filesystem::path& temporary, const std::filesystem::path& path);

/// Makes a folder and those above it. Errors: FileProblem.
void make_folder(const std::filesystem::path& path);

}  // namespace hopcoil::io
