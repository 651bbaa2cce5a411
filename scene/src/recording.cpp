#include "recording.hpp"

#include <algorithm>
#include <array>

#include <hopcoil/base/angles.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/scene/pattern.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/take/take.hpp>

namespace hopcoil::scene {
namespace {

ChannelKind channel_kind(ValueKind kind) {
    if (kind == ValueKind::rotation) return ChannelKind::rotation;
    return kind == ValueKind::vector ? ChannelKind::vector : ChannelKind::scalar;
}

double* put(double* at, const ValueArray& place, std::size_t count) {
    return std::copy_n(place.numbers.begin(), count, at);
}

}  // namespace

bool is_kept(const std::vector<std::string>& patterns, const std::string& name) {
    return patterns.empty() ||
           std::any_of(patterns.begin(), patterns.end(),
                       [&](const std::string& pattern) { return matches(pattern, name); });
}

Recording::Recording(const Scene& scene, const RunningScene& running)
    : scene_{scene}, running_{running} {
    add_targets();
    for (std::size_t i = 0; i < scene.movers.size(); ++i)
        add_mover(i);
    numbers_.resize(column_names_of(channels_).size());
}

/// Notes where in the row a value of some kind stands, which is being added.
void Recording::note_kind(ValueKind kind, std::size_t at) {
    if (kind == ValueKind::angle) angles_.push_back(at);
    if (kind == ValueKind::rotation) rotations_.push_back(at);
}

void Recording::blend(std::span<const double> before, std::span<const double> after, double part,
                      std::vector<double>& between) const {
    between.resize(after.size());
    for (std::size_t i = 0; i < after.size(); ++i)
        between[i] = before[i] + part * (after[i] - before[i]);
    for (const std::size_t i : angles_)
        between[i] = wrapped_rad(before[i] + part * wrapped_rad(after[i] - before[i]));
    for (const std::size_t i : rotations_) {
        const auto turn = [i](std::span<const double> row) {
            return Quaternion{row[i], row[i + 1], row[i + 2], row[i + 3]};
        };
        const Vector3 way = rotation_vector(turn(after) * conjugate(turn(before)));
        const Quaternion q = turned_by(way * part) * turn(before);
        std::copy_n(std::array{q.w, q.x, q.y, q.z}.begin(), 4,
                    between.begin() + static_cast<std::ptrdiff_t>(i));
    }
}

bool Recording::add_channel(const std::string& owner, const std::string& quantity,
                            const std::string& unit, ChannelKind kind, std::size_t numbers) {
    const std::string name = channel_name(owner, quantity, unit);
    const bool kept = is_kept(scene_.record, name);
    if (kept) {
        channels_.push_back({.name = name, .kind = kind, .components = numbers, .unit = unit});
        columns_ += numbers;
    }
    return kept;
}

void Recording::add_targets() {
    for (std::size_t i = 0; i < scene_.targets.size(); ++i) {
        const SceneTarget& target = scene_.targets[i];
        const std::size_t size = target.path.size();
        const std::size_t at = columns_;
        if (add_channel(target.name, "value", target.unit, channel_kind(target.kind()), size)) {
            note_kind(target.kind(), at);
            pieces_.push_back({.from = Piece::From::target, .index = i, .value_size = size});
        }
    }
}

void Recording::add_mover(std::size_t index) {
    const SceneMover& mover = scene_.movers[index];
    const SceneTarget& target = scene_.targets[mover.target];
    const std::size_t size = target.path.size();
    const std::string unit = target.kind() == ValueKind::rotation ? "rad" : target.unit;
    for (std::size_t part = 0; part < part_count(mover.numbers); ++part) {
        const std::string name = mover.name + part_suffix(mover.numbers, part);
        Piece piece{.from = running_.in_flock(index) ? Piece::From::flock : Piece::From::mover,
                    .index = index,
                    .part = part};
        const std::size_t at = columns_;
        if (add_channel(name, "value", target.unit, channel_kind(target.kind()), size)) {
            note_kind(target.kind(), at);
            piece.value_size = size;
        }
        const std::size_t velocities = velocity_size(target.kind(), size);
        if (add_channel(name, "velocity", unit.empty() ? "per_s" : unit + "_per_s",
                        velocities == 1 ? ChannelKind::scalar : ChannelKind::vector, velocities))
            piece.velocity_size = velocities;
        if (!pieces_.empty() && goes_on(pieces_.back(), piece)) {
            ++pieces_.back().movers;
        } else if (piece.value_size + piece.velocity_size > 0) {
            pieces_.push_back(piece);
        }
    }
}

/// Whether a piece is the next of the same flock, all of it kept: then they are read in one go.
bool Recording::goes_on(const Piece& before, const Piece& piece) const {
    const bool whole = piece.value_size == 1 && piece.velocity_size == 1;
    return whole && before.from == Piece::From::flock && piece.from == Piece::From::flock &&
           before.value_size == 1 && before.velocity_size == 1 &&
           running_.are_neighbours(before.index + before.movers - 1, piece.index);
}

std::span<const double> Recording::row(double time_s) {
    double* at = numbers_.data();
    for (const Piece& piece : pieces_) {
        if (piece.from == Piece::From::target) {
            at = put(at, running_.target_shown(piece.index, time_s), piece.value_size);
        } else if (piece.from == Piece::From::mover) {
            const ValueAndVelocity point = running_.shown(piece.index, piece.part);
            at = put(put(at, point.value, piece.value_size), point.velocity, piece.velocity_size);
        } else if (piece.value_size == 1 && piece.velocity_size == 1) {
            at = running_.read_flock(piece.index, piece.movers, at);
        } else {
            const ValueAndVelocity point = running_.shown(piece.index, 0);
            at = put(put(at, point.value, piece.value_size), point.velocity, piece.velocity_size);
        }
    }
    return numbers_;
}

}  // namespace hopcoil::scene
