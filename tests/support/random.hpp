#pragma once

#include <cmath>
#include <random>

/// Seeded numbers for sweeps: the same in every run.
class Random {
  public:
    explicit Random(unsigned seed) : engine_{seed} {}

    double between(double low, double high) {
        return std::uniform_real_distribution<double>{low, high}(engine_);
    }
    /// Evenly over the orders of magnitude.
    double over_magnitudes(double low, double high) {
        return std::exp(between(std::log(low), std::log(high)));
    }
    bool chance(double probability) { return between(0, 1) < probability; }
    int whole(int low, int high) { return std::uniform_int_distribution<int>{low, high}(engine_); }

  private:
    std::mt19937_64 engine_;
};
