#include <algorithm>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>

#include "../read/read_pictures.hpp"
#include "jointed.hpp"
#include "parts.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

constexpr std::size_t most_parts = 500;
constexpr std::size_t most_corners = 200;

/// One table [parts.NAME] being read.
class PartsReader {
  public:
    explicit PartsReader(KindReader& reader) : reader_{reader} {}

    void read() {
        made_.structure.is_flat = reader_.flag("flat").value_or(false);
        reader_.dials(made_.settings);
        made_.order = reader_.number("order").value_or(0);
        made_.contact_points = reader_.whole_number("contact_points", 0, 200).value_or(0);
        const Mount mount = mounts_.read(reader_);
        carrier_ = placement_at_start(reader_, mount, mounts_.targets());
        mount_ = mount;
        reader_.each_table("groups", "part group", [&](KindReader& one) { read_group(one); });
        reader_.each_table("parts", "part", [&](KindReader& one) { read_part(one); });
        reader_.each_table("rows", "part row", [&](KindReader& one) { read_row(one); });
        reader_.each_table("joints", "part joint", [&](KindReader& one) { read_joint(one); });
        reader_.each_table("links", "part link", [&](KindReader& one) { read_link(one); });
        reader_.each_table("blows", "part blow", [&](KindReader& one) { read_blow(one); });
        made_.shapes = read_shapes(reader_, mounts_, "part shape");
        const std::size_t ground = reader_.field<Ground>("ground");
        const std::size_t wind = reader_.field<Wind>("wind");
        if (made_.names.empty()) {
            reader_.problem("", "expected a key 'parts' with at least one part");
            return;
        }
        reader_.try_to([&] {
            reader_.add(std::make_unique<PartsSpec>(std::move(made_)), std::move(mounts_.targets()),
                        {ground, wind});
        });
    }

  private:
    void read_group(KindReader& one) {
        PartsGroup group{.name = one.own_name(KindReader::names_in(made_.groups))};
        one.dials(group.spring);
        made_.groups.push_back(std::move(group));
    }

    void read_part(KindReader& one) {
        Part part;
        const std::string name = one.own_name(made_.names);
        const PartShape shape = read_part_shape(one);
        Placement own{three(one, "at_m").value_or(Vector3{}), turn_at(one)};
        part.mass_kg = one.number("mass_kg").value_or(0);
        part.is_driven = one.flag("driven").value_or(false);
        part.friction = one.number("friction").value_or(part.friction);
        part.restitution = one.number("restitution").value_or(0);
        part.rolling_m = one.number("rolling_m").value_or(0);
        part.drag_per_s = one.number("drag_per_s").value_or(0);
        part.turning_drag_per_s = one.number("turning_drag_per_s").value_or(0);
        const Mount mount = mounts_.read(one);
        const bool has_mount = mount.position || mount.rotation;
        if (has_mount && !part.is_driven)
            one.problem("driven", "expected true for a part with `to` or `facing`");
        const Placement carrier =
            has_mount ? placement_at_start(one, mount, mounts_.targets()) : carrier_;
        part.placement = carrier * own;
        PartMotion motion;
        for (const auto& [key, number] : {std::pair{"velocity_m_per_s", &motion.velocity},
                                          std::pair{"spin_deg_per_s", &motion.angular_velocity}}) {
            *number = rotated(carrier.rotation, three(one, key).value_or(Vector3{}));
            if (part.is_driven && one.has(key))
                one.problem(key, "expected none for a part that is driven");
        }
        motion.angular_velocity = motion.angular_velocity * (math::pi / 180);
        const std::optional<Colour> colour = read_colour(one.table(), "colour");
        part.shapes = {shape};
        if (!one.try_to([&] { require_valid(part); })) {
            invalid_.push_back(name);
            return;
        }
        if (made_.names.size() >= most_parts) {
            one.problem("", fmt::format("expected at most {} parts", most_parts));
            return;
        }
        if (part.is_driven) made_.driven.push_back({has_mount ? mount : mount_, own});
        made_.structure.parts.push_back(std::move(part));
        made_.names.push_back(name);
        made_.motions.push_back(motion);
        made_.colours.push_back(colour);
    }

    std::optional<std::uint32_t> named(KindReader& one, const std::string& key,
                                       const std::string& name) {
        const auto found = std::find(made_.names.begin(), made_.names.end(), name);
        if (found != made_.names.end())
            return static_cast<std::uint32_t>(found - made_.names.begin());
        // The problem of an invalid part has been noted already.
        if (std::find(invalid_.begin(), invalid_.end(), name) == invalid_.end()) {
            one.problem(key, io::there_is_no("part", name, made_.names));
        }
        return std::nullopt;
    }
    std::optional<std::uint32_t> part_at(KindReader& one, const std::string& key) {
        const std::optional<std::string> name = one.text(key);
        return name ? named(one, key, *name) : std::nullopt;
    }

    PartsGroup* group_at(KindReader& one) {
        const std::optional<std::string> name = one.text("group");
        if (!name) return nullptr;
        std::vector<std::string> names;
        for (PartsGroup& each : made_.groups) {
            if (each.name == *name) return &each;
            names.push_back(each.name);
        }
        one.problem("group", names.empty() ? "expected a list 'groups' with a group of this name"
                                           : io::there_is_no("group", *name, names));
        return nullptr;
    }

    /// Limits, group: what joints and rows have in common.
    void read_bounds(KindReader& one, PartJoint& joint) {
        const bool slides = joint.type == PartJoint::Type::slide;
        const std::optional<double> lowest_rad = one.number("lowest_rad");
        const std::optional<double> highest_rad = one.number("highest_rad");
        const std::optional<double> lowest_m = one.number("lowest_m");
        const std::optional<double> highest_m = one.number("highest_m");
        joint.lowest = (slides ? lowest_m : lowest_rad).value_or(joint.lowest);
        joint.highest = (slides ? highest_m : highest_rad).value_or(joint.highest);
        joint.most_lean_rad = one.number("most_lean_rad").value_or(joint.most_lean_rad);
        joint.most_twist_rad = one.number("most_twist_rad").value_or(joint.most_twist_rad);
        joint.lets_touch = one.flag("touch").value_or(false);
        if (joint.lowest > joint.highest) {
            const std::string unit = slides ? "_m" : "_rad";
            one.problem("lowest" + unit, "expected no more than highest" + unit);
            joint.lowest = joint.highest;
        }
    }

    /// The target of a joint's spring, or of those of a whole row.
    std::optional<std::size_t> read_target(KindReader& one, PartJoint::Type type,
                                           const PartsGroup* group) {
        if (!one.has("target")) return std::nullopt;
        const auto target = one.target("target");
        if (type == PartJoint::Type::fixed) {
            one.problem("target", "a fixed joint does not move");
            return std::nullopt;
        }
        if (group == nullptr) {
            one.problem("target", "expected a key 'group' as well: its spring follows the target");
            return std::nullopt;
        }
        if (!target) return std::nullopt;
        const SceneTarget& goal = one.target_at(*target);
        const bool is_ball = type == PartJoint::Type::ball;
        const bool slides = type == PartJoint::Type::slide;
        const bool fits = is_ball ? goal.kind() == ValueKind::rotation
                                  : goal.path.size() == 1 && goal.unit == (slides ? "m" : "rad");
        if (fits) return mounts_.add(*target);
        one.problem("target", is_ball  ? "expected a rotation, for a ball"
                              : slides ? "expected a number in metres, for a slide"
                                       : "expected an angle, for a hinge");
        return std::nullopt;
    }

    void add_joint(const PartJoint& joint, const std::string& name, PartsGroup* group,
                   const std::optional<std::size_t>& target) {
        if (target) {
            const auto index = static_cast<std::uint32_t>(made_.structure.joints.size());
            made_.aimed.push_back({index, joint.type, *target});
        }
        if (group != nullptr) group->joints.push_back(made_.structure.joints.size());
        std::string own = name;
        while (std::find(made_.joint_names.begin(), made_.joint_names.end(), own) !=
               made_.joint_names.end())
            own += '+';
        made_.structure.joints.push_back(joint);
        made_.joint_names.push_back(std::move(own));
    }

    [[nodiscard]] std::string name_of(std::uint32_t part) const {
        return part == no_part ? "world" : made_.names[part];
    }

    void read_joint(KindReader& one) {
        using Type = PartJoint::Type;
        PartJoint joint;
        const std::string type = one.choice("type").value_or("hinge");
        joint.type = type == "ball"    ? Type::ball
                     : type == "slide" ? Type::slide
                     : type == "fixed" ? Type::fixed
                                       : Type::hinge;
        const auto a = part_at(one, "a");
        const auto b = part_at(one, "b");
        const Vector3 at = three(one, "at_m").value_or(Vector3{});
        const Vector3 axis = three(one, "axis").value_or(Vector3{0, 0, 1});
        read_bounds(one, joint);
        PartsGroup* const group = group_at(one);
        const auto target = read_target(one, joint.type, group);
        const std::string name = one.has("name") ? one.own_name(made_.joint_names) : "";
        if (!one.has("b")) one.problem("", "expected a key 'b'");
        if (!b || (one.has("a") && !a)) return;
        joint.a = a.value_or(no_part);
        joint.b = *b;
        if (!(dot(axis, axis) > 0)) {
            one.problem("axis", "expected an axis of some length");
            return;
        }
        joint.frame = carrier_ * Placement{at, facing(axis, {1, 0, 0}, {0, 1, 0})};
        if (joint.a == joint.b) {
            one.problem("b", "expected another part than 'a'");
            return;
        }
        add_joint(joint, name.empty() ? name_of(joint.a) + '-' + name_of(joint.b) : name, group,
                  target);
    }

    void read_row(KindReader& one) {
        std::vector<std::uint32_t> row;
        for (const std::string& name : one.table().texts("parts")) {
            const auto part = named(one, "parts", name);
            if (part) row.push_back(*part);
        }
        const Vector3 axis = three(one, "axis").value_or(Vector3{0, 0, 1});
        const std::vector<double> anchors = one.numbers("anchors");
        PartJoint like;
        read_bounds(one, like);
        PartsGroup* const group = group_at(one);
        const auto target = read_target(one, like.type, group);
        if (row.size() < 2) {
            one.problem("parts", "expected the names of two parts or more");
            return;
        }
        if (!anchors.empty() && anchors.size() != 3 * (row.size() - 1)) {
            one.problem("anchors", fmt::format("expected {} numbers, x, y and z of each hinge",
                                               3 * (row.size() - 1)));
            return;
        }
        one.try_to([&] {
            const Vector3 turned = rotated(carrier_.rotation, axis);
            std::vector<PartJoint> joints = row_of_hinges(made_.structure, row, turned);
            for (std::size_t i = 0; i < joints.size(); ++i) {
                PartJoint joint = like;
                joint.a = joints[i].a;
                joint.b = joints[i].b;
                joint.frame = joints[i].frame;
                if (!anchors.empty()) {
                    const Vector3 own{anchors[3 * i], anchors[3 * i + 1], anchors[3 * i + 2]};
                    joint.frame.position = carrier_.position + rotated(carrier_.rotation, own);
                }
                add_joint(joint, name_of(joint.a) + '-' + name_of(joint.b), group, target);
            }
        });
    }

    void read_link(KindReader& one) {
        const auto a = part_at(one, "a");
        const auto b = part_at(one, "b");
        Vector3 point_a = three(one, "point_a_m").value_or(Vector3{});
        const Vector3 point_b = three(one, "point_b_m").value_or(Vector3{});
        const std::optional<double> shortest = one.number("shortest_m");
        const std::optional<double> longest = one.number("longest_m");
        PartsGroup* const group = group_at(one);
        if (!one.has("b")) one.problem("", "expected a key 'b'");
        if (!b || (one.has("a") && !a)) return;
        if (a == b) {
            one.problem("b", "expected another part than 'a'");
            return;
        }
        if (!a) point_a = carrier_.position + rotated(carrier_.rotation, point_a);
        made_.structure.link(a.value_or(no_part), point_a, *b, point_b, hard);
        PartLink& link = made_.structure.links.back();
        link.shortest_m = shortest.value_or(longest ? 0 : link.shortest_m);
        link.longest_m = longest.value_or(shortest ? 1e6 : link.longest_m);
        if (!(link.shortest_m >= 0 && link.shortest_m <= link.longest_m))
            one.problem("shortest_m", "expected a number of at least 0 and at most longest_m");
        if (group != nullptr) group->links.push_back(made_.structure.links.size() - 1);
    }

    void read_blow(KindReader& one) {
        PartBlow blow;
        blow.at_s = one.number("at_s").value_or(0);
        const auto part = part_at(one, "part");
        blow.place = three(one, "place_m").value_or(Vector3{});
        const auto newton_seconds = three(one, "newton_seconds");
        if (!(blow.at_s >= 0)) one.problem("at_s", "expected 0 or more");
        if (!one.has("part")) one.problem("", "expected a key 'part'");
        if (!newton_seconds) {
            if (!one.has("newton_seconds")) one.problem("", "expected a key 'newton_seconds'");
            return;
        }
        if (!part) return;
        blow.part = *part;
        blow.newton_seconds = *newton_seconds;
        made_.blows.push_back(blow);
    }

    KindReader& reader_;
    JointedParts made_;
    Mounts mounts_;
    Mount mount_{};
    std::vector<std::string> invalid_;  ///< names of parts that could not be made
    Placement carrier_{};
};

void read_parts(KindReader& reader) {
    PartsReader{reader}.read();
}

}  // namespace

PartShape read_part_shape(KindReader& reader) {
    using Type = PartShape::Type;
    PartShape shape;
    const std::string type = reader.choice("type").value_or("box");
    shape.type = type == "sphere"    ? Type::sphere
                 : type == "capsule" ? Type::capsule
                 : type == "outline" ? Type::outline
                                     : Type::box;
    shape.half_size_m = three(reader, "half_size_m").value_or(shape.half_size_m);
    shape.radius_m = reader.number("radius_m").value_or(shape.radius_m);
    shape.density_kg_per_m3 = reader.number("density_kg_per_m3").value_or(shape.density_kg_per_m3);
    shape.is_solid = reader.flag("solid").value_or(true);
    const std::vector<double> numbers = reader.numbers("outline");
    if (numbers.size() % 2 != 0 || numbers.size() > 2 * most_corners) {
        reader.problem("outline",
                       fmt::format("expected x and y of at most {} corners", most_corners));
        return shape;
    }
    for (std::size_t i = 0; i + 1 < numbers.size(); i += 2)
        shape.outline.push_back({numbers[i], numbers[i + 1], 0});
    return shape;
}

SystemKind parts_kind() {
    return {"parts", parts_tables(), {}, read_parts};
}

}  // namespace hopcoil::scene
