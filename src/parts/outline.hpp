#pragma once

#include <span>

#include <hopcoil/base/vector3.hpp>

namespace hopcoil {
namespace parts {

/// Of a flat outline: positive whichever way round it goes; moments about its centre.
struct Area {
    double area = 0;
    Vector3 centre{};
    double xx = 0;  ///< of x squared
    double yy = 0;
    double xy = 0;
};
[[nodiscard]] Area area_of(std::span<const Vector3> outline);

}  // namespace parts
}  // namespace hopcoil
