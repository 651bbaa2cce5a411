#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/chain.hpp>
#include <hopcoil/points/chain_shape.hpp>

#include "chain_math.hpp"

namespace hopcoil {

using namespace chain;  // NOLINT: its own helpers

namespace {

/// `next`, turned toward `last` until no more than a limit lies between them; smoothly.
Vector3 limited(const Vector3& last, const Vector3& next, double limit_rad) noexcept {
    const double c = std::clamp(dot(last, next), -1.0, 1.0);
    const Vector3 across = next - last * c;
    Vector3 side = unit(across, {});
    if (side == Vector3{}) {
        if (c > 0) return next;
        side =
            unit(cross(last, std::abs(last.x) < 0.9 ? Vector3{1, 0, 0} : Vector3{0, 1, 0}), last);
    }
    const double most = math::sin(limit_rad / 2) / math::cos(limit_rad / 2);
    const double half = c > -1 + 1e-15 ? std::sqrt((1 - c) / (1 + c)) : unbounded;
    const double kept = half < 1e150 ? half / std::sqrt(1 + (half / most) * (half / most)) : most;
    const double cosine = (1 - kept * kept) / (1 + kept * kept);
    const double sine = 2 * kept / (1 + kept * kept);
    return last * cosine + side * sine;
}

}  // namespace

/// Places and velocities as they are shown: within the bend limit, with the undulation. `before`
/// are the places a step ago, for velocities that are no longer those of the motion itself.
void Chain::find_outputs(std::span<const Vector3> before, double dt) noexcept {
    const double s = settings_.spacing_m;
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    const bool bends_freely = settings_.bend_limit_rad >= math::pi;
    const Undulation& wave = settings_.undulation;
    const Vector3 axis = unit(wave.axis, {1, 0, 0});
    const auto offset = [&](std::size_t i) {
        return wave.amplitude_m * math::sin(phase_rad_ - static_cast<double>(i) * wave.delay_rad);
    };
    positions_[0] = root_;
    velocities_[0] = root_velocity_;
    Vector3 last_free = root_;
    Vector3 last_direction{};
    double last_offset = wave.amplitude_m > 0 ? offset(0) : 0;
    for (std::size_t i = 0; i < links_.size(); ++i) {
        const Motion<Vector3>& motion = links_[i].motion;
        const Vector3 free = fixed ? last_free + motion.value() : motion.value();
        Vector3 link = fixed ? motion.value() * s : free - last_free;
        if (wave.amplitude_m > 0) {
            const double here = offset(i + 1);
            link = link + axis * (here - last_offset);
            last_offset = here;
        }
        const double length = fixed ? s : norm(link);
        Direction direction = direction_of(link, fixed ? motion.velocity * s : Vector3{},
                                           i == 0 ? links_[i].ghost : last_direction);
        if (!bends_freely && i > 0)
            direction.unit = limited(last_direction, direction.unit, settings_.bend_limit_rad);
        const bool as_it_moves = bends_freely && !(wave.amplitude_m > 0);
        positions_[i + 1] = !fixed && as_it_moves ? free : positions_[i] + direction.unit * length;
        if (as_it_moves) {
            velocities_[i + 1] = fixed ? velocities_[i] + direction.rate * s : motion.velocity;
        } else if (dt > 0) {
            velocities_[i + 1] = (positions_[i + 1] - before[i + 1]) * (1 / dt);
        }
        last_direction = direction.unit;
        last_free = free;
    }
}

double Chain::delay_s() const noexcept {
    double sum_s = 0;
    for (const Tuning& tuning : tunings_) {
        sum_s += 2 * tuning.damping_ratio * (1 - tuning.lead) /
                 (2 * math::pi * std::max(tuning.frequency_hz, 1e-12));
    }
    return sum_s;
}

double Chain::stretch() const noexcept {
    double length = 0;
    for (std::size_t i = 1; i < positions_.size(); ++i)
        length += norm(positions_[i] - positions_[i - 1]);
    return length / (settings_.spacing_m * static_cast<double>(size()));
}

Vector3 Chain::point_at(double part) const noexcept {
    return smooth_point(positions_, part);
}

Quaternion Chain::facing_at(double part, const Vector3& forward) const noexcept {
    const double at = std::clamp(part, 0.0, 1.0) * static_cast<double>(size());
    Quaternion turn = first_frame(positions_, facing_, settings_.rest_direction, forward);
    Vector3 last = up_the_chain(positions_, 0);
    for (std::size_t i = 1; i <= size(); ++i) {
        const Vector3 next = up_the_chain(positions_, i);
        if (static_cast<double>(i) >= at) {
            const double share = std::clamp(at - static_cast<double>(i - 1), 0.0, 1.0);
            return turned_part(last, next, share) * turn;
        }
        turn = turned_part(last, next, 1) * turn;
        last = next;
    }
    return turn;
}

void Chain::facings(std::span<Quaternion> turns, const Vector3& forward) const noexcept {
    Quaternion turn = first_frame(positions_, facing_, settings_.rest_direction, forward);
    Vector3 last = up_the_chain(positions_, 0);
    for (std::size_t i = 0; i < std::min(turns.size(), positions_.size()); ++i) {
        const Vector3 next = up_the_chain(positions_, i);
        turn = turned_part(last, next, 1) * turn;
        turns[i] = turn;
        last = next;
    }
}

void Chain::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    for (const std::vector<Vector3>* const all : {&positions_, &velocities_}) {
        for (const Vector3& each : *all) {
            for (const double number : {each.x, each.y, each.z}) {
                if (at < numbers.size()) numbers[at++] = number;
            }
        }
    }
}

std::span<const Dial<Chain>> Chain::dials() noexcept {
    return dials_through<Chain, ChainSettings, ReadSettings>();
}

std::vector<Chain> fanned(const ChainSettings& settings, std::size_t count, double spread_rad,
                          const Vector3& axis, const Vector3& root, const Quaternion& facing) {
    require_finite("spread_rad", spread_rad);
    std::vector<Chain> chains;
    chains.reserve(count);
    const Vector3 about = unit(axis, {0, 0, 1});
    for (std::size_t i = 0; i < count; ++i) {
        const double part =
            count == 1 ? 0 : static_cast<double>(i) / static_cast<double>(count - 1) - 0.5;
        ChainSettings one = settings;
        one.rest_direction = rotated(turned_by(about * (part * spread_rad)), one.rest_direction);
        chains.emplace_back(one, root, facing);
    }
    return chains;
}

}  // namespace hopcoil
