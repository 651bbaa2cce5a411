#include <algorithm>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <limits>
#include <map>
#include <span>
#include <string_view>
#include <utility>

#include <Eigen/Geometry>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/base64.hpp>
#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/io/text_file.hpp>

#include "json_at.hpp"

namespace hopcoil::io {
namespace {

/// The parts of a binary file: its JSON, and the bytes behind it.
struct Container {
    std::string json{};
    std::string bytes{};
    bool is_binary = false;
};

constexpr std::uint32_t magic_word = 0x46546C67;
constexpr std::uint32_t json_chunk = 0x4E4F534A;
constexpr std::uint32_t bytes_chunk = 0x004E4942;

std::uint32_t word_at(std::string_view bytes, std::size_t at) {
    std::uint32_t word = 0;
    for (std::size_t i = 0; i < 4; ++i)
        word |= static_cast<std::uint32_t>(static_cast<unsigned char>(bytes[at + i])) << (8 * i);
    return word;
}

Container opened(const std::string& file, std::string text) {
    const auto fail = [&](const std::string& what) {
        refuse_input({file, 0, 0}, "", what);
    };
    if (!text.starts_with("glTF")) return {std::move(text), {}, false};
    constexpr std::size_t header = 12;
    if (text.size() < header || word_at(text, 0) != magic_word) fail("the file is cut short");
    if (word_at(text, 4) != 2) {
        fail(fmt::format("expected version 2 of the format, found {}", word_at(text, 4)));
    }
    Container container{.is_binary = true};
    std::size_t at = header;
    while (at + 8 <= text.size()) {
        const std::size_t length = word_at(text, at);
        const std::uint32_t kind = word_at(text, at + 4);
        if (length > text.size() - at - 8) fail("the file is cut short");
        if (kind == json_chunk) container.json = text.substr(at + 8, length);
        if (kind == bytes_chunk) container.bytes = text.substr(at + 8, length);
        at += 8 + length + (4 - length % 4) % 4;
    }
    if (container.json.empty()) fail("expected a part with JSON first, found none");
    return container;
}

/// Reads what is needed of a model's animations.
class ModelReader {
  public:
    ModelReader(std::filesystem::path path, Container container)
        : path_{std::move(path)}, container_{std::move(container)} {}

    std::vector<ModelNode> read_nodes() {
        open();
        std::vector<ModelNode> nodes;
        const auto all = root_.find("nodes");
        for (std::size_t i = 0; all && i < all->size(); ++i)
            nodes.push_back(read_node((*all)[i], i));
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            const auto children = (*all)[i].find("children");
            for (std::size_t k = 0; children && k < children->size(); ++k) {
                const std::size_t child = (*children)[k].index();
                entry(*all, (*children)[k]);
                if (nodes[child].parent) (*children)[k].fail("the node has two parents");
                nodes[child].parent = i;
            }
        }
        return nodes;
    }

    TriangleMesh read_triangles() {
        const std::vector<ModelNode> nodes = read_nodes();
        TriangleMesh mesh;
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            const JsonAt at = root_["nodes"][i];
            const auto index = at.find("mesh");
            if (!index) continue;
            const JsonAt primitives = entry(root_["meshes"], *index)["primitives"];
            for (std::size_t k = 0; k < primitives.size(); ++k)
                add_primitive(primitives[k], nodes, i, mesh);
        }
        if (mesh.triangles.empty()) root_.fail("expected a mesh of triangles, found none");
        return mesh;
    }

    std::vector<ModelAnimation> read() {
        open();
        std::vector<ModelAnimation> animations;
        const auto all = root_.find("animations");
        for (std::size_t i = 0; all && i < all->size(); ++i)
            animations.push_back(read_animation((*all)[i]));
        return animations;
    }

  private:
    void open() {
        json_ = parse_json(container_.json, path_.string());
        root_ = JsonAt{json_, path_.string()};
        root_.require_object();
        const auto asset = root_["asset"];
        const std::string version = asset["version"].text();
        if (!version.starts_with("2.")) {
            asset["version"].fail(
                fmt::format("expected version 2 of the format, found '{}'", version));
        }
    }

    /// From a node's frame into that of the scene.
    static Vector3 in_scene(const std::vector<ModelNode>& nodes, std::size_t index, Vector3 at) {
        for (std::size_t depth = 0; depth <= nodes.size(); ++depth) {
            const ModelNode& node = nodes[index];
            const auto& [w, x, y, z] = node.rotation;
            const Vector3 sized{at.x * node.scale[0], at.y * node.scale[1], at.z * node.scale[2]};
            const Vector3 turned = rotated(normalized(Quaternion{w, x, y, z}), sized);
            at = turned + Vector3{node.translation[0], node.translation[1], node.translation[2]};
            if (!node.parent) break;
            index = *node.parent;
        }
        return at;
    }

    /// Whether a node and those above it turn things inside out.
    static bool is_mirrored(const std::vector<ModelNode>& nodes, std::size_t index) {
        bool mirrored = false;
        for (std::size_t depth = 0; depth <= nodes.size(); ++depth) {
            const auto& [x, y, z] = nodes[index].scale;
            mirrored ^= x * y * z < 0;
            if (!nodes[index].parent) break;
            index = *nodes[index].parent;
        }
        return mirrored;
    }

    void add_primitive(const JsonAt& at, const std::vector<ModelNode>& nodes, std::size_t node,
                       TriangleMesh& mesh) {
        constexpr std::size_t of_triangles = 4;
        if (at.index_or("mode", of_triangles) != of_triangles) return;
        const std::vector<double> places =
            numbers(entry(root_["accessors"], at["attributes"]["POSITION"]), 3);
        const auto first = static_cast<std::uint32_t>(mesh.corners.size());
        for (std::size_t i = 0; i + 2 < places.size(); i += 3) {
            const Vector3 p = in_scene(nodes, node, {places[i], places[i + 1], places[i + 2]});
            mesh.corners.push_back({p.x, p.y, p.z});
        }
        std::vector<double> corners;
        const auto indices = at.find("indices");
        if (indices) corners = numbers(entry(root_["accessors"], *indices), 1, true);
        const std::size_t place_count = places.size() / 3;
        for (std::size_t i = 0; !indices && i < place_count; ++i)
            corners.push_back(static_cast<double>(i));
        const bool is_inside_out = is_mirrored(nodes, node);
        for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
            std::array<std::uint32_t, 3> triangle{};
            for (std::size_t k = 0; k < 3; ++k) {
                if (corners[i + k] >= static_cast<double>(place_count))
                    indices->fail("it names a corner that is not there");
                triangle.at(k) = first + static_cast<std::uint32_t>(corners[i + k]);
            }
            if (is_inside_out) std::swap(triangle[1], triangle[2]);
            mesh.triangles.push_back(triangle);
        }
    }

    /// Column by column; a node that is mirrored has a scale below 0 along x.
    static void set_placement(const JsonAt& at, const std::array<double, 16>& columns,
                              ModelNode& node) {
        constexpr double skewed = 1e-3;
        const Eigen::Matrix4d matrix = Eigen::Map<const Eigen::Matrix4d>(columns.data());
        Eigen::Matrix3d axes = matrix.topLeftCorner<3, 3>();
        Eigen::Vector3d scale = axes.colwise().norm();
        if (!(scale.minCoeff() > 0))
            at.fail("expected a matrix that leaves no axis without length");
        if (axes.determinant() < 0) scale.x() *= -1;
        axes = axes * scale.cwiseInverse().asDiagonal();
        const bool is_skewed = !(axes.transpose() * axes).isIdentity(skewed);
        const bool has_perspective = matrix.row(3) != Eigen::RowVector4d{0, 0, 0, 1};
        if (is_skewed || has_perspective) {
            at.fail(
                "expected a matrix that moves, turns and scales along its axes, not one that "
                "skews");
        }
        const Eigen::Quaterniond turn{axes};
        const Eigen::Vector3d to = matrix.topRightCorner<3, 1>();
        node.translation = {to.x(), to.y(), to.z()};
        node.rotation = {turn.w(), turn.x(), turn.y(), turn.z()};
        node.scale = {scale.x(), scale.y(), scale.z()};
    }

    static ModelNode read_node(const JsonAt& at, std::size_t index) {
        ModelNode node;
        const auto name = at.find("name");
        node.name = name ? name->text() : fmt::format("node{}", index);
        const auto read = [&](const char* key, auto& numbers) {
            const auto list = at.find(key);
            if (!list) return false;
            if (list->size() != numbers.size()) {
                list->fail(
                    fmt::format("expected {} numbers, found {}", numbers.size(), list->size()));
            }
            for (std::size_t k = 0; k < numbers.size(); ++k)
                numbers.at(k) = (*list)[k].number();
            return true;
        };
        std::array<double, 16> matrix{};
        if (read("matrix", matrix)) {
            set_placement(at["matrix"], matrix, node);
            return node;
        }
        read("translation", node.translation);
        read("scale", node.scale);
        std::array<double, 4> turn{};
        // The format has x, y, z, w.
        if (read("rotation", turn)) node.rotation = {turn[3], turn[0], turn[1], turn[2]};
        return node;
    }

    ModelAnimation read_animation(const JsonAt& at) {
        ModelAnimation animation;
        if (const auto name = at.find("name")) animation.name = name->text();
        const JsonAt channels = at["channels"];
        for (std::size_t i = 0; i < channels.size(); ++i) {
            const JsonAt target = channels[i]["target"];
            const JsonAt path = target["path"];
            if (path.text() == "weights" || !target.find("node")) continue;
            NodeTrack track{.node = node_name(target["node"]), .kind = kind_of(path)};
            read_sampler(entry(at["samplers"], channels[i]["sampler"]), track);
            animation.tracks.push_back(std::move(track));
        }
        return animation;
    }

    static TrackKind kind_of(const JsonAt& path) {
        for (const TrackKind kind :
             {TrackKind::translation, TrackKind::rotation, TrackKind::scale}) {
            if (path.text() == name_of(kind)) return kind;
        }
        path.fail(fmt::format("expected translation, rotation, scale or weights, found '{}'",
                              path.text()));
    }

    /// The entry of a list that an index elsewhere names.
    static JsonAt entry(const JsonAt& list, const JsonAt& index) {
        const std::size_t i = index.index();
        if (i >= list.size()) {
            index.fail(fmt::format("expected one of {} entries of {}, found {}", list.size(),
                                   list.pointer(), i));
        }
        return list[i];
    }

    [[nodiscard]] std::string node_name(const JsonAt& index) const {
        const JsonAt node = entry(root_["nodes"], index);
        const auto name = node.find("name");
        return name ? name->text() : fmt::format("node{}", index.index());
    }

    void read_sampler(const JsonAt& sampler, NodeTrack& track) {
        const auto given = sampler.find("interpolation");
        const std::string between = given ? given->text() : "LINEAR";
        if (between != "LINEAR" && between != "STEP" && between != "CUBICSPLINE") {
            given->fail(fmt::format("expected LINEAR, STEP or CUBICSPLINE, found '{}'", between));
        }
        track.between = between == "STEP"     ? NodeTrack::Between::step
                        : between == "LINEAR" ? NodeTrack::Between::straight
                                              : NodeTrack::Between::cubic;
        track.times_s = numbers(entry(root_["accessors"], sampler["input"]), 1);
        const JsonAt input = sampler["input"];
        if (track.times_s.empty()) input.fail("expected at least one key");
        for (std::size_t i = 1; i < track.times_s.size(); ++i) {
            if (!(track.times_s[i] > track.times_s[i - 1])) {
                input.fail(fmt::format("expected times that rise, found {} after {}",
                                       track.times_s[i], track.times_s[i - 1]));
            }
        }
        read_values(sampler["output"], track);
    }

    void read_values(const JsonAt& output, NodeTrack& track) {
        const std::size_t size = size_of(track.kind);
        const bool cubic = track.between == NodeTrack::Between::cubic;
        const std::vector<double> flat = numbers(entry(root_["accessors"], output), size);
        const std::size_t rows = cubic ? 3 : 1;
        if (flat.size() != track.times_s.size() * rows * size) {
            output.fail(fmt::format("expected {} values for {} keys, found {}",
                                    track.times_s.size() * rows, track.times_s.size(),
                                    flat.size() / size));
        }
        const auto row = [&](std::size_t index) {
            std::array<double, 4> all{};
            for (std::size_t k = 0; k < size; ++k)
                all[k] = flat[index * size + k];
            // The format has x, y, z, w.
            return size == 4 ? std::array{all[3], all[0], all[1], all[2]} : all;
        };
        for (std::size_t i = 0; i < track.times_s.size(); ++i) {
            track.values.push_back(row(cubic ? 3 * i + 1 : i));
            if (!cubic) continue;
            track.slopes_before.push_back(row(3 * i));
            track.slopes_after.push_back(row(3 * i + 2));
        }
    }

    struct Component {
        std::size_t bytes;
        double largest;  ///< that stands for 1; 0 where numbers are what they are
        bool is_signed;
    };
    static Component component_of(const JsonAt& at) {
        switch (at.index()) {
            case 5120:
                return {1, 127, true};
            case 5121:
                return {1, 255, false};
            case 5122:
                return {2, 32767, true};
            case 5123:
                return {2, 65535, false};
            case 5125:
                return {4, 4294967295.0, false};
            case 5126:
                return {4, 0, true};
            default:
                at.fail("expected numbers of type 5120 to 5123, 5125 or 5126");
        }
    }

    static double decoded(std::string_view bytes, std::size_t at, const Component& component) {
        std::uint32_t word = 0;
        for (std::size_t i = 0; i < component.bytes; ++i) {
            const auto byte = static_cast<unsigned char>(bytes[at + i]);
            word |= static_cast<std::uint32_t>(byte) << (8 * i);
        }
        if (component.largest == 0) {
            float number = 0;
            std::memcpy(&number, &word, sizeof number);
            return static_cast<double>(number);
        }
        double number = word;
        const double range = std::exp2(8 * static_cast<double>(component.bytes));
        if (component.is_signed && number >= range / 2) number -= range;
        return std::max(number / component.largest, -1.0);
    }

    /// The numbers of an accessor, one after the other; whole ones as they are, not as parts of 1.
    std::vector<double> numbers(const JsonAt& accessor, std::size_t size, bool whole = false) {
        static const std::map<std::string, std::size_t> sizes{
            {"SCALAR", 1}, {"VEC2", 2}, {"VEC3", 3}, {"VEC4", 4}};
        if (const auto sparse = accessor.find("sparse")) {
            sparse->fail("sparse data is not read; save the model without it");
        }
        const JsonAt type = accessor["type"];
        const auto found = sizes.find(type.text());
        if (found == sizes.end() || found->second != size) {
            type.fail(fmt::format("expected {}, found '{}'",
                                  size == 1 ? "SCALAR" : fmt::format("VEC{}", size), type.text()));
        }
        const Component component = component_of(accessor["componentType"]);
        const double scale = whole ? component.largest : 1;
        const std::size_t count = accessor["count"].index();
        if (!accessor.find("bufferView")) accessor.fail("expected a key 'bufferView'");
        const JsonAt view = entry(root_["bufferViews"], accessor["bufferView"]);
        const std::string& bytes = buffer(view["buffer"]);
        const std::size_t row = size * component.bytes;
        const std::size_t stride = view.index_or("byteStride", row);
        const std::size_t view_start = view.index_or("byteOffset", 0);
        const std::size_t view_end = view_start + view["byteLength"].index();
        const std::size_t start = view_start + accessor.index_or("byteOffset", 0);
        const bool fits =
            view_end <= bytes.size() && start <= view_end &&
            (count == 0 || (row <= view_end - start &&
                            (stride == 0 || (count - 1) <= (view_end - start - row) /
                                                               std::max<std::size_t>(stride, 1))));
        if (!fits || stride < row) {
            accessor.fail(fmt::format("it reaches beyond its data of {} bytes", bytes.size()));
        }
        std::vector<double> all;
        all.reserve(count * size);
        for (std::size_t i = 0; i < count; ++i) {
            for (std::size_t k = 0; k < size; ++k) {
                const double number =
                    decoded(bytes, start + i * stride + k * component.bytes, component) * scale;
                if (!std::isfinite(number)) {
                    accessor.fail(fmt::format("expected finite numbers, found {}", number));
                }
                all.push_back(number);
            }
        }
        return all;
    }

    const std::string& buffer(const JsonAt& index) {
        const JsonAt at = entry(root_["buffers"], index);
        const auto loaded = buffers_.find(index.index());
        if (loaded != buffers_.end()) return loaded->second;
        std::string bytes;
        const auto uri = at.find("uri");
        if (!uri) {
            if (!container_.is_binary) at.fail("expected a key 'uri'");
            bytes = container_.bytes;
        } else if (uri->text().starts_with("data:")) {
            const std::string text = uri->text();
            const std::size_t comma = text.find(";base64,");
            const auto decoded_bytes = comma == std::string::npos
                                           ? std::nullopt
                                           : from_base64(std::string_view{text}.substr(comma + 8));
            if (!decoded_bytes) uri->fail("expected data in base64");
            bytes = *decoded_bytes;
        } else {
            const std::filesystem::path name{uri->text()};
            const bool leaves =
                name.is_absolute() || std::find(name.begin(), name.end(), "..") != name.end();
            if (leaves) uri->fail("expected a file in the same folder");
            bytes = read_text_file(path_.parent_path() / name);
        }
        return buffers_[index.index()] = std::move(bytes);
    }

    std::filesystem::path path_;
    Container container_;
    Json json_;
    JsonAt root_;
    std::map<std::size_t, std::string> buffers_;
};

}  // namespace

std::string name_of(TrackKind kind) {
    if (kind == TrackKind::rotation) return "rotation";
    return kind == TrackKind::scale ? "scale" : "translation";
}

TriangleMesh read_triangles(const std::string& path) {
    return ModelReader{path, opened(path, read_text_file(path))}.read_triangles();
}

std::vector<ModelNode> read_nodes(const std::string& path) {
    return ModelReader{path, opened(path, read_text_file(path))}.read_nodes();
}

std::vector<ModelAnimation> read_animations(const std::string& path) {
    return ModelReader{path, opened(path, read_text_file(path))}.read();
}

}  // namespace hopcoil::io
