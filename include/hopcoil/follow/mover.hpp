#pragma once

#include <array>
#include <concepts>
#include <cstddef>
#include <initializer_list>
#include <span>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/linear_space.hpp>
#include <hopcoil/spring/tuning.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// What every mover of a T can show of itself: where it is, how fast, and where it is going.
template <HasComponents T>
inline constexpr std::array<Channel, 3> mover_channels = [] {
    constexpr auto kind = std::floating_point<T> ? ChannelKind::scalar : ChannelKind::vector;
    constexpr std::size_t count = component_count<T>();
    return std::array<Channel, 3>{
        {{.name = "value", .kind = kind, .components = count, .unit = ""},
         {.name = "velocity", .kind = kind, .components = count, .unit = "per_s"},
         {.name = "target", .kind = kind, .components = count, .unit = ""}}};
}();

/// The components of some values one after the other, as many as `numbers` has room for.
template <HasComponents T>
void read_components(std::initializer_list<T> values, std::span<double> numbers) noexcept {
    std::size_t i = 0;
    for (const T& value : values) {
        for (const auto component : components_of(value)) {
            if (i < numbers.size()) numbers[i++] = static_cast<double>(component);
        }
    }
}

/// The dials of a tuning, as dials of the mover that has it.
template <class Mover>
[[nodiscard]] std::span<const Dial<Mover>> dials_through_tuning() noexcept {
    static constexpr auto through = []<double Tuning::*field>(const Dial<Tuning>& dial) {
        return Dial<Mover>{.path = dial.path,
                           .unit = dial.unit,
                           .hard = dial.hard,
                           .slider = dial.slider,
                           .scale = dial.scale,
                           .default_value = dial.default_value,
                           .get = [](const Mover& mover) { return mover.tuning().*field; },
                           .set =
                               [](Mover& mover, double value) {
                                   Tuning changed = mover.tuning();
                                   changed.*field = value;
                                   return mover.try_retune(changed) ? DialStatus::set
                                                                    : DialStatus::refused;
                               }};
    };
    const std::span<const Dial<Tuning>> of_tuning = Tuning::dials();
    static const std::array<Dial<Mover>, 3> all{
        through.template operator()<&Tuning::frequency_hz>(of_tuning[0]),
        through.template operator()<&Tuning::damping_ratio>(of_tuning[1]),
        through.template operator()<&Tuning::lead>(of_tuning[2])};
    return all;
}

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
