#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/math.hpp>

namespace hopcoil::math {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
constexpr double not_a_number = std::numeric_limits<double>::quiet_NaN();

/// A number as the unevaluated sum of two doubles.
struct Pair {
    double hi = 0.0;
    double lo = 0.0;
};

// ln 2: the first part has 32 bits, so that its product with an exponent is exact.
constexpr double ln2_hi = 0x1.62e42feep-1;
constexpr double ln2_lo = 0x1.a39ef35793c76p-33;
constexpr double one_over_ln2 = 0x1.71547652b82fep+0;
constexpr Pair half_pi{0x1.921fb54442d18p+0, 0x1.1a62633145c07p-54};

constexpr double two_to_52 = 0x1p52;

/// The exact sum (Knuth).
constexpr Pair two_sum(double a, double b) {
    const double sum = a + b;
    const double b_part = sum - a;
    return {sum, (a - (sum - b_part)) + (b - b_part)};
}

/// The exact product (Dekker), without fma: that would be a library call on plain x86-64.
constexpr Pair two_product(double a, double b) {
    constexpr double splitter = 0x1p27 + 1;
    const double a_big = splitter * a;
    const double a_hi = a_big - (a_big - a);
    const double a_lo = a - a_hi;
    const double b_big = splitter * b;
    const double b_hi = b_big - (b_big - b);
    const double b_lo = b - b_hi;
    const double product = a * b;
    return {product, ((a_hi * b_hi - product) + a_hi * b_lo + a_lo * b_hi) + a_lo * b_lo};
}

constexpr Pair sum_of(Pair a, Pair b) {
    const Pair sum = two_sum(a.hi, b.hi);
    return two_sum(sum.hi, sum.lo + (a.lo + b.lo));
}

constexpr Pair product_of(Pair a, Pair b) {
    const Pair product = two_product(a.hi, b.hi);
    return two_sum(product.hi, product.lo + (a.hi * b.lo + a.lo * b.hi));
}

/// Horner's rule, highest power first.
template <std::size_t N>
constexpr double polynomial(const std::array<double, N>& coefficients, double x) {
    double sum = coefficients[0];
    for (std::size_t i = 1; i < N; ++i)
        sum = sum * x + coefficients[i];
    return sum;
}

/// 2^k for k in -1022..1023.
constexpr double power_of_two(int k) {
    return std::bit_cast<double>(static_cast<std::uint64_t>(k + 1023) << 52);
}

/// x 2^k, in two steps so that a subnormal result is rounded once.
constexpr double scaled_by_power(double x, int k) {
    if (k > 1023) return x * power_of_two(1023) * power_of_two(k - 1023);
    if (k < -1022) return x * power_of_two(k + 1021) * power_of_two(-1021);
    return x * power_of_two(k);
}

/// The nearest whole number, for sizes below 2^51.
constexpr double nearest(double x) {
    constexpr double magic = 1.5 * two_to_52;
    return (x + magic) - magic;
}

/// x = k ln 2 + r with r in +-0.35, its rounding error in `r_lo`.
struct ExpReduction {
    int k = 0;
    double r = 0.0;
    double r_lo = 0.0;
};

ExpReduction reduce_for_exp(double x) {
    if (std::abs(x) < 0.34) return {0, x, 0};
    const double k = nearest(x * one_over_ln2);
    const double hi = x - k * ln2_hi;
    const double lo = k * ln2_lo;
    const double r = hi - lo;
    return {static_cast<int>(k), r, (hi - r) - lo};
}

/// e^(r + r_lo) - 1 by its series to r^14.
double expm1_of_reduced(const ExpReduction& x) {
    static constexpr std::array<double, 13> over_factorial{
        1.0 / 87178291200, 1.0 / 6227020800, 1.0 / 479001600, 1.0 / 39916800, 1.0 / 3628800,
        1.0 / 362880,      1.0 / 40320,      1.0 / 5040,      1.0 / 720,      1.0 / 120,
        1.0 / 24,          1.0 / 6,          1.0 / 2};
    return x.r + (x.r_lo + x.r * x.r * polynomial(over_factorial, x.r));
}

/// x = 2^k m with m in [sqrt 1/2, sqrt 2), for a finite x > 0.
struct LogReduction {
    int k = 0;
    double m = 1.0;
};

LogReduction reduce_for_log(double x) {
    int k = 0;
    if (x < std::numeric_limits<double>::min()) {
        x *= 0x1p54;
        k = -54;
    }
    auto bits = std::bit_cast<std::uint64_t>(x);
    k += static_cast<int>(bits >> 52) - 1023;
    bits = (bits & 0x000fffffffffffffU) | 0x3ff0000000000000U;
    auto m = std::bit_cast<double>(bits);
    if (m >= 0x1.6a09e667f3bcdp+0) {
        m *= 0.5;
        ++k;
    }
    return {k, m};
}

// log(1 + f) = 2 atanh(s), s = f / (2 + f): 2 s + s (2/3 s^2 + 2/5 s^4 + ...)
constexpr std::array<double, 10> atanh_tail{2.0 / 23, 2.0 / 21, 2.0 / 19, 2.0 / 17, 2.0 / 15,
                                            2.0 / 13, 2.0 / 11, 2.0 / 9,  2.0 / 7,  2.0 / 5};

/// log x to about 65 bits.
Pair log_pair(double x) {
    const auto [k, m] = reduce_for_log(x);
    const double f = m - 1;
    const double denominator = 2 + f;
    const double denominator_lo = f - (denominator - 2);
    const double s_hi = f / denominator;
    const Pair back = two_product(s_hi, denominator);
    const double s_lo = (((f - back.hi) - back.lo) - s_hi * denominator_lo) / denominator;
    const Pair s{s_hi, s_lo};
    const Pair z = product_of(s, s);
    constexpr Pair two_thirds{2.0 / 3, 0x1.5555555555555p-55};
    const Pair cubic = product_of(product_of(s, z), two_thirds);
    const double tail = s.hi * z.hi * z.hi * polynomial(atanh_tail, z.hi);
    const Pair log_m = sum_of(sum_of({2 * s.hi, 2 * s.lo}, cubic), {tail, 0});
    constexpr double ln2_lo_lo = 0x1.cc01f97b57a08p-87;
    const Pair exponent_part =
        sum_of({k * ln2_hi, 0}, sum_of(two_product(k, ln2_lo), {k * ln2_lo_lo, 0}));
    return sum_of(exponent_part, log_m);
}

bool is_whole(double y) {
    return std::trunc(y) == y;
}
bool is_odd(double y) {
    return is_whole(y) && std::fmod(std::abs(y), 2.0) == 1.0;
}

double pow_at_the_ends(double x, double y) {
    // x is 0, infinite or y is infinite: only the sign and the direction matter.
    if (std::isinf(y)) {
        const double size = std::abs(x);
        if (size == 1) return 1;
        return (size > 1) == (y > 0) ? infinity : 0.0;
    }
    const double size = (x == 0) == (y > 0) ? 0.0 : infinity;
    return std::signbit(x) && is_odd(y) ? -size : size;
}

/// 2/pi in binary, from the first bit behind the point; a word of zeros before it.
constexpr std::array<std::uint64_t, 20> two_over_pi{0,
                                                    0xa2f9836e4e441529U,
                                                    0xfc2757d1f534ddc0U,
                                                    0xdb6295993c439041U,
                                                    0xfe5163abdebbc561U,
                                                    0xb7246e3a424dd2e0U,
                                                    0x06492eea09d1921cU,
                                                    0xfe1deb1cb129a73eU,
                                                    0xe88235f52ebb4484U,
                                                    0xe99c7026b45f7e41U,
                                                    0x3991d639835339f4U,
                                                    0x9c845f8bbdf9283bU,
                                                    0x1ff897ffde05980fU,
                                                    0xef2f118b5a0a6d1fU,
                                                    0x6d367ecf27cb09b7U,
                                                    0x4f463f669e5fea2dU,
                                                    0x7527bac7ebe5f17bU,
                                                    0x3d0739f78a5292eaU,
                                                    0x6bfb5fb11f8d5d08U,
                                                    0x56033046fc7b6babU};

/// 64 bits of 2/pi; bit 1 has the weight 1/2.
std::uint64_t bits_of_two_over_pi(int first_bit) {
    const auto start = static_cast<unsigned>(first_bit - 1 + 64);
    const unsigned word = start / 64;
    const unsigned shift = start % 64;
    if (shift == 0) return two_over_pi[word];
    return (two_over_pi[word] << shift) | (two_over_pi[word + 1] >> (64 - shift));
}

/// An angle as quadrant * pi/2 + rest, the rest within +-pi/4.
struct Quadrant {
    unsigned index = 0;
    Pair rest;
};

__extension__ using Wide = unsigned __int128;

/// Exact multiple-word reduction (Payne and Hanek), for sizes from 2^20 up: 192 bits of
/// x (2/pi) modulo 4 leave at least 66 good ones after the worst cancellation.
Quadrant reduce_large_angle(double size) {
    const auto bits = std::bit_cast<std::uint64_t>(size);
    const int exponent = static_cast<int>(bits >> 52) - 1023 - 52;
    const std::uint64_t mantissa = (bits & 0x000fffffffffffffU) | 0x0010000000000000U;
    const int first_bit = exponent - 1;  // those before it make multiples of 4
    const Wide low = static_cast<Wide>(mantissa) * bits_of_two_over_pi(first_bit + 128);
    const Wide middle = static_cast<Wide>(mantissa) * bits_of_two_over_pi(first_bit + 64) +
                        static_cast<std::uint64_t>(low >> 64);
    const std::uint64_t high =
        mantissa * bits_of_two_over_pi(first_bit) + static_cast<std::uint64_t>(middle >> 64);
    Wide fraction = (static_cast<Wide>(high) << 66) |
                    (static_cast<Wide>(static_cast<std::uint64_t>(middle)) << 2) |
                    (static_cast<std::uint64_t>(low) >> 62);
    auto index = static_cast<unsigned>(high >> 62);
    const bool past_half = (fraction >> 127) != 0;
    if (past_half) {
        fraction = ~fraction + 1;
        ++index;
    }
    const auto top = static_cast<std::uint64_t>(fraction >> 64);
    const int zeros = top != 0 ? std::countl_zero(top)
                               : 64 + std::countl_zero(static_cast<std::uint64_t>(fraction));
    const Wide normal = zeros < 128 ? fraction << zeros : 0;
    const auto hi_bits = static_cast<std::uint64_t>(normal >> 75);  // 53 bits
    const auto lo_bits = static_cast<std::uint64_t>(normal >> 11);  // the next 64
    const double scale = power_of_two(-53 - zeros);
    Pair turns{static_cast<double>(hi_bits) * scale,
               static_cast<double>(lo_bits) * scale * 0x1p-64};
    if (past_half) turns = {-turns.hi, -turns.lo};
    return {index & 3U, product_of(turns, half_pi)};
}

/// Reduction in three parts of 33 bits, each an exact product with a count below 2^20 (Cody and
/// Waite).
Quadrant reduce_angle(double size) {
    constexpr double part_1 = 0x1.921fb544p+0;
    constexpr double part_2 = 0x1.0b4611a6p-34;
    constexpr double part_3 = 0x1.3198a2ep-69;
    constexpr double part_4 = 0x1.b839a252049c1p-104;
    constexpr double quarter_pi = 0x1.921fb54442d18p-1;
    constexpr double one_over_half_pi = 0x1.45f306dc9c883p-1;
    if (size <= quarter_pi) return {0, {size, 0}};
    if (size >= 0x1p20) return reduce_large_angle(size);
    const double count = nearest(size * one_over_half_pi);
    const Pair rest = two_sum(size - count * part_1, -(count * part_2));
    const Pair finer = two_sum(rest.lo, -(count * part_3));
    const Pair whole = two_sum(rest.hi, finer.hi);
    return {static_cast<unsigned>(count) & 3U,
            two_sum(whole.hi, whole.lo + (finer.lo - count * part_4))};
}

double sin_of_reduced(Pair x) {
    static constexpr std::array<double, 8> series{
        1.0 / 355687428096000, -1.0 / 1307674368000, 1.0 / 6227020800, -1.0 / 39916800,
        1.0 / 362880,          -1.0 / 5040,          1.0 / 120,        -1.0 / 6};
    const double z = x.hi * x.hi;
    return x.hi + (x.hi * z * polynomial(series, z) + x.lo * (1 - 0.5 * z));
}

double cos_of_reduced(Pair x) {
    static constexpr std::array<double, 8> series{
        -1.0 / 6402373705728000, 1.0 / 20922789888000, -1.0 / 87178291200, 1.0 / 479001600,
        -1.0 / 3628800,          1.0 / 40320,          -1.0 / 720,         1.0 / 24};
    const double z = x.hi * x.hi;
    const double half = 0.5 * z;
    const double main = 1 - half;
    return main + (((1 - main) - half) + (z * z * polynomial(series, z) - x.hi * x.lo));
}

/// atan(i / 8).
constexpr std::array<Pair, 9> atan_of_eighths{{{0, 0},
                                               {0x1.fd5ba9aac2f6ep-4, -0x1.cd37686760c17p-59},
                                               {0x1.f5b75f92c80ddp-3, 0x1.8ab6e3cf7afbdp-57},
                                               {0x1.6f61941e4def1p-2, -0x1.c63aae6f6e918p-56},
                                               {0x1.dac670561bb4fp-2, 0x1.a2b7f222f65e2p-56},
                                               {0x1.1e00babdefeb4p-1, -0x1.928df287a668fp-58},
                                               {0x1.4978fa3269ee1p-1, 0x1.2419a87f2a458p-56},
                                               {0x1.700a7c5784634p-1, -0x1.8c34d25aadef6p-56},
                                               {0x1.921fb54442d18p-1, 0x1.1a62633145c07p-55}}};

/// atan(small / large) for 0 <= small <= large: from the nearest eighth c of the quotient,
/// atan(c) + atan((small - c large) / (large + c small)).
Pair atan_of_quotient(double small, double large) {
    static constexpr std::array<double, 7> series{1.0 / 15, -1.0 / 13, 1.0 / 11, -1.0 / 9,
                                                  1.0 / 7,  -1.0 / 5,  1.0 / 3};
    const double eighths = nearest(8 * (small / large));
    const double c = eighths / 8;
    const Pair numerator = two_sum(small, -(c * large));  // c has 3 bits ...
    const Pair product = two_product(c, large);           // ... yet c * large may round
    const double top = numerator.hi + (numerator.lo - product.lo);
    const double t = top / (large + c * small);
    const double z = t * t;
    const Pair base = atan_of_eighths[static_cast<std::size_t>(eighths)];
    return sum_of(base, {t, -t * z * polynomial(series, z)});
}

}  // namespace

double exp(double x) noexcept {
    if (!(x == x)) return x;
    if (x > 709.8) return infinity;
    if (x < -745.2) return 0;
    const ExpReduction reduced = reduce_for_exp(x);
    return scaled_by_power(1 + expm1_of_reduced(reduced), reduced.k);
}

double expm1(double x) noexcept {
    if (!(x == x) || x == 0) return x;
    if (x > 709.8) return infinity;
    if (x < -40) return -1;
    const ExpReduction reduced = reduce_for_exp(x);
    const double rest = expm1_of_reduced(reduced);
    if (reduced.k == 0) return rest;
    if (reduced.k > 60) return scaled_by_power(1 + rest, reduced.k);
    const double power = power_of_two(reduced.k);
    return (power - 1) + power * rest;
}

double log(double x) noexcept {
    if (x == 0) return -infinity;
    if (!(x > 0)) return not_a_number;
    if (x == infinity) return x;
    const auto [k, m] = reduce_for_log(x);
    const double f = m - 1;
    const double s = f / (2 + f);
    const double z = s * s;
    const double half_square = 0.5 * f * f;
    const double tail = z * (2.0 / 3 + z * polynomial(atanh_tail, z));
    // 2 s = f - f^2/2 + s f^2/2, whose first term is exact
    return k * ln2_hi + (f - (half_square - (s * (half_square + tail) + k * ln2_lo)));
}

double pow(double x, double y) noexcept {
    if (y == 0 || x == 1) return 1;
    if (!(x == x) || !(y == y)) return not_a_number;
    if (x == 0 || std::isinf(x) || std::isinf(y)) return pow_at_the_ends(x, y);
    if (x < 0 && !is_whole(y)) return not_a_number;
    const double sign = x < 0 && is_odd(y) ? -1 : 1;
    if (x == -1) return sign;
    const Pair log_x = log_pair(std::abs(x));
    if (std::abs(y) * std::abs(log_x.hi) > 800) {
        return (y > 0) == (log_x.hi > 0) ? sign * infinity : sign * 0.0;
    }
    const Pair product = two_product(y, log_x.hi);
    ExpReduction reduced = reduce_for_exp(product.hi);
    const Pair r = two_sum(reduced.r, reduced.r_lo + (product.lo + y * log_x.lo));
    reduced.r = r.hi;
    reduced.r_lo = r.lo;
    return sign * scaled_by_power(1 + expm1_of_reduced(reduced), reduced.k);
}

SinCos sincos(double angle_rad) noexcept {
    const double size = std::abs(angle_rad);
    if (!(size < infinity)) return {not_a_number, not_a_number};
    if (size < 0x1p-27) return {angle_rad, 1};
    const auto [index, rest] = reduce_angle(size);
    const double s = sin_of_reduced(rest);
    const double c = cos_of_reduced(rest);
    const std::array<SinCos, 4> turned{{{s, c}, {c, -s}, {-s, -c}, {-c, s}}};
    SinCos result = turned[index];
    if (angle_rad < 0) result.sin = -result.sin;
    return result;
}

double sin(double angle_rad) noexcept {
    return sincos(angle_rad).sin;
}
double cos(double angle_rad) noexcept {
    return sincos(angle_rad).cos;
}

double atan2(double y, double x) noexcept {
    if (!(x == x) || !(y == y)) return not_a_number;
    double ay = std::abs(y);
    double ax = std::abs(x);
    if (std::isinf(ax) || std::isinf(ay)) {  // directions between the axes are all that is left
        ay = std::isinf(ay) ? 1 : 0;
        ax = std::isinf(ax) ? 1 : 0;
    }
    const double largest = ax > ay ? ax : ay;
    Pair angle;
    if (largest > 0) {
        // Away from both ends of the range, so that no product over- or underflows.
        const double scale = largest > 1 ? 0x1p-500 : 0x1p500;
        if (largest > 0x1p500 || largest < 0x1p-500) {
            ax *= scale;
            ay *= scale;
        }
        angle = ay <= ax ? atan_of_quotient(ay, ax) : atan_of_quotient(ax, ay);
        if (ay > ax) angle = sum_of(half_pi, {-angle.hi, -angle.lo});
    }
    if (std::signbit(x)) angle = sum_of({2 * half_pi.hi, 2 * half_pi.lo}, {-angle.hi, -angle.lo});
    const double size = angle.hi + angle.lo;
    return std::signbit(y) ? -size : size;
}

}  // namespace hopcoil::math
