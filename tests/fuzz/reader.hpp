#pragma once

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <fstream>
#include <stdexcept>
#include <string>
#include <unistd.h>

/// @file
/// What the fuzzed readers have in common: bytes as a file, and which ends are right.

namespace fuzz {

/// A file with these bytes, one a process, in memory where there is room for it.
inline std::filesystem::path file_of(const std::uint8_t* data, std::size_t size,
                                     const std::string& ending) {
    static const std::filesystem::path folder = [] {
        const bool has_memory = std::filesystem::is_directory("/dev/shm");
        const std::filesystem::path base =
            has_memory ? "/dev/shm" : std::filesystem::temp_directory_path().string();
        std::filesystem::path own = base / ("hopcoil-fuzz-" + std::to_string(::getpid()));
        std::filesystem::create_directories(own);
        return own;
    }();
    std::filesystem::path path = folder / ("input" + ending);
    std::ofstream{path, std::ios::binary}.write(reinterpret_cast<const char*>(data),
                                                static_cast<std::streamsize>(size));
    return path;
}

/// A reader reads, or says what is wrong. Anything else is a fault, which the fuzzer reports.
template <class Read>
int read_or_refuse(const Read& read) {
    try {
        read();
    } catch (const std::runtime_error&) {     // problems in the file, or a file that is not there
    } catch (const std::invalid_argument&) {  // numbers that cannot be
    }
    return 0;
}

}  // namespace fuzz
