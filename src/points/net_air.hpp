#pragma once

#include <span>
#include <vector>

#include <hopcoil/points/net.hpp>

namespace hopcoil {

/// What the air does to a net: drag and lift on triangles, drag on links without any.
class NetAir {
  public:
    NetAir(const NetStructure& structure, const NetSettings& settings);

    /// The wind at each point, for a whole step: sampled at a few places, linear in between.
    void find_wind(const Wind* wind, double time_s, std::span<const Vector3> x) noexcept;
    /// What it does to the points as they move now. No force turns a velocity round within h.
    void find(const NetState& state, double h) noexcept;
    [[nodiscard]] std::span<const Vector3> accelerations() const noexcept { return found_; }

  private:
    void add_triangle(const std::array<std::uint32_t, 3>& corners, const NetState& state,
                      double h) noexcept;
    void add_link(const NetLink& link, const NetState& state, double h) noexcept;
    [[nodiscard]] bool is_off() const noexcept;

    std::vector<std::array<std::uint32_t, 3>> triangles_;
    std::vector<NetLink> links_;  ///< only where there are no triangles
    double diameter_m_;
    std::vector<double> masses_;
    std::vector<double> inverse_masses_;
    NetSettings settings_;
    std::vector<Vector3> wind_;
    std::vector<Vector3> found_;
};

}  // namespace hopcoil
