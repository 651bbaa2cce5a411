#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/follow/follower.hpp>

namespace hopcoil {

/// A weight that changes smoothly to another: along a cubic from its present value and rate.
class Fade {
  public:
    explicit Fade(double weight = 0.0) noexcept : to_{weight} {}
    void start(double to, double duration_s) noexcept;
    void step(double dt) noexcept;
    [[nodiscard]] double weight() const noexcept { return at().weight; }
    [[nodiscard]] double rate() const noexcept { return at().rate; }
    [[nodiscard]] double aim() const noexcept { return to_; }
    [[nodiscard]] bool is_over() const noexcept { return elapsed_s_ >= duration_s_; }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(from_, first_rate_, to_, duration_s_, elapsed_s_);
        fields.require(duration_s_ >= 0 && elapsed_s_ >= 0);
    }

  private:
    struct Place {
        double weight = 0.0;
        double rate = 0.0;
    };
    [[nodiscard]] Place at() const noexcept;

    double from_ = 0.0;
    double first_rate_ = 0.0;
    double to_ = 0.0;
    double duration_s_ = 0.0;
    double elapsed_s_ = 0.0;
};
/// Errors  InvalidValue for a weight that is not finite, or a duration that is not finite and >= 0.
void require_valid_fade(double weight, double duration_s);

inline namespace HOPCOIL_BITS {

/// A sum of motions, each with a weight that may change.
///
/// Model   value = sum of weight_i value_i; velocity = sum of weight_i' value_i + weight_i
///         value_i'.
template <LinearSpace T>
struct LayerSum {
    T value;
    T velocity;

    void add(const T& layer, const T& layer_velocity, double weight, double weight_rate) noexcept {
        using Scalar = ScalarIn<T>;
        value = value + scaled(layer, static_cast<Scalar>(weight));
        velocity = velocity + (scaled(layer, static_cast<Scalar>(weight_rate)) +
                               scaled(layer_velocity, static_cast<Scalar>(weight)));
    }
};

/// Several motions added on one value: breathing, a flinch, a lean, each a Follower of its own
/// target that fades in and out.
///
///     Layers<Vector3f> head{rest};
///     const auto flinch = head.add(nervous, none);
///     head.fade(flinch, 1, 0.1);
///     head.set_target(flinch, back);
///     head.step(dt);
///
/// Model   value = base + sum of weight_i layer_i; velocity = sum of weight_i' layer_i + weight_i
///         layer_i'. Each keeps its own velocity; weights fade along cubics, so value and velocity
///         are continuous.
/// Shapes  any value; as many layers as there is memory for.
/// Units   seconds; weights are pure numbers.
/// Errors  std::out_of_range for a layer that is not there; InvalidValue for invalid numbers.
/// Cost    that of its followers. `add` allocates; nothing else does.
template <LinearSpace T>
class Layers {
    using Scalar = ScalarIn<T>;

  public:
    explicit Layers(T base) : base_{base} {}

    /// Adds a layer at weight 0, at rest at `start`. Returns its number, which never changes.
    std::size_t add(const Tuning& tuning, T start) {
        layers_.push_back({Follower<T>{tuning, start}, Fade{}, start});
        return layers_.size() - 1;
    }

    void set_base(T base) noexcept { base_ = base; }
    /// A layer's target, which the next step takes to have moved there in a straight line.
    void set_target(std::size_t layer, T target) { layers_.at(layer).target = target; }
    /// One layer's own changes, as Follower has them.
    StepStatus jump(std::size_t layer, T target) {
        return change(layer, target, [&](Follower<T>& mover) { return mover.jump(target); });
    }
    StepStatus cut(std::size_t layer, T target) {
        return change(layer, target, [&](Follower<T>& mover) { return mover.cut(target); });
    }
    StepStatus reset(std::size_t layer, T value) {
        return change(layer, value, [&](Follower<T>& mover) { return mover.reset(value); });
    }
    /// To another weight in a given time, from whatever it is and however fast it fades.
    void fade(std::size_t layer, double weight, double duration_s) {
        require_valid_fade(weight, duration_s);
        layers_.at(layer).fade.start(weight, duration_s);
    }
    void retune(std::size_t layer, const Tuning& tuning) { layers_.at(layer).mover.retune(tuning); }
    StepStatus push(std::size_t layer, T delta_velocity) {
        return change(layer, layers_.at(layer).target,
                      [&](Follower<T>& mover) { return mover.push(delta_velocity); });
    }

    /// Steps all layers; those whose target is not usable stay where they are.
    StepStatus step(double dt) noexcept {
        if (!is_time_step(dt)) return reject();
        StepStatus status = StepStatus::stepped;
        for (Layer& layer : layers_) {
            if (layer.mover.step(layer.target, dt) != StepStatus::stepped) status = reject();
            layer.fade.step(dt);
        }
        return status;
    }

    [[nodiscard]] T value() const noexcept { return sum().value; }
    [[nodiscard]] T velocity() const noexcept { return sum().velocity; }
    /// Its value once all layers have arrived, at the present weights.
    [[nodiscard]] T target() const noexcept {
        T sum = base_;
        for (const Layer& layer : layers_)
            sum = sum + scaled(layer.mover.target(), static_cast<Scalar>(layer.fade.weight()));
        return sum;
    }
    /// The motion of the sum, for another mover's `resume`.
    [[nodiscard]] Motion<T> motion() const noexcept {
        return {target(), value() - target(), velocity()};
    }
    [[nodiscard]] std::size_t size() const noexcept { return layers_.size(); }
    [[nodiscard]] double weight(std::size_t layer) const { return layers_.at(layer).fade.weight(); }
    [[nodiscard]] const Follower<T>& mover(std::size_t layer) const {
        return layers_.at(layer).mover;
    }
    /// Nothing fades, and every layer that counts is at rest.
    [[nodiscard]] bool still() const noexcept requires HasLength<T> {
        for (const Layer& layer : layers_) {
            const bool counts = layer.fade.aim() != 0;
            if (!layer.fade.is_over() || (counts && !layer.mover.still())) return false;
        }
        return true;
    }
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("layers 1");
        fields.count(layers_.size());
        fields(base_, rejected_inputs_);
        for (Layer& layer : layers_)
            fields(layer.mover, layer.fade, layer.target);
    }

  private:
    struct Layer {
        Follower<T> mover;
        Fade fade;
        T target;
    };

    [[nodiscard]] LayerSum<T> sum() const noexcept {
        LayerSum<T> sum{base_, base_ - base_};
        for (const Layer& layer : layers_) {
            sum.add(layer.mover.value(), layer.mover.velocity(), layer.fade.weight(),
                    layer.fade.rate());
        }
        return sum;
    }
    StepStatus reject() noexcept {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    template <class Change>
    StepStatus change(std::size_t layer, const T& target, const Change& change_it) {
        Layer& changed = layers_.at(layer);
        if (change_it(changed.mover) != StepStatus::stepped) return reject();
        changed.target = target;
        return StepStatus::stepped;
    }

    T base_;
    std::vector<Layer> layers_;
    std::uint64_t rejected_inputs_ = 0;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
