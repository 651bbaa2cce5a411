#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/detail/cascade_rows.hpp>
#include <hopcoil/follow/mover.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

namespace hopcoil {

/// Errors  InvalidValue for no links or an invalid tuning.
void require_valid_links(std::span<const Tuning> tunings);

inline namespace HOPCOIL_BITS {

/// Followers behind followers: a hook, a lamp on it, a tassel on the lamp.
///
///     Cascade<Vector3f> boom{{hook_tuning, lamp_tuning, tassel_tuning}, start};
///     boom.step(boom_end, dt);
///     draw(boom.value(0), boom.value(1), boom.value(2));
///
/// Model   link 0 follows the target, each other link the one before it; each equation that of
///         Follower, with the velocity of the link ahead where the lead asks for it.
/// Shapes  any number of links, each a T.
/// Units   as Follower.
/// Source  docs/math/cascade.md: one linear system, solved exactly while the target moves straight,
///         so the motion is the same at every rate; a chain of Followers that are stepped one after
///         the other is not.
/// Errors  InvalidValue for no links or an invalid tuning; while stepping as Follower.
/// Cost    n^2 short combinations a step; see CascadeRows when dt changes.
template <LinearSpace T>
class Cascade {
    using Scalar = ScalarIn<T>;

  public:
    using Inputs = T;
    using Parameters = Tuning;  ///< of one link

    Cascade(std::vector<Tuning> tunings, T start)
        : tunings_{std::move(tunings)},
          rows_{tunings_.size()},
          target_{start},
          links_(tunings_.size(), Link{start - start, start - start}),
          next_{links_} {
        require_valid_links(tunings_);
    }

    StepStatus step(T target, double dt) noexcept {
        if (!is_time_step(dt)) return reject();
        if (dt == 0) return jump(target);
        if (dt != dt_) {
            rows_.compute(tunings_, dt);
            dt_ = dt;
        }
        const T travel = target - target_;
        for (std::size_t i = 0; i < links_.size(); ++i) {
            next_[i].gap = row(2 * i, travel);
            next_[i].velocity = row(2 * i + 1, travel);
        }
        return arrive(target);
    }

    /// The target really moves there in no time: the first link's lead acts.
    StepStatus jump(T target) noexcept {
        const T travel = target - target_;
        next_ = links_;
        next_[0].gap = next_[0].gap - travel;
        next_[0].velocity =
            next_[0].velocity +
            scaled(travel, static_cast<Scalar>(jump_rows(tunings_[0]).velocity_of_travel));
        return arrive(target);
    }
    StepStatus cut(T target) noexcept {
        next_ = links_;
        next_[0].gap = next_[0].gap - (target - target_);
        return arrive(target);
    }
    /// A sudden change of one link's velocity.
    StepStatus push(std::size_t link, T delta_velocity) noexcept {
        if (link >= links_.size()) return reject();
        next_ = links_;
        next_[link].velocity = next_[link].velocity + delta_velocity;
        return arrive(target_);
    }
    StepStatus reset(T value) noexcept {
        if (!is_finite(value)) return reject();
        const T nothing = value - value;
        for (Link& link : next_)
            link = {nothing, nothing};
        return arrive(value);
    }

    /// Puts it at rest on its present target.
    StepStatus snap() noexcept { return reset(target_); }

    /// Takes over from another mover: every link where it was and as fast, after its target.
    StepStatus resume(const Motion<T>& motion) noexcept {
        const T nothing = motion.gap - motion.gap;
        for (Link& link : next_)
            link = {nothing, motion.velocity};
        next_[0].gap = motion.gap;
        return arrive(motion.target);
    }

    /// New numbers for one link; all values and velocities carry over.
    /// Errors  InvalidValue for an invalid tuning or a link that is not there.
    void retune(std::size_t link, const Tuning& tuning) {
        require_valid(tuning);
        tunings_.at(link) = tuning;
        dt_ = -1;
    }
    bool try_retune(std::size_t link, const Tuning& tuning) noexcept {
        if (link >= tunings_.size() || !is_valid(tuning)) {
            reject();
            return false;
        }
        tunings_[link] = tuning;
        dt_ = -1;
        return true;
    }

    [[nodiscard]] std::size_t size() const noexcept { return links_.size(); }
    /// The value of a link, counted from the target. Undefined for an index out of range.
    [[nodiscard]] T value(std::size_t link) const noexcept {
        T sum = target_;
        for (std::size_t i = 0; i <= link; ++i)
            sum = sum + links_[i].gap;
        return sum;
    }
    [[nodiscard]] T velocity(std::size_t link) const noexcept { return links_[link].velocity; }
    /// The value of the last link.
    [[nodiscard]] T value() const noexcept { return value(size() - 1); }
    [[nodiscard]] T velocity() const noexcept { return velocity(size() - 1); }
    [[nodiscard]] T target() const noexcept { return target_; }
    /// The motion of the last link relative to the target.
    [[nodiscard]] Motion<T> motion() const noexcept {
        T gap = links_[0].gap;
        for (std::size_t i = 1; i < links_.size(); ++i)
            gap = gap + links_[i].gap;
        return {target_, gap, velocity()};
    }
    [[nodiscard]] std::span<const Tuning> tunings() const noexcept { return tunings_; }

    /// Every link within `distance` of the one before it and no faster than `speed`.
    [[nodiscard]] bool at_rest(double distance, double speed) const noexcept requires HasLength<T> {
        for (const Link& link : links_) {
            if (!is_within(link.gap, distance) || !is_within(link.velocity, speed)) return false;
        }
        return true;
    }
    [[nodiscard]] bool still() const noexcept requires HasLength<T> { return at_rest(0, 0); }
    /// The farthest that a link is from the one before it.
    [[nodiscard]] double distance_to_target() const noexcept requires HasLength<T> {
        double farthest = 0;
        for (const Link& link : links_) {
            const double distance = length_of(link.gap);
            farthest = distance > farthest ? distance : farthest;
        }
        return farthest;
    }
    /// Where the target is when `part` (0 to 1) of the time of a step to `target` has passed.
    [[nodiscard]] T target_on_way(const T& target, double part) const noexcept {
        const T travel = target - target_;
        return target_ + scaled(travel, static_cast<Scalar>(part));
    }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("cascade 1");
        fields.count(links_.size());
        fields(target_, rejected_inputs_);
        for (Link& link : links_)
            fields(link.gap, link.velocity);
    }

  private:
    struct Link {
        T gap;  ///< to the link ahead
        T velocity;
    };

    StepStatus reject() noexcept {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }

    [[nodiscard]] T row(std::size_t of, const T& travel) const noexcept {
        T sum = scaled(travel, static_cast<Scalar>(rows_.part(of, 2 * links_.size())));
        for (std::size_t j = 0; 2 * j <= of; ++j) {
            sum =
                sum + (scaled(links_[j].gap, static_cast<Scalar>(rows_.part(of, 2 * j))) +
                       scaled(links_[j].velocity, static_cast<Scalar>(rows_.part(of, 2 * j + 1))));
        }
        return sum;
    }

    StepStatus arrive(const T& target) noexcept {
        T value = target;
        for (Link& link : next_) {
            drop_below(link.gap, static_cast<Scalar>(least_gap<Scalar>));
            drop_below(link.velocity, static_cast<Scalar>(least_gap<Scalar>));
            value = value + link.gap;
            if (!is_finite(value) || !is_finite(link.velocity)) return reject();
        }
        target_ = target;
        links_.swap(next_);
        return StepStatus::stepped;
    }

    std::vector<Tuning> tunings_;
    CascadeRows rows_;
    T target_;
    std::vector<Link> links_;
    std::vector<Link> next_;
    double dt_ = -1;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
