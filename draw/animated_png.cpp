#include "draw/animated_png.hpp"

#include <cmath>
#include <cstdint>
#include <stdexcept>
#include <string>
#include <string_view>
#include <zlib.h>

#include <fmt/format.h>

#include <hopcoil/io/text_file.hpp>

namespace hopcoil::draw {
namespace {

constexpr std::string_view signature{"\x89PNG\r\n\x1a\n", 8};

void append_number(std::string& bytes, std::uint32_t number, int size = 4) {
    for (int i = size - 1; i >= 0; --i)
        bytes += static_cast<char>(number >> (8 * i) & 0xFFU);
}

std::uint32_t number_at(std::string_view bytes, std::size_t at) {
    std::uint32_t number = 0;
    for (std::size_t i = 0; i < 4; ++i)
        number = number << 8 | static_cast<unsigned char>(bytes[at + i]);
    return number;
}

void append_chunk(std::string& bytes, std::string_view kind, std::string_view data) {
    append_number(bytes, static_cast<std::uint32_t>(data.size()));
    std::string checked{kind};
    checked += data;
    bytes += checked;
    const auto* const first = reinterpret_cast<const Bytef*>(checked.data());
    append_number(bytes,
                  static_cast<std::uint32_t>(crc32(0, first, static_cast<uInt>(checked.size()))));
}

struct Frame {
    std::string header;             ///< size and kind
    std::vector<std::string> data;  ///< compressed, in pieces
};

Frame read_frame(const std::filesystem::path& path) {
    const std::string bytes = io::read_text_file(path);
    if (!bytes.starts_with(signature)) {
        throw std::invalid_argument{fmt::format("{}: not a PNG picture", path.string())};
    }
    Frame frame;
    std::size_t at = signature.size();
    while (at + 12 <= bytes.size()) {
        const std::size_t length = number_at(bytes, at);
        if (length > bytes.size() - at - 12) break;
        const std::string_view kind = std::string_view{bytes}.substr(at + 4, 4);
        if (kind == "IHDR") frame.header = bytes.substr(at + 8, length);
        if (kind == "IDAT") frame.data.push_back(bytes.substr(at + 8, length));
        at += 12 + length;
    }
    if (frame.header.size() != 13 || frame.data.empty()) {
        throw std::invalid_argument{fmt::format("{}: the picture is cut short", path.string())};
    }
    return frame;
}

/// What is shown for how long: the whole picture, in place of the one before.
std::string frame_control(std::uint32_t sequence, const Frame& frame, double rate_hz) {
    constexpr double parts_per_s = 10'000;
    std::string data;
    append_number(data, sequence);
    data += frame.header.substr(0, 8);  // width, height
    append_number(data, 0);
    append_number(data, 0);
    append_number(data, static_cast<std::uint32_t>(std::lround(parts_per_s / rate_hz)), 2);
    append_number(data, static_cast<std::uint32_t>(parts_per_s), 2);
    append_number(data, 0, 1);
    append_number(data, 0, 1);
    return data;
}

}  // namespace

void write_animated_png(const std::vector<std::filesystem::path>& frames, double rate_hz,
                        const std::filesystem::path& path) {
    if (frames.empty()) throw std::invalid_argument{"an animated picture of no frames"};
    if (!(rate_hz >= 1 && rate_hz <= 1000)) {
        throw std::invalid_argument{
            fmt::format("an animated picture of {} frames a second; expected 1 to 1000", rate_hz)};
    }
    std::string bytes{signature};
    std::uint32_t sequence = 0;
    std::string header;
    for (const std::filesystem::path& file : frames) {
        const Frame frame = read_frame(file);
        const bool is_first = header.empty();
        if (is_first) {
            header = frame.header;
            append_chunk(bytes, "IHDR", header);
            std::string control;
            append_number(control, static_cast<std::uint32_t>(frames.size()));
            append_number(control, 0);  // again and again
            append_chunk(bytes, "acTL", control);
        }
        if (frame.header != header) {
            throw std::invalid_argument{
                fmt::format("{}: expected a picture like the first", file.string())};
        }
        append_chunk(bytes, "fcTL", frame_control(sequence++, frame, rate_hz));
        for (const std::string& data : frame.data) {
            if (is_first) {
                append_chunk(bytes, "IDAT", data);
                continue;
            }
            std::string numbered;
            append_number(numbered, sequence++);
            append_chunk(bytes, "fdAT", numbered + data);
        }
    }
    append_chunk(bytes, "IEND", "");
    io::write_text_file(path, bytes);
}

}  // namespace hopcoil::draw
