// The loops of nets over all their points, compiled once for each instruction set.

#include <bit>

#include "net_loops.hpp"

namespace hopcoil::net {
namespace {

HOPCOIL_INTO_EACH void predict_loop(const PredictPass& pass) {
    const Arrays base = arrays_of(pass.base);
    const Arrays moved = arrays_of(pass.moved);
    const double* const x = numbers_of(pass.x).data();
    const double* const v = numbers_of(pass.v).data();
    double* const x_before = numbers_of(pass.x_before).data();
    double* const v_before = numbers_of(pass.v_before).data();
    const double* const a = numbers_of(pass.accelerations).data();
    const double now = pass.now;
    const double before = pass.before;
    const double h = pass.h;
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < pass.x.size(); ++i) {
        const Vector3 from = vector_at(x, i) * now - vector_at(x_before, i) * before;
        const Vector3 speed = vector_at(v, i) * now - vector_at(v_before, i) * before;
        put_at(x_before, i, vector_at(x, i));
        put_at(v_before, i, vector_at(v, i));
        base.put(i, from);
        moved.put(i, from + speed * h + vector_at(a, i) * (h * h));
    }
}

/// All bits of the exponent are set in what is not finite.
HOPCOIL_INTO_EACH std::uint64_t is_bad(double number) {
    constexpr std::uint64_t exponent = 0x7ff0'0000'0000'0000;
    return (std::bit_cast<std::uint64_t>(number) & exponent) == exponent ? 1 : 0;
}
HOPCOIL_INTO_EACH std::uint64_t is_bad(const Vector3& v) {
    return is_bad(v.x) | is_bad(v.y) | is_bad(v.z);
}

/// What a loop finds out.
template <class Pass>
struct Checked {
    const Pass& pass;
    bool& is_finite;
};

HOPCOIL_INTO_EACH void finish_loop(const Checked<FinishPass>& checked) {
    const FinishPass& pass = checked.pass;
    const ConstArrays base = arrays_of(pass.base);
    const ConstArrays moved = arrays_of(pass.moved);
    double* const x = numbers_of(pass.x).data();
    double* const v = numbers_of(pass.v).data();
    const double per_h = pass.per_h;
    std::uint64_t bad = 0;
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < pass.x.size(); ++i) {
        const Vector3 speed = (moved[i] - base[i]) * per_h;
        put_at(x, i, moved[i]);
        put_at(v, i, speed);
        bad |= is_bad(moved[i]) | is_bad(speed);
    }
    checked.is_finite = bad == 0;
}

HOPCOIL_INTO_EACH void advance_loop(const Checked<AdvancePass>& checked) {
    const AdvancePass& pass = checked.pass;
    const ConstArrays force = arrays_of(pass.force);
    const double* const others = numbers_of(pass.others).data();
    const double* const masses = pass.inverse_masses.data();
    double* const x = numbers_of(pass.x).data();
    double* const v = numbers_of(pass.v).data();
    double* const x_before = numbers_of(pass.x_before).data();
    double* const v_before = numbers_of(pass.v_before).data();
    const double h = pass.h;
    std::uint64_t bad = 0;
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < pass.x.size(); ++i) {
        const double w = masses[i];
        const Vector3 a = force[i] * w + vector_at(others, i) * (w > 0 ? 1.0 : 0.0);
        const Vector3 from = vector_at(x, i);
        const Vector3 speed_before = vector_at(v, i);
        const Vector3 speed = speed_before + a * h;
        const Vector3 to = from + speed * h;
        put_at(x_before, i, from);
        put_at(v_before, i, speed_before);
        put_at(x, i, to);
        put_at(v, i, speed);
        bad |= is_bad(to) | is_bad(speed);
    }
    checked.is_finite = bad == 0;
}

struct SplitPass {
    std::span<const double> numbers;
    Columns& columns;
};
HOPCOIL_INTO_EACH void split_loop(const SplitPass& pass) {
    const Arrays columns = arrays_of(pass.columns);
    const double* const numbers = pass.numbers.data();
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < pass.numbers.size() / 3; ++i)
        columns.put(i, vector_at(numbers, i));
}

HOPCOIL_INTO_EACH void accelerations_loop(const AccelerationPass& pass) {
    const ConstArrays force = arrays_of(pass.force);
    const double* const others = numbers_of(pass.others).data();
    const double* const masses = pass.inverse_masses.data();
    double* const numbers = pass.numbers.data();
    HOPCOIL_SIDE_BY_SIDE
    for (std::size_t i = 0; i < pass.inverse_masses.size(); ++i) {
        const double w = masses[i];
        put_at(numbers, i, force[i] * w + vector_at(others, i) * (w > 0 ? 1.0 : 0.0));
    }
}

HOPCOIL_INTO_EACH void finite_loop(const Checked<std::span<const double>>& checked) {
    std::uint64_t bad = 0;
    for (const double number : checked.pass)
        bad |= is_bad(number);
    checked.is_finite = bad == 0;
}

HOPCOIL_FOR_EACH_SET(find_finish, finish_loop, Checked<FinishPass>)
HOPCOIL_FOR_EACH_SET(find_advance, advance_loop, Checked<AdvancePass>)
HOPCOIL_FOR_EACH_SET(find_split, split_loop, SplitPass)
HOPCOIL_FOR_EACH_SET(check, finite_loop, Checked<std::span<const double>>)

}  // namespace

HOPCOIL_FOR_EACH_SET(predict, predict_loop, PredictPass)
HOPCOIL_FOR_EACH_SET(find_accelerations, accelerations_loop, AccelerationPass)

bool finish(InstructionSet set, const FinishPass& pass) noexcept {
    bool is_finite = true;
    find_finish(set, {pass, is_finite});
    return is_finite;
}
bool advance(InstructionSet set, const AdvancePass& pass) noexcept {
    bool is_finite = true;
    find_advance(set, {pass, is_finite});
    return is_finite;
}
void split(InstructionSet set, std::span<const double> numbers, Columns& columns) noexcept {
    find_split(set, {numbers, columns});
}
bool are_finite(InstructionSet set, std::span<const Vector3> all) noexcept {
    bool is_finite = true;
    check(set, {numbers_of(all), is_finite});
    return is_finite;
}

}  // namespace hopcoil::net
