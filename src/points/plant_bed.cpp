#include <algorithm>
#include <cmath>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/plant_bed.hpp>

#include "../base/vectors.hpp"
#include "plant_sway.hpp"

namespace hopcoil {

using plant::Block;
using plant::Lanes;
using plant::most_lanes;
using plant::Swings;

plant::Room::Room(std::size_t branches, std::size_t modes, std::size_t wind_points,
                  std::size_t lanes)
    : kept(modes * lanes), finished(modes * lanes) {
    const std::size_t points = branches + 1;
    for (std::vector<double>* each : {&angles, &rates, &torques, &drag_slopes})
        each->resize(2 * branches * lanes);
    drag_streams.resize(6 * branches * lanes);
    bends.resize(3 * branches * lanes);
    twists.resize(branches * lanes);
    turns.resize(4 * points * lanes);
    std::fill_n(turns.begin(), lanes, 1.0);  // the base is its own frame
    for (std::vector<double>* each :
         {&ends, &velocities, &spins, &gains, &spin_gains, &forces, &moments})
        each->resize(3 * points * lanes);
    streams.resize(3 * wind_points * lanes);
    for (std::vector<double>* each : {&mode_forces, &next_loads, &bend_responses, &rate_responses,
                                      &slowings, &wanted, &missing, &toward})
        each->resize(modes * lanes);
}

PlantBed::PlantBed(std::shared_ptr<const PlantStructure> structure, const PlantSettings& settings,
                   std::span<const PlantBase> bases)
    : structure_{std::move(structure)}, settings_{settings} {
    if (structure_ == nullptr) throw InvalidValue{"structure", 0, "one"};
    if (bases.empty()) throw InvalidValue{"bases", 0, "one or more"};
    require_valid(settings);
    // A block is as much work with few plants as with many.
    constexpr std::size_t too_few = 2;
    lanes_ = bases.size() > too_few ? most_lanes : 1;
    const std::size_t modes = structure_->mode_count();
    Block block{.swings = Swings{modes * lanes_},
                .rows = std::vector<double>(modes * plant::row_count * lanes_),
                .rows_drag = std::vector<double>(modes * lanes_)};
    block.rows_dt.fill(-1);
    blocks_.assign((bases.size() + lanes_ - 1) / lanes_, block);
    room_ = {structure_->size(), modes, structure_->wind_points().size(), lanes_};
    const std::size_t points = bases.size() * (structure_->size() + 1);
    positions_.resize(points);
    velocities_.resize(points);
    rotations_.resize(points);
    spins_.resize(points);
    channels_ = {{"position", ChannelKind::vector, 3, "m", points},
                 {"velocity", ChannelKind::vector, 3, "m_per_s", points},
                 {"rotation", ChannelKind::rotation, 4, "", points}};
    for (const PlantBase& base : bases) {
        if (!can_be(base))
            throw InvalidValue{"base", norm(base.place), "a finite place and a rotation"};
        stands_.push_back({.base = base.place, .facing = normalized(base.facing)});
    }
    show_all();
}

StepStatus PlantBed::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

std::size_t PlantBed::plants_in(std::size_t block) const noexcept {
    return std::min(lanes_, size() - block * lanes_);
}

bool PlantBed::can_be(const PlantBase& base) const noexcept {
    const Quaternion turn = normalized(base.facing);
    return is_finite_vector(base.place) && turn.w == turn.w &&
           (!base.velocity || is_finite_vector(*base.velocity)) &&
           (!base.spin || is_finite_vector(*base.spin));
}

StepStatus PlantBed::reset(std::size_t plant, const Vector3& place,
                           const Quaternion& facing) noexcept {
    if (plant >= size() || !can_be({.place = place, .facing = facing})) return reject();
    stands_[plant] = {.base = place, .facing = normalized(facing)};
    Block& block = blocks_[plant / lanes_];
    clear_lane(block.swings, plant % lanes_, lanes_);
    block.load_rates[plant % lanes_] = 0;
    show(plant / lanes_);
    return StepStatus::stepped;
}

StepStatus PlantBed::cut(std::size_t plant, const Vector3& place,
                         const Quaternion& facing) noexcept {
    if (plant >= size() || !can_be({.place = place, .facing = facing})) return reject();
    Stand& stand = stands_[plant];
    const Quaternion to = normalized(facing);
    const Quaternion turn = to * conjugate(stand.facing);
    stand.base = place;
    stand.facing = to;
    for (Vector3* each : {&stand.velocity, &stand.slope, &stand.spin, &stand.spin_slope})
        *each = rotated(turn, *each);
    show(plant / lanes_);
    return StepStatus::stepped;
}

StepStatus PlantBed::push(std::size_t plant, std::size_t branch,
                          const Vector3& impulse_n_s) noexcept {
    if (plant >= size() || branch >= structure_->size() || !is_finite_vector(impulse_n_s))
        return reject();
    const std::size_t lane = plant % lanes_;
    Swings& swings = blocks_[plant / lanes_].swings;
    copy_lane(swings, room_.kept, lane, lanes_);
    const auto rods = structure_->rods();
    const Quaternion back = conjugate(stands_[plant].facing);
    const Vector3 impulse = rotated(back, impulse_n_s);
    const std::span<const Vector3> points = positions(plant);
    for (std::size_t i = branch; i != plant_base; i = rods[i].parent) {
        const std::size_t foot = rods[i].parent == plant_base ? 0 : rods[i].parent + 1;
        const Vector3 arm = rotated(back, points[branch + 1] - points[foot]);
        const Quaternion turn = back * rotations(plant)[foot];
        const Vector3 torque = rotated(conjugate(turn), cross(arm, impulse));
        const double first = dot(rods[i].bends[0], torque);
        const double second = dot(rods[i].bends[1], torque);
        for (std::size_t m = 0; m < structure_->mode_count(); ++m) {
            const auto& turns = structure_->modes()[m].turns;
            swings.rates[m * lanes_ + lane] +=
                (turns[2 * i] * first + turns[2 * i + 1] * second) / plant::density_of(settings_);
        }
    }
    if (!is_finite_lane(swings, lane, lanes_)) {
        copy_lane(room_.kept, swings, lane, lanes_);
        return reject();
    }
    stands_[plant].is_resting = false;
    show(plant / lanes_);
    return StepStatus::stepped;
}

void PlantBed::retune(const PlantSettings& settings) {
    require_valid(settings);
    settings_ = settings;
    for (Block& block : blocks_)
        block.rows_dt.fill(-1);
}

bool PlantBed::try_retune(const PlantSettings& settings) noexcept {
    if (!is_valid(settings)) {
        reject();
        return false;
    }
    settings_ = settings;
    for (Block& block : blocks_)
        block.rows_dt.fill(-1);
    return true;
}

void PlantBed::use(InstructionSet set) {
    require_available(set);
    set_ = set;
}

void PlantBed::show(std::size_t block) noexcept {
    const std::size_t first = block * lanes_;
    plant::VectorLanes base;
    plant::VectorLanes velocity;
    plant::VectorLanes spin;
    std::array<Lanes, 4> facing{};
    for (std::size_t k = 0; k < plants_in(block); ++k) {
        const Stand& stand = stands_[first + k];
        base.put(k, stand.base);
        velocity.put(k, stand.velocity);
        spin.put(k, stand.spin);
        facing[0][k] = stand.facing.w;
        facing[1][k] = stand.facing.x;
        facing[2][k] = stand.facing.y;
        facing[3][k] = stand.facing.z;
    }
    const std::size_t at = first * (structure_->size() + 1);
    plant::show(set_, lanes_,
                {.structure = *structure_,
                 .base = base,
                 .velocity = velocity,
                 .spin = spin,
                 .facing = facing,
                 .plants = plants_in(block),
                 .positions = positions_.data() + at,
                 .velocities = velocities_.data() + at,
                 .rotations = rotations_.data() + at,
                 .spins = spins_.data() + at,
                 .block = blocks_[block],
                 .room = room_});
}

void PlantBed::show_all() noexcept {
    for (std::size_t block = 0; block < blocks_.size(); ++block)
        show(block);
}

double PlantBed::energy(std::size_t plant) const noexcept {
    if (plant >= size()) return 0;
    const Swings& swings = blocks_[plant / lanes_].swings;
    double sum = 0;
    for (std::size_t m = 0; m < structure_->mode_count(); ++m) {
        const std::size_t at = m * lanes_ + plant % lanes_;
        const double w = 2 * math::pi * settings_.frequency_hz * structure_->modes()[m].ratio;
        const double stretch = w * swings.bends[at];
        sum += swings.rates[at] * swings.rates[at] + stretch * stretch;
    }
    return 0.5 * plant::density_of(settings_) * sum;
}

double PlantBed::energy() const noexcept {
    double sum = 0;
    for (std::size_t i = 0; i < size(); ++i)
        sum += energy(i);
    return sum;
}

bool PlantBed::still() const noexcept {
    return std::all_of(stands_.begin(), stands_.end(),
                       [](const Stand& stand) { return stand.is_resting; });
}

void PlantBed::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    const auto put = [&](double number) {
        if (at < numbers.size()) numbers[at++] = number;
    };
    for (const auto* vectors : {&positions_, &velocities_}) {
        for (const Vector3& v : *vectors) {
            put(v.x);
            put(v.y);
            put(v.z);
        }
    }
    for (const Quaternion& q : rotations_) {
        put(q.w);
        put(q.x);
        put(q.y);
        put(q.z);
    }
}

std::span<const Dial<PlantBed>> PlantBed::dials() noexcept {
    return dials_through<PlantBed, PlantSettings, ReadSettings>();
}

}  // namespace hopcoil
