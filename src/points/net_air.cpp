#include "net_air.hpp"

#include <algorithm>
#include <cmath>

#include "../base/vectors.hpp"
#include "net_contacts.hpp"
#include "net_solver.hpp"

namespace hopcoil {

namespace {

/// Places along each side of the box around a net at which the wind is sampled.
constexpr int wind_places = 4;

struct Bounds {
    Vector3 low{};
    Vector3 size{};
};

Bounds bounds_of(std::span<const Vector3> x) noexcept {
    Vector3 low = x.front();
    Vector3 high = x.front();
    for (const Vector3& p : x) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y), std::min(low.z, p.z)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y), std::max(high.z, p.z)};
    }
    return {low, high - low};
}

/// The cell of a number among evenly spaced places, and its position in the cell.
struct Between {
    int at;
    double part;
};
Between between(double number, double low, double size) noexcept {
    if (!(size > 0)) return {0, 0};
    const double place = (number - low) / size * (wind_places - 1);
    const int at = std::clamp(static_cast<int>(place), 0, wind_places - 2);
    return {at, place - at};
}

}  // namespace

NetAir::NetAir(const NetStructure& structure, const NetSettings& settings)
    : triangles_{structure.triangles},
      diameter_m_{structure.link_diameter_m},
      inverse_masses_{net::inverse_masses(structure)},
      settings_{settings},
      wind_(structure.points.size()),
      found_(structure.points.size()) {
    if (triangles_.empty() && diameter_m_ > 0) links_ = structure.links;
    for (const NetPoint& point : structure.points)
        masses_.push_back(point.mass_kg);
}

bool NetAir::is_off() const noexcept {
    return !(settings_.air_density_kg_per_m3 > 0) || (triangles_.empty() && links_.empty());
}

void NetAir::find_wind(const Wind* wind, double time_s, std::span<const Vector3> x) noexcept {
    if (is_off()) return;
    if (wind == nullptr) {
        std::fill(wind_.begin(), wind_.end(), Vector3{});
        return;
    }
    const Bounds box = bounds_of(x);
    constexpr std::size_t side = wind_places;
    constexpr std::size_t count = side * side * side;
    std::array<Vector3, count> places;
    std::array<WindSample, count> found;
    const auto index = [](int i, int j, int k) {
        const auto number = [](int each) {
            return static_cast<std::size_t>(each);
        };
        return (number(i) * side + number(j)) * side + number(k);
    };
    for (int i = 0; i < wind_places; ++i) {
        for (int j = 0; j < wind_places; ++j) {
            for (int k = 0; k < wind_places; ++k) {
                const double step = 1.0 / (wind_places - 1);
                places[index(i, j, k)] = {box.low.x + box.size.x * i * step,
                                          box.low.y + box.size.y * j * step,
                                          box.low.z + box.size.z * k * step};
            }
        }
    }
    wind->find(places, time_s, found);
    for (std::size_t p = 0; p < x.size(); ++p) {
        const Between a = between(x[p].x, box.low.x, box.size.x);
        const Between b = between(x[p].y, box.low.y, box.size.y);
        const Between c = between(x[p].z, box.low.z, box.size.z);
        const auto along_z = [&](int i, int j) {
            const Vector3& here = found[index(i, j, c.at)].velocity;
            return here + (found[index(i, j, c.at + 1)].velocity - here) * c.part;
        };
        const auto along_y = [&](int i) {
            const Vector3 here = along_z(i, b.at);
            return here + (along_z(i, b.at + 1) - here) * b.part;
        };
        const Vector3 here = along_y(a.at);
        wind_[p] = here + (along_y(a.at + 1) - here) * a.part;
    }
}

void NetAir::find(const NetState& state, double h) noexcept {
    if (is_off()) return;
    std::fill(found_.begin(), found_.end(), Vector3{});
    for (const auto& corners : triangles_)
        add_triangle(corners, state, h);
    for (const NetLink& link : links_)
        add_link(link, state, h);
}

void NetAir::add_triangle(const std::array<std::uint32_t, 3>& corners, const NetState& state,
                          double h) noexcept {
    const auto [a, b, c] = corners;
    // Through what lies flat on a surface no air can go: it neither lifts nor presses.
    const int touches = state.touches[a] & state.touches[b] & state.touches[c];
    if ((touches & net::on_surface) != 0) return;
    const Vector3 twice = cross(state.x[b] - state.x[a], state.x[c] - state.x[a]);
    const double twice_area = norm(twice);
    if (!(twice_area > 0)) return;
    const Vector3 u =
        ((wind_[a] + wind_[b] + wind_[c]) - (state.v[a] + state.v[b] + state.v[c])) * (1.0 / 3);
    Vector3 n = twice * (1 / twice_area);
    double into = dot(u, n);
    if (into < 0) {
        n = n * -1;
        into = -into;
    }
    const double speed = norm(u);
    const double pressure = 0.25 * settings_.air_density_kg_per_m3 * twice_area;
    const double drag = std::max(0.0, settings_.drag_coefficient - settings_.lift_coefficient);
    // Lift falls with the angle to the wind, as |u|^2 would not: a triangle along the wind has
    // none.
    Vector3 force =
        (u * (drag * into) + n * (settings_.lift_coefficient * into * speed)) * pressure;
    const double mass = (masses_[a] + masses_[b] + masses_[c]) / 3;
    const double most = mass * speed / h;
    const double size = norm(force);
    if (size > most) force = force * (most / size);
    for (const std::uint32_t corner : corners)
        found_[corner] = found_[corner] + force * (inverse_masses_[corner] * (1.0 / 3));
}

void NetAir::add_link(const NetLink& link, const NetState& state, double h) noexcept {
    const Vector3 way = state.x[link.b] - state.x[link.a];
    const double square = dot(way, way);
    if (!(square > 0)) return;
    Vector3 u = (wind_[link.a] + wind_[link.b] - state.v[link.a] - state.v[link.b]) * 0.5;
    u = u - way * (dot(u, way) / square);
    const double speed = norm(u);
    const double area = diameter_m_ * std::sqrt(square);
    Vector3 force =
        u * (0.5 * settings_.air_density_kg_per_m3 * settings_.drag_coefficient * area * speed);
    const double most = 0.5 * (masses_[link.a] + masses_[link.b]) * speed / h;
    const double size = norm(force);
    if (size > most) force = force * (most / size);
    for (const std::uint32_t end : {link.a, link.b})
        found_[end] = found_[end] + force * (inverse_masses_[end] * 0.5);
}

}  // namespace hopcoil
