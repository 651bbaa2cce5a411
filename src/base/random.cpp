#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>

namespace hopcoil {
namespace {

constexpr std::uint64_t golden = 0x9e3779b97f4a7c15U;

double unit_of(std::uint64_t bits) {
    return static_cast<double>(bits >> 11U) * 0x1p-53;
}

}  // namespace

std::uint64_t stream_of(std::uint64_t seed, std::string_view path) noexcept {
    std::uint64_t hash = mixed_bits(seed + golden);
    for (const char c : path)
        hash = mixed_bits((hash ^ static_cast<unsigned char>(c)) + golden);
    return hash;
}

double unit_number(std::uint64_t stream, std::int64_t index) noexcept {
    return unit_of(mixed_bits(stream + golden * static_cast<std::uint64_t>(index)));
}

std::uint64_t RandomNumbers::bits() noexcept {
    return mixed_bits(stream_ + golden * ++count_);
}

double RandomNumbers::unit() noexcept {
    return unit_of(bits());
}

double RandomNumbers::between(double low, double high) noexcept {
    return low + (high - low) * unit();
}

double RandomNumbers::normal() noexcept {
    const double size = math::sqrt(-2 * math::log(1 - unit()));
    return size * math::cos(2 * math::pi * unit());
}

}  // namespace hopcoil
