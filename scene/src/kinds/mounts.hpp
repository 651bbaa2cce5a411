#pragma once

#include <cmath>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/base/placement.hpp>
#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/system.hpp>

namespace hopcoil::scene {

/// The thing that carries something: indices into its system's own targets.
struct Mount {
    std::optional<std::size_t> position{};
    std::optional<std::size_t> rotation{};
    friend bool operator==(const Mount&, const Mount&) = default;
};

/// Where it is now.
[[nodiscard]] Placement placement_of(const Mount& mount, const SystemInputs& inputs);

/// The field of type F among those that act on a system; nullptr where none is connected.
template <class F>
[[nodiscard]] const F* field_in(const SystemInputs& inputs, std::size_t index) {
    if (index >= inputs.fields.size() || inputs.fields[index] == nullptr) return nullptr;
    return inputs.fields[index]->as_field<F>();
}

/// A shape that others cannot pass, in the frame of what carries it.
struct MountedShape {
    ContactShape shape{};
    Mount mount{};
    friend bool operator==(const MountedShape&, const MountedShape&) = default;
};

/// A step of a system that is stepped on a grid of its own.
struct GridStep {
    double end_s = 0;
    double length_s = 0;
};

/// Goes from the last step of a grid, `stepped_s`, to the last one by `time_s`: `step(end_s)` takes
/// each. Times of steps are counted, not summed up. False as soon as one of them is.
template <class Step>
[[nodiscard]] bool step_on_grid(double stepped_s, double time_s, double grid_s, const Step& step) {
    const double rounding_s = 1e-9 * grid_s;
    double index = std::round(stepped_s / grid_s) + 1;
    while (index * grid_s <= time_s + rounding_s) {
        if (!step(index * grid_s)) return false;
        index += 1;
    }
    return true;
}

/// Where something is, and its velocity.
struct Passage {
    Vector3 place{};
    Vector3 velocity{};
};

/// Where mounts are at times between the last one that their system was advanced to and now.
class MountHistory {
  public:
    explicit MountHistory(const SystemInputs& inputs) : mounted_(inputs.targets.size()) {
        note(inputs, inputs.time_s);
    }
    void note(const SystemInputs& inputs, double time_s);
    /// A position and its velocity between the last note and now; `inputs.time_s` is now.
    [[nodiscard]] Passage passage(std::size_t target, const SystemInputs& inputs,
                                  double time_s) const;
    [[nodiscard]] Placement at(const Mount& mount, const SystemInputs& inputs, double time_s) const;
    /// A target that is a number; of an angle, from where it was the shorter way.
    [[nodiscard]] double number_at(std::size_t target, const SystemInputs& inputs, double time_s,
                                   bool is_angle) const;
    /// Whether a target is elsewhere than at the last note of it.
    [[nodiscard]] bool has_moved(std::size_t target, const SystemInputs& inputs) const;
    /// Shapes as they are at the end of a step, and how they move in it.
    void place(const std::vector<MountedShape>& own, const SystemInputs& inputs,
               const GridStep& step, std::vector<ContactShape>& placed) const;

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_);
        for (Mounted& each : mounted_)
            fields(each.place, each.velocity, each.turn);
    }

  private:
    /// A mount's target as it was last.
    struct Mounted {
        Vector3 place{};
        Vector3 velocity{};
        Quaternion turn{};
    };
    [[nodiscard]] double part_of_way(double dt, double time_s) const;

    std::vector<Mounted> mounted_;
    double time_s_ = 0;
};

/// Collects the targets of a system while its mounts are read.
class Mounts {
  public:
    /// By the keys `to` and `facing`.
    Mount read(KindReader& reader);
    /// One more target, by its index in the scene; its index among the system's own.
    std::size_t add(std::size_t target) {
        targets_.push_back(target);
        return targets_.size() - 1;
    }
    std::vector<std::size_t>& targets() { return targets_; }

  private:
    std::optional<std::size_t> add(KindReader& reader, const std::string& key, ValueKind kind);

    std::vector<std::size_t> targets_;
};

/// Where a mount is at the start, by the targets that its system collected.
[[nodiscard]] Placement placement_at_start(KindReader& reader, const Mount& mount,
                                           const std::vector<std::size_t>& targets);
/// Where the place that a key names is at the start; nothing for what is no place.
[[nodiscard]] std::optional<Vector3> start_place(KindReader& reader, const std::string& key);
/// Three numbers; noted where there are others.
[[nodiscard]] std::optional<Vector3> three(KindReader& reader, const std::string& key);
/// By the key `turned_deg`: an axis times degrees.
[[nodiscard]] Quaternion turn_at(KindReader& reader);
/// The tables of the key `shapes`, and the facts about them under a name of the kind's.
[[nodiscard]] std::vector<MountedShape> read_shapes(KindReader& reader, Mounts& mounts,
                                                    const std::string& facts);
[[nodiscard]] std::vector<KeyFacts> mount_keys();
[[nodiscard]] TableFacts shape_table(const char* name, const char* heading);

}  // namespace hopcoil::scene
