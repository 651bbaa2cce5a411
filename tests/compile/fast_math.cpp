// Arithmetic that may be rearranged is refused.
// expect: Hop Coil needs IEEE arithmetic
// flags: -ffast-math
#include <hopcoil/base/math.hpp>
#include <hopcoil/follow/follower.hpp>
