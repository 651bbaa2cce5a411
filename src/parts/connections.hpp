#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/parts/parts_settings.hpp>
#include <hopcoil/parts/parts_structure.hpp>

#include "constraint_row.hpp"
#include "joint.hpp"
#include "parts_body.hpp"
#include "skyline.hpp"

namespace hopcoil {
namespace parts {

/// A link as stiff as this is a rod.
inline constexpr double stiff_as_rock = 1e50;

/// All joints and links, solved together.
///
/// Model   docs/parts.md (3) to (6).
class Connections {
  public:
    Connections(const PartsStructure& structure, const PartsSettings& settings,
                std::span<const Body> bodies);

    /// Begins a substep: all rows are found, and springs and links pull as far as the substep can
    /// follow them.
    void begin(std::span<Body> bodies, double h, double remaining_s) noexcept;
    /// Solves joints, limits, and the rest of springs and links, once the bodies have moved without
    /// them. Returns how far the worst of them is then from where it should be.
    [[nodiscard]] double solve(std::span<Body> bodies, double h) noexcept;
    /// The same again, after contacts have moved the bodies.
    double settle(std::span<Body> bodies, double h) noexcept;
    /// How far apart joints, or beyond their ends limits and links, are.
    [[nodiscard]] double largest_gap(std::span<Body> bodies) noexcept;
    /// Draws together joints that are apart, as the substep ends, without adding velocity.
    void draw_together(std::span<Body> bodies) noexcept;
    /// Of springs and links as the substep began, in joules.
    [[nodiscard]] double energy_at_start() const noexcept { return energy_at_start_; }
    /// The largest k w of all springs and links on one body, as the substep began.
    [[nodiscard]] double largest_load() const noexcept;
    /// The work of driven bodies, motors and moving targets on the others.
    [[nodiscard]] double driven_work(std::span<const Body> bodies, double h) const noexcept;

    [[nodiscard]] std::span<Connection> all() noexcept { return all_; }
    [[nodiscard]] std::span<const Connection> all() const noexcept { return all_; }
    /// Elastic, in joules.
    [[nodiscard]] double energy(std::span<const Body> bodies) const noexcept;
    /// The largest k h^2 w.
    [[nodiscard]] double stiffest(std::span<const Body> bodies, double h) const;

  private:
    /// A spring or link in a substep.
    struct Pull {
        double share = 1;      ///< of its force that is applied as the substep begins
        Vector3 explicit_n{};  ///< that force, in components
        std::size_t count = 0;
        std::array<Row, 3> rows{};
        std::array<double, 3> at_end{};  ///< part of the damper's force that is of the end
        std::array<double, 3> rates{};   ///< how fast each changes, as the substep begins
        std::array<double, 3> motor{};   ///< what rate the damping draws it to
        std::array<double, 3> aimed{};   ///< how fast the wanted position moves
    };
    void find_order();
    void reserve(std::span<const Body> bodies);
    [[nodiscard]] static double wanted_rate(const Pull& pull, std::size_t component) noexcept;
    [[nodiscard]] double stiffness_of(std::size_t index) const noexcept;
    [[nodiscard]] double damping_of(std::size_t index) const noexcept;
    [[nodiscard]] Row row_of_link(std::size_t index, std::span<const Body> bodies) const noexcept;
    void find_pull(std::size_t index, std::span<const Body> bodies) noexcept;
    void add_loads(std::size_t index, std::span<const Body> bodies) noexcept;
    void pull_at_start(std::size_t index, std::span<Body> bodies, double h) noexcept;
    void add_row(const Row& row, std::size_t owner) noexcept;
    void add_held(std::size_t index, std::span<const Body> bodies) noexcept;
    void add_limits(std::size_t index, std::span<const Body> bodies) noexcept;
    void add_hard_link(std::size_t index, std::span<const Body> bodies) noexcept;
    void add_spring(std::size_t index, std::span<const Body> bodies, double h) noexcept;
    [[nodiscard]] bool factor(std::span<Body> bodies, double h) noexcept;
    void correct(std::span<Body> bodies, double h) noexcept;
    [[nodiscard]] bool is_off(const Row& row) const noexcept;
    void see_all(std::span<Body> bodies) noexcept;
    [[nodiscard]] bool change_active(std::span<Body> bodies, double h) noexcept;
    [[nodiscard]] bool cap_springs(std::span<Body> bodies, double h) noexcept;
    [[nodiscard]] double worst_error() const noexcept;

    std::vector<Connection> all_;  ///< joints, then links
    double spring_stiffness_ = 1;
    double spring_damping_ = 1;
    std::vector<std::uint32_t> order_;
    std::vector<Pull> pulls_;
    std::vector<Connection::SpringStart> starts_;
    std::vector<Connection::Values> seen_;
    std::vector<double> loads_;  ///< of springs and links on each body, over its mass
    std::vector<Row> rows_;
    std::size_t row_count_ = 0;
    std::vector<std::uint32_t> active_;
    std::size_t active_count_ = 0;
    std::vector<std::uint32_t> firsts_;
    std::vector<std::uint32_t> first_of_body_;
    std::vector<double> sides_;
    Skyline matrix_;
    double energy_at_start_ = 0;
};

}  // namespace parts
}  // namespace hopcoil
