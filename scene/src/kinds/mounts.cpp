#include "mounts.hpp"

#include <algorithm>

#include <fmt/format.h>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/detail/cubic_way.hpp>

#include "vectors.hpp"

namespace hopcoil::scene {

Placement placement_of(const Mount& mount, const SystemInputs& inputs) {
    Placement at;
    if (mount.position) at.position = vector_of(inputs.targets[*mount.position].point.value);
    if (mount.rotation) at.rotation = rotation_of(inputs.targets[*mount.rotation].point.value);
    return at;
}

void MountHistory::note(const SystemInputs& inputs, double time_s) {
    for (std::size_t i = 0; i < mounted_.size(); ++i) {
        const ValueAndVelocity& point = inputs.targets[i].point;
        mounted_[i] = {vector_of(point.value), vector_of(point.velocity), {}};
        // A number or a position of zero cannot be made a unit quaternion.
        const Quaternion turn = rotation_of(point.value);
        if (!std::isnan(turn.w)) mounted_[i].turn = turn;
    }
    time_s_ = time_s;
}

double MountHistory::part_of_way(double dt, double time_s) const {
    return dt > 0 ? std::clamp((time_s - time_s_) / dt, 0.0, 1.0) : 1;
}

Passage MountHistory::passage(std::size_t target, const SystemInputs& inputs, double time_s) const {
    const Mounted& before = mounted_[target];
    const InputSample& now = inputs.targets[target];
    const Vector3 there = vector_of(now.point.value);
    const Vector3 there_velocity = vector_of(now.point.velocity);
    const double dt = inputs.time_s - time_s_;
    const double part = part_of_way(dt, time_s);
    if (now.knows_velocity && dt > 0 && part < 1) {
        const CubicWay<Vector3> way{before.place, before.velocity, there, there_velocity, dt};
        return {way.place(part * dt), way.velocity(part * dt)};
    }
    return {before.place + (there - before.place) * part, there_velocity};
}

Placement MountHistory::at(const Mount& mount, const SystemInputs& inputs, double time_s) const {
    Placement at;
    if (mount.position) at.position = passage(*mount.position, inputs, time_s).place;
    if (mount.rotation) {
        const Quaternion& before = mounted_[*mount.rotation].turn;
        const Quaternion now = rotation_of(inputs.targets[*mount.rotation].point.value);
        const double part = part_of_way(inputs.time_s - time_s_, time_s);
        at.rotation = turned_by(rotation_vector(now * conjugate(before)) * part) * before;
    }
    return at;
}

double MountHistory::number_at(std::size_t target, const SystemInputs& inputs, double time_s,
                               bool is_angle) const {
    const Mounted& before = mounted_[target];
    const InputSample& now = inputs.targets[target];
    const double dt = inputs.time_s - time_s_;
    const double part = part_of_way(dt, time_s);
    const double from = before.place.x;
    const double way = now.point.value[0] - from;
    const double there = from + (is_angle ? wrapped_rad(way) : way);
    if (!now.knows_velocity || !(part < 1)) return from + (there - from) * part;
    return CubicWay<double>{from, before.velocity.x, there, now.point.velocity[0], dt}.place(part *
                                                                                             dt);
}

bool MountHistory::has_moved(std::size_t target, const SystemInputs& inputs) const {
    constexpr double rounding = 1e-9;
    const ValueArray& now = inputs.targets[target].point.value;
    const Mounted& before = mounted_[target];
    const Vector3 way = vector_of(now) - before.place;
    const Vector3 turn = rotation_vector(rotation_of(now) * conjugate(before.turn));
    return std::max(dot(way, way), dot(turn, turn)) > rounding * rounding;
}

void MountHistory::place(const std::vector<MountedShape>& own, const SystemInputs& inputs,
                         const GridStep& step, std::vector<ContactShape>& placed) const {
    placed.resize(own.size());
    for (std::size_t i = 0; i < own.size(); ++i) {
        const MountedShape& each = own[i];
        const auto placement_at = [&](double at_s) {
            return at(each.mount, inputs, at_s) *
                   Placement{each.shape.position, each.shape.rotation};
        };
        const Placement now = placement_at(step.end_s);
        placed[i] = each.shape;
        placed[i].position = now.position;
        placed[i].rotation = now.rotation;
        if (!each.mount.position && !each.mount.rotation) continue;
        // How it moves, from what is known of its way in this step.
        const double from_s = std::max(time_s_, step.end_s - step.length_s);
        if (!(step.end_s > from_s)) continue;
        const Placement before = placement_at(from_s);
        const double per_s = 1 / (step.end_s - from_s);
        placed[i].velocity = (now.position - before.position) * per_s;
        placed[i].angular_velocity =
            rotation_vector(now.rotation * conjugate(before.rotation)) * per_s;
    }
}

Placement placement_at_start(KindReader& reader, const Mount& mount,
                             const std::vector<std::size_t>& targets) {
    const auto start_of = [&](std::size_t index) {
        return reader.start_at(targets[index]);
    };
    Placement at;
    if (mount.position) at.position = vector_of(start_of(*mount.position));
    if (mount.rotation) at.rotation = rotation_of(start_of(*mount.rotation));
    return at;
}

std::optional<Vector3> three(KindReader& reader, const std::string& key) {
    const std::vector<double> numbers = reader.numbers(key);
    if (!reader.has(key)) return std::nullopt;
    if (numbers.size() == 3) return Vector3{numbers[0], numbers[1], numbers[2]};
    reader.problem(
        key, fmt::format("expected a list of 3 numbers, x, y and z; found {}", numbers.size()));
    return std::nullopt;
}

Quaternion turn_at(KindReader& reader) {
    return turned_by(three(reader, "turned_deg").value_or(Vector3{}) * (math::pi / 180));
}

Mount Mounts::read(KindReader& reader) {
    Mount mount;
    mount.position = add(reader, "to", ValueKind::vector);
    mount.rotation = add(reader, "facing", ValueKind::rotation);
    return mount;
}

std::optional<std::size_t> Mounts::add(KindReader& reader, const std::string& key, ValueKind kind) {
    if (!reader.has(key)) return std::nullopt;
    const auto target = reader.target(key);
    if (!target) return std::nullopt;
    if (reader.target_at(*target).kind() != kind) {
        reader.problem(
            key, kind == ValueKind::vector ? "expected a place: a vector" : "expected a rotation");
        return std::nullopt;
    }
    return add(*target);
}

std::optional<Vector3> start_place(KindReader& reader, const std::string& key) {
    const auto target = reader.target(key);
    if (!target || reader.target_at(*target).kind() != ValueKind::vector) return std::nullopt;
    return vector_of(reader.start_at(*target));
}

std::vector<MountedShape> read_shapes(KindReader& reader, Mounts& mounts,
                                      const std::string& facts) {
    std::vector<MountedShape> shapes;
    reader.each_table("shapes", facts, [&](KindReader& one) {
        using Type = ContactShape::Type;
        MountedShape own;
        const std::string type = one.choice("type").value_or("sphere");
        own.shape.type = type == "plane"     ? Type::plane
                         : type == "capsule" ? Type::capsule
                         : type == "box"     ? Type::box
                                             : Type::sphere;
        own.shape.position = three(one, "at_m").value_or(Vector3{});
        own.shape.rotation = turn_at(one);
        own.shape.radius_m = one.number("radius_m").value_or(type == "box" ? 0 : 0.25);
        own.shape.half_size_m = three(one, "half_size_m").value_or(Vector3{0.5, 0.5, 0.5});
        own.shape.friction = one.number("friction").value_or(0.5);
        own.mount = mounts.read(one);
        if (one.try_to([&] { require_valid(own.shape); })) shapes.push_back(own);
    });
    return shapes;
}

std::vector<KeyFacts> mount_keys() {
    using enum KeyType;
    return {{"to", source, "place that carries it", "it stays where it is"},
            {"facing", source, "rotation that turns it", "it does not turn"}};
}

TableFacts shape_table(const char* name, const char* heading) {
    using enum KeyType;
    std::vector<KeyFacts> keys{
        {"type",
         choice,
         "its shape; a plane faces +Y, a capsule lies along Y",
         "`sphere`",
         {"plane", "sphere", "capsule", "box"}},
        {"at_m", vector, "its centre; of a plane one of its points", "[0, 0, 0]"},
        {"turned_deg", vector, "its rotation: an axis times degrees", "[0, 0, 0]"},
        {"radius_m", number, "radius of a sphere or capsule; rounding of a box's edges", "0.25"},
        {"half_size_m", vector,
         "half of a box's size; the y of a capsule is half the length of its axis",
         "[0.5, 0.5, 0.5]"},
        {"friction", number, "its coefficient of friction", "0.5"}};
    for (const KeyFacts& each : mount_keys())
        keys.push_back(each);
    return {name, heading, "", std::move(keys)};
}

}  // namespace hopcoil::scene
