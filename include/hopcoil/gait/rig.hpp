#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/pose.hpp>
#include <hopcoil/gait/walker.hpp>

namespace hopcoil {

/// A joint of a skeleton, at rest.
struct Joint {
    std::string name{};
    std::size_t parent = 0;  ///< index of another, that comes before; its own for a root
    Pose rest{};             ///< in the parent's frame
};

/// Joints, parents before their children. At rest it faces +Z, +Y is up, its left is +X.
struct Skeleton {
    std::vector<Joint> joints{};

    /// Errors  InvalidValue when there is none of that name.
    [[nodiscard]] std::size_t find(const std::string& name) const;
};

/// Poses of all joints in the model's frame, from those in their parents' frames.
/// Shapes  as many as there are joints, both.
void to_model(const Skeleton& skeleton, std::span<const Pose> local,
              std::span<Pose> model) noexcept;

/// The joints that make a leg, by their names.
struct LegNames {
    std::string hip{};
    std::string knee{};
    std::string ankle{};
    std::string toe{};  ///< may be empty
};

/// A skeleton whose legs a walker drives.
///
///     const Rig rig{read_skeleton("crab.glb"), {{"hip.l", "knee.l", "ankle.l", "toe.l"}, ...}};
///     Walker crab{rig.settings(), ground, place};
///     rig.pose(crab, {}, local);  // as often as it is shown
///
/// Model   of its settings: a leg is thigh and shin and 0.85 of the ankle's height; hips, spots of
///         the feet, knees and how it stands as at rest, where a leg can reach that; legs of a side
///         from the front to the rear, groups crosswise.
///         Each thigh and shin is turned so that the ankle is over its spot, the knee toward where
///         it points at rest; the ankle so that the sole lies on the ground, or rolls: about its
///         toe joint, while the toe stays flat, and about its heel. Roots go with the body. All
///         other joints are as in `base`.
/// Errors  InvalidValue: joints that are not there or do not follow one another, a bone without a
///         length, more than 16 legs.
class Rig {
  public:
    Rig(Skeleton skeleton, const std::vector<LegNames>& legs);

    [[nodiscard]] const Skeleton& skeleton() const noexcept { return skeleton_; }
    [[nodiscard]] const WalkerSettings& settings() const noexcept { return settings_; }
    /// The joints of a leg of the walker: hip, knee, ankle.
    [[nodiscard]] std::span<const std::size_t> leg(std::size_t index) const noexcept {
        return legs_[index].joints;
    }

    /// The poses of its joints, each in its parent's frame.
    /// Shapes  `local` has a pose for each joint; `base`, a pose of the rest of the body (a clip,
    ///         another animation), the same, or nothing: as at rest. How far the ankle of the leg
    ///         that missed most is from where it should be.
    /// Cost    allocates nothing.
    // NOLINTNEXTLINE(modernize-use-nodiscard): the poses are what it is called for
    double pose(const Walker& walker, std::span<const Pose> base,
                std::span<Pose> local) const noexcept;

  private:
    static constexpr std::size_t no_joint = static_cast<std::size_t>(-1);
    struct Leg {
        std::array<std::size_t, 3> joints{};
        double thigh_m = 0.0;
        double shin_m = 0.0;
        double ankle_m = 0.0;  ///< over its sole
        double toe_m = 0.0;    ///< its toe joint, or the front of its sole, ahead of the ankle
        std::size_t toe = no_joint;
        Vector3 spot{};  ///< of the sole, at rest
        Vector3 pole{};  ///< where the knee points, at rest
    };
    void read_leg(const LegNames& names);
    void sort_legs();
    void derive_settings();
    [[nodiscard]] double pose_leg(std::size_t index, const Walker& walker,
                                  std::span<Pose> local) const noexcept;
    void flatten_toe(const Leg& leg, const WalkerFoot& foot, std::span<Pose> local) const noexcept;
    [[nodiscard]] Pose in_model(std::size_t joint, std::span<const Pose> local) const noexcept;

    Skeleton skeleton_;
    std::vector<Pose> rest_{};  ///< in the model's frame
    std::vector<Leg> legs_{};
    Vector3 middle_{};  ///< between the hips, at rest
    double sole_y_ = 0.0;
    WalkerSettings settings_{};
};

}  // namespace hopcoil
