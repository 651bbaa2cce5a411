// Runs followers through 10,000 recorded steps and prints a hash of every bit of their states:
// the same number whatever compiled it.

#include <cinttypes>
#include <cstdint>
#include <cstdio>
#include <cstring>

#include <Eigen/Core>

#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/follower.hpp>

namespace {

/// A generator of its own, since a library's distributions may differ.
class Numbers {
  public:
    double next() {  // in 0..1
        state_ = state_ * 6364136223846793005U + 1442695040888963407U;
        return static_cast<double>(state_ >> 11) * 0x1p-53;
    }

  private:
    std::uint64_t state_ = 20;
};

class Hash {
  public:
    template <class T>
    void add(const T& number) {
        unsigned char bytes[sizeof(T)];
        std::memcpy(bytes, &number, sizeof(T));
        for (const unsigned char byte : bytes)
            hash_ = (hash_ ^ byte) * 1099511628211U;
    }
    [[nodiscard]] std::uint64_t value() const { return hash_; }

  private:
    std::uint64_t hash_ = 14695981039346656037U;
};

hopcoil::Tuning next_tuning(Numbers& numbers) {
    const double ratio = numbers.next();
    return {.frequency_hz = hopcoil::math::exp(6 * numbers.next() - 2),
            .damping_ratio = ratio < 0.2 ? 1.0 : 3 * ratio * ratio,
            .lead = 4 * numbers.next() - 2};
}

template <class T, class Make>
void record(Hash& hash, Numbers& numbers, const Make& make) {
    hopcoil::Follower<T> follower{next_tuning(numbers), make()};
    for (int i = 0; i < 10000; ++i) {
        const double choice = numbers.next();
        const double dt = choice < 0.5 ? 1.0 / 60 : 0.1 * numbers.next();
        if (choice > 0.99) follower.retune(next_tuning(numbers));
        const T target = make();  // before what else is made: arguments have no order
        if (choice > 0.8) {
            follower.step(target, make(), dt);
        } else if (choice > 0.78) {
            follower.jump(target);
        } else {
            follower.step(target, dt);
        }
        hash.add(follower.value());
        hash.add(follower.velocity());
    }
}

}  // namespace

int main() {
    Numbers numbers;
    Hash hash;
    record<double>(hash, numbers, [&] { return 2 * numbers.next() - 1; });
    record<float>(hash, numbers, [&] { return static_cast<float>(2 * numbers.next() - 1); });
    record<Eigen::Vector4f>(hash, numbers, [&] {
        const auto x = static_cast<float>(numbers.next());
        return Eigen::Vector4f{x, 1 - x, x * x, 100 * x};
    });
    for (int i = 0; i < 10000; ++i) {
        const double x = 40 * numbers.next() - 20;
        hash.add(hopcoil::math::exp(x));
        hash.add(hopcoil::math::expm1(x));
        hash.add(hopcoil::math::log(x * x + 1e-3));
        hash.add(hopcoil::math::sin(1e3 * x));
        hash.add(hopcoil::math::cos(1e9 * x));
        hash.add(hopcoil::math::atan2(x, 3.0));
        hash.add(hopcoil::math::pow(x * x + 1e-3, 1.7));
    }
    std::printf("%016" PRIx64 "\n", hash.value());
}
