#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <stdexcept>
#include <string_view>

#include <fmt/format.h>

#include <hopcoil/io/base64.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/text_file.hpp>

#include "json_at.hpp"

namespace hopcoil::io {
namespace {

constexpr int float_type = 5126;
constexpr int short_type = 5123;
constexpr int index_type = 5125;
constexpr int vertex_data = 34962;
constexpr int index_data = 34963;

void append_word(std::string& bytes, std::uint32_t word) {
    for (int i = 0; i < 4; ++i)
        bytes += static_cast<char>(word >> (8 * i) & 0xFFU);
}

void append_float(std::string& bytes, double number) {
    const auto narrow = static_cast<float>(number);
    std::uint32_t word = 0;
    std::memcpy(&word, &narrow, sizeof word);
    append_word(bytes, word);
}

void fill_to_four(std::string& bytes, char with) {
    while (bytes.size() % 4 != 0)
        bytes += with;
}

/// Puts a model together: a JSON object and the bytes it speaks of.
class ModelWriter {
  public:
    explicit ModelWriter(const Model& model) : model_{model} {}

    void write() {
        json_["asset"] = {{"version", "2.0"}, {"generator", "hopcoil"}};
        if (!model_.made_by.empty()) json_["asset"]["extras"] = parsed(model_.made_by);
        json_["scene"] = 0;
        json_["scenes"] = Json::array({{{"nodes", Json::array()}}});
        if (model_.nodes.empty() && model_.meshes.empty()) json_["scenes"][0].erase("nodes");
        const bool any_marker = std::any_of(model_.nodes.begin(), model_.nodes.end(),
                                            [](const ModelNode& node) { return node.has_marker; });
        if (any_marker) add_marker();
        for (const ModelNode& node : model_.nodes)
            add_node(node);
        add_children();
        for (const ModelSkin& skin : model_.skins)
            add_skin(skin);
        for (const ModelMesh& mesh : model_.meshes)
            add_mesh(mesh);
        add_animation();
        if (!bytes_.empty()) json_["buffers"] = Json::array({{{"byteLength", bytes_.size()}}});
    }

    [[nodiscard]] std::string as_text() {
        if (!bytes_.empty()) {
            json_["buffers"][0]["uri"] =
                "data:application/octet-stream;base64," + to_base64(bytes_);
        }
        return json_.dump(1) + '\n';
    }

    [[nodiscard]] std::string as_binary() const {
        std::string text = json_.dump();
        fill_to_four(text, ' ');
        std::string bytes = bytes_;
        fill_to_four(bytes, '\0');
        constexpr std::size_t header = 12;
        constexpr std::size_t chunk_header = 8;
        const std::size_t bytes_part = bytes.empty() ? 0 : chunk_header + bytes.size();
        std::string file = "glTF";
        append_word(file, 2);
        append_word(file, size_word(header + chunk_header + text.size() + bytes_part));
        append_word(file, size_word(text.size()));
        append_word(file, 0x4E4F534A);
        file += text;
        if (bytes.empty()) return file;
        append_word(file, size_word(bytes.size()));
        append_word(file, 0x004E4942);
        return file + bytes;
    }

  private:
    static std::uint32_t size_word(std::size_t size) {
        if (size > std::numeric_limits<std::uint32_t>::max()) {
            throw std::invalid_argument{"the model is too large for a .glb file (4 GB)"};
        }
        return static_cast<std::uint32_t>(size);
    }

    static Json parsed(const std::string& text) {
        Json json = Json::parse(text, nullptr, false);
        if (!json.is_object()) throw std::invalid_argument{"made_by is not a JSON object"};
        return json;
    }

    /// Parameters in rows of so many, as a new accessor. Its index.
    std::size_t add_numbers(const std::vector<double>& numbers, const char* type, std::size_t size,
                            bool with_range, int target = 0) {
        const std::size_t start = bytes_.size();
        Json least = Json::array();
        Json most = Json::array();
        for (std::size_t k = 0; with_range && k < size; ++k) {
            auto low = static_cast<float>(numbers[k]);
            auto high = low;
            for (std::size_t i = k; i < numbers.size(); i += size) {
                low = std::min(low, static_cast<float>(numbers[i]));
                high = std::max(high, static_cast<float>(numbers[i]));
            }
            least.push_back(low);
            most.push_back(high);
        }
        for (const double number : numbers)
            append_float(bytes_, number);
        Json accessor{{"bufferView", add_view(start, target)},
                      {"componentType", float_type},
                      {"count", numbers.size() / size},
                      {"type", type}};
        if (with_range) accessor.update({{"min", least}, {"max", most}});
        return add("accessors", std::move(accessor));
    }

    std::size_t add_view(std::size_t start, int target) {
        Json view{{"buffer", 0}, {"byteOffset", start}, {"byteLength", bytes_.size() - start}};
        if (target != 0) view["target"] = target;
        return add("bufferViews", std::move(view));
    }

    std::size_t add(const char* list, Json entry) {
        Json& all = json_[list];
        all.push_back(std::move(entry));
        return all.size() - 1;
    }

    template <class Number>
    std::size_t add_whole_numbers(const std::vector<Number>& numbers, int component,
                                  const char* type, std::size_t size, int target) {
        const std::size_t start = bytes_.size();
        for (const Number number : numbers) {
            for (std::size_t i = 0; i < sizeof(Number); ++i)
                bytes_ += static_cast<char>(number >> (8 * i) & 0xFFU);
        }
        fill_to_four(bytes_, '\0');
        return add("accessors", {{"bufferView", add_view(start, target)},
                                 {"componentType", component},
                                 {"count", numbers.size() / size},
                                 {"type", type}});
    }

    template <std::size_t n>
    static std::vector<double> flat(const std::vector<std::array<double, n>>& rows) {
        std::vector<double> numbers;
        for (const auto& row : rows)
            numbers.insert(numbers.end(), row.begin(), row.end());
        return numbers;
    }

    /// What bends: its joints below a node of their own, so that they have a root in common.
    void add_skin(const ModelSkin& skin) {
        Json joints = Json::array();
        std::vector<double> inverse_binds;
        for (std::size_t i = skin.first_joint; i < skin.first_joint + skin.joints; ++i) {
            joints.push_back(i);
            const auto& at = model_.nodes[i].translation;
            const std::array<double, 16> matrix{1, 0, 0, 0, 0,      1,      0,      0,
                                                0, 0, 1, 0, -at[0], -at[1], -at[2], 1};
            inverse_binds.insert(inverse_binds.end(), matrix.begin(), matrix.end());
        }
        Json& roots = json_["scenes"][0]["nodes"];
        roots.erase(std::remove_if(roots.begin(), roots.end(),
                                   [&](const Json& root) {
                                       const auto i = root.get<std::size_t>();
                                       return i >= skin.first_joint &&
                                              i < skin.first_joint + skin.joints;
                                   }),
                    roots.end());
        const std::size_t root =
            add("nodes", {{"name", skin.name + ".joints"}, {"children", joints}});
        const std::size_t index =
            add("skins", {{"name", skin.name},
                          {"skeleton", root},
                          {"joints", std::move(joints)},
                          {"inverseBindMatrices", add_numbers(inverse_binds, "MAT4", 16, false)}});
        const std::size_t mesh = add_skin_mesh(skin);
        roots.push_back(root);
        roots.push_back(add("nodes", {{"name", skin.name}, {"mesh", mesh}, {"skin", index}}));
    }

    std::size_t add_skin_mesh(const ModelSkin& skin) {
        std::vector<std::uint16_t> joints;
        std::vector<double> weights;
        for (std::size_t i = 0; i < skin.positions.size(); ++i) {
            const bool is_between = skin.blend[i] > 0;
            const auto joint = static_cast<std::uint16_t>(skin.joint[i]);
            const auto next = static_cast<std::uint16_t>(is_between ? joint + 1 : 0);
            joints.insert(joints.end(), {joint, next, 0, 0});
            weights.insert(weights.end(), {1 - skin.blend[i], skin.blend[i], 0, 0});
        }
        std::vector<double> colours = flat(skin.colours);
        for (double& each : colours)
            each = std::pow(each, 2.2);  // the format's are linear in light
        std::vector<std::uint32_t> corners;
        for (const auto& triangle : skin.triangles)
            corners.insert(corners.end(), triangle.begin(), triangle.end());
        const Json attributes{
            {"POSITION", add_numbers(flat(skin.positions), "VEC3", 3, true, vertex_data)},
            {"NORMAL", add_numbers(flat(skin.normals), "VEC3", 3, false, vertex_data)},
            {"TEXCOORD_0", add_numbers(flat(skin.texture), "VEC2", 2, false, vertex_data)},
            {"COLOR_0", add_numbers(colours, "VEC3", 3, false, vertex_data)},
            {"JOINTS_0", add_whole_numbers(joints, short_type, "VEC4", 4, vertex_data)},
            {"WEIGHTS_0", add_numbers(weights, "VEC4", 4, false, vertex_data)}};
        const std::size_t indices = add_whole_numbers(corners, index_type, "SCALAR", 1, index_data);
        const std::size_t material =
            add("materials",
                {{"name", skin.name},
                 {"pbrMetallicRoughness", {{"metallicFactor", 0.0}, {"roughnessFactor", 0.8}}}});
        return add("meshes", {{"name", skin.name},
                              {"primitives", Json::array({{{"attributes", attributes},
                                                           {"indices", indices},
                                                           {"material", material}}})}});
    }

    /// The index of a material. The format has linear colours: those of a screen to the power 2.2.
    std::size_t add_paint(const std::string& name, const std::array<double, 3>& colour,
                          bool is_double_sided = false) {
        const auto linear = [&](std::size_t i) {
            return std::pow(colour.at(i), 2.2);
        };
        Json material{{"name", name},
                      {"pbrMetallicRoughness",
                       {{"baseColorFactor", {linear(0), linear(1), linear(2), 1}},
                        {"metallicFactor", 0.0},
                        {"roughnessFactor", 0.9}}}};
        if (is_double_sided) material["doubleSided"] = true;
        return add("materials", std::move(material));
    }

    using Rows = std::vector<std::array<double, 3>>;
    static Rows difference(const Rows& a, const Rows& b) {
        Rows rows = a;
        for (std::size_t i = 0; i < rows.size(); ++i) {
            for (std::size_t k = 0; k < 3; ++k)
                rows[i][k] -= b[i][k];
        }
        return rows;
    }

    /// Its first shape, and every other one as a target.
    void add_mesh(const ModelMesh& mesh) {
        const auto add_places = [&](const Rows& rows) {
            return add_numbers(flat(rows), "VEC3", 3, true, vertex_data);
        };
        const auto add_normals = [&](const Rows& rows) {
            return add_numbers(flat(rows), "VEC3", 3, false, vertex_data);
        };
        const ModelMesh::Shape& first = mesh.shapes.front();
        Json attributes{{"POSITION", add_places(first.positions)},
                        {"NORMAL", add_normals(first.normals)}};
        if (!mesh.texture.empty()) {
            attributes["TEXCOORD_0"] =
                add_numbers(flat(mesh.texture), "VEC2", 2, false, vertex_data);
        }
        Json targets = Json::array();
        for (std::size_t i = 1; i < mesh.shapes.size(); ++i) {
            const ModelMesh::Shape& shape = mesh.shapes[i];
            targets.push_back(
                {{"POSITION", add_places(difference(shape.positions, first.positions))},
                 {"NORMAL", add_normals(difference(shape.normals, first.normals))}});
        }
        std::vector<std::uint32_t> corners;
        for (const auto& triangle : mesh.triangles)
            corners.insert(corners.end(), triangle.begin(), triangle.end());
        const std::size_t indices = add_whole_numbers(corners, index_type, "SCALAR", 1, index_data);
        const std::size_t material = add_paint(mesh.name, mesh.colour, true);
        Json primitive{{"attributes", attributes}, {"indices", indices}, {"material", material}};
        Json entry{{"name", mesh.name}};
        if (!targets.empty()) {
            entry["weights"] = std::vector<double>(targets.size());
            primitive["targets"] = std::move(targets);
        }
        entry["primitives"] = Json::array({std::move(primitive)});
        const std::size_t index = add("meshes", std::move(entry));
        const std::size_t node = add("nodes", {{"name", mesh.name}, {"mesh", index}});
        json_["scenes"][0]["nodes"].push_back(node);
        mesh_nodes_.push_back(node);
    }

    /// At each time its own shape, and none of the others.
    void add_weights(const ModelMesh& mesh, std::size_t node, Json& samplers, Json& channels) {
        const std::size_t count = mesh.shapes.size();
        if (count < 2) return;
        std::vector<double> weights(count * (count - 1));
        for (std::size_t i = 1; i < count; ++i)
            weights[i * (count - 1) + (i - 1)] = 1;
        channels.push_back(
            {{"sampler", samplers.size()}, {"target", {{"node", node}, {"path", "weights"}}}});
        samplers.push_back({{"input", times_of(mesh.times_s)},
                            {"output", add_numbers(weights, "SCALAR", 1, false)},
                            {"interpolation", "LINEAR"}});
    }

    /// A slender diamond along +Z, a fifth as wide as it is long.
    void add_marker() {
        const double wide = 0.1 * model_.size;
        const std::array<std::array<double, 3>, 6> corners{{{0, 0, 0.75 * model_.size},
                                                            {0, 0, -0.25 * model_.size},
                                                            {wide, 0, 0},
                                                            {-wide, 0, 0},
                                                            {0, wide, 0},
                                                            {0, -wide, 0}}};
        std::vector<double> numbers;
        for (const auto& corner : corners)
            numbers.insert(numbers.end(), corner.begin(), corner.end());
        const std::size_t places = add_numbers(numbers, "VEC3", 3, true, vertex_data);
        const std::vector<std::uint16_t> faces{0, 2, 4, 0, 4, 3, 0, 3, 5, 0, 5, 2,
                                               1, 4, 2, 1, 3, 4, 1, 5, 3, 1, 2, 5};
        const std::size_t indices = add_whole_numbers(faces, short_type, "SCALAR", 1, index_data);
        add("materials", {{"name", "brass"},
                          {"pbrMetallicRoughness",
                           {{"baseColorFactor", {0.72, 0.5, 0.2, 1.0}},
                            {"metallicFactor", 0.4},
                            {"roughnessFactor", 0.5}}}});
        add("meshes", {{"name", "marker"},
                       {"primitives", Json::array({{{"attributes", {{"POSITION", places}}},
                                                    {"indices", indices},
                                                    {"material", 0}}})}});
    }

    /// Its index. Faces have corners of their own, so that edges stay sharp.
    std::size_t add_solid(const ModelNode& node) {
        std::vector<double> places;
        std::vector<std::uint32_t> indices;
        for (const std::vector<std::size_t>& face : node.solid.faces) {
            const std::size_t first = places.size() / 3;
            for (const std::size_t corner : face) {
                const auto& place = node.solid.corners_m[corner];
                places.insert(places.end(), place.begin(), place.end());
            }
            for (std::size_t i = 2; i < face.size(); ++i) {
                for (const std::size_t at : {first, first + i - 1, first + i})
                    indices.push_back(static_cast<std::uint32_t>(at));
            }
        }
        const std::size_t positions = add_numbers(places, "VEC3", 3, true, vertex_data);
        const std::size_t corners = add_whole_numbers(indices, index_type, "SCALAR", 1, index_data);
        Json primitive{{"attributes", {{"POSITION", positions}}}, {"indices", corners}};
        if (node.colour) primitive["material"] = add_paint(node.name, *node.colour);
        return add("meshes", {{"name", node.name}, {"primitives", Json::array({primitive})}});
    }

    void add_node(const ModelNode& node) {
        const auto& q = node.rotation;
        Json entry{{"name", node.name}};
        if (node.has_marker) entry["mesh"] = 0;
        if (!node.solid.empty()) entry["mesh"] = add_solid(node);
        if (node.is_hidden) entry["extras"] = {{"hidden", true}};
        if (node.translation != std::array<double, 3>{0, 0, 0})
            entry["translation"] = node.translation;
        if (q != std::array<double, 4>{1, 0, 0, 0}) entry["rotation"] = {q[1], q[2], q[3], q[0]};
        if (node.scale != std::array<double, 3>{1, 1, 1}) entry["scale"] = node.scale;
        const std::size_t index = add("nodes", std::move(entry));
        if (!node.parent) json_["scenes"][0]["nodes"].push_back(index);
    }

    /// Once all of them are there.
    void add_children() {
        for (std::size_t i = 0; i < model_.nodes.size(); ++i) {
            if (const auto parent = model_.nodes[i].parent)
                json_["nodes"][*parent]["children"].push_back(i);
        }
    }

    void add_animation() {
        Json samplers = Json::array();
        Json channels = Json::array();
        for (std::size_t i = 0; i < model_.nodes.size(); ++i) {
            for (const NodeTrack& track : model_.nodes[i].tracks) {
                channels.push_back({{"sampler", samplers.size()},
                                    {"target", {{"node", i}, {"path", name_of(track.kind)}}}});
                samplers.push_back(sampler_of(track));
            }
        }
        for (std::size_t i = 0; i < model_.meshes.size(); ++i)
            add_weights(model_.meshes[i], mesh_nodes_[i], samplers, channels);
        if (samplers.empty()) return;
        add("animations", {{"name", model_.animation.empty() ? "motion" : model_.animation},
                           {"samplers", std::move(samplers)},
                           {"channels", std::move(channels)}});
    }

    Json sampler_of(const NodeTrack& track) {
        const std::size_t size = size_of(track.kind);
        const bool cubic = track.between == NodeTrack::Between::cubic;
        std::vector<double> numbers;
        const auto append = [&](const std::array<double, 4>& row) {
            const std::array<double, 4> ordered =
                size == 4 ? std::array{row[1], row[2], row[3], row[0]} : row;
            numbers.insert(numbers.end(), ordered.begin(),
                           ordered.begin() + static_cast<std::ptrdiff_t>(size));
        };
        for (std::size_t i = 0; i < track.times_s.size(); ++i) {
            if (cubic) append(track.slopes_before[i]);
            append(track.values[i]);
            if (cubic) append(track.slopes_after[i]);
        }
        return {{"input", times_of(track.times_s)},
                {"output", add_numbers(numbers, size == 4 ? "VEC4" : "VEC3", size, false)},
                {"interpolation", cubic                                       ? "CUBICSPLINE"
                                  : track.between == NodeTrack::Between::step ? "STEP"
                                                                              : "LINEAR"}};
    }

    /// Tracks with the same keys share their times.
    std::size_t times_of(const std::vector<double>& wanted_s) {
        for (const auto& [times_s, accessor] : times_) {
            if (*times_s == wanted_s) return accessor;
        }
        const std::size_t accessor = add_numbers(wanted_s, "SCALAR", 1, true);
        times_.emplace_back(&wanted_s, accessor);
        return accessor;
    }

    const Model& model_;
    Json json_;
    std::string bytes_;
    std::vector<std::size_t> mesh_nodes_;
    std::vector<std::pair<const std::vector<double>*, std::size_t>> times_;
};

void require_tracks(const Model& model) {
    for (const ModelNode& node : model.nodes) {
        if (node.parent && *node.parent >= model.nodes.size()) {
            throw std::invalid_argument{
                fmt::format("{}: expected a parent among {} nodes, found {}", node.name,
                            model.nodes.size(), *node.parent)};
        }
        for (const NodeTrack& track : node.tracks) {
            const std::size_t count = track.times_s.size();
            const bool cubic = track.between == NodeTrack::Between::cubic;
            const bool right = count > 0 && track.values.size() == count &&
                               (!cubic || (track.slopes_before.size() == count &&
                                           track.slopes_after.size() == count));
            if (!right) {
                throw std::invalid_argument{
                    fmt::format("{} of {}: expected a value for each of its times, at least one",
                                name_of(track.kind), node.name)};
            }
            for (std::size_t i = 1; i < count; ++i) {
                if (static_cast<float>(track.times_s[i]) > static_cast<float>(track.times_s[i - 1]))
                    continue;
                throw std::invalid_argument{fmt::format(
                    "{} of {}: expected times that rise, also as floats, found {} after {}",
                    name_of(track.kind), node.name, track.times_s[i], track.times_s[i - 1])};
            }
        }
    }
}

}  // namespace

bool is_model_file(const std::string& path) {
    return path.ends_with(".gltf") || path.ends_with(".glb");
}

void write_model(const std::string& path, const Model& model) {
    const bool binary = path.ends_with(".glb");
    if (!is_model_file(path)) {
        throw std::invalid_argument{
            fmt::format("{}: expected a name that ends in .gltf or .glb", path)};
    }
    require_tracks(model);
    ModelWriter writer{model};
    writer.write();
    write_text_file(path, binary ? writer.as_binary() : writer.as_text());
}

}  // namespace hopcoil::io
