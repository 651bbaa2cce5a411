#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/points/detail/cells.hpp>
#include <hopcoil/points/net.hpp>

namespace hopcoil {

namespace net {
/// Of NetState::touches.
inline constexpr std::uint8_t touching = 1;
inline constexpr std::uint8_t touched_before = 2;
inline constexpr std::uint8_t on_surface = 4;  ///< of the ground or of a shape
/// In one step.
inline constexpr std::size_t most_shapes = 64;
}  // namespace net

/// Contacts of the points of a net: with the ground, shapes, balls among them, and one another.
class NetContacts {
  public:
    /// By the method implicit, balls are solved for with the links instead: see NetBalls.
    NetContacts(const NetStructure& structure, const NetSettings& settings, NetMethod method);

    /// Before the first substep of a step: nothing is remembered from one step to the next.
    void begin_step() noexcept { until_search_ = 0; }
    /// For a substep that ends `remaining_s` before the step does.
    void begin(const NetInputs& inputs, double remaining_s) noexcept;
    /// Whether there is anything to touch.
    [[nodiscard]] bool has_any() const noexcept {
        return ground_ != nullptr || shape_count_ > 0 || !balls_.empty() || has_self_;
    }
    /// Whether any point is in something.
    [[nodiscard]] bool finds_any(std::span<const Vector3> x) const noexcept;
    /// Moves points out of whatever they are in, with friction, and marks them. What was in
    /// something before is moved together with its `base`, so that this gives it no velocity.
    void resolve(std::span<Vector3> x, std::span<const Vector3> x_start, std::span<Vector3> base,
                 double h, std::span<std::uint8_t> touches) noexcept;
    /// Marks one that touches another point of the net.
    void mark(std::uint32_t point, std::span<std::uint8_t> touches) noexcept {
        touches[point] |= net::touching;
        normals_[point] = {};
    }
    /// Removes from the velocity of a touching point its component into the surface.
    [[nodiscard]] Vector3 without_inward(std::size_t point, const Vector3& velocity) const noexcept;
    /// Of the deepest point of the last call of `resolve`, after it.
    [[nodiscard]] double depth_m() const noexcept { return depth_m_; }

  private:
    struct Surface {
        double metres;
        Vector3 normal;
        Vector3 velocity;
        double friction;
    };
    struct Pair {
        std::uint32_t a;
        std::uint32_t b;
        double least_m;
    };

    template <class Visit>
    void for_each_surface(std::size_t point, const Vector3& place,
                          const Visit& visit) const noexcept;
    void resolve_surfaces(std::size_t point, std::span<Vector3> x, std::span<const Vector3> x_start,
                          std::span<Vector3> base, double h,
                          std::span<std::uint8_t> touches) noexcept;
    void resolve_pair(const Pair& pair, std::span<Vector3> x, std::span<const Vector3> x_start,
                      std::span<std::uint8_t> touches) noexcept;
    void resolve_balls(std::span<Vector3> x, std::span<const Vector3> x_start,
                       std::span<std::uint8_t> touches) noexcept;
    void find_pairs(std::span<const Vector3> x) noexcept;

    double thickness_m_;
    double friction_;
    bool has_self_;
    double apart_m_ = 0;
    std::vector<double> inverse_masses_;
    std::vector<double> radii_;
    std::vector<std::uint32_t> balls_;
    std::vector<Vector3> rest_;     ///< places as built: neighbours do not push each other
    std::vector<Vector3> normals_;  ///< of the last contact of each point
    std::vector<Vector3> speeds_;   ///< of what was touched
    Cells cells_;
    std::vector<Pair> pairs_;
    std::size_t pair_count_ = 0;
    int until_search_ = 0;
    double depth_m_ = 0;

    std::vector<ContactShape> placed_;  ///< at the end of the substep, the first of them
    std::size_t shape_count_ = 0;
    const Ground* ground_ = nullptr;
    double remaining_s_ = 0;
    double highest_ = 0;  ///< no part of the ground is above it
};

}  // namespace hopcoil
