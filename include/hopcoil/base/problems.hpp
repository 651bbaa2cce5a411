#pragma once

#include <stdexcept>
#include <string>
#include <string_view>

namespace hopcoil {

/// A constructor or a configuring function got a number outside its range; nothing was changed.
/// `what()` reads "damping_ratio = -1: expected a finite number, 0 or more".
class InvalidValue : public std::invalid_argument {
  public:
    InvalidValue(std::string_view field, double value, std::string_view expected);

    [[nodiscard]] const std::string& field() const noexcept { return field_; }
    [[nodiscard]] const std::string& expected() const noexcept { return expected_; }
    [[nodiscard]] double value() const noexcept { return value_; }

  private:
    std::string field_;
    std::string expected_;
    double value_;
};

/// Numbers that are each valid but inconsistent together, such as a damper without a spring;
/// `what()` names them and says why.
class InconsistentParameters : public std::invalid_argument {
  public:
    using std::invalid_argument::invalid_argument;
};

/// The shortest decimal that reads back as the same double.
[[nodiscard]] std::string shortest(double value);

void require_finite(std::string_view field, double value);
void require_at_least_zero(std::string_view field, double value);
void require_above_zero(std::string_view field, double value);
/// Both ends included.
void require_between(std::string_view field, double value, double least, double most);

/// Whether `require_valid` accepts the settings; `is_valid` of every type of settings calls it.
template <class Settings>
[[nodiscard]] bool passes_require_valid(const Settings& settings) noexcept {
    try {
        require_valid(settings);
        return true;
    } catch (const std::invalid_argument&) {
        return false;
    }
}

}  // namespace hopcoil
