// [settle.NAME]

#include <array>

#include <hopcoil/follow/settle_curve.hpp>

#include "mover_kind.hpp"

namespace hopcoil::scene {
namespace {

/// A settle curve for each number.
template <std::size_t n>
class SettleRow {
  public:
    SettleRow(const SettleParameters& parameters, const Row<n>& start)
        : SettleRow{parameters, start, std::make_index_sequence<n>{}} {
        for (std::size_t i = 0; i < n; ++i)
            curves_[i].set_stops(parameters.stops.at(i));
    }

    StepStatus step(const Row<n>& target, double dt) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.step(target.numbers[i], dt); });
    }
    StepStatus jump(const Row<n>& target) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.jump(target.numbers[i]); });
    }
    StepStatus cut(const Row<n>& target) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.cut(target.numbers[i]); });
    }
    StepStatus push(const Row<n>& velocity) noexcept {
        return each(
            [&](SettleCurve& curve, std::size_t i) { return curve.push(velocity.numbers[i]); });
    }
    bool try_retune(const SettleTuning& tuning) noexcept {
        bool all = true;
        for (SettleCurve& curve : curves_)
            all = curve.try_retune(tuning) && all;
        return all;
    }
    [[nodiscard]] ThrowLog throw_log() const noexcept {
        ThrowLog all;
        for (const SettleCurve& curve : curves_) {
            const ThrowLog& log = curve.throw_log();
            all.throws += log.throws;
            all.damping_raised += log.damping_raised;
            all.duration_gave += log.duration_gave;
            all.travel_gave += log.travel_gave;
            all.target_beyond_stop += log.target_beyond_stop;
        }
        return all;
    }
    [[nodiscard]] Row<n> value() const noexcept {
        return row([](const SettleCurve& curve) { return curve.value(); });
    }
    [[nodiscard]] Row<n> velocity() const noexcept {
        return row([](const SettleCurve& curve) { return curve.velocity(); });
    }
    [[nodiscard]] Row<n> target() const noexcept {
        return row([](const SettleCurve& curve) { return curve.target(); });
    }

    template <class Fields>
    void visit_state(Fields& fields) {
        fields(curves_);
    }

  private:
    template <std::size_t... i>
    SettleRow(const SettleParameters& parameters, const Row<n>& start, std::index_sequence<i...>)
        : curves_{SettleCurve{parameters.tuning, start.numbers[i]}...} {}

    template <class Change>
    StepStatus each(const Change& change) noexcept {
        StepStatus status = StepStatus::stepped;
        for (std::size_t i = 0; i < n; ++i) {
            if (const StepStatus one = change(curves_[i], i); one != StepStatus::stepped)
                status = one;
        }
        return status;
    }
    template <class Read>
    [[nodiscard]] Row<n> row(const Read& read) const noexcept {
        Row<n> result;
        for (std::size_t i = 0; i < n; ++i)
            result.numbers[i] = read(curves_[i]);
        return result;
    }

    std::array<SettleCurve, n> curves_;
};

}  // namespace

template <>
struct MoverTraits<SettleParameters> : UsualMoverTraits<SettleParameters> {
    static constexpr const char* kind = "settle";
    static constexpr bool starts_anew = true;
    static bool keeps_way(const SettleParameters& settle) { return settle.stops[0] != Stops{}; }
    static std::string in_words(const SettleParameters& settle, std::size_t /*port*/) {
        const SettleTuning& tuning = settle.tuning;
        std::string text = fmt::format("settled in {:.4g} s, ", tuning.duration_s);
        if (!(tuning.swing_percent[0] > 0))
            return text + fmt::format("{:.3g} % past", tuning.overshoot_percent);
        text += "swings";
        for (const double percent : tuning.swing_percent) {
            if (!(percent > 0)) break;
            text += fmt::format(" {:.3g}", percent);
        }
        return text + " %";
    }
    static SettleCurve make(const SettleParameters& settle, double start) {
        SettleCurve curve{settle.tuning, start};
        curve.set_stops(settle.stops[0]);
        return curve;
    }
    template <std::size_t n>
    static SettleRow<n> make(const SettleParameters& settle, const Row<n>& start) {
        return {settle, start};
    }
    template <class P>
    static auto& with_dials(P& parameters, std::size_t /*port*/) {
        return parameters.tuning;
    }
    static SettleParameters by_itself(const SettleParameters& settle, std::size_t /*port*/) {
        return {.tuning = settle.tuning};
    }
    static std::vector<double> stops(const SettleParameters& settle) {
        return {settle.stops[0].low, settle.stops[0].high};
    }
    /// What its throws gave up for its stops.
    static std::vector<std::string> warnings(const ThrowLog& log, const std::string& name) {
        std::vector<std::string> warnings;
        const auto say = [&](std::uint64_t count, const char* what) {
            if (count > 0) {
                warnings.push_back(
                    fmt::format("{}: {} of {} throws {}", name, count, log.throws, what));
            }
        };
        say(log.damping_raised, "overshoot less than asked, to keep within the stops");
        say(log.duration_gave, "are shorter than duration_s, to keep within the stops");
        say(log.travel_gave, "end short of the target, to keep within the stops");
        say(log.target_beyond_stop, "had a target beyond a stop, and went to the stop");
        return warnings;
    }
    static double observation_time_s(const SettleParameters& settle, double /*size*/) {
        return 1.6 * settle.tuning.duration_s;
    }
    static std::vector<std::pair<std::string, double>> solve(const SettleParameters& /*now*/,
                                                             std::size_t /*port*/,
                                                             double overshoot_percent,
                                                             double settling_time_s) {
        return {{"duration_s", settling_time_s}, {"overshoot_percent", overshoot_percent}};
    }
};

AnySpec mover_spec(const SettleParameters& settle, const MoverShape& shape, MoverStart start) {
    require_valid(settle.tuning);
    for (std::size_t i = 0; i < shape.size; ++i)
        require_valid(settle.stops[i]);
    return std::make_unique<MoverSpec<SettleParameters>>(settle, shape, std::move(start));
}

namespace {

void read_swings(TableReader& reader, SettleTuning& tuning) {
    const std::vector<double> heights = number_list(reader, "swing_percent");
    if (heights.size() > tuning.swing_percent.size()) {
        reader.problem("swing_percent",
                       fmt::format("expected up to {} numbers", tuning.swing_percent.size()));
        return;
    }
    std::copy(heights.begin(), heights.end(), tuning.swing_percent.begin());
}

void read_settle(KindReader& reader) {
    MoverTable table = read_mover_table(reader, true, CanTurn::no);
    SettleParameters settle;
    SettleTuning& tuning = settle.tuning;
    tuning.duration_s = reader.number("duration_s").value_or(tuning.duration_s);
    tuning.overshoot_percent =
        reader.number("overshoot_percent").value_or(tuning.overshoot_percent);
    read_swings(reader.table(), tuning);
    const auto low = in_shape(reader.table(), "low_stop", table.shape, OneForAll::yes);
    const auto high = in_shape(reader.table(), "high_stop", table.shape, OneForAll::yes);
    const double least_s = reader.number("least_duration_s").value_or(0);
    const bool may_shorten = reader.flag("may_shorten_travel").value_or(false);
    for (std::size_t i = 0; i < most_numbers; ++i) {
        Stops& stops = settle.stops.at(i);
        if (low) stops.low = (*low)[i];
        if (high) stops.high = (*high)[i];
        stops.least_duration_s = least_s;
        stops.may_shorten_travel = may_shorten;
    }
    reader.try_to([&] { add_mover(reader, std::move(table), settle); });
}

}  // namespace

SystemKind settle_kind() {
    using enum KeyType;
    return {
        "settle",
        {{"settle", "`[settle.NAME]`",
          "Starts a new curve whenever its target moves, and has settled in a given time. For "
          "targets that jump, not for ones that move all the time.",
          joined(
              mover_keys(true),
              {dial_key({"duration_s", number, "time until it has settled", "0.5"}),
               dial_key({"overshoot_percent", number, "overshoot, in percent of the jump", "10"}),
               {"swing_percent", numbers,
                "instead of the overshoot: height of each swing in turn, in percent of the jump",
                "one swing"},
               {"low_stop", place, "lower stop, which it never passes", "none"},
               {"high_stop", place, "upper stop, which it never passes", "none"},
               {"least_duration_s", number,
                "shortest duration that a move may be cut to, to keep clear of a stop", "0"},
               {"may_shorten_travel", flag,
                "`true`: a move may end short of its target, to keep clear of a stop",
                "`false`"}})}},
        {},
        read_settle};
}

}  // namespace hopcoil::scene
