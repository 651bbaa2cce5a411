#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/gait/rig.hpp>
#include <hopcoil/parts/balance.hpp>

namespace hopcoil {

/// The names of a skeleton's joints that make up the body; left before right.
struct BalanceJoints {
    std::array<std::string, 2> hips{};
    std::array<std::string, 2> knees{};
    std::array<std::string, 2> ankles{};
    std::string pelvis{};  ///< empty: the parent of the hips
    std::string chest{};   ///< may be empty, as all below
    std::string head{};
    std::array<std::string, 2> shoulders{};  ///< with elbows and hands, or no arms
    std::array<std::string, 2> elbows{};
    std::array<std::string, 2> hands{};
};

/// A skeleton as a body that keeps its balance.
///
///     const BalanceRig rig{read_skeleton("deckhand.glb"), {.hips = {"hip.l", "hip.r"}, ...}};
///     Balance deckhand{{.build = rig.build(78)}, ground, place};
///     rig.pose(deckhand, {}, local);  // as often as it is shown
///
/// Model   lengths of legs, trunk and arms as at rest; the sole is at its lowest joint. Each named
///         joint turns as its part does from rest; bones that hang or spread at rest are first
///         turned to where the part's lie. All other joints are as in `base`.
/// Errors  InvalidValue: joints that are not there or do not follow one another, a bone without a
///         length.
class BalanceRig {
  public:
    BalanceRig(Skeleton skeleton, const BalanceJoints& names);

    [[nodiscard]] const Skeleton& skeleton() const noexcept { return skeleton_; }
    /// Its sizes. Errors: those of require_valid.
    [[nodiscard]] BalanceBuild build(double mass_kg) const;

    /// The poses of its joints, each in its parent's frame; of roots, in the world.
    /// Shapes  `local` has a pose for each joint; `base`, a pose of the rest of the body, the same,
    ///         or nothing: as at rest.
    /// Cost    allocates nothing.
    void pose(const Balance& body, std::span<const Pose> base,
              std::span<Pose> local) const noexcept;

    /// Where the parts of the body are in a pose of the skeleton: for BalanceInputs::pose. They
    /// turn as its joints do, and hang together as the body's own.
    /// Shapes  `local` has a pose for each joint; `model` has room for as many; `parts` has a place
    ///         for each part of the body. `at` is where the model's frame is.
    void place_parts(std::span<const Pose> local, const Placement& at, std::span<Pose> model,
                     std::span<Placement> parts) const noexcept;

  private:
    /// A joint that goes with a part.
    struct Bone {
        std::size_t joint = 0;
        std::uint32_t part = 0;
        Quaternion turn{};  ///< of the joint in the part's frame
    };
    void add_limb(const std::array<std::string, 2>& names, const std::array<std::string, 2>& ends,
                  BodyPart left);
    void add_trunk(const std::string& name, BodyPart part);
    [[nodiscard]] Vector3 rest_of(const std::string& name) const;
    [[nodiscard]] Vector3 middle_of(const std::array<std::string, 2>& names) const;

    Skeleton skeleton_;
    std::vector<Pose> rest_{};  ///< in the model's frame
    std::vector<Bone> bones_{};
    std::size_t pelvis_ = 0;
    Vector3 pelvis_own_{};  ///< the pelvis joint from the middle of the hips, at rest
    BalanceBuild build_{};
};

}  // namespace hopcoil
