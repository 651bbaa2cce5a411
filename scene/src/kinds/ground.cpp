// [ground.NAME]: what others walk on: a plane, boxes, a height field, and platforms that move.

#include "ground.hpp"

#include <array>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground_mesh.hpp>
#include <hopcoil/field/terrain.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/height_file.hpp>
#include <hopcoil/scene/view.hpp>

#include "../read/toml_reader.hpp"
#include "ground_scenery.hpp"
#include "mounts.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// A box that goes with targets: indices into the ground's own.
struct Platform {
    std::string name{};
    Terrain::Box box{};
    std::size_t position = 0;
    std::optional<std::size_t> rotation{};
};

struct GroundParts {
    std::optional<Terrain::Plane> plane{};
    std::vector<Terrain::Box> boxes{};
    std::vector<HeightField> fields{};
    std::vector<GroundMesh> meshes{};
    std::vector<Platform> platforms{};
};

GroundFrame frame_of(const Platform& platform, std::span<const InputSample> targets) {
    const ValueAndVelocity& at = targets[platform.position].point;
    GroundFrame frame{.position = vector_of(at.value), .velocity = vector_of(at.velocity)};
    if (platform.rotation) {
        const ValueAndVelocity& turn = targets[*platform.rotation].point;
        frame.rotation = rotation_of(turn.value);
        frame.angular_velocity = vector_of(turn.velocity);
    }
    return frame;
}

bool knows_velocity(const Platform& platform, std::span<const InputSample> targets) {
    const bool knows_turn = !platform.rotation || targets[*platform.rotation].knows_velocity;
    return targets[platform.position].knows_velocity && knows_turn;
}

class RunningGround final : public RunningSystem {
  public:
    RunningGround(const GroundParts& parts, const SystemInputs& inputs)
        : parts_{parts}, time_s_{inputs.time_s} {
        if (parts.plane) terrain_.add(*parts.plane);
        for (const Terrain::Box& box : parts.boxes)
            terrain_.add(box);
        for (const HeightField& field : parts.fields)
            terrain_.add(field);
        for (const GroundMesh& mesh : parts.meshes)
            terrain_.add(mesh);
        for (const Platform& platform : parts.platforms) {
            const GroundFrame frame = frame_of(platform, inputs.targets);
            terrain_.add(platform.box, terrain_.add_part(frame));
        }
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        move(inputs, time_s - time_s_);
        time_s_ = time_s;
        return true;
    }
    void change(const SystemInputs& inputs) override { move(inputs, 0); }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t /*index*/) const override {
        const GroundFrame frame = terrain_.frame(static_cast<std::uint32_t>(port / 2 + 1), 0);
        if (port % 2 == 0) return {array_of(frame.position), array_of(frame.velocity)};
        return {array_of(frame.rotation), array_of(frame.angular_velocity)};
    }
    bool retune(const SystemSpec& /*spec*/) override { return false; }
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }

  private:
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_);
        for (std::uint32_t part = 1; part <= terrain_.part_count(); ++part) {
            GroundFrame frame = terrain_.frame(part, 0);
            fields(frame.position, frame.rotation, frame.velocity, frame.angular_velocity,
                   frame.acceleration, frame.angular_acceleration);
            terrain_.move(part, frame);
        }
    }
    /// Each platform goes to where its targets are, with their velocity; where that is not known,
    /// with the velocity of the last step.
    void move(const SystemInputs& inputs, double dt) {
        for (std::size_t k = 0; k < parts_.platforms.size(); ++k) {
            const auto part = static_cast<std::uint32_t>(k + 1);
            const GroundFrame before = terrain_.frame(part, 0);
            GroundFrame now = frame_of(parts_.platforms[k], inputs.targets);
            const double rate = dt > shortest_step_s ? 1 / dt : 0;
            if (knows_velocity(parts_.platforms[k], inputs.targets)) {
                now.acceleration = (now.velocity - before.velocity) * rate;
                now.angular_acceleration = (now.angular_velocity - before.angular_velocity) * rate;
            } else {
                now.velocity = rate > 0 ? (now.position - before.position) * rate : before.velocity;
                now.angular_velocity =
                    rate > 0 ? rotation_vector(now.rotation * conjugate(before.rotation)) * rate
                             : before.angular_velocity;
            }
            terrain_.move(part, now);
        }
    }
    [[nodiscard]] const void* field(const std::type_info& type) const override {
        return type == typeid(Ground) ? static_cast<const Ground*>(&terrain_) : nullptr;
    }

    GroundParts parts_;
    Terrain terrain_;
    double time_s_;
};

class GroundSpec final : public SystemSpec {
  public:
    explicit GroundSpec(GroundParts parts) : parts_{std::move(parts)} {
        Terrain terrain;  // refuses what cannot be
        for (const Terrain::Box& box : parts_.boxes)
            terrain.add(box);
    }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<GroundSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "ground"; }
    [[nodiscard]] std::string in_words(std::size_t port) const override {
        if (port > 0) return "";
        return fmt::format("{}{} boxes, {} height fields, {} meshes, {} platforms",
                           parts_.plane ? "a plane, " : "", parts_.boxes.size(),
                           parts_.fields.size(), parts_.meshes.size(), parts_.platforms.size());
    }
    [[nodiscard]] std::vector<Port> outputs() const override {
        std::vector<Port> ports;
        for (const Platform& platform : parts_.platforms) {
            ports.push_back({.name = platform.name,
                             .quantity = "position",
                             .unit = "m",
                             .kind = ValueKind::vector,
                             .components = 3});
            ports.push_back(
                {.name = platform.name + ".facing", .kind = ValueKind::rotation, .components = 4});
        }
        return ports;
    }
    [[nodiscard]] std::vector<View> views() const override {
        std::vector<View> views;
        for (std::size_t i = 0; i < parts_.platforms.size(); ++i) {
            View view{.name = parts_.platforms[i].name,
                      .position = 2 * i,
                      .rotation = 2 * i + 1,
                      .solid = solid_of(parts_.platforms[i].box)};
            view.look = {.colour = ground_colour, .order = ground_order};
            views.push_back(std::move(view));
        }
        return views;
    }
    [[nodiscard]] std::vector<Scenery> scenery() const override {
        std::vector<Scenery> all;
        const auto add = [&](const char* name, std::size_t i, const auto& piece, bool can_stand) {
            all.push_back({.name = fmt::format("{}{}", name, i + 1),
                           .solid = solid_of(piece),
                           .colour = can_stand ? ground_colour : water_colour});
        };
        if (const auto& plane = parts_.plane) {
            add("plane", 0, *plane, plane->can_stand);
            all.back().is_floor = plane->point.y == 0 && plane->slope_x == 0 && plane->slope_z == 0;
        }
        for (std::size_t i = 0; i < parts_.fields.size(); ++i)
            add("field", i, parts_.fields[i], true);
        for (std::size_t i = 0; i < parts_.meshes.size(); ++i)
            add("mesh", i, parts_.meshes[i], true);
        for (std::size_t i = 0; i < parts_.boxes.size(); ++i)
            add("box", i, parts_.boxes[i], parts_.boxes[i].can_stand);
        return all;
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningGround>(parts_, inputs);
    }
    [[nodiscard]] double highest_hz() const override { return parts_.platforms.empty() ? 0 : 15; }
    [[nodiscard]] bool has_field(const std::type_info& type) const override {
        return type == typeid(Ground);
    }

  private:
    GroundParts parts_;
};

Terrain::Box read_box(KindReader& reader) {
    Terrain::Box box;
    if (!reader.has("size_m")) reader.problem("", "expected a key 'size_m'");
    box.middle = three(reader, "middle_m").value_or(box.middle);
    box.size = three(reader, "size_m").value_or(box.size);
    if (!(box.size.x >= 0 && box.size.y >= 0 && box.size.z >= 0)) {
        reader.problem("size_m", "expected three numbers of 0 or more");
        box.size = {};
    }
    box.yaw_rad = reader.number("yaw_deg").value_or(0) * math::pi / 180;
    box.can_stand = reader.flag("can_stand").value_or(true);
    return box;
}

/// Something faces down, and nothing up.
bool is_upside_down(const GroundMesh& mesh) {
    bool faces_down = false;
    for (const auto& [a, b, c] : mesh.triangles()) {
        const Vector3& first = mesh.corners()[a];
        const double up = cross(mesh.corners()[b] - first, mesh.corners()[c] - first).y;
        if (up > 0) return false;
        faces_down = faces_down || up < 0;
    }
    return faces_down;
}

/// One of the ground's platforms, and what moves and turns it.
void read_platform(KindReader& one, GroundParts& parts, std::vector<std::size_t>& targets) {
    Platform platform{.name = one.own_name(KindReader::names_in(parts.platforms), "platform"),
                      .box = read_box(one)};
    if (!one.has("position")) one.problem("", "expected a key 'position': what moves it");
    const std::size_t position = one.target("position").value_or(not_connected);
    const std::size_t rotation = one.target("rotation").value_or(not_connected);
    if (position == not_connected) return;
    if (one.target_at(position).path.size() != 3) {
        one.problem("position", "expected a place: a vector of three numbers");
        return;
    }
    platform.position = targets.size();
    targets.push_back(position);
    if (rotation != not_connected) {
        if (one.target_at(rotation).kind() != ValueKind::rotation) {
            one.problem("rotation", "expected a rotation");
            return;
        }
        platform.rotation = targets.size();
        targets.push_back(rotation);
    }
    parts.platforms.push_back(std::move(platform));
}

void read_ground(KindReader& reader) {
    GroundParts parts;
    if (reader.flag("plane").value_or(true)) {
        Terrain::Plane plane;
        plane.point.y = reader.number("height_m").value_or(0);
        plane.slope_x = reader.number("slope_x").value_or(0);
        plane.slope_z = reader.number("slope_z").value_or(0);
        plane.can_stand = reader.flag("can_stand").value_or(true);
        parts.plane = plane;
    }
    std::vector<std::size_t> targets;
    reader.each_table("boxes", "box",
                      [&](KindReader& one) { parts.boxes.push_back(read_box(one)); });
    reader.each_table("platforms", "platform",
                      [&](KindReader& one) { read_platform(one, parts, targets); });
    if (const auto csv = reader.text("csv")) {
        try {
            parts.fields.push_back(
                io::read_height_field((reader.table().folder() / *csv).string()));
        } catch (const std::exception& problem) {
            reader.problem("csv", problem.what());
        }
    }
    if (const auto model = reader.text("model")) {
        try {
            io::TriangleMesh mesh = io::read_triangles((reader.table().folder() / *model).string());
            std::vector<Vector3> corners;
            for (const auto& [x, y, z] : mesh.corners)
                corners.push_back({x, y, z});
            GroundMesh ground{std::move(corners), std::move(mesh.triangles)};
            if (is_upside_down(ground)) {
                throw std::invalid_argument{
                    "nothing of it faces upward: the corners of a triangle have to go round "
                    "counter-clockwise as seen from where one stands on it"};
            }
            parts.meshes.push_back(std::move(ground));
        } catch (const std::exception& problem) {
            reader.problem("model", problem.what());
        }
    }
    reader.try_to(
        [&] { reader.add(std::make_unique<GroundSpec>(std::move(parts)), std::move(targets)); });
}

}  // namespace

SystemKind ground_kind() {
    using enum KeyType;
    const std::vector<KeyFacts> box_keys{
        {"middle_m", vector, "its centre", "[0, 0, 0]"},
        {"size_m", vector, "size along x, y and z", "required"},
        {"yaw_deg", number, "how far it is turned about Y", "0"},
        {"can_stand", flag, "`false`: feet keep off it", "`true`"}};
    std::vector<KeyFacts> platform_keys = box_keys;
    platform_keys.insert(platform_keys.begin(),
                         {{"name", text, "its name", "`platform`"},
                          {"position", source, "place that carries it", "required"},
                          {"rotation", source, "rotation that turns it", "it does not turn"}});
    return {
        "ground",
        {{"ground",
          "`[ground.NAME]`",
          "What walkers walk on and things fall on: a plane, boxes, a height field, a model and "
          "platforms, of which the highest counts. Boxes, platforms and models have sides as well.",
          {{"plane", flag, "`false`: there is no plane", "`true`"},
           {"height_m", number, "height of the plane", "0"},
           {"slope_x", number, "rise of the plane in metres for each metre along x", "0"},
           {"slope_z", number, "rise of the plane in metres for each metre along z", "0"},
           {"can_stand", flag, "`false`: feet keep off the plane, as off water", "`true`"},
           {"csv", text,
            "height field: CSV file with the columns x_m, z_m, height_m of an even grid", "none"},
           {"model", text,
            "glTF file: triangles that face upward can be stood on, the others are walls and "
            "ceilings",
            "none"},
           {"boxes", tables, "fixed boxes: steps, quays, posts", "none", {}, {"box"}},
           {"platforms", tables, "moving boxes", "none", {}, {"platform"}}}},
         {"box", "A box of the ground", "Its top is ground.", box_keys},
         {"platform", "A platform of the ground", "A box, in the frame of what moves it.",
          platform_keys}},
        {},
        read_ground};
}

}  // namespace hopcoil::scene
