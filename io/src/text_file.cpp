#include <atomic>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fstream>
#include <sstream>
#include <system_error>
#include <unistd.h>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/text_file.hpp>

namespace hopcoil::io {
namespace {

namespace fs = std::filesystem;

fs::path folder_of(const fs::path& path) {
    return path.has_parent_path() ? path.parent_path() : fs::path{"."};
}

std::string similar_name_beside(const fs::path& path) {
    std::vector<std::string> names;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator{folder_of(path), error}) {
        names.push_back(entry.path().filename().string());
    }
    return did_you_mean(path.filename().string(), names);
}

std::string reason_of(int error_number) {
    return std::error_code{error_number, std::generic_category()}.message();
}

}  // namespace

std::string read_text_file(const fs::path& path) {
    std::error_code error;
    const fs::file_status status = fs::status(path, error);
    if (!fs::exists(status)) {
        throw FileProblem{
            fmt::format("{}: there is no such file{}", path.string(), similar_name_beside(path))};
    }
    if (fs::is_directory(status)) {
        throw FileProblem{fmt::format("{}: expected a file, found a folder", path.string())};
    }
    std::ifstream file{path, std::ios::binary};
    std::ostringstream text;
    if (file) text << file.rdbuf();
    if (!file || file.bad()) {
        throw FileProblem{fmt::format("{}: cannot be read: {}", path.string(), reason_of(errno))};
    }
    return std::move(text).str();
}

fs::path temporary_beside(const fs::path& path) {
    const fs::path folder = folder_of(path);
    std::error_code error;
    if (fs::is_directory(path, error)) {
        throw FileProblem{fmt::format("{}: cannot be written: it is a folder", path.string())};
    }
    if (!fs::is_directory(folder, error)) {
        throw FileProblem{fmt::format("{}: cannot be written: there is no folder {}", path.string(),
                                      folder.string())};
    }
    // The ending stays last: some writers choose a format by it.
    // Several threads may write files of one name.
    static std::atomic<unsigned> count = 0;
    fs::path temporary = folder / fmt::format(".{}.{}-{}.part{}", path.stem().string(), ::getpid(),
                                              count.fetch_add(1), path.extension().string());
    const int file = ::open(temporary.c_str(), O_CREAT | O_WRONLY | O_TRUNC | O_CLOEXEC, 0666);
    if (file < 0) {
        throw FileProblem{
            fmt::format("{}: cannot be written: {}", path.string(), reason_of(errno))};
    }
    ::close(file);
    return temporary;
}

void move_into_place(const fs::path& temporary, const fs::path& path) {
    std::error_code error;
    fs::rename(temporary, path, error);
    if (!error) return;
    std::error_code ignored;
    fs::remove(temporary, ignored);
    throw FileProblem{fmt::format("{}: cannot be written: {}", path.string(), error.message())};
}

void write_text_file(const fs::path& path, std::string_view text) {
    const fs::path temporary = temporary_beside(path);
    std::ofstream file{temporary, std::ios::binary};
    file.write(text.data(), static_cast<std::streamsize>(text.size()));
    file.close();
    if (!file) {
        const int reason = errno;
        std::error_code ignored;
        fs::remove(temporary, ignored);
        throw FileProblem{
            fmt::format("{}: cannot be written: {}", path.string(), reason_of(reason))};
    }
    move_into_place(temporary, path);
}

void make_folder(const fs::path& path) {
    std::error_code error;
    fs::create_directories(path, error);
    if (error || !fs::is_directory(path)) {
        throw FileProblem{fmt::format("{}: the folder cannot be made: {}", path.string(),
                                      error ? error.message() : "a file has its name")};
    }
}

}  // namespace hopcoil::io
