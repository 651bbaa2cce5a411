#pragma once

#include <string>
#include <vector>

#include <hopcoil/base/dial.hpp>

namespace hopcoil::scene {

/// A dial of one system, and where its number stands in the system's table.
struct SpecDial {
    std::string path{};  ///< "frequency_hz", "tassel.lead"
    std::string unit{};
    DialRange hard{};
    DialRange slider{};
    DialScale scale = DialScale::linear;
    double default_value = 0.0;
    std::vector<std::string> names{};  ///< of a choice: of the whole numbers from 0 on
    std::string key{};  ///< "tuning.frequency_hz", "links.1.tuning.lead", "max_speed"
};

/// The names of a choice's values; empty for any other dial.
template <class S>
[[nodiscard]] std::vector<std::string> names_of(const Dial<S>& dial) {
    if (dial.names == nullptr) return {};
    return {dial.names, dial.names + static_cast<std::size_t>(dial.hard.most) + 1};
}

/// The dials of a type S, as dials of a spec that holds one.
template <class S>
void append_dials(std::vector<SpecDial>& dials, const std::string& path_prefix,
                  const std::string& key_prefix) {
    for (const Dial<S>& dial : S::dials()) {
        dials.push_back({.path = path_prefix + std::string{dial.path},
                         .unit = std::string{dial.unit},
                         .hard = dial.hard,
                         .slider = dial.slider,
                         .scale = dial.scale,
                         .default_value = dial.default_value,
                         .names = names_of(dial),
                         .key = key_prefix + std::string{dial.path}});
    }
}

}  // namespace hopcoil::scene
