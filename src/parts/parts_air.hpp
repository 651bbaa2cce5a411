#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/field/wind.hpp>
#include <hopcoil/parts/parts.hpp>

#include "parts_body.hpp"

namespace hopcoil {
namespace parts {

/// What a wind does to the surfaces of parts.
///
/// Model   at patches of each surface with the area A, by the air's velocity u over theirs: on
///         flat ones that face it -n c d A (u n)^2 / 2; on spheres c d A |u| u / 2; on capsules
///         the same of the part of u that is across their axis. c is the drag coefficient, d the
///         air's density.
class PartsAir {
  public:
    PartsAir(const PartsStructure& structure, std::span<const Body> bodies);

    /// The wind at each body for a step; none where there is no wind.
    void find(const Wind* wind, double time_s, std::span<const Body> bodies) noexcept;
    /// Whether the force of the wind on a body is large enough to move it.
    [[nodiscard]] bool can_move(std::uint32_t body, const Body& at,
                                const PartsSettings& settings) const noexcept;
    /// What a substep of h does to each body: `strike(body, impulse, turning)`, in N s and N m s.
    template <class Strike>
    void blow(std::span<const Body> bodies, const PartsSettings& settings, double h,
              const Strike& strike) noexcept {
        for (std::uint32_t i = 0; blows_ && i < winds_.size(); ++i) {
            last_[i] = {};
            if (!bodies[i].moves()) continue;
            const Gust gust = gust_on(i, bodies[i], settings, h);
            strike(i, gust.impulse, gust.turning);
            last_[i] = {.part = i,
                        .place = bodies[i].own.position,
                        .newtons = gust.impulse * (1 / h),
                        .torque_nm = gust.turning * (1 / h)};
        }
    }
    /// Of the last substep, at its centre of mass.
    [[nodiscard]] const PartForce& force_on(std::uint32_t part) const { return last_.at(part); }

  private:
    enum class Shape : std::uint8_t { flat, across, round };
    /// In its body's frame.
    struct Patch {
        std::uint32_t body = 0;
        Shape shape = Shape::flat;
        Vector3 place{};
        Vector3 direction{};  ///< outward normal, or the axis
        double area_m2 = 0;   ///< times the share that its shape has of the drag coefficient
    };
    void add(std::uint32_t body, const PartShape& shape, const Placement& own);
    void add_flat(std::uint32_t body, const Placement& own, const Vector3& middle, const Vector3& u,
                  const Vector3& v);
    void add_outline(std::uint32_t body, const PartShape& shape, const Placement& own);
    struct Gust {
        Vector3 impulse{};
        Vector3 turning{};
    };
    [[nodiscard]] Gust gust_on(std::uint32_t body, const Body& at, const PartsSettings& settings,
                               double h) const noexcept;

    std::vector<Patch> patches_;       ///< in the order of bodies
    std::vector<std::size_t> firsts_;  ///< of each body; one more for the end
    std::vector<double> areas_;        ///< of each body, all of it
    std::vector<Vector3> winds_;       ///< at each body
    std::vector<PartForce> last_;
    std::vector<Vector3> places_;
    std::vector<WindSample> samples_;
    bool blows_ = false;
};

}  // namespace parts
}  // namespace hopcoil
