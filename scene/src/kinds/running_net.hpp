#pragma once

#include <string>
#include <vector>

#include <hopcoil/points/net.hpp>
#include <hopcoil/scene/system.hpp>

#include "net_parts.hpp"

namespace hopcoil::scene {

/// A net in a running scene. It is stepped at times of its own, so that it moves the same at every
/// rate; what is asked for in between goes on from there as it moved last.
class RunningNet final : public RunningSystem {
  public:
    RunningNet(const NetParts& parts, const SystemInputs& inputs);

    bool advance(double time_s, const SystemInputs& inputs) override;
    void change(const SystemInputs& inputs) override;
    bool push(std::size_t port, const ValueArray& delta_velocity) override;
    bool grab(std::size_t port, std::size_t index, const std::optional<ValueArray>& place) override;
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override;
    void read_signals(std::span<double> numbers) override;
    bool retune(const SystemSpec& spec) override;
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override { visit_state(in); }
    [[nodiscard]] std::string failure(const std::string& name) const override;
    [[nodiscard]] std::vector<std::string> warnings(const std::string& name,
                                                    double rate_hz) const override;

  private:
    /// A point that goes with a mount, and where it is in the mount's frame.
    struct Held {
        std::uint32_t point = 0;
        Mount mount{};
        Vector3 local{};
        double until_s = 0;
    };
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_, stepped_s_);
        fields.require(time_s_ >= 0 && stepped_s_ >= 0);
        release_until(stepped_s_);
        fields(net_);
        for (auto& acceleration : accelerations_)
            fields(acceleration);
        fields(mounts_);
    }

    void find_held(const SystemInputs& inputs);
    void find_grid();
    void release_until(double time_s);
    [[nodiscard]] bool is_held(const Held& held, double time_s) const {
        return time_s < held.until_s;
    }
    [[nodiscard]] Vector3 place_of(const Held& held, const SystemInputs& inputs,
                                   double time_s) const;
    bool step_to(double time_s, const SystemInputs& inputs);

    NetParts parts_;
    Net net_;
    std::vector<Held> held_;  ///< in the order of points
    MountHistory mounts_;
    std::vector<Vector3> pins_;
    std::optional<NetGrab> grab_;  ///< what a hand pulls
    std::vector<ContactShape> shapes_;
    std::vector<Vector3> accelerations_;  ///< of the last step
    std::vector<Vector3> velocities_;     ///< before it
    double grid_s_ = 1.0 / 60;
    double time_s_ = 0;
    double stepped_s_ = 0;  ///< the time of the last step
};

}  // namespace hopcoil::scene
