// [follower.NAME]: exact, by a scheme, in a range, or of a size.

#include <cmath>

#include <hopcoil/follow/angle_mover.hpp>
#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/rotation_mover.hpp>
#include <hopcoil/follow/size_follower.hpp>
#include <hopcoil/follow/stepped_follower.hpp>
#include <hopcoil/stepping/scheme.hpp>
#include <hopcoil/stepping/stability.hpp>

#include "mover_kind.hpp"

namespace hopcoil::scene {

template <>
struct MoverTraits<Tuning> : UsualMoverTraits<Tuning> {
    static constexpr const char* kind = "follower";
    static constexpr bool is_linear = true;
    static std::string in_words(const Tuning& tuning, std::size_t /*port*/) {
        return scene::in_words(tuning);
    }
    template <class T>
    static Follower<T> make(const Tuning& tuning, const T& start) {
        return {tuning, start};
    }
    static AngleFollower<double> make_angle(const Tuning& tuning, double start) {
        return {tuning, wrapped_rad(start)};
    }
    static RotationFollower make_rotation(const Tuning& tuning, const Quaternion& start) {
        return {tuning, start};
    }
    static std::string key_prefix(std::size_t /*port*/) { return "tuning."; }
    static const Tuning* tuning(const Tuning& tuning, std::size_t /*port*/) { return &tuning; }
    static double highest_hz(const Tuning& tuning) { return tuning.frequency_hz; }
    static double observation_time_s(const Tuning& tuning, double /*size*/) {
        return settled_s(tuning);
    }
    static Figure ramp_lag_s(const Tuning& tuning) { return ramp_lag_of(tuning); }
    static KickResponse kick(const Tuning& tuning, double velocity) {
        return kick_response(tuning, velocity);
    }
    static auto solve(const Tuning& now, std::size_t /*port*/, double overshoot_percent,
                      double settling_time_s) {
        return solved_tuning(now, overshoot_percent, settling_time_s);
    }
};

template <class Parameters>
struct FollowerTraits : TuningMoverTraits<Parameters> {
    static constexpr const char* kind = "follower";
    static double observation_time_s(const Parameters& parameters, double /*size*/) {
        return settled_s(parameters.tuning);
    }
    static Figure ramp_lag_s(const Parameters& parameters) {
        return ramp_lag_of(parameters.tuning);
    }
    static auto solve(const Parameters& now, std::size_t /*port*/, double overshoot_percent,
                      double settling_time_s) {
        return solved_tuning(now.tuning, overshoot_percent, settling_time_s);
    }
};

namespace {

std::string what_the_guard_did(const GuardLog& log) {
    std::string text;
    const auto add = [&](std::uint64_t count, const std::string& what) {
        if (count > 0) text += fmt::format("{}{} {}", text.empty() ? "" : ", ", count, what);
    };
    if (log.substeps > 0) text = fmt::format("divided into {} parts in all", log.substeps);
    add(log.softened_steps,
        fmt::format("softened, at most to {:.3g} of the frequency", log.least_frequency_factor));
    add(log.calmed_steps, "kept from gaining energy");
    add(log.exact_steps, "solved exactly");
    add(log.refused_steps, "not taken");
    return text;
}

}  // namespace

template <>
struct MoverTraits<SteppedParameters> : FollowerTraits<SteppedParameters> {
    static std::string in_words(const SteppedParameters& stepped, std::size_t /*port*/) {
        return fmt::format("{}, by {}", scene::in_words(stepped.tuning),
                           facts_of(stepped.stepping.scheme).in_words);
    }
    template <class T>
    static SteppedFollower<T> make(const SteppedParameters& stepped, const T& start) {
        return {stepped.tuning, stepped.stepping, start};
    }
    static std::vector<std::string> warnings(const SteppedParameters& stepped, const GuardLog& log,
                                             const std::string& name, double rate_hz);
};

template <>
struct MoverTraits<BoundedParameters> : FollowerTraits<BoundedParameters> {
    static constexpr bool bends_target = true;
    static std::string in_words(const BoundedParameters& bounded, std::size_t /*port*/) {
        return fmt::format("{}, kept in its range", scene::in_words(bounded.tuning));
    }
    template <class T>
    static BoundedFollower<T> make(const BoundedParameters& bounded, const T& start) {
        return {bounded.tuning,
                {from_array<T>(bounded.low), from_array<T>(bounded.high), bounded.margin},
                start};
    }
    static Tuning by_itself(const BoundedParameters& bounded, std::size_t /*port*/) {
        return bounded.tuning;
    }
};

template <>
struct MoverTraits<SizeParameters> : FollowerTraits<SizeParameters> {
    static constexpr bool bends_target = true;
    static std::string in_words(const SizeParameters& size, std::size_t /*port*/) {
        return fmt::format("{}, of its size", scene::in_words(size.tuning));
    }
    template <class T>
    static SizeFollower<T> make(const SizeParameters& size, const T& start) {
        return {size.tuning, start};
    }
    static Tuning by_itself(const SizeParameters& size, std::size_t /*port*/) {
        return size.tuning;
    }
};

std::vector<std::string> MoverTraits<SteppedParameters>::warnings(const SteppedParameters& stepped,
                                                                  const GuardLog& log,
                                                                  const std::string& name,
                                                                  double rate_hz) {
    std::vector<std::string> warnings;
    const auto scheme = facts_of(stepped.stepping.scheme).in_words;
    if (log.guarded_steps > 0) {
        warnings.push_back(fmt::format("{}: {} steps were too large for {}: {}", name,
                                       log.guarded_steps, scheme, what_the_guard_did(log)));
    }
    const StepReport report = step_report(stepped.tuning, stepped.stepping.scheme, 1 / rate_hz);
    const StepLimits limits = step_limits(stepped.tuning, stepped.stepping.scheme);
    const double part = 1 / (rate_hz * limits.largest_stable_s);
    constexpr double near = 0.8;
    if (part > near && part < 1) {
        warnings.push_back(
            fmt::format("{}: its steps are {:.0f} % of the largest that is stable under {}", name,
                        100 * part, scheme));
    }
    if (report.verdict == StepVerdict::rings) {
        warnings.push_back(
            fmt::format("{}: at {:.4g} frames per second {} rings from frame to frame, as it does "
                        "from steps of {:.4g} s on",
                        name, rate_hz, scheme, limits.ringing_from_s));
    }
    if (report.beyond_half_rate) {
        warnings.push_back(fmt::format(
            "{}: its frequency is above half the frame rate; no frame can show it", name));
    }
    return warnings;
}

AnySpec mover_spec(const Tuning& tuning, const MoverShape& shape, MoverStart start) {
    require_valid(tuning);
    return std::make_unique<MoverSpec<Tuning>>(tuning, shape, std::move(start));
}
AnySpec mover_spec(const SteppedParameters& stepped, const MoverShape& shape, MoverStart start) {
    require_valid(stepped.tuning);
    return std::make_unique<MoverSpec<SteppedParameters>>(stepped, shape, std::move(start));
}
AnySpec mover_spec(const BoundedParameters& bounded, const MoverShape& shape, MoverStart start) {
    require_valid(bounded.tuning);
    for (std::size_t i = 0; i < shape.size; ++i) {
        if (!(bounded.high[i] > bounded.low[i]))
            throw InvalidValue{"high", bounded.high[i], "a number above low"};
    }
    if (!(bounded.margin > 0 && bounded.margin <= 0.5))
        throw InvalidValue{"margin", bounded.margin, "a number above 0, at most 0.5"};
    return std::make_unique<MoverSpec<BoundedParameters>>(bounded, shape, std::move(start));
}
AnySpec mover_spec(const SizeParameters& size, const MoverShape& shape, MoverStart start) {
    require_valid(size.tuning);
    return std::make_unique<MoverSpec<SizeParameters>>(size, shape, std::move(start));
}

namespace {

constexpr const char* angle_goes_round =
    "an angle goes round and has neither a range nor a size; a target without angle = true is a "
    "plain number of degrees or radians, and its follower can have both";

void read_sized(KindReader& reader, MoverTable table, const Tuning& tuning) {
    if (table.shape.kind == ValueKind::angle) reader.problem("", angle_goes_round);
    ValueArray first = ValueArray::all(1);
    if (table.start.value) {
        first = *table.start.value;
    } else if (table.target) {
        first = reader.start_at(*table.target);
    }
    for (std::size_t i = 0; i < table.shape.count.value_or(1); ++i) {
        if (first[i] > 0) continue;
        reader.problem("size", fmt::format("a size starts above 0, found {}", first[i]));
    }
    add_mover(reader, std::move(table), SizeParameters{tuning});
}

void read_bounded(KindReader& reader, MoverTable table, const Tuning& tuning) {
    BoundedParameters bounded{.tuning = tuning};
    if (table.shape.kind == ValueKind::angle) reader.problem("", angle_goes_round);
    const auto low = in_shape(reader.table(), "low", table.shape, OneForAll::yes);
    const auto high = in_shape(reader.table(), "high", table.shape, OneForAll::yes);
    bounded.margin = reader.number("margin").value_or(bounded.margin);
    if (!low || !high) {
        if (!reader.has("low") || !reader.has("high"))
            reader.problem("", "expected both ends of its range, low and high");
        return;
    }
    bounded.low = *low;
    bounded.high = *high;
    reader.try_to([&] { add_mover(reader, std::move(table), bounded); });
}

void read_stepped(KindReader& reader, MoverTable table, const Tuning& tuning) {
    if (!reader.has("scheme")) {
        std::vector<std::string> schemes;
        for (const SchemeFacts& each : all_schemes())
            schemes.emplace_back(each.name);
        reader.problem(
            "", fmt::format("expected a key 'scheme' beside its guard: {}", io::any_of(schemes)));
    }
    SteppedParameters stepped{.tuning = tuning};
    if (const auto name = reader.choice("scheme"))
        stepped.stepping.scheme = find_scheme(*name).value_or(stepped.stepping.scheme);
    if (const auto name = reader.choice("guard"))
        stepped.stepping.guard.guard = find_guard(*name).value_or(Guard::substep);
    if (const auto most = reader.whole_number("most_substeps", 1, 1'000'000))
        stepped.stepping.guard.most_substeps = static_cast<int>(*most);
    add_mover(reader, std::move(table), stepped);
}

/// A follower is exact, unless it names a scheme; free, unless it has a range or is a size.
void read_follower(KindReader& reader) {
    const bool is_size = reader.flag("size").value_or(false);
    const bool is_bounded = reader.has("low") || reader.has("high") || reader.has("margin");
    const bool is_stepped =
        reader.has("scheme") || reader.has("guard") || reader.has("most_substeps");
    const bool is_plain = !is_size && !is_bounded && !is_stepped;
    MoverTable table = read_mover_table(reader, true, is_plain ? CanTurn::yes : CanTurn::no);
    const Tuning tuning = reader.tuning("tuning", is_size ? SizeParameters{}.tuning : Tuning{});
    if (is_size + is_bounded + is_stepped > 1)
        reader.problem("", "expected one of size, low and high, or scheme");
    if (is_size) return read_sized(reader, std::move(table), tuning);
    if (is_bounded) return read_bounded(reader, std::move(table), tuning);
    if (is_stepped) return read_stepped(reader, std::move(table), tuning);
    add_mover(reader, std::move(table), tuning);
}

std::vector<std::string> scheme_names() {
    std::vector<std::string> names;
    for (const SchemeFacts& each : all_schemes())
        names.emplace_back(each.name);
    return names;
}

}  // namespace

SystemKind follower_kind() {
    using enum KeyType;
    return {
        "follower",
        {{"follower", "`[follower.NAME]`",
          "A spring and a damper, solved exactly unless a scheme is named.",
          joined(
              mover_keys(true),
              {tuning_key(),
               {"size", flag,
                "`true`: a size, above 0, which is followed in its logarithm, so that doubling "
                "feels like halving",
                "`false`"},
               {"low", place, "soft lower bound; `high` is needed as well", "none"},
               {"high", place, "soft upper bound", "none"},
               {"margin", number,
                "part of the range at either end in which values are compressed smoothly, 0 to 0.5",
                "0.1"},
               {"scheme", choice, "integration scheme, one step per frame ([which?](timestep.md))",
                "exact", scheme_names()},
               {"guard",
                choice,
                "what happens when the step is too large for the scheme",
                "`substep`",
                {"none", "exact", "substep", "soften", "refuse"}},
               {"most_substeps", whole_number, "most substeps in one frame", "32"}})},
         {"kick",
          "A kick",
          "",
          {{"at_s", number, "time at which it happens", "required"},
           {"velocity", speed, "added to its velocity (of a coast: velocity of the throw)",
            "required"}}}},
        {},
        read_follower};
}

}  // namespace hopcoil::scene
