#include <algorithm>
#include <cmath>
#include <utility>

#include <hopcoil/base/math.hpp>

#include "jointed.hpp"

namespace hopcoil::scene {
namespace {

/// Adds faces over corners of their own.
class SolidMaker {
  public:
    explicit SolidMaker(const Placement& at) : at_{at} {}

    void add(const PartShape& shape) {
        using Type = PartShape::Type;
        const Vector3& half = shape.half_size_m;
        if (shape.type == Type::sphere) add_capsule(shape.radius_m, 0);
        if (shape.type == Type::capsule) add_capsule(shape.radius_m, half.y);
        if (shape.type == Type::box) {
            add_prism({{-half.x, -half.y, 0},
                       {half.x, -half.y, 0},
                       {half.x, half.y, 0},
                       {-half.x, half.y, 0}},
                      half.z);
        }
        if (shape.type == Type::outline) {
            for (const std::vector<Vector3>& piece : convex_pieces(shape.outline))
                add_prism(piece, half.z);
        }
    }
    io::Solid made{};

  private:
    std::size_t corner(const Vector3& local) {
        const Vector3 at = at_.position + rotated(at_.rotation, local);
        made.corners_m.push_back({at.x, at.y, at.z});
        return made.corners_m.size() - 1;
    }

    void add_prism(const std::vector<Vector3>& outline, double half) {
        std::vector<std::size_t> front;
        std::vector<std::size_t> back;
        for (const Vector3& each : outline) {
            front.push_back(corner({each.x, each.y, half}));
            back.push_back(corner({each.x, each.y, -half}));
        }
        for (std::size_t i = 0; i < outline.size(); ++i) {
            const std::size_t next = (i + 1) % outline.size();
            made.faces.push_back({front[i], back[i], back[next], front[next]});
        }
        made.faces.push_back(front);
        made.faces.emplace_back(back.rbegin(), back.rend());
    }

    /// Rings about Y, from its lower end to its upper one.
    void add_capsule(double radius, double half) {
        constexpr std::size_t sides = 12;
        constexpr std::size_t rings_a_half = 3;
        std::vector<std::vector<std::size_t>> rings;
        const auto ring = [&](double angle, double lift) {
            std::vector<std::size_t> one;
            const auto [s, c] = math::sincos(angle);
            for (std::size_t side = 0; side < sides; ++side) {
                const auto [across, along] =
                    math::sincos(2 * math::pi * static_cast<double>(side) / sides);
                one.push_back(
                    corner({radius * c * along, lift + radius * s, -radius * c * across}));
            }
            rings.push_back(std::move(one));
        };
        for (std::size_t i = 0; i < rings_a_half; ++i)
            ring(-math::pi / 2 * (1 - (static_cast<double>(i) + 0.4) / rings_a_half), -half);
        for (std::size_t i = 0; i < rings_a_half; ++i)
            ring(math::pi / 2 * (static_cast<double>(i) + 0.6) / rings_a_half, half);
        for (std::size_t i = 0; i + 1 < rings.size(); ++i) {
            for (std::size_t side = 0; side < sides; ++side) {
                const std::size_t next = (side + 1) % sides;
                made.faces.push_back(
                    {rings[i][side], rings[i][next], rings[i + 1][next], rings[i + 1][side]});
            }
        }
        made.faces.emplace_back(rings.front().rbegin(), rings.front().rend());
        made.faces.push_back(rings.back());
    }

    Placement at_;
};

}  // namespace

io::Solid solid_of(const Part& part) {
    io::Solid whole;
    for (const PartShape& shape : part.shapes) {
        SolidMaker maker{{shape.placement.position, normalized(shape.placement.rotation)}};
        maker.add(shape);
        const std::size_t first = whole.corners_m.size();
        whole.corners_m.insert(whole.corners_m.end(), maker.made.corners_m.begin(),
                               maker.made.corners_m.end());
        for (std::vector<std::size_t>& face : maker.made.faces) {
            for (std::size_t& corner : face)
                corner += first;
            whole.faces.push_back(std::move(face));
        }
    }
    return whole;
}

View view_of(const Part& part, std::string name, std::size_t port) {
    View view{.type = View::Type::body,
              .name = std::move(name),
              .position = port,
              .rotation = port + 1,
              .solid = solid_of(part)};
    double reach = 0.01;
    for (const auto& [x, y, z] : view.solid.corners_m)
        reach = std::max(reach, std::sqrt(x * x + y * y + z * z));
    view.radius_m = {reach};
    return view;
}

}  // namespace hopcoil::scene
