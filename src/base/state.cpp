#include <array>

#include <hopcoil/base/state.hpp>

namespace hopcoil {
namespace {

constexpr std::uint32_t mark = 0x31534348;  // "HCS1": changed when the head or the bytes are
constexpr std::size_t head_size = 12;

constexpr std::uint32_t mixed(std::uint32_t sum, std::uint8_t byte) {
    return (sum ^ byte) * 16777619U;  // FNV-1a
}

std::uint32_t sum_of(std::span<const std::byte> bytes) {
    std::uint32_t sum = 2166136261U;
    for (const std::byte each : bytes)
        sum = mixed(sum, static_cast<std::uint8_t>(each));
    return sum;
}

void append_to(std::vector<std::byte>& bytes, std::uint64_t bits, int count) {
    for (int i = 0; i < count; ++i)
        bytes.push_back(static_cast<std::byte>((bits >> (8 * i)) & 0xffU));
}

std::uint64_t bits_of(std::span<const std::byte> bytes) {
    std::uint64_t bits = 0;
    for (std::size_t i = 0; i < bytes.size(); ++i)
        bits |= static_cast<std::uint64_t>(bytes[i]) << (8 * i);
    return bits;
}

}  // namespace

void StateShape::mix(std::string_view name) noexcept {
    for (const char each : name)
        sum_ = mixed(sum_, static_cast<std::uint8_t>(each));
}
void StateShape::mix(std::uint8_t kind) noexcept {
    sum_ = mixed(sum_, kind);
}

void StateBytes::append(std::uint64_t bits, int count) {
    append_to(bytes_, bits, count);
}

std::vector<std::byte> StateBytes::finished(const StateShape& shape) const {
    std::vector<std::byte> all;
    all.reserve(head_size + bytes_.size());
    append_to(all, mark, 4);
    append_to(all, shape.sum(), 4);
    append_to(all, sum_of(bytes_), 4);
    all.insert(all.end(), bytes_.begin(), bytes_.end());
    return all;
}

StateReader::StateReader(std::span<const std::byte> blob) noexcept {
    good_ = blob.size() >= head_size && bits_of(blob.first(4)) == mark &&
            bits_of(blob.subspan(8, 4)) == sum_of(blob.subspan(head_size));
    if (!good_) return;
    wanted_sum_ = static_cast<std::uint32_t>(bits_of(blob.subspan(4, 4)));
    rest_ = blob.subspan(head_size);
}

std::uint64_t StateReader::take(int count) noexcept {
    const auto size = static_cast<std::size_t>(count);
    check(rest_.size() >= size);
    if (!good_) return 0;
    const std::uint64_t bits = bits_of(rest_.first(size));
    rest_ = rest_.subspan(size);
    return bits;
}

}  // namespace hopcoil
