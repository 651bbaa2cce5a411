#include <algorithm>
#include <cmath>
#include <cstddef>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground_face.hpp>

namespace hopcoil {
namespace {

Vector3 nearest_on_line(const Vector3& from, const Vector3& to, const Vector3& place) noexcept {
    const Vector3 side = to - from;
    const double square = dot(side, side);
    const double part = square > 0 ? dot(place - from, side) / square : 0;
    return from + side * std::clamp(part, 0.0, 1.0);
}

}  // namespace

bool is_chosen(const GroundFace& face, FaceChoice choice) noexcept {
    if (choice == FaceChoice::all || face.is_steep()) return true;
    return choice == FaceChoice::edged &&
           (face.is_outer(0) || face.is_outer(1) || face.is_outer(2));
}

FaceSpot nearest_on(const GroundFace& face, const Vector3& place) noexcept {
    const double height = dot(place - face.corners[0], face.normal);
    FaceSpot best{place - face.normal * height, 3, std::abs(height)};
    double least = -1;
    for (std::uint8_t edge = 0; edge < 3; ++edge) {
        const Vector3& from = face.corners[edge];
        const Vector3& to = face.corners[(edge + 1U) % 3U];
        if (dot(cross(face.normal, to - from), best.place - from) >= 0) continue;
        const Vector3 on_edge = nearest_on_line(from, to, place);
        const Vector3 way = place - on_edge;
        const double square = dot(way, way);
        if (least >= 0 && square >= least) continue;
        least = square;
        best.edge = edge;
    }
    if (best.edge == 3) return best;
    const Vector3& from = face.corners[best.edge];
    return {nearest_on_line(from, face.corners[(best.edge + 1U) % 3U], place), best.edge,
            math::sqrt(least)};
}

Vector3 normal_beyond(const GroundFace& face, std::size_t edge, const Vector3& third) noexcept {
    const Vector3& from = face.corners[edge];
    if (dot(third - from, face.normal) >= 0) return face.normal;
    const Vector3 out = cross(third - from, face.corners[(edge + 1) % 3] - from);
    const double length = length_of(out);
    return length > 0 ? out * (1 / length) : face.normal;
}

}  // namespace hopcoil
