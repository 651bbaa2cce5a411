#include <algorithm>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/follow/detail/cubic_way.hpp>
#include <hopcoil/points/plant_bed.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "plant_sway.hpp"

namespace hopcoil {

using plant::Block;
using plant::Lanes;
using plant::Swings;

namespace {

constexpr double longest_substep_s = 1.0 / 60;
constexpr std::size_t most_substeps = 64;

}  // namespace

/// The path of a base during a step: cubics between its ends, of its place and of its rotation
/// since the start.
struct PlantBed::Way {
    CubicWay<Vector3> way;
    CubicWay<Vector3> turn;
    Quaternion facing{};  ///< at the start
    Quaternion to{};
    Vector3 slope{};
    Vector3 spin_slope{};
    bool has_moved = false;
    bool base_rests = false;  ///< all along
    bool is_pulled = false;
    bool goes = false;         ///< it can be stepped at all
    std::size_t substeps = 0;  ///< 0 where nothing can have changed
    double h = 0;

    [[nodiscard]] Quaternion facing_at(double time_s) const noexcept {
        return turned_by(turn.place(time_s)) * facing;
    }
    [[nodiscard]] bool is_stepped(std::size_t substep) const noexcept {
        return goes && substep < substeps;
    }
};

/// Those of a block.
struct PlantBed::Ways {
    std::array<Way, plant::most_lanes> all{};
    std::array<Quaternion, plant::most_lanes> backs{};
    std::array<bool, plant::most_lanes> is_windy{};
    plant::Moments moments{};
    std::size_t plants = 0;
    std::size_t first = 0;  ///< plant
};

/// For a base at rest only the free motion is needed: a fifth of the work.
void PlantBed::find_rows(Block& block, std::size_t lane, const Way& way) const noexcept {
    const bool has_needed = way.base_rests || block.has_base_rows[lane];
    const auto free = [](const StraightRows<double>& rows) {
        return CubicRows<double>{.gap_of_gap = rows.gap_of_gap,
                                 .gap_of_velocity = rows.gap_of_velocity,
                                 .velocity_of_gap = rows.velocity_of_gap,
                                 .velocity_of_velocity = rows.velocity_of_velocity};
    };
    for (std::size_t m = 0; m < structure_->mode_count(); ++m) {
        const std::size_t at = m * lanes_ + lane;
        const double drag = block.swings.drags[at];
        if (has_needed && way.h == block.rows_dt[lane] && drag == block.rows_drag[at]) continue;
        const double hz = settings_.frequency_hz * structure_->modes()[m].ratio;
        const double damping_ratio = settings_.damping_ratio + drag / (4 * math::pi * hz);
        const Tuning tuning{hz, damping_ratio, 1};
        const CubicRows<double> found =
            way.base_rests ? free(straight_rows(tuning, way.h / 2)) : cubic_rows(tuning, way.h / 2);
        const auto rows = rows::in_order(found);
        for (std::size_t row = 0; row < rows.size(); ++row)
            block.rows[(m * rows.size() + row) * lanes_ + lane] = rows[row];
        block.rows_drag[at] = drag;
    }
    block.rows_dt[lane] = way.h;
    block.has_base_rows[lane] = !way.base_rests;
}

/// Short enough for loads that change with the bend and with the wind.
std::size_t PlantBed::substeps(double load_rate, double dt) const noexcept {
    constexpr double rounding = 1e-9;
    const double wanted = std::max(dt / longest_substep_s - rounding,
                                   dt * math::sqrt(std::max(0.0, load_rate)) / 0.7);
    if (!(wanted < static_cast<double>(most_substeps))) return most_substeps;
    return static_cast<std::size_t>(std::max(1.0, std::ceil(wanted)));
}

PlantBase PlantBed::base_of(const PlantBedInputs& inputs, std::size_t plant) const noexcept {
    if (plant < inputs.bases.size()) return inputs.bases[plant];
    return {.place = stands_[plant].base, .facing = stands_[plant].facing};
}

StepStatus PlantBed::step(const PlantBedInputs& inputs, double dt) noexcept {
    const bool is_good = is_time_step(dt) && std::isfinite(inputs.time_s) &&
                         (inputs.bases.empty() || inputs.bases.size() == size());
    if (!is_good) return reject();
    if (dt == 0) return move_at_once(inputs);
    std::size_t rejected = 0;
    for (std::size_t block = 0; block < blocks_.size(); ++block)
        rejected += step_block(block, inputs, dt);
    rejected_inputs_ += rejected;
    return rejected > 0 ? StepStatus::rejected : StepStatus::stepped;
}

/// A step of length zero: bases are moved at once, or their velocities become known.
StepStatus PlantBed::move_at_once(const PlantBedInputs& inputs) noexcept {
    StepStatus status = StepStatus::stepped;
    for (std::size_t i = 0; i < inputs.bases.size(); ++i) {
        const PlantBase& base = inputs.bases[i];
        if (!can_be(base)) {
            status = reject();
        } else if (!(base.place == stands_[i].base) ||
                   !(normalized(base.facing) == stands_[i].facing)) {
            cut(i, base.place, base.facing);
        } else {
            if (base.velocity) stands_[i].velocity = *base.velocity;
            if (base.spin) stands_[i].spin = *base.spin;
        }
    }
    return status;
}

PlantBed::Way PlantBed::way_of(std::size_t plant, const PlantBase& base, double dt) const noexcept {
    const Stand& stand = stands_[plant];
    // An unknown velocity at the end is taken from the parabola through three times.
    const auto at_end = [&](const Vector3& slope, const Vector3& slope_before) {
        if (!stand.has_history) return slope;
        return slope + (slope - slope_before) * (dt / (dt + stand.last_dt));
    };
    const Quaternion to = normalized(base.facing);
    const Vector3 slope = (base.place - stand.base) * (1 / dt);
    const Vector3 turned = rotation_vector(to * conjugate(stand.facing));
    const Vector3 spin_slope = turned * (1 / dt);
    const Vector3 velocity = base.velocity              ? *base.velocity
                             : base.place == stand.base ? Vector3{}
                                                        : at_end(slope, stand.slope);
    const Vector3 spin = base.spin            ? *base.spin
                         : to == stand.facing ? Vector3{}
                                              : at_end(spin_slope, stand.spin_slope);
    const double load_rate = blocks_[plant / lanes_].load_rates[plant % lanes_];
    const std::size_t count = substeps(load_rate, dt);
    const bool has_moved = !(base.place == stand.base) || !(to == stand.facing);
    const bool has_speed = !(stand.velocity == Vector3{}) || !(velocity == Vector3{}) ||
                           !(stand.spin == Vector3{}) || !(spin == Vector3{});
    return {.way = {stand.base, stand.velocity, base.place, velocity, dt},
            .turn = {Vector3{}, stand.spin, turned, spin, dt},
            .facing = stand.facing,
            .to = to,
            .slope = slope,
            .spin_slope = spin_slope,
            .has_moved = has_moved,
            .base_rests = !has_moved && !has_speed,
            .goes = can_be(base),
            .substeps = count,
            .h = dt / static_cast<double>(count)};
}

/// Nothing can have changed.
bool PlantBed::is_idle(std::size_t plant, const PlantBedInputs& inputs,
                       const Way& way) const noexcept {
    return stands_[plant].is_resting && inputs.wind == nullptr && !way.has_moved && !way.is_pulled;
}

/// Returns how many plants of it were left as they were.
std::size_t PlantBed::step_block(std::size_t block, const PlantBedInputs& inputs,
                                 double dt) noexcept {
    Ways ways;
    ways.plants = plants_in(block);
    ways.first = block * lanes_;
    std::size_t most = 0;
    std::size_t rejected = 0;
    for (std::size_t k = 0; k < ways.plants; ++k) {
        Way& way = ways.all[k];
        way = way_of(ways.first + k, base_of(inputs, ways.first + k), dt);
        way.is_pulled =
            std::any_of(inputs.pulls.begin(), inputs.pulls.end(),
                        [&](const PlantPull& pull) { return pull.plant == ways.first + k; });
        if (is_idle(ways.first + k, inputs, way)) way.substeps = 0;
        if (way.goes) most = std::max(most, way.substeps);
        if (!way.goes) ++rejected;
    }
    if (most == 0) return rejected;
    Block& own = blocks_[block];
    const Lanes load_rates = own.load_rates;
    for (std::size_t k = 0; k < ways.plants; ++k) {
        copy_lane(own.swings, room_.kept, k, lanes_);
        if (ways.all[k].is_stepped(0)) find_rows(own, k, ways.all[k]);
    }
    for (std::size_t i = 0; i < most; ++i)
        substep(block, inputs, ways, i);
    for (std::size_t k = 0; k < ways.plants; ++k) {
        if (!ways.all[k].goes || is_finite_lane(own.swings, k, lanes_)) continue;
        ways.all[k].goes = false;
        ++rejected;
        copy_lane(room_.kept, own.swings, k, lanes_);
        own.load_rates[k] = load_rates[k];
    }
    finish(ways, dt);
    show(block);
    return rejected;
}

void PlantBed::substep(std::size_t block, const PlantBedInputs& inputs, Ways& ways,
                       std::size_t number) noexcept {
    plant::Moments& moments = ways.moments;
    Block& own = blocks_[block];
    const Lanes load_rates = own.load_rates;
    for (std::size_t k = 0; k < ways.plants; ++k) {
        if (!ways.all[k].is_stepped(number)) {
            copy_lane(own.swings, room_.finished, k, lanes_);
            continue;
        }
        const Way& way = ways.all[k];
        const double from_s = way.h * static_cast<double>(number);
        const double times[3] = {from_s, from_s + way.h / 2, from_s + way.h};
        const Quaternion back = conjugate(way.facing_at(times[1]));
        ways.backs[k] = back;
        for (std::size_t i = 0; i < 3; ++i) {
            moments.velocity[i].put(k, rotated(back, way.way.velocity(times[i])));
            moments.spin[i].put(k, rotated(back, way.turn.velocity(times[i])));
        }
        for (std::size_t i = 0; i < 2; ++i) {
            moments.travel[i].put(
                k, rotated(back, way.way.place(times[i + 1]) - way.way.place(times[i])));
            moments.turned[i].put(
                k, rotated(back, way.turn.place(times[i + 1]) - way.turn.place(times[i])));
        }
        moments.pull.put(k, (moments.velocity[2][k] - moments.velocity[0][k]) * (1 / way.h));
        moments.twist.put(k, (moments.spin[2][k] - moments.spin[0][k]) * (1 / way.h));
    }
    find_streams(inputs, ways, number);
    const plant::Sway sway{.structure = *structure_,
                           .settings = settings_,
                           .moments = moments,
                           .pulls = inputs.pulls,
                           .first = ways.first,
                           .backs = ways.backs,
                           .block = own,
                           .room = room_};
    plant::find_loads(set_, lanes_, sway);
    for (std::size_t k = 0; k < ways.plants; ++k) {
        if (ways.all[k].is_stepped(number)) find_rows(own, k, ways.all[k]);
    }
    plant::swing_on(set_, lanes_, sway);
    for (std::size_t k = 0; k < ways.plants; ++k) {
        if (ways.all[k].is_stepped(number)) continue;
        copy_lane(room_.finished, own.swings, k, lanes_);
        own.load_rates[k] = load_rates[k];
    }
}

/// The wind in the middle of a substep, at all wind points of all plants that are at the same time.
void PlantBed::find_streams(const PlantBedInputs& inputs, Ways& ways, std::size_t number) noexcept {
    std::fill(room_.streams.begin(), room_.streams.end(), 0.0);
    if (inputs.wind == nullptr) return;
    constexpr std::size_t most_places = 64;
    std::array<Vector3, most_places> places;
    std::array<WindSample, most_places> samples;
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    std::array<std::size_t, most_places> numbers;  // of the first of three in the room
    // NOLINTNEXTLINE(cppcoreguidelines-pro-type-member-init): filled below
    std::array<std::size_t, most_places> lanes;
    std::size_t count = 0;
    double time_s = 0;
    const auto find = [&] {
        inputs.wind->find(std::span{places}.first(count), time_s, samples);
        for (std::size_t i = 0; i < count; ++i) {
            const std::size_t k = lanes[i];
            const Vector3 stream = samples[i].velocity * settings_.wind_share;
            ways.is_windy[k] = ways.is_windy[k] || !(stream == Vector3{});
            const Vector3 own = rotated(ways.backs[k], stream);
            room_.streams[numbers[i]] = own.x;
            room_.streams[numbers[i] + lanes_] = own.y;
            room_.streams[numbers[i] + 2 * lanes_] = own.z;
        }
        count = 0;
    };
    for (std::size_t k = 0; k < ways.plants; ++k) {
        const Way& way = ways.all[k];
        if (!way.is_stepped(number)) continue;
        const double middle_s = way.h * static_cast<double>(number) + way.h / 2;
        const double at_s = inputs.time_s - way.way.duration_s + middle_s;
        if (count > 0 && at_s != time_s) find();
        time_s = at_s;
        const Vector3 base = way.way.place(middle_s);
        const auto points = structure_->wind_points();
        for (std::size_t i = 0; i < points.size(); ++i) {
            if (count == most_places) find();
            places[count] = base + rotated(conjugate(ways.backs[k]), points[i]);
            numbers[count] = 3 * lanes_ * i + k;
            lanes[count++] = k;
        }
    }
    if (count > 0) find();
}

void PlantBed::finish(const Ways& ways, double dt) noexcept {
    for (std::size_t k = 0; k < ways.plants; ++k) {
        const Way& way = ways.all[k];
        if (!way.is_stepped(0)) continue;
        const std::size_t plant = ways.first + k;
        Swings& swings = blocks_[plant / lanes_].swings;
        const Vector3 velocity = way.way.to_velocity;
        const bool base_rests = !way.has_moved && velocity == Vector3{};
        const bool rests =
            base_rests && !ways.is_windy[k] && !way.is_pulled && is_about_to_rest(swings, k);
        if (rests) clear_lane(swings, k, lanes_);
        stands_[plant] = {.base = way.way.to,
                          .velocity = velocity,
                          .slope = way.slope,
                          .facing = way.to,
                          .spin = way.turn.to_velocity,
                          .spin_slope = way.spin_slope,
                          .last_dt = dt,
                          .has_history = true,
                          .is_resting = rests};
    }
}

/// At rest: no point is further than a millionth of the plant's size from its rest place, or would
/// move that far.
bool PlantBed::is_about_to_rest(const Swings& swings, std::size_t lane) const noexcept {
    const double near = 1e-6 * structure_->reach_m();
    for (std::size_t m = 0; m < structure_->mode_count(); ++m) {
        const PlantStructure::Mode& mode = structure_->modes()[m];
        const double w = 2 * math::pi * settings_.frequency_hz * mode.ratio;
        const std::size_t at = m * lanes_ + lane;
        const double way = std::abs(swings.bends[at]) + std::abs(swings.rates[at]) / w;
        if (!(way * mode.reach_m < near)) return false;
    }
    return true;
}

}  // namespace hopcoil
