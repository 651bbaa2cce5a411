#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/rotation_mover.hpp>

namespace hopcoil {

Quaternion require_rotation(const char* field, const Quaternion& rotation) {
    const Quaternion unit = normalized(rotation);
    if (!is_finite(unit.w)) {
        throw InvalidValue{field, length_of(rotation),
                           "a rotation: a finite quaternion that is not zero"};
    }
    return unit;
}

}  // namespace hopcoil
