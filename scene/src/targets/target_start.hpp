#pragma once

#include <cstddef>

#include <hopcoil/scene/scene.hpp>

namespace hopcoil::scene {

/// Where a target is as time 0 comes up, `output_of(source)` being what drives it then. What is
/// driven by the previous step begins where it says itself.
template <class OutputOf>
[[nodiscard]] ValueArray start_of(const SceneTarget& target, const OutputOf& output_of) {
    const std::size_t count = target.path.size();
    if (target.source && !target.source->previous_step)
        return target.source->seen(output_of(*target.source), count).value;
    ValueArray start = target.path.before(0).value;
    for (const Layer& layer : target.layers) {
        if (layer.source.previous_step) continue;
        const ValueArray part = layer.source.seen(output_of(layer.source), count).value;
        const double weight = layer.weight.before(0).value;
        for (std::size_t i = 0; i < count; ++i)
            start[i] += weight * part[i];
    }
    return start;
}

}  // namespace hopcoil::scene
