#pragma once

#include <memory>
#include <stdexcept>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include "measured_response.hpp"
#include "mover_spec.hpp"
#include "read_mover.hpp"
#include "running_mover.hpp"

/// @file
/// What makes a kind of some parameters: for the file of that kind alone.

namespace hopcoil::scene {

template <class Parameters>
template <class T>
std::unique_ptr<RunningSystem> MoverSpec<Parameters>::run_as(const SystemInputs& inputs) const {
    const auto running = [&](auto mover) -> std::unique_ptr<RunningSystem> {
        return std::make_unique<RunningMover<Parameters, decltype(mover), T>>(
            parameters_, shape_, start_, std::move(mover), inputs);
    };
    const T start = from_array<T>(start_.value             ? *start_.value
                                  : inputs.targets.empty() ? ValueArray{}
                                                           : inputs.targets[0].point.value);
    if constexpr (std::same_as<T, Quaternion>) {
        if constexpr (requires { Traits::make_rotation(parameters_, start); })
            return running(Traits::make_rotation(parameters_, start));
        throw std::invalid_argument{
            fmt::format("a {} cannot turn; a rotation takes a follower (exact), a glide, a pursuit "
                        "or a curve",
                        Traits::kind)};
    } else {
        if constexpr (requires { Traits::make_angle(parameters_, 0.0); } &&
                      std::same_as<T, double>) {
            if (shape_.kind == ValueKind::angle)
                return running(Traits::make_angle(parameters_, start));
        }
        return running(Traits::make(parameters_, start));
    }
}

template <class Parameters>
std::unique_ptr<RunningSystem> MoverSpec<Parameters>::start_running(
    const SystemInputs& inputs) const {
    if (shape_.kind == ValueKind::rotation) return run_as<Quaternion>(inputs);
    switch (shape_.size) {
        case 1:
            return run_as<double>(inputs);
        case 2:
            return run_as<Row<2>>(inputs);
        case 3:
            return run_as<Row<3>>(inputs);
        default:
            return run_as<Row<4>>(inputs);
    }
}

template <class Parameters>
bool MoverSpec<Parameters>::has_target() const {
    return !HasNoTarget<decltype(Traits::make(parameters_, 0.0))>;
}

template <class Parameters>
JumpResponse MoverSpec<Parameters>::jump(std::size_t port, double size) const {
    const auto alone = Traits::by_itself(parameters_, port);
    using Alone = std::remove_const_t<decltype(alone)>;
    if constexpr (std::same_as<Alone, Tuning>) {
        return jump_response(alone, size, start_.initial_velocity[0]);
    } else {
        auto mover = MoverTraits<Alone>::make(alone, 0.0);
        if constexpr (HasNoTarget<decltype(mover)>) {
            return {};
        } else {
            push_mover(mover, start_.initial_velocity[0]);
            const double seconds =
                2 * std::max(MoverTraits<Alone>::observation_time_s(alone, size), 1e-3);
            return measured_jump(std::move(mover), size, seconds);
        }
    }
}

template <class Parameters>
KickResponse MoverSpec<Parameters>::kick(double velocity) const {
    if constexpr (requires { Traits::kick(parameters_, velocity); }) {
        return Traits::kick(parameters_, velocity);
    } else {
        auto mover = Traits::make(parameters_, 0.0);
        if (push_mover(mover, velocity)) {
            const double seconds =
                2 * std::max(Traits::observation_time_s(parameters_, velocity), 1e-3);
            return measured_kick(mover, seconds);
        }
        KickResponse none;
        none.furthest = none.furthest_time_s = none.return_time_s = none.settling_time_s =
            none.reversals = none.peak_velocity =
                Figure::none("it has no velocity of its own to be kicked");
        return none;
    }
}

template <class Parameters>
Figure MoverSpec<Parameters>::ramp_lag_s(double speed) const {
    auto mover = Traits::make(parameters_, 0.0);
    if constexpr (HasNoTarget<decltype(mover)>) {
        return Figure::none("it has no target");
    } else if constexpr (Traits::starts_anew) {
        return Figure::none("it starts anew whenever its target moves");
    } else if constexpr (requires { Traits::ramp_lag_s(parameters_); }) {
        return Traits::ramp_lag_s(parameters_);
    } else {
        return measured_ramp_lag_s(mover, speed, Traits::observation_time_s(parameters_, speed));
    }
}

template <class Parameters>
Figure MoverSpec<Parameters>::noise_left(double rate_hz, double rms) const {
    auto mover = Traits::make(parameters_, 0.0);
    if constexpr (HasNoTarget<decltype(mover)>) {
        return Figure::none("it has no target");
    } else if constexpr (Traits::starts_anew) {
        return Figure::none("it starts anew whenever its target moves");
    } else if constexpr (requires { Traits::noise_left(parameters_, rate_hz); }) {
        return Traits::noise_left(parameters_, rate_hz);
    } else if constexpr (Traits::is_linear) {
        return linear_noise_left(mover, rate_hz);
    } else {
        return measured_noise_left(mover, rate_hz, rms);
    }
}

template <class Parameters>
std::vector<std::vector<double>> MoverSpec<Parameters>::jump_curves(double seconds,
                                                                    int samples) const {
    const std::size_t parts = Traits::part_count(parameters_);
    const auto alone = Traits::by_itself(parameters_, parts - 1);
    auto mover = MoverTraits<std::remove_const_t<decltype(alone)>>::make(alone, 0.0);
    if constexpr (HasNoTarget<decltype(mover)>) {
        return {};
    } else {
        std::vector<std::vector<double>> curves(parts);
        const auto note = [&] {
            for (std::size_t part = 0; part < parts; ++part) {
                if constexpr (requires { mover.value(part); }) {
                    curves[part].push_back(mover.value(part));
                } else {
                    curves[part].push_back(mover.value());
                }
            }
        };
        mover.jump(1.0);
        note();
        for (int i = 1; i < samples; ++i) {
            mover.step(1.0, seconds / (samples - 1));
            note();
        }
        return curves;
    }
}

}  // namespace hopcoil::scene
