#pragma once

#include <cstddef>
#include <limits>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// A breakpoint this near to a frame's end is at its end: both are rounded.
inline constexpr double same_time_s = 1e-9;

/// The path of a target, for several systems that ask for the same moment one after the other.
class SharedPath {
  public:
    explicit SharedPath(const Trajectory& path) : path_{&path} {}

    [[nodiscard]] const ValueAndVelocity& before(double time_s) {
        if (before_.time_s != time_s) before_ = {time_s, path_->before(time_s)};
        return before_.answer;
    }
    [[nodiscard]] const ValueAndVelocity& after(double time_s) {
        if (after_.time_s != time_s) after_ = {time_s, path_->after(time_s)};
        return after_.answer;
    }
    [[nodiscard]] double next_breakpoint_s(double time_s) {
        if (breakpoint_s_.time_s != time_s) {
            breakpoint_s_ = {time_s, path_->next_breakpoint_s(time_s)};
        }
        return breakpoint_s_.answer;
    }

  private:
    template <class Answer>
    struct Last {
        double time_s = std::numeric_limits<double>::quiet_NaN();
        Answer answer{};
    };

    const Trajectory* path_;
    Last<ValueAndVelocity> before_{};
    Last<ValueAndVelocity> after_{};
    Last<double> breakpoint_s_{};
};

/// A running scene: who feeds whom, in an order in which each system comes before those that follow
/// it.
class RunningScene {
  public:
    explicit RunningScene(const Scene& scene);

    /// From now on a target does not follow its path: by the next `advance` it has gone straight to
    /// a value, and stays there until it is let go.
    void hold(std::size_t target, const ValueArray& value);
    void let_go(std::size_t target);
    bool push(const OutputRef& output, const ValueArray& delta_velocity);
    bool grab(const OutputRef& output, std::size_t index, const std::optional<ValueArray>& place) {
        return systems_[output.system]->grab(output.port, index, place);
    }
    [[nodiscard]] bool is_held(std::size_t target) const { return held_[target].has_value(); }

    /// Of what has been advanced to one time.
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("scene 3");
        fields(time_s_, coupled_time_s_, times_s_);
        for (std::optional<Held>& held : held_)
            fields(held);
        for (Tap& tap : taps_) {
            fields(tap.before.value.numbers, tap.before.velocity.numbers,
                   tap.previous.value.numbers, tap.previous.velocity.numbers);
        }
        for (const std::unique_ptr<RunningSystem>& system : systems_)
            visit_system(*system, fields);
    }

    /// Up to `frame_end_s`. Errors: Diverged when one of them does.
    void advance(double frame_end_s);

    /// Takes over the numbers of one system of a scene that is otherwise the same; the motion goes
    /// on. False when it has to be started anew.
    bool retune(const Scene& scene, std::size_t system);
    /// Starts one system anew, here and now, with the spec of a scene that is otherwise the same.
    void restart(const Scene& scene, std::size_t system);

    /// After the events of this time, as the systems have seen them.
    [[nodiscard]] ValueArray target_shown(std::size_t index, double time_s) const;
    [[nodiscard]] ValueAndVelocity output(const OutputRef& output, std::size_t index) const {
        return systems_[output.system]->output(output.port, index);
    }
    [[nodiscard]] RunningSystem& system(std::size_t index) { return *systems_[index]; }

  private:
    /// An output value that others follow: as it was before the events of now, and a step ago.
    struct Tap {
        OutputRef output{};
        std::size_t index = 0;
        bool is_angle = false;
        ValueAndVelocity before{};
        ValueAndVelocity previous{};
    };
    /// Where a held target is, and where it is to be at the end of the next advance.
    struct Held {
        ValueArray from{};
        ValueArray to{};
        template <class Fields>
        void visit_state(Fields& fields) {
            fields(from.numbers, to.numbers);
        }
    };
    enum class Moment : unsigned char { before, after };

    template <class HasLeapt>
    void change_if(const HasLeapt& has_leapt);
    static void visit_system(RunningSystem& system, StateWriter& out) { system.save(out); }
    static void visit_system(RunningSystem& system, StateReader& in) { system.load(in); }

    void find_order();
    void find_coupled_step(const Scene& scene);
    void find_coupled();
    void add_taps();
    [[nodiscard]] const Tap& tap_of(const Source& source) const;
    [[nodiscard]] ValueAndVelocity after_tap(const Tap& tap) const;
    void note_outputs(std::size_t system);

    [[nodiscard]] bool find_driven(std::size_t system) const;
    [[nodiscard]] ValueAndVelocity driven_point(const SceneTarget& target, double time_s,
                                                Moment moment) const;
    [[nodiscard]] ValueArray held_value(std::size_t target, double time_s) const;
    /// A target at a moment; into the samples that a system is given.
    [[nodiscard]] InputSample sample(std::size_t index, double time_s, Moment moment);
    [[nodiscard]] SystemInputs inputs_of(std::size_t system, double time_s, Moment moment);
    /// Whether what a system is given differs between the two moments; the inputs after.
    [[nodiscard]] bool has_changed(std::size_t system, double time_s);
    [[nodiscard]] double next_breakpoint_s(std::size_t system, double time_s);

    void start(std::size_t system);
    void advance_system(std::size_t system, double end_s);
    void step_system(std::size_t system, double end_s);
    [[nodiscard]] double coupled_stop_s(double frame_end_s) const;

    const Scene* scene_;
    std::vector<std::unique_ptr<RunningSystem>> systems_;
    std::vector<double> times_s_;      ///< of each system
    std::vector<SharedPath> paths_;    ///< of each target
    std::vector<std::size_t> owners_;  ///< of each target, a system that follows it
    std::vector<std::size_t> order_;
    std::vector<bool> is_driven_;       ///< each system, by others
    std::vector<std::size_t> alone_;    ///< neither drive others nor are driven
    std::vector<std::size_t> coupled_;  ///< the others, in order
    std::vector<Tap> taps_;
    std::vector<std::vector<std::size_t>> taps_of_;  ///< of each system
    std::vector<InputSample> samples_;               ///< of the system that is stepped
    std::vector<const RunningSystem*> fields_;
    double coupled_step_s_ = 0;  ///< at most between two hand-overs
    double coupled_time_s_ = 0;
    double time_s_ = 0;
    double frame_end_s_ = 0;
    std::vector<std::optional<Held>> held_;  ///< of each target
};

}  // namespace hopcoil::scene
