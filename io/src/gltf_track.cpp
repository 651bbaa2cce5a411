#include <algorithm>
#include <cmath>

#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/io/gltf.hpp>

namespace hopcoil::io {
namespace {

using Row = std::array<double, 4>;

/// Between two turns, the short way.
Row turned(const Row& from, const Row& to, double part) {
    const Quaternion a{from[0], from[1], from[2], from[3]};
    Quaternion b{to[0], to[1], to[2], to[3]};
    const double along = a.w * b.w + a.x * b.x + a.y * b.y + a.z * b.z;
    if (along < 0) b = {-b.w, -b.x, -b.y, -b.z};
    const Vector3 way = rotation_vector(normalized(b) * conjugate(normalized(a)));
    const Quaternion q = turned_by(way * part) * normalized(a);
    return {q.w, q.x, q.y, q.z};
}

Row unit(const Row& row) {
    const Quaternion q = normalized(Quaternion{row[0], row[1], row[2], row[3]});
    return {q.w, q.x, q.y, q.z};
}

}  // namespace

std::array<double, 4> NodeTrack::at(double time_s) const {
    if (values.empty()) return {};
    const auto after = std::upper_bound(times_s.begin(), times_s.end(), time_s);
    if (after == times_s.begin()) return values.front();
    if (after == times_s.end()) return values.back();
    const auto next = static_cast<std::size_t>(after - times_s.begin());
    const Row& a = values[next - 1];
    const Row& b = values[next];
    const double span = times_s[next] - times_s[next - 1];
    const double s = (time_s - times_s[next - 1]) / span;
    if (between == Between::step) return a;
    if (between == Between::straight && kind == TrackKind::rotation) return turned(a, b, s);
    Row mixed{};
    for (std::size_t k = 0; k < mixed.size(); ++k) {
        mixed.at(k) = a.at(k) + s * (b.at(k) - a.at(k));
        if (between != Between::cubic) continue;
        const double m0 = span * slopes_after[next - 1].at(k);
        const double m1 = span * slopes_before[next].at(k);
        const double way = b.at(k) - a.at(k);
        mixed.at(k) = a.at(k) + s * (m0 + s * (3 * way - 2 * m0 - m1 + s * (m0 + m1 - 2 * way)));
    }
    return kind == TrackKind::rotation ? unit(mixed) : mixed;
}

}  // namespace hopcoil::io
