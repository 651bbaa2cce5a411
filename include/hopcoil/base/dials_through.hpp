#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <utility>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/dial.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// The dials of an object's numbers, as dials of the object: `Read{}(object)` are its numbers, and
/// `try_retune` takes others.
template <class Owner, class Parameters, class Read>
[[nodiscard]] std::span<const Dial<Owner>> dials_through() noexcept {
    static constexpr auto through = []<std::size_t i>() {
        const Dial<Parameters>& dial = Parameters::dials()[i];
        return Dial<Owner>{
            .path = dial.path,
            .unit = dial.unit,
            .hard = dial.hard,
            .slider = dial.slider,
            .scale = dial.scale,
            .default_value = dial.default_value,
            .get = [](const Owner& owner) { return Parameters::dials()[i].get(Read{}(owner)); },
            .set =
                [](Owner& owner, double value) {
                    Parameters changed = Read{}(owner);
                    const bool right =
                        Parameters::dials()[i].set(changed, value) == DialStatus::set;
                    return right && owner.try_retune(changed) ? DialStatus::set
                                                              : DialStatus::refused;
                }};
    };
    static const auto all = []<std::size_t... i>(std::index_sequence<i...>) {
        return std::array<Dial<Owner>, sizeof...(i)>{through.template operator()<i>()...};
    }
    (std::make_index_sequence<Parameters::dial_count>{});
    return all;
}

/// Reads an object's numbers with `settings()`.
struct ReadSettings {
    template <class Owner>
    [[nodiscard]] const auto& operator()(const Owner& owner) const noexcept {
        return owner.settings();
    }
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
