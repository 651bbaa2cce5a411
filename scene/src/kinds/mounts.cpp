#include "mounts.hpp"

#include <hopcoil/base/math.hpp>

#include "vectors.hpp"

namespace hopcoil::scene {

Placement placement_of(const Mount& mount, const SystemInputs& inputs) {
    Placement at;
    if (mount.position) at.position = vector_of(inputs.targets[*mount.position].point.value);
    if (mount.rotation) at.rotation = rotation_of(inputs.targets[*mount.rotation].point.value);
    return at;
}

std::optional<Vector3> vector_at(KindReader& reader, const std::string& key,
                                 const std::string& unit) {
    const auto value = reader.value(key, unit, 3);
    return value ? std::optional{vector_of(*value)} : std::nullopt;
}

Quaternion turn_at(KindReader& reader) {
    const std::vector<double> numbers = reader.numbers("turned_deg");
    if (!reader.has("turned_deg")) return {};
    if (numbers.size() != 3) {
        reader.problem("turned_deg", "expected three numbers: an axis times degrees");
        return {};
    }
    return turned_by(Vector3{numbers[0], numbers[1], numbers[2]} * (math::pi / 180));
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
    targets_.push_back(*target);
    return targets_.size() - 1;
}

std::optional<Vector3> start_place(KindReader& reader, const std::string& key) {
    const auto target = reader.target(key);
    if (!target || reader.target_at(*target).kind() != ValueKind::vector) return std::nullopt;
    return vector_of(reader.target_at(*target).path.before(0).value);
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
        own.shape.position = vector_at(one, "at", "m").value_or(Vector3{});
        own.shape.rotation = turn_at(one);
        own.shape.radius_m = one.number("radius_m").value_or(type == "box" ? 0 : 0.25);
        own.shape.half_size_m = vector_at(one, "half_size", "m").value_or(Vector3{0.5, 0.5, 0.5});
        own.shape.friction = one.number("friction").value_or(0.5);
        own.mount = mounts.read(one);
        if (one.try_to([&] { require_valid(own.shape); })) shapes.push_back(own);
    });
    return shapes;
}

std::vector<KeyFacts> mount_keys() {
    using enum KeyType;
    return {{"to", source, "the place that carries it", "it stays where it is"},
            {"facing", source, "a rotation that turns it", "it does not turn"}};
}

TableFacts shape_table(const char* name, const char* heading) {
    using enum KeyType;
    std::vector<KeyFacts> keys{
        {"type",
         choice,
         "a plane faces +Y; a capsule lies along Y",
         "`sphere`",
         {"plane", "sphere", "capsule", "box"}},
        {"at", place, "its middle, or a point of the plane", "[0, 0, 0]"},
        {"turned_deg", numbers, "an axis times degrees", "[0, 0, 0]"},
        {"radius_m", number, "of a sphere or capsule; of a box's edges", "0.25"},
        {"half_size", place, "of a box; along Y of a capsule", "[0.5, 0.5, 0.5]"},
        {"friction", number, "on it", "0.5"}};
    for (const KeyFacts& each : mount_keys())
        keys.push_back(each);
    return {name, heading, "", std::move(keys)};
}

}  // namespace hopcoil::scene
