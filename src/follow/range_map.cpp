#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/range_map.hpp>

namespace hopcoil {

void require_valid_input_range(double from, double to) {
    require_finite("from", from);
    require_finite("to", to);
    if (from == to) throw InvalidValue{"to", to, "a number other than from"};
}

}  // namespace hopcoil
