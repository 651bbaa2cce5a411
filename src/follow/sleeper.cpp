#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/sleeper.hpp>

namespace hopcoil {

void require_valid(const RestRule& rule) {
    require_at_least_zero("distance", rule.distance);
    require_at_least_zero("of_excursion", rule.of_excursion);
    require_at_least_zero("within_s", rule.within_s);
}

}  // namespace hopcoil
