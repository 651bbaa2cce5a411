// [glide.NAME]

#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

#include "mover_kind.hpp"

namespace hopcoil::scene {

template <>
struct MoverTraits<GlideTuning> : UsualMoverTraits<GlideTuning> {
    static constexpr const char* kind = "glide";
    static constexpr bool is_linear = true;
    static std::string in_words(const GlideTuning& glide, std::size_t /*port*/) {
        return fmt::format("half of the gap every {:.4g} s", glide.half_life_s);
    }
    template <class T>
    static Glide<T> make(const GlideTuning& glide, const T& start) {
        return {glide, start};
    }
    static RotationGlide make_rotation(const GlideTuning& glide, const Quaternion& start) {
        return {glide, start};
    }
    static double observation_time_s(const GlideTuning& glide, double /*size*/) {
        return std::max(1e-3, 10 * glide.half_life_s);
    }
    static Figure ramp_lag_s(const GlideTuning& glide) {
        return glide.half_life_s == 0 ? 0.0 : 1 / glide_rate_per_s(glide);
    }
    static Figure noise_left(const GlideTuning& glide, double rate_hz) {
        return smoothing_of(glide, rate_hz).noise_left;
    }
    static std::vector<std::pair<std::string, double>> solve(const GlideTuning& /*now*/,
                                                             std::size_t /*port*/,
                                                             double overshoot_percent,
                                                             double settling_time_s) {
        require_no_overshoot("a glide", overshoot_percent);
        // Settled within 2 %: so many halvings.
        return {{"half_life_s", settling_time_s * math::log(2) / math::log(50)}};
    }
};

AnySpec mover_spec(const GlideTuning& glide, const MoverShape& shape, MoverStart start) {
    require_valid(glide);
    return std::make_unique<MoverSpec<GlideTuning>>(glide, shape, std::move(start));
}

namespace {

void read_glide(KindReader& reader) {
    MoverTable table = read_mover_table(reader, false, CanTurn::yes);
    GlideTuning glide;
    if (reader.has("fraction") || reader.has("at_rate_hz")) {
        if (reader.has("half_life_s")) {
            reader.problem("half_life_s", "expected a half-life or a fraction, found both");
        }
        const FractionPerFrame fraction{.fraction = required(reader.table(), "fraction"),
                                        .rate_hz = required(reader.table(), "at_rate_hz")};
        if (reader.has("fraction") && reader.has("at_rate_hz"))
            reader.try_to([&] { glide = tuning_from(fraction); });
    } else {
        glide.half_life_s = reader.number("half_life_s").value_or(glide.half_life_s);
    }
    reader.try_to([&] { add_mover(reader, std::move(table), glide); });
}

}  // namespace

SystemKind glide_kind() {
    using enum KeyType;
    return {"glide",
            {{"glide", "`[glide.NAME]`",
              "First order: the distance to the target halves in every half-life. It has no "
              "velocity of its own.",
              joined(mover_keys(false),
                     {dial_key({"half_life_s", number,
                                "time in which the distance to the target halves", "0.1"}),
                      {"fraction", number,
                       "instead of the half-life: part of the distance that each frame covers; "
                       "with `at_rate_hz`",
                       "by half-life"},
                      {"at_rate_hz", number, "frame rate that `fraction` is meant for",
                       "by half-life"}})}},
            {},
            read_glide};
}

}  // namespace hopcoil::scene
