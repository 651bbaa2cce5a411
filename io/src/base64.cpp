#include <array>
#include <cstddef>
#include <cstdint>

#include <hopcoil/io/base64.hpp>

namespace hopcoil::io {
namespace {

constexpr std::string_view letters =
    "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

/// The value of each letter; 64 for what is none.
constexpr std::array<std::uint8_t, 256> letter_values = [] {
    std::array<std::uint8_t, 256> all{};
    all.fill(64);
    for (std::size_t i = 0; i < letters.size(); ++i)
        all[static_cast<unsigned char>(letters[i])] = static_cast<std::uint8_t>(i);
    return all;
}();

}  // namespace

std::string to_base64(std::string_view bytes) {
    std::string text;
    text.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        const std::string_view group = bytes.substr(i, 3);
        std::uint32_t bits = 0;
        for (std::size_t k = 0; k < 3; ++k)
            bits = bits << 8 | (k < group.size() ? static_cast<unsigned char>(group[k]) : 0U);
        for (std::size_t k = 0; k < 4; ++k)
            text += k <= group.size() ? letters[bits >> (18 - 6 * k) & 63U] : '=';
    }
    return text;
}

std::optional<std::string> from_base64(std::string_view text) {
    while (text.ends_with('='))
        text.remove_suffix(1);
    if (text.size() % 4 == 1) return std::nullopt;
    std::string bytes;
    bytes.reserve(text.size() / 4 * 3 + 2);
    std::uint32_t bits = 0;
    int count = 0;
    for (const char letter : text) {
        const std::uint32_t value = letter_values[static_cast<unsigned char>(letter)];
        if (value == 64) return std::nullopt;
        bits = (bits << 6 | value) & 0xFFFFFFU;
        count += 6;
        if (count < 8) continue;
        count -= 8;
        bytes += static_cast<char>(bits >> count & 0xFFU);
    }
    return bytes;
}

}  // namespace hopcoil::io
