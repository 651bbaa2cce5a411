#include "flock.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "running_mover.hpp"

namespace hopcoil::scene {

bool Flock::may_join(const SceneMover& mover, const SceneTarget& target) {
    return std::holds_alternative<Tuning>(mover.numbers) && mover.kicks.empty() &&
           target.kind() == ValueKind::number && !target.is_led() && target.path.is_straight();
}

Flock::Flock(const SceneTarget& target) : target_{&target.path.component()} {
    bank_.add_varied_group();
}

std::size_t Flock::add(const SceneMover& mover) {
    const double start = mover.start[0];
    ids_.push_back(bank_.add(0, std::span{&start, 1}, std::get<Tuning>(mover.numbers)));
    const double velocity = mover.initial_velocity[0];
    if (velocity != 0) bank_.push(ids_.back(), std::span{&velocity, 1});
    return ids_.size() - 1;
}

void Flock::begin() {
    const double first = target_->before(0).value;
    for (const auto id : ids_)
        bank_.cut(id, std::span{&first, 1});
    const double after = target_->after(0).value;
    if (after != first) jump_to(after);
    look();
}

/// Where the bank has its numbers now.
void Flock::look() {
    gaps_ = bank_.gaps(0, 0);
    velocities_ = bank_.velocities(0, 0);
    targets_ = bank_.targets(0, 0);
}

/// The one that is nearest to the end of the range of numbers.
std::size_t Flock::furthest() const {
    std::size_t index = 0;
    double largest = 0;
    for (std::size_t i = 0; i < gaps_.size(); ++i) {
        const double size = std::max(std::abs(gaps_[i]), std::abs(velocities_[i]));
        if (size <= largest) continue;
        largest = size;
        index = i;
    }
    return index;
}

void Flock::jump_to(double target) {
    for (const auto id : ids_)
        bank_.jump(id, std::span{&target, 1});
}

bool Flock::advance(double frame_end_s) {
    while (time_s_ < frame_end_s) {
        const double breakpoint_s = target_->next_breakpoint_s(time_s_);
        const bool at_breakpoint = breakpoint_s <= frame_end_s + same_time_s;
        const double end_s = at_breakpoint ? breakpoint_s : frame_end_s;
        const double end = target_->before(end_s).value;
        const std::span<double> next = bank_.next_targets(0, 0);
        std::fill(next.begin(), next.end(), end);
        const std::uint64_t rejected = bank_.rejected_inputs();
        bank_.step_to_next(step_length_.from_to(time_s_, end_s));
        look();
        if (bank_.rejected_inputs() != rejected) {
            who_left_ = furthest();
            return false;
        }
        time_s_ = end_s;
        if (!at_breakpoint) continue;
        const double after = target_->after(end_s).value;
        if (after != end) jump_to(after);
        look();
    }
    return true;
}

}  // namespace hopcoil::scene
