#pragma once

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>

/// A folder for one test, gone with it.
class TestFolder {
  public:
    TestFolder() {
        std::string name = (std::filesystem::temp_directory_path() / "hopcoil-XXXXXX").string();
        path_ = ::mkdtemp(name.data());
    }
    TestFolder(const TestFolder&) = delete;
    TestFolder& operator=(const TestFolder&) = delete;
    ~TestFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }

    /// Writes a file into it.
    std::filesystem::path write(const std::string& name, const std::string& text) const {
        std::ofstream{path_ / name, std::ios::binary} << text;
        return path_ / name;
    }

    [[nodiscard]] std::size_t file_count() const {
        using Walk = std::filesystem::recursive_directory_iterator;
        return static_cast<std::size_t>(std::distance(Walk{path_}, Walk{}));
    }

  private:
    std::filesystem::path path_;
};

inline std::string contents_of(const std::filesystem::path& path) {
    std::ifstream file{path, std::ios::binary};
    return {std::istreambuf_iterator<char>{file}, {}};
}
