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

Recording::Recording(const Scene& scene, RunningScene& running) : scene_{scene}, running_{running} {
    for (std::size_t i = 0; i < scene.targets.size(); ++i)
        add_target(i);
    for (std::size_t i = 0; i < scene.systems.size(); ++i) {
        const std::size_t ports = scene.systems[i].spec->outputs().size();
        for (std::size_t port = 0; port < ports; ++port)
            add_output(i, port);
        add_signals(i);
    }
    numbers_.resize(columns_);
}

/// Notes where in the row values of some kind stand, which are being added.
void Recording::note_kind(ValueKind kind, std::size_t at, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        if (kind == ValueKind::angle) angles_.push_back(at + i);
        if (kind == ValueKind::rotation) rotations_.push_back(at + 4 * i);
    }
}

void Recording::blend(std::span<const double> before, std::span<const double> after, double part,
                      std::vector<double>& between) const {
    between.resize(after.size());
    for (std::size_t i = 0; i < after.size(); ++i)
        between[i] = before[i] + part * (after[i] - before[i]);
    for (const std::size_t i : steps_)
        between[i] = after[i];
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

void Recording::match_signs(std::span<const double> before, std::span<double> row) const {
    if (before.empty()) return;
    for (const std::size_t i : rotations_) {
        double along = 0;
        for (std::size_t k = i; k < i + 4; ++k)
            along += before[k] * row[k];
        if (!(along < 0)) continue;
        for (double& number : row.subspan(i, 4))
            number = -number;
    }
}

bool Recording::add_channel(RecordedChannel channel, const SceneSystem* of) {
    if (!is_kept(scene_.record, channel.name)) return false;
    const bool is_left_out = scene_.is_for_figures && of != nullptr &&
                             !of->spec->is_measured(channel.name.substr(of->name.size() + 1));
    if (is_left_out) return false;
    columns_ += channel.components * channel.count;
    channels_.push_back(std::move(channel));
    return true;
}

void Recording::add_target(std::size_t index) {
    const SceneTarget& target = scene_.targets[index];
    const std::size_t size = target.path.size();
    const std::size_t at = columns_;
    if (!add_channel({.name = channel_name(target.name, "value", target.unit),
                      .kind = channel_kind(target.kind()),
                      .components = size,
                      .unit = target.unit}))
        return;
    note_kind(target.kind(), at, 1);
    pieces_.push_back({.from = Piece::From::target, .output = {index, 0}, .value_size = size});
}

void Recording::add_output(std::size_t system, std::size_t port_index) {
    const SceneSystem& item = scene_.systems[system];
    const Port port = item.spec->outputs().at(port_index);
    Piece piece{.from = Piece::From::output, .output = {system, port_index}, .count = port.count};
    const std::size_t at = columns_;
    const std::string alive = port.alive.empty() ? "" : item.name + '.' + port.alive;
    if (add_channel({.name = value_channel(item, port),
                     .kind = channel_kind(port.kind),
                     .components = port.components,
                     .unit = port.unit,
                     .count = port.count,
                     .alive = alive},
                    &item)) {
        note_kind(port.kind, at, port.count);
        piece.value_size = port.components;
    }
    const std::size_t velocities = velocity_size(port.kind, port.components);
    if (port.has_velocity &&
        add_channel({.name = velocity_channel(item, port),
                     .kind = velocities == 1 ? ChannelKind::scalar : ChannelKind::vector,
                     .components = velocities,
                     .unit = velocity_unit(port),
                     .count = port.count,
                     .alive = alive},
                    &item))
        piece.velocity_size = velocities;
    if (piece.value_size + piece.velocity_size > 0) pieces_.push_back(piece);
}

void Recording::add_signals(std::size_t system) {
    const SceneSystem& item = scene_.systems[system];
    std::size_t kept = 0;
    std::size_t all = 0;
    for (RecordedChannel signal : item.spec->signals()) {
        signal.name = item.name + '.' + signal.name;
        const std::size_t width = signal.components * signal.count;
        const bool steps = signal.kind == ChannelKind::flag || signal.kind == ChannelKind::event;
        const std::size_t at = columns_;
        const bool keeps = add_channel(std::move(signal), &item);
        for (std::size_t i = 0; i < width; ++i) {
            keeps_signal_.push_back(keeps);
            if (keeps && steps) steps_.push_back(at + i);
        }
        all += width;
        if (keeps) kept += width;
    }
    if (all == 0) return;
    pieces_.push_back(
        {.from = Piece::From::signals, .output = {system, 0}, .count = all, .value_size = kept});
}

std::span<const double> Recording::row(double time_s) {
    double* at = numbers_.data();
    auto keeps = keeps_signal_.begin();
    for (const Piece& piece : pieces_) {
        if (piece.from == Piece::From::target) {
            at = put(at, running_.target_shown(piece.output.system, time_s), piece.value_size);
        } else if (piece.from == Piece::From::output) {
            // All values, then all velocities: each is a channel.
            double* const velocities = at + piece.count * piece.value_size;
            for (std::size_t i = 0; i < piece.count; ++i) {
                const ValueAndVelocity point = running_.output(piece.output, i);
                put(at + i * piece.value_size, point.value, piece.value_size);
                put(velocities + i * piece.velocity_size, point.velocity, piece.velocity_size);
            }
            at = velocities + piece.count * piece.velocity_size;
        } else {
            signals_.assign(piece.count, 0);
            running_.system(piece.output.system).read_signals(signals_);
            for (const double number : signals_) {
                if (*keeps++) *at++ = number;
            }
        }
    }
    return numbers_;
}

}  // namespace hopcoil::scene
