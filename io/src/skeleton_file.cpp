#include <algorithm>
#include <cmath>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/io/file_problems.hpp>
#include <hopcoil/io/skeleton_file.hpp>

namespace hopcoil::io {
namespace {

Quaternion turn_of(const std::array<double, 4>& row) {
    return normalized(Quaternion{row[0], row[1], row[2], row[3]});
}

std::array<double, 4> row_of(const Vector3& v) {
    return {v.x, v.y, v.z, 0};
}

/// A rotation of the sign of the one before it.
std::array<double, 4> row_of(const Quaternion& q,
                             const std::vector<std::array<double, 4>>& before) {
    std::array<double, 4> row{q.w, q.x, q.y, q.z};
    if (before.empty()) return row;
    double along = 0;
    for (std::size_t k = 0; k < row.size(); ++k)
        along += row.at(k) * before.back().at(k);
    if (along < 0) row = {-q.w, -q.x, -q.y, -q.z};
    return row;
}

/// Nothing hangs on it: seen by a marker.
bool is_end(const Skeleton& skeleton, std::size_t joint) {
    const std::vector<Joint>& all = skeleton.joints;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (i != joint && all[i].parent == joint) return false;
    }
    return true;
}

bool is_constant(const std::vector<std::array<double, 4>>& rows) {
    return std::all_of(rows.begin(), rows.end(), [&](const auto& row) { return row == rows[0]; });
}

}  // namespace

Skeleton read_skeleton(const std::string& path) {
    const std::vector<ModelNode> nodes = read_nodes(path);
    if (nodes.empty()) refuse_input({path, 0, 0}, "nodes", "expected a skeleton, found no node");
    Skeleton skeleton;
    std::vector<std::size_t> places(nodes.size(), nodes.size());
    // Parents first, whatever the file's order.
    for (bool goes_on = true; goes_on;) {
        goes_on = false;
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            const ModelNode& node = nodes[i];
            const bool waits = node.parent && places[*node.parent] == nodes.size();
            if (places[i] != nodes.size() || waits) continue;
            places[i] = skeleton.joints.size();
            const auto& t = node.translation;
            skeleton.joints.push_back({.name = node.name,
                                       .parent = node.parent ? places[*node.parent] : places[i],
                                       .rest = {{t[0], t[1], t[2]},
                                                turn_of(node.rotation),
                                                {node.scale[0], node.scale[1], node.scale[2]}}});
            goes_on = true;
        }
    }
    if (skeleton.joints.size() != nodes.size())
        refuse_input({path, 0, 0}, "nodes", "expected a tree, found nodes in a circle");
    return skeleton;
}

Clip::Clip(const Skeleton& skeleton, const ModelAnimation& animation) {
    for (std::size_t i = 0; i < skeleton.joints.size(); ++i) {
        rest_.push_back(skeleton.joints[i].rest);
        for (const NodeTrack& track : animation.tracks) {
            if (track.node != skeleton.joints[i].name || track.times_s.empty()) continue;
            duration_s_ = std::max(duration_s_, track.times_s.back());
            tracks_.push_back({i, track});
        }
    }
}

void Clip::pose(double time_s, std::span<Pose> local) const {
    std::copy(rest_.begin(), rest_.end(), local.begin());
    const double rounds = duration_s_ > 0 ? std::floor(time_s / duration_s_) : 0;
    const double at_s = time_s - rounds * duration_s_;
    for (const auto& [joint, track] : tracks_) {
        const std::array<double, 4> row = track.at(at_s);
        Pose& pose = local[joint];
        if (track.kind == TrackKind::rotation) pose.rotation = turn_of(row);
        if (track.kind == TrackKind::translation) pose.position = {row[0], row[1], row[2]};
        if (track.kind == TrackKind::scale) pose.scale = {row[0], row[1], row[2]};
    }
}

std::vector<ModelNode> model_nodes_of(const Skeleton& skeleton, std::span<const double> times_s,
                                      std::span<const Pose> poses) {
    std::vector<ModelNode> nodes;
    const std::size_t count = skeleton.joints.size();
    for (std::size_t i = 0; i < count; ++i) {
        const Joint& joint = skeleton.joints[i];
        const Pose& rest = joint.rest;
        ModelNode node{.name = joint.name,
                       .translation = {rest.position.x, rest.position.y, rest.position.z},
                       .rotation = row_of(rest.rotation, {}),
                       .scale = {rest.scale.x, rest.scale.y, rest.scale.z},
                       .has_marker = is_end(skeleton, i)};
        if (joint.parent != i) node.parent = joint.parent;
        NodeTrack place{.node = joint.name, .kind = TrackKind::translation};
        NodeTrack turn{.node = joint.name, .kind = TrackKind::rotation};
        for (std::size_t row = 0; row < times_s.size(); ++row) {
            const Pose& pose = poses[row * count + i];
            place.values.push_back(row_of(pose.position));
            turn.values.push_back(row_of(pose.rotation, turn.values));
        }
        for (NodeTrack* track : {&place, &turn}) {
            if (track->values.empty()) continue;
            track->times_s.assign(times_s.begin(), times_s.end());
            const bool stands = is_constant(track->values);
            const auto& first = track->values.front();
            if (track->kind == TrackKind::rotation) {
                node.rotation = first;
            } else {
                node.translation = {first[0], first[1], first[2]};
            }
            if (!stands) node.tracks.push_back(std::move(*track));
        }
        nodes.push_back(std::move(node));
    }
    return nodes;
}

}  // namespace hopcoil::io
