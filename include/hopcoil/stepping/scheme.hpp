#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string_view>

namespace hopcoil {

/// The ways to step accelerations over a fixed time step; one header each.
enum class Scheme : std::uint8_t {
    explicit_euler,
    semi_implicit_euler,
    implicit_euler,
    midpoint,
    velocity_verlet,
    position_verlet,
    runge_kutta_4,
};

/// What is known of a scheme beforehand.
struct SchemeFacts {
    Scheme scheme = Scheme::semi_implicit_euler;
    std::string_view name{};         ///< as in files: "runge_kutta_4"
    std::string_view in_words{};     ///< "classical Runge-Kutta"
    int order = 1;                   ///< of its error, damping included
    int evaluations_per_step = 1;    ///< of the accelerations; of the implicit one, on a spring
    bool keeps_energy = false;       ///< within a band for ever, where nothing damps
    std::string_view description{};  ///< one line
};

inline constexpr std::size_t scheme_count = 7;

[[nodiscard]] const std::array<SchemeFacts, scheme_count>& all_schemes() noexcept;
[[nodiscard]] const SchemeFacts& facts_of(Scheme scheme) noexcept;
[[nodiscard]] std::optional<Scheme> find_scheme(std::string_view name) noexcept;

}  // namespace hopcoil
