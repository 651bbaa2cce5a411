// [pursuit.NAME]

#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

#include "mover_kind.hpp"

namespace hopcoil::scene {

template <>
struct MoverTraits<PursuitTuning> : UsualMoverTraits<PursuitTuning> {
    static constexpr const char* kind = "pursuit";
    static std::string in_words(const PursuitTuning& pursuit, std::size_t /*port*/) {
        return std::isinf(pursuit.max_acceleration)
                   ? fmt::format("at {:.4g} per s", pursuit.max_speed)
                   : fmt::format("up to {:.4g} per s, {:.4g} per s2", pursuit.max_speed,
                                 pursuit.max_acceleration);
    }
    template <class T>
    static Pursuit<T> make(const PursuitTuning& pursuit, const T& start) {
        return {pursuit, start};
    }
    static RotationPursuit make_rotation(const PursuitTuning& pursuit, const Quaternion& start) {
        return {pursuit, start};
    }
    static double observation_time_s(const PursuitTuning& pursuit, double size) {
        Pursuit<double> run{pursuit, 0.0};
        run.cut(size);
        return 1.3 * run.time_left_s();
    }
    static std::vector<std::pair<std::string, double>> solve(const PursuitTuning& /*now*/,
                                                             std::size_t /*port*/,
                                                             double /*overshoot_percent*/,
                                                             double /*settling_time_s*/) {
        throw std::invalid_argument{
            "how far past and how soon depends on how far its target jumps: its caps cannot be "
            "solved from that"};
    }
};

AnySpec mover_spec(const PursuitTuning& pursuit, const MoverShape& shape, MoverStart start) {
    require_valid(pursuit);
    return std::make_unique<MoverSpec<PursuitTuning>>(pursuit, shape, std::move(start));
}

namespace {

void read_pursuit(KindReader& reader) {
    MoverTable table = read_mover_table(reader, true, CanTurn::yes);
    PursuitTuning pursuit;
    if (!reader.has("max_speed"))
        reader.problem("", "expected a key 'max_speed_per_s' (max_speed_m_per_s, ...)");
    pursuit.max_speed =
        in_unit(reader.table(), "max_speed", table.shape).value_or(pursuit.max_speed);
    pursuit.max_acceleration =
        in_unit(reader.table(), "max_acceleration", table.shape).value_or(pursuit.max_acceleration);
    reader.try_to([&] { add_mover(reader, std::move(table), pursuit); });
}

}  // namespace

SystemKind pursuit_kind() {
    using enum KeyType;
    return {"pursuit",
            {{"pursuit", "`[pursuit.NAME]`",
              "Goes to its target within limits on its speed and acceleration.",
              joined(mover_keys(true),
                     {dial_key({"max_speed", top_speed,
                                "highest speed; of a vector its length counts", "required"}),
                      dial_key({"max_acceleration", acceleration,
                                "highest acceleration; of a vector its length counts", "none"})})}},
            {},
            read_pursuit};
}

}  // namespace hopcoil::scene
