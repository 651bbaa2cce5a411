#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <string_view>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/io/take_model.hpp>
#include <hopcoil/points/net_surface.hpp>

#include "model_skins.hpp"

namespace hopcoil::io {
namespace {

/// What can be a node's place, turn or size by itself.
std::optional<TrackKind> track_of(const RecordedChannel& channel) {
    if (channel.kind == ChannelKind::rotation) return TrackKind::rotation;
    if (channel.kind == ChannelKind::vector) {
        const bool is_place = channel.components == 2 || channel.components == 3;
        return is_place ? std::optional{TrackKind::translation} : std::nullopt;
    }
    if (channel.kind != ChannelKind::scalar) return std::nullopt;
    if (channel.unit == "rad") return TrackKind::rotation;
    return channel.unit == "m" ? std::optional{TrackKind::translation} : std::nullopt;
}

void put(NodeChannels& node, TrackKind kind, std::size_t channel) {
    (kind == TrackKind::rotation ? node.rotation
     : kind == TrackKind::scale  ? node.scale
                                 : node.position) = channel;
}

/// Times that rise, as floats too, and the row that each shows.
struct Rows {
    std::vector<double> times_s{};
    std::vector<std::size_t> rows{};
};

Rows rising_rows(const Take& take) {
    constexpr double leap_s = 1e-4;
    Rows result;
    const std::vector<double>& times_s = take.times_s();
    for (std::size_t i = 0; i < times_s.size(); ++i) {
        const bool leaps = i > 0 && times_s[i] <= times_s[i - 1];
        // Of several rows at one time the first and the last are seen.
        const bool is_between = leaps && i + 1 < times_s.size() && times_s[i + 1] <= times_s[i];
        if (is_between) continue;
        const double time_s = leaps ? times_s[i] + leap_s : times_s[i];
        const bool rises = result.times_s.empty() ||
                           static_cast<float>(time_s) > static_cast<float>(result.times_s.back());
        if (!rises) continue;
        result.times_s.push_back(time_s);
        result.rows.push_back(i);
    }
    return result;
}

class ModelMaker {
  public:
    ModelMaker(const Take& take, const ModelSettings& settings)
        : take_{take}, settings_{settings}, rows_{rising_rows(take)} {}

    BakedModel make(const ModelChannels& all) {
        for (const NodeChannels& channels : all.nodes) {
            ModelNode node{.name = channels.name, .translation = channels.at_m};
            node.solid = channels.solid;
            node.colour = channels.colour;
            node.has_marker = channels.solid.empty() && !channels.is_source;
            node.is_hidden = channels.is_source;
            keeps_samples_ = channels.is_source;
            if (channels.position) add_place(node, channels);
            if (channels.rotation) {
                add(node, TrackKind::rotation,
                    columns_of(TrackKind::rotation, *channels.rotation, channels.turn_axis));
            }
            if (channels.scale) add(node, TrackKind::scale, *channels.scale);
            baked_.model.nodes.push_back(std::move(node));
        }
        keeps_samples_ = false;
        for (const TubeChannel& tube : all.tubes)
            add_tube(tube);
        for (const BranchChannel& branches : all.branches)
            add_branches(branches);
        for (const SkeletonChannels& skeleton : all.skeletons)
            add_skeleton(skeleton);
        for (const MeshChannel& mesh : all.meshes)
            add_mesh(mesh);
        for (const DotChannels& dots : all.dots)
            add_dots(dots);
        baked_.model.made_by = take_.made_by();
        return std::move(baked_);
    }

  private:
    void add_place(ModelNode& node, const NodeChannels& channels) {
        auto columns = columns_of(TrackKind::translation, *channels.position);
        const bool is_number = take_.channels()[*channels.position].components == 1;
        if (is_number) std::swap(columns[0], columns[channels.axis]);
        for (std::size_t k = 0; k < columns.size(); ++k) {
            for (double& number : columns[k])
                number += channels.at_m[k];
        }
        add(node, TrackKind::translation, columns);
    }

    /// The points of a row of the take.
    [[nodiscard]] std::vector<Vector3> points_in(std::size_t channel, std::size_t row) const {
        const std::size_t size = take_.channels()[channel].components;
        const Take::Columns columns = take_.columns_of(channel);
        const auto numbers = take_.row(row).subspan(columns.first, columns.count);
        std::vector<Vector3> points;
        for (std::size_t i = 0; i + size <= numbers.size(); i += size)
            points.push_back({numbers[i], numbers[i + 1], size > 2 ? numbers[i + 2] : 0});
        return points;
    }

    /// A node for each point, placed there and turned with the row; and the tube that they bend.
    void add_tube(const TubeChannel& tube) {
        const std::vector<Vector3> start = points_in(tube.channel, rows_.rows.front());
        if (start.size() < 2) return;
        baked_.model.skins.push_back(skin_of(tube, start, baked_.model.nodes.size()));
        add_points(tube.name, tube.channel, RowTurns{start});
    }

    void add_branches(const BranchChannel& branches) {
        const std::vector<Vector3> start = points_in(branches.channel, rows_.rows.front());
        baked_.model.skins.push_back(skin_of(branches, start, baked_.model.nodes.size()));
        add_points(branches.name, branches.channel, BranchTurns{branches.parents, start});
    }

    /// A node for each point, placed there and turned as those of `turned` are.
    template <class Turns>
    void add_points(const std::string& name, std::size_t channel, Turns turned) {
        const std::size_t size = turned.turns.size();
        using Columns = std::vector<std::vector<double>>;
        std::vector<Columns> places(size, Columns(3));
        std::vector<Columns> turns(size, Columns(4));
        for (const std::size_t row : rows_.rows) {
            const std::vector<Vector3> points = points_in(channel, row);
            turned.follow(points);
            for (std::size_t i = 0; i < size; ++i) {
                const Vector3& p = points[i];
                const Quaternion& q = turned.turns[i];
                for (std::size_t k = 0; k < 3; ++k)
                    places[i][k].push_back(std::array{p.x, p.y, p.z}[k]);
                for (std::size_t k = 0; k < 4; ++k)
                    turns[i][k].push_back(std::array{q.w, q.x, q.y, q.z}[k]);
            }
        }
        for (std::size_t i = 0; i < size; ++i) {
            ModelNode node{.name = fmt::format("{}.{}", name, i), .has_marker = false};
            add(node, TrackKind::translation, places[i]);
            add(node, TrackKind::rotation, turns[i]);
            baked_.model.nodes.push_back(std::move(node));
        }
    }

    /// Its shape in rows of the take: all of them, or evenly as many as a model can carry.
    void add_mesh(const MeshChannel& channel) {
        constexpr std::size_t most_shapes = 160;
        ModelMesh mesh{.name = channel.name, .texture = channel.texture};
        if (!channel.colours.empty()) mesh.colour = channel.colours.front();
        std::vector<std::array<std::uint32_t, 3>> triangles;
        triangles.reserve(channel.triangles.size());
        for (const auto& [a, b, c] : channel.triangles) {
            triangles.push_back({static_cast<std::uint32_t>(a), static_cast<std::uint32_t>(b),
                                 static_cast<std::uint32_t>(c)});
        }
        const std::size_t stride = (rows_.rows.size() + most_shapes - 1) / most_shapes;
        for (std::size_t i = 0; i < rows_.rows.size(); i += stride) {
            mesh.times_s.push_back(rows_.times_s[i]);
            mesh.shapes.push_back(shape_of(points_in(channel.channel, rows_.rows[i]), triangles));
        }
        mesh.triangles = std::move(triangles);
        mesh.texture.resize(channel.texture.empty() ? 0 : mesh.shapes.front().positions.size());
        baked_.samples += rows_.rows.size();
        baked_.keys += mesh.times_s.size();
        baked_.model.meshes.push_back(std::move(mesh));
    }

    static ModelMesh::Shape shape_of(const std::vector<Vector3>& points,
                                     const std::vector<std::array<std::uint32_t, 3>>& triangles) {
        std::vector<Vector3> sums(points.size());
        std::vector<float> normals(3 * points.size());
        write_normals(points, triangles, sums, {normals.data(), points.size()});
        ModelMesh::Shape shape;
        for (std::size_t i = 0; i < points.size(); ++i) {
            shape.positions.push_back({points[i].x, points[i].y, points[i].z});
            shape.normals.push_back({static_cast<double>(normals[3 * i]),
                                     static_cast<double>(normals[3 * i + 1]),
                                     static_cast<double>(normals[3 * i + 2])});
        }
        return shape;
    }

    void add_dots(const DotChannels& dots) {
        const std::size_t count = take_.channels()[dots.alive].count;
        for (std::size_t slot = 0; slot < count; ++slot)
            add_dot(dots, slot);
    }

    void add_dot(const DotChannels& dots, std::size_t slot) {
        std::vector<std::vector<double>> places(3);
        std::vector<std::vector<double>> sizes(3);
        std::vector<std::vector<double>> turns(4);
        bool is_used = false;
        for (const std::size_t row : rows_.rows) {
            const auto numbers = take_.row(row);
            const bool alive = numbers[take_.columns_of(dots.alive).first + slot] != 0;
            const double age = numbers[take_.columns_of(dots.age).first + slot];
            is_used = is_used || alive;
            const double radius = profile_at(dots.radius_m, age, 0.01);
            for (std::size_t k = 0; k < 3; ++k) {
                places[k].push_back(numbers[take_.columns_of(dots.position).first + 3 * slot + k]);
                sizes[k].push_back(alive ? 2 * radius / baked_.model.size : 0);
            }
            if (!dots.turn) continue;
            const double turn = numbers[take_.columns_of(*dots.turn).first + slot];
            const Quaternion q = turned_by({0, 0, turn});
            turns[0].push_back(q.w);
            turns[1].push_back(q.x);
            turns[2].push_back(q.y);
            turns[3].push_back(q.z);
        }
        if (!is_used) return;
        ModelNode node{.name = fmt::format("{}.{}", dots.name, slot)};
        add(node, TrackKind::translation, places);
        if (dots.turn) add(node, TrackKind::rotation, turns);
        add(node, TrackKind::scale, sizes);
        baked_.model.nodes.push_back(std::move(node));
    }

    /// Of a joint in a row of the take, in space.
    [[nodiscard]] std::pair<Vector3, Quaternion> joint_in(const SkeletonChannels& skeleton,
                                                          std::size_t row,
                                                          std::size_t joint) const {
        const auto numbers = take_.row(row);
        const auto p = numbers.subspan(take_.columns_of(skeleton.position).first + 3 * joint, 3);
        const auto q = numbers.subspan(take_.columns_of(skeleton.rotation).first + 4 * joint, 4);
        return {{p[0], p[1], p[2]}, {q[0], q[1], q[2], q[3]}};
    }

    void add_skeleton(const SkeletonChannels& skeleton) {
        const std::size_t first = baked_.model.nodes.size();
        for (std::size_t i = 0; i < skeleton.joints.size(); ++i) {
            const std::size_t parent = skeleton.parents[i];
            std::vector<std::vector<double>> places(3);
            std::vector<std::vector<double>> turns(4);
            for (const std::size_t row : rows_.rows) {
                auto [place, turn] = joint_in(skeleton, row, i);
                if (parent != i) {
                    const auto [above, turned] = joint_in(skeleton, row, parent);
                    place = rotated(conjugate(turned), place - above);
                    turn = normalized(conjugate(turned) * turn);
                }
                for (std::size_t k = 0; k < 3; ++k)
                    places[k].push_back(std::array{place.x, place.y, place.z}[k]);
                for (std::size_t k = 0; k < 4; ++k)
                    turns[k].push_back(std::array{turn.w, turn.x, turn.y, turn.z}[k]);
            }
            // Ends of limbs are seen by their markers; other joints by what hangs on them.
            const std::vector<std::size_t>& parents = skeleton.parents;
            const bool is_end =
                std::count(parents.begin(), parents.end(), i) == (parent == i ? 1 : 0);
            ModelNode node{.name = skeleton.joints[i], .has_marker = is_end};
            if (parent != i) node.parent = first + parent;
            add(node, TrackKind::translation, places);
            add(node, TrackKind::rotation, turns);
            baked_.model.nodes.push_back(std::move(node));
        }
    }

    void add(ModelNode& node, TrackKind kind, std::size_t channel) {
        add(node, kind, columns_of(kind, channel));
    }

    void add(ModelNode& node, TrackKind kind, const std::vector<std::vector<double>>& columns) {
        NodeTrack track = track_from(node.name, kind, columns);
        const std::array<double, 4>& first = track.values.front();
        if (kind == TrackKind::rotation) node.rotation = first;
        if (kind == TrackKind::translation) node.translation = {first[0], first[1], first[2]};
        if (kind == TrackKind::scale) node.scale = {first[0], first[1], first[2]};
        node.tracks.push_back(std::move(track));
    }

    [[nodiscard]] std::vector<double> column(std::size_t index) const {
        const std::vector<double> whole = take_.column(index);
        std::vector<double> shown;
        shown.reserve(rows_.rows.size());
        for (const std::size_t row : rows_.rows)
            shown.push_back(whole[row]);
        return shown;
    }

    /// The channel's numbers as those of a track: three, or a rotation's four.
    [[nodiscard]] std::vector<std::vector<double>> columns_of(TrackKind kind, std::size_t channel,
                                                              std::size_t turn_axis = 1) const {
        const std::size_t size = take_.channels()[channel].components;
        const std::size_t first = take_.columns_of(channel).first;
        std::vector<std::vector<double>> columns;
        for (std::size_t k = 0; k < size; ++k)
            columns.push_back(column(first + k));
        if (kind == TrackKind::rotation) {
            return columns.size() == 4 ? columns : turns_about(columns.front(), turn_axis);
        }
        const bool one_size = kind == TrackKind::scale && columns.size() == 1;
        while (columns.size() < 3) {
            columns.push_back(one_size ? columns.front()
                                       : std::vector<double>(rows_.rows.size(),
                                                             kind == TrackKind::scale ? 1 : 0));
        }
        columns.resize(3);
        return columns;
    }

    static std::vector<std::vector<double>> turns_about(const std::vector<double>& angles,
                                                        std::size_t axis) {
        std::vector<std::vector<double>> parts(4);
        for (const double angle : angles) {
            const Quaternion turn = turned_by(
                {axis == 0 ? angle : 0.0, axis == 1 ? angle : 0.0, axis == 2 ? angle : 0.0});
            parts[0].push_back(turn.w);
            parts[1].push_back(turn.x);
            parts[2].push_back(turn.y);
            parts[3].push_back(turn.z);
        }
        return parts;
    }

    NodeTrack track_from(const std::string& node, TrackKind kind,
                         const std::vector<std::vector<double>>& columns) {
        NodeTrack track{.node = node, .kind = kind};
        baked_.samples += rows_.rows.size();
        if (settings_.distance && !keeps_samples_) {
            bake(track, columns);
        } else {
            track.times_s = rows_.times_s;
            for (std::size_t i = 0; i < rows_.rows.size(); ++i)
                track.values.push_back(row_at(columns, i));
        }
        baked_.keys += track.times_s.size();
        return track;
    }

    static std::array<double, 4> row_at(const std::vector<std::vector<double>>& columns,
                                        std::size_t i) {
        std::array<double, 4> row{};
        for (std::size_t k = 0; k < columns.size(); ++k)
            row[k] = columns[k][i];
        return row;
    }

    void bake(NodeTrack& track, const std::vector<std::vector<double>>& columns) {
        const bool turns = track.kind == TrackKind::rotation;
        KeyReductionSettings settings = *settings_.distance;
        if (turns) settings.tolerance = settings_.angle_rad;
        const ReducedRows reduced = reduce_rows(
            rows_.times_s, columns, turns ? RowKind::rotation : RowKind::vector, settings);
        double& largest = turns ? baked_.largest_error_rad : baked_.largest_error_m;
        largest = std::max(largest, reduced.largest_error);
        const bool cubic = settings.shape == KeyShape::cubic;
        track.between = cubic ? NodeTrack::Between::cubic : NodeTrack::Between::straight;
        for (std::size_t i = 0; i < reduced.curves.front().keys().size(); ++i) {
            std::array<double, 4> value{};
            std::array<double, 4> before{};
            std::array<double, 4> after{};
            for (std::size_t k = 0; k < reduced.curves.size(); ++k) {
                const CurveKey& key = reduced.curves[k].keys()[i];
                value[k] = key.value;
                before[k] = key.slope_before;
                after[k] = key.slope_after;
            }
            track.times_s.push_back(reduced.curves.front().keys()[i].time_s);
            track.values.push_back(value);
            if (!cubic) continue;
            track.slopes_before.push_back(before);
            track.slopes_after.push_back(after);
        }
    }

    const Take& take_;
    ModelSettings settings_;
    Rows rows_;
    bool keeps_samples_ = false;  ///< of the node under way
    BakedModel baked_;
};

/// "gull.position.value_m" is of "gull.position"; nothing for what is no value.
std::optional<std::string> owner_of(const std::string& channel) {
    const std::size_t dot = channel.rfind('.');
    if (dot == std::string::npos || channel.compare(dot + 1, 5, "value") != 0) return std::nullopt;
    return channel.substr(0, dot);
}

bool has_velocity(const Take& take, const std::string& owner) {
    return std::any_of(take.channels().begin(), take.channels().end(), [&](const auto& channel) {
        return channel.name.starts_with(owner + ".velocity");
    });
}

NodeChannels& node_named(std::vector<NodeChannels>& nodes, const std::string& name) {
    const auto found = std::find_if(nodes.begin(), nodes.end(),
                                    [&](const NodeChannels& node) { return node.name == name; });
    if (found != nodes.end()) return *found;
    nodes.push_back({.name = name});
    return nodes.back();
}

}  // namespace

std::vector<NodeChannels> nodes_of(const Take& take) {
    const bool any_velocity = std::any_of(
        take.channels().begin(), take.channels().end(),
        [](const auto& channel) { return channel.name.find(".velocity") != std::string::npos; });
    std::vector<NodeChannels> nodes;
    for (std::size_t i = 0; i < take.channels().size(); ++i) {
        const RecordedChannel& channel = take.channels()[i];
        const auto owner = owner_of(channel.name);
        if (!owner || (any_velocity && !has_velocity(take, *owner))) continue;
        const std::size_t dot = owner->rfind('.');
        const std::string part = dot == std::string::npos ? "" : owner->substr(dot + 1);
        const bool is_part = part == "position" || part == "rotation" || part == "scale";
        auto kind = track_of(channel);
        if (part == "scale") kind = TrackKind::scale;
        if (!kind) continue;
        put(node_named(nodes, is_part ? owner->substr(0, dot) : *owner), *kind, i);
    }
    return nodes;
}

BakedModel model_of(const Take& take, const ModelChannels& channels,
                    const ModelSettings& settings) {
    if (take.row_count() == 0) throw std::invalid_argument{"a take without rows"};
    return ModelMaker{take, settings}.make(channels);
}

}  // namespace hopcoil::io
