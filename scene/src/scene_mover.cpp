#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>

#include <fmt/format.h>

#include <hopcoil/scene/scene_mover.hpp>

namespace hopcoil::scene {
namespace {

template <class... Lambdas>
struct Overloaded : Lambdas... {
    using Lambdas::operator()...;
};
template <class... Lambdas>
Overloaded(Lambdas...) -> Overloaded<Lambdas...>;

std::size_t index_of(const std::vector<std::string>& names, const std::string& name) {
    const auto found = std::find(names.begin(), names.end(), name);
    if (found == names.end()) throw std::out_of_range{name + " is not the name of an ease"};
    return static_cast<std::size_t>(found - names.begin());
}

std::string words_of(const SettleParameters& settle) {
    const SettleTuning& tuning = settle.tuning;
    std::string text = fmt::format("settled in {:.4g} s, ", tuning.duration_s);
    if (tuning.swing_percent[0] > 0) {
        text += "swings";
        for (const double percent : tuning.swing_percent) {
            if (!(percent > 0)) break;
            text += fmt::format(" {:.3g}", percent);
        }
        text += " %";
    } else {
        text += fmt::format("{:.3g} % past", tuning.overshoot_percent);
    }
    return text;
}

}  // namespace

const std::vector<std::string>& ease_family_names() {
    static const std::vector<std::string> names{
        "power", "sine", "exponential", "circular", "past_and_back", "bouncing", "oscillating"};
    return names;
}

const std::vector<std::string>& ease_way_names() {
    static const std::vector<std::string> names{"in", "out", "in_out"};
    return names;
}

EaseFamily ease_family_of(const std::string& family) {
    return static_cast<EaseFamily>(index_of(ease_family_names(), family));
}

EaseWay ease_way_of(const std::string& way) {
    return static_cast<EaseWay>(index_of(ease_way_names(), way));
}

Ease ease_of(const std::string& family, const std::string& way) {
    return {ease_family_of(family), ease_way_of(way)};
}

std::string kind_of(const MoverParameters& numbers) {
    static constexpr std::array<const char*, 10> kinds{"follower", "glide",   "pursuit", "settle",
                                                       "curve",    "cascade", "coast",   "follower",
                                                       "follower", "follower"};
    return kinds.at(numbers.index());
}

const Tuning* tuning_of(const MoverParameters& numbers, std::size_t part) {
    if (const auto* cascade = std::get_if<CascadeParameters>(&numbers))
        return &cascade->tunings.at(part);
    if (const auto* stepped = std::get_if<SteppedParameters>(&numbers)) return &stepped->tuning;
    if (const auto* bounded = std::get_if<BoundedParameters>(&numbers)) return &bounded->tuning;
    if (const auto* size = std::get_if<SizeParameters>(&numbers)) return &size->tuning;
    return std::get_if<Tuning>(&numbers);
}

std::size_t part_count(const MoverParameters& numbers) {
    const auto* cascade = std::get_if<CascadeParameters>(&numbers);
    return cascade == nullptr ? 1 : cascade->tunings.size();
}

std::string part_suffix(const MoverParameters& numbers, std::size_t part) {
    const auto* cascade = std::get_if<CascadeParameters>(&numbers);
    return cascade == nullptr ? std::string{} : '.' + cascade->names.at(part);
}

std::string in_words(const Tuning& tuning) {
    return fmt::format("{:.4g} Hz, damping ratio {:.4g}, lead {:.4g}", tuning.frequency_hz,
                       tuning.damping_ratio, tuning.lead);
}

std::string in_words(const MoverParameters& numbers, std::size_t part) {
    return std::visit(
        Overloaded{
            [](const Tuning& tuning) { return in_words(tuning); },
            [](const GlideTuning& glide) {
                return fmt::format("half of the gap every {:.4g} s", glide.half_life_s);
            },
            [](const PursuitTuning& pursuit) {
                return std::isinf(pursuit.max_acceleration)
                           ? fmt::format("at {:.4g} per s", pursuit.max_speed)
                           : fmt::format("up to {:.4g} per s, {:.4g} per s2", pursuit.max_speed,
                                         pursuit.max_acceleration);
            },
            [](const SettleParameters& settle) { return words_of(settle); },
            [](const CurveMoveTuning& curve) {
                const Ease* ease = std::get_if<Ease>(&curve.curve);
                if (ease == nullptr) return fmt::format("keys over {:.4g} s", curve.duration_s);
                std::string shape = fmt::format(
                    "{} {}", ease_family_names().at(static_cast<std::size_t>(ease->family())),
                    ease_way_names().at(static_cast<std::size_t>(ease->way())));
                std::replace(shape.begin(), shape.end(), '_', ' ');
                return fmt::format("{}, {:.4g} s", shape, curve.duration_s);
            },
            [part](const CascadeParameters& cascade) { return in_words(cascade.tunings.at(part)); },
            [](const CoastParameters& coast) {
                return fmt::format("its speed halves every {:.4g} s",
                                   coast.tuning.slowing_half_life_s);
            },
            [](const BoundedParameters& bounded) {
                return fmt::format("{}, kept in its range", in_words(bounded.tuning));
            },
            [](const SizeParameters& size) {
                return fmt::format("{}, of its size", in_words(size.tuning));
            },
            [](const SteppedParameters& stepped) {
                return fmt::format("{}, by {}", in_words(stepped.tuning),
                                   facts_of(stepped.stepping.scheme).in_words);
            }},
        numbers);
}

}  // namespace hopcoil::scene
