#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/parts/parts.hpp>
#include <hopcoil/parts/parts_settings.hpp>

#include "colliders.hpp"
#include "face_touches.hpp"
#include "parts_body.hpp"

namespace hopcoil {
namespace parts {

/// One spot where a body touches another, or the world.
struct Contact {
    std::uint64_t key = 0;  ///< of the two solids
    bool is_recalled = false;
    std::uint32_t a = 0;
    std::uint32_t b = 0;  ///< the last body is the world
    Vector3 local_a{};    ///< the spot, in the bodies' frames
    Vector3 local_b{};
    Vector3 normal{};  ///< toward a
    Vector3 arm_a{};   ///< from the centre, as the substep began
    Vector3 arm_b{};
    Vector3 surface{};  ///< velocity of what it touches in the world
    double gap = 0;
    double give = 0;  ///< along the normal
    double friction = 0;
    double restitution = 0;
    double rolling_m = 0;
    double impulse = 0;
    Vector3 rubbing{};    ///< impulse across the normal
    Vector3 resisting{};  ///< angular impulse against rolling
    Vector3 stuck_a{};    ///< spots that were together as it began to stick, in both frames
    Vector3 stuck_b{};
    bool is_stuck = false;
    bool slips = false;
    double lasting_s = 0;    ///< of the substep, after the contact
    double target = 0;       ///< speed along the normal afterwards, at least
    double closing = 0;      ///< speed at which it began in this substep
    bool is_struck = false;  ///< by an impact in this substep
    bool is_blow = false;    ///< solved in this round of impacts

    [[nodiscard]] bool is_on_ground() const noexcept { return key >> 62 == 3; }
};

/// Contacts of parts with each other, with shapes and with the ground.
///
/// Model   docs/parts.md (7) and (8).
class Contacts {
  public:
    Contacts(const PartsStructure& structure, const PartsSettings& settings,
             std::span<const Body> bodies);

    /// As a step begins: what may touch during it.
    void begin_step(std::span<Body> bodies, double dt) noexcept;
    [[nodiscard]] const Colliders& colliders() const noexcept { return colliders_; }
    /// As a substep begins: where they touch.
    void find(std::span<Body> bodies, const PartsInputs& inputs, double h,
              double remaining_s) noexcept;
    /// The impulses of the substep before, once the bodies have gone on.
    void apply_last(std::span<Body> bodies, double h) noexcept;
    /// Whether anything touches.
    bool solve(std::span<Body> bodies, double h) noexcept;
    /// Whether anything touches, or is too deep.
    [[nodiscard]] bool are_deep(std::span<const Body> bodies) const noexcept;
    /// Separates solids that penetrate too deeply, without adding velocity.
    void push_apart(std::span<Body> bodies) noexcept;

    /// Contacts of sleeping bodies, as they were when these fell asleep.
    [[nodiscard]] std::span<const Contact> all() const noexcept { return {now_.data(), count_}; }
    /// Contacts of bodies that move.
    [[nodiscard]] std::span<const Contact> active() const noexcept {
        return {now_.data(), active_};
    }
    [[nodiscard]] double deepest_m() const noexcept { return deepest_; }
    void forget() noexcept;
    /// Undoes `find`.
    void go_back() noexcept;
    /// The work of moving surfaces and driven bodies on the others.
    [[nodiscard]] double driven_work(std::span<const Body> bodies) const noexcept;

    template <class Fields>
    void visit_state(Fields& fields) {
        auto count = static_cast<std::uint32_t>(count_);
        fields.up_to(static_cast<std::uint32_t>(now_.size()), count);
        count_ = count;
        fields(last_h_);
        for (std::size_t i = 0; i < count_; ++i) {
            Contact& each = now_[i];
            fields.up_to(world_, each.a);
            fields.up_to(world_, each.b);
            fields(each.key, each.local_a, each.local_b, each.normal, each.gap, each.impulse,
                   each.rubbing, each.resisting, each.stuck_a, each.stuck_b, each.is_stuck);
        }
    }

  private:
    struct Surface {
        std::uint32_t body = 0;
        Vector3 velocity{};
        double friction = 0.5;
        double restitution = 0;
        double rolling_m = 0;
    };
    void find_pairs(std::span<Body> bodies, double h) noexcept;
    void find_shapes(std::span<Body> bodies, const PartsInputs& inputs, double h,
                     double remaining_s) noexcept;
    void touch_shape(std::uint64_t key, std::size_t collider, std::span<Body> bodies,
                     const ContactShape& shape, const ShapeSolid& solid, double h) noexcept;
    void find_boxes(std::size_t collider, std::span<Body> bodies, const Ground& ground,
                    double ahead, double h) noexcept;
    void find_faces(std::size_t collider, std::span<Body> bodies, const Ground& ground,
                    double ahead, double h) noexcept;
    void find_ground(std::span<Body> bodies, const Ground& ground, double h,
                     double remaining_s) noexcept;
    void keep_sleeping(std::span<const Body> bodies) noexcept;
    [[nodiscard]] std::span<Contact> active() noexcept { return {now_.data(), active_}; }
    void add(std::uint64_t key, std::uint32_t a, std::span<Body> bodies, const Surface& surface,
             const Vector3& normal, const TouchPoint& point, double h) noexcept;
    [[nodiscard]] std::size_t first_with(std::uint64_t key) noexcept;
    void recall(Contact& contact, const Placement& place_a, const Placement& place_b,
                double h) noexcept;
    [[nodiscard]] double depth_of(const Contact& contact,
                                  std::span<const Body> bodies) const noexcept;
    [[nodiscard]] double margin_of(const Body& body, double h) const noexcept;
    [[nodiscard]] Vector3 relative_velocity(const Contact& contact,
                                            std::span<const Body> bodies) const noexcept;
    [[nodiscard]] double normal_speed(const Contact& contact,
                                      std::span<const Body> bodies) const noexcept;
    void strike(const Contact& contact, std::span<Body> bodies, const Vector3& impulse,
                double h) noexcept;
    static void strike(Body& body, Vector3& spin, const Vector3& impulse, const Vector3& turning,
                       double h) noexcept;
    [[nodiscard]] bool find_bounce(Contact& contact, double approach, double h) const noexcept;
    void pass_on_blows(std::span<Body> bodies, double h) noexcept;
    [[nodiscard]] double press(Contact& contact, std::span<Body> bodies) noexcept;
    void rub(Contact& contact, std::span<Body> bodies) noexcept;
    void resist_rolling(Contact& contact, std::span<Body> bodies, double h) noexcept;

    Colliders colliders_;
    std::vector<Contact> now_;
    std::vector<Contact> before_;
    std::array<GroundBox, 32> boxes_{};  ///< of the ground, those near the last collider
    FaceTouches faces_;                  ///< of the last collider
    std::vector<Vector3> spins_;         ///< of each body, while contacts are solved
    std::size_t count_ = 0;
    std::size_t count_before_ = 0;
    std::size_t from_ = 0;    ///< where the next of those before is looked for
    std::size_t active_ = 0;  ///< of `now_`, the first ones: of what moves
    std::uint32_t world_;     ///< the last body
    Vector3 gravity_{};
    double friction_ = 0.5;
    double restitution_ = 0;
    double deepest_ = 0;
    double last_h_ = 0;  ///< of the substep that the impulses are of
    double last_h_before_ = 0;
};

}  // namespace parts
}  // namespace hopcoil
