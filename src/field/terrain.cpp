#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <stdexcept>
#include <string>
#include <utility>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/field/terrain.hpp>

namespace hopcoil {

using detail::Footprint;
using detail::Slab;

namespace {

struct Found {
    HeightField::Spot spot{};
    bool can_stand = true;
};

std::optional<Found> spot_of(const Terrain::Plane& plane, double x, double z, double top) {
    const double height =
        plane.point.y + plane.slope_x * (x - plane.point.x) + plane.slope_z * (z - plane.point.z);
    if (height > top) return std::nullopt;
    return Found{{height, normal_of_slopes(plane.slope_x, plane.slope_z)}, plane.can_stand};
}

Slab slab_of(const Terrain::Box& box) {
    const bool is_turned = box.yaw_rad != 0;
    return {.middle = box.middle + Vector3{0, 0.5 * box.size.y, 0},
            .half_x = 0.5 * box.size.x,
            .half_z = 0.5 * box.size.z,
            .cos_yaw = is_turned ? math::cos(box.yaw_rad) : 1,
            .sin_yaw = is_turned ? math::sin(box.yaw_rad) : 0,
            .can_stand = box.can_stand};
}

std::optional<Found> spot_of(const Slab& slab, double x, double z, double top) {
    const double dx = x - slab.middle.x;
    const double dz = z - slab.middle.z;
    const bool inside = std::abs(slab.cos_yaw * dx - slab.sin_yaw * dz) <= slab.half_x &&
                        std::abs(slab.sin_yaw * dx + slab.cos_yaw * dz) <= slab.half_z;
    if (!inside || slab.middle.y > top) return std::nullopt;
    return Found{{slab.middle.y, {0, 1, 0}}, slab.can_stand};
}

std::optional<Found> spot_of(const HeightField& field, double x, double z, double top) {
    const auto spot = field.at(x, z);
    return spot && spot->height <= top ? std::optional{Found{*spot}} : std::nullopt;
}

std::optional<Found> spot_of(const GroundMesh& mesh, double x, double z, double top) {
    const auto spot = mesh.at(x, z, top);
    return spot ? std::optional{Found{*spot}} : std::nullopt;
}

/// A line straight up in the world, in the frame of a part that leans.
struct Upright {
    Vector3 start{};  ///< where it is level with the part's origin
    Vector3 up{};

    Upright(const GroundFrame& frame, double x, double z)
        : start{frame.to_local({x, frame.position.y, z})},
          up{rotated(conjugate(frame.rotation), {0, 1, 0})} {}

    /// How far up it passes a height of the frame.
    [[nodiscard]] double way_to(double height) const { return (height - start.y) / up.y; }
    [[nodiscard]] Vector3 at(double way) const { return start + up * way; }
};

struct OnLine {
    double way = 0;
    Found found{};
};

/// The heights that a surface has, in the frame of its part.
struct Heights {
    double bottom = 0;
    double top = 0;
};

constexpr double any_height = std::numeric_limits<double>::infinity();

std::optional<OnLine> spot_on(const Upright& line, const Slab& slab, const Heights& heights,
                              double /*most*/) {
    const double way = line.way_to(heights.top);
    const Vector3 at = line.at(way);
    const auto found = spot_of(slab, at.x, at.z, any_height);
    return found ? std::optional{OnLine{way, *found}} : std::nullopt;
}

std::optional<OnLine> spot_on(const Upright& line, const Terrain::Plane& plane,
                              const Heights& /*heights*/, double /*most*/) {
    const double rises = line.up.y - plane.slope_x * line.up.x - plane.slope_z * line.up.z;
    const auto found = spot_of(plane, line.start.x, line.start.z, any_height);
    if (!(rises > 0) || !found) return std::nullopt;
    return OnLine{(found->spot.height - line.start.y) / rises, *found};
}

/// By iteration, each time closer by the order of the tilt.
template <class Surface>
std::optional<OnLine> spot_on(const Upright& line, const Surface& surface, const Heights& heights,
                              double most) {
    constexpr int rounds = 6;
    const double top = line.at(most).y;
    // The line may pass beside an edge at all of these but one.
    for (const double height :
         {0.5 * (heights.bottom + heights.top), heights.top, heights.bottom}) {
        OnLine spot{.way = line.way_to(height)};
        bool exists = true;
        for (int i = 0; exists && i < rounds; ++i) {
            const Vector3 at = line.at(spot.way);
            const auto found = spot_of(surface, at.x, at.z, top);
            exists = found.has_value();
            if (exists) spot = {line.way_to(found->spot.height), *found};
        }
        if (exists) return spot;
    }
    return std::nullopt;
}

template <class Shape>
std::optional<Found> spot_in_frame(const Shape& shape, const Heights& heights,
                                   const GroundFrame& frame, double x, double z, double top) {
    const double most = top - frame.position.y;
    if (frame.rotation == Quaternion{}) {
        auto found = spot_of(shape, x - frame.position.x, z - frame.position.z, most);
        if (found) found->spot.height += frame.position.y;
        return found;
    }
    const Upright line{frame, x, z};
    constexpr double on_its_side = 1e-3;
    if (!(line.up.y > on_its_side)) return std::nullopt;
    auto spot = spot_on(line, shape, heights, most);
    if (!spot || spot->way > most) return std::nullopt;
    spot->found.spot.height = frame.position.y + spot->way;
    spot->found.spot.normal = rotated(frame.rotation, spot->found.spot.normal);
    return spot->found;
}

/// The highest and the lowest of some places, and how far the furthest is from the origin of their
/// frame.
struct Bounds {
    double top = -std::numeric_limits<double>::infinity();
    double bottom = std::numeric_limits<double>::infinity();
    double reach = 0;

    void take_in(const Vector3& place) {
        top = std::max(top, place.y);
        bottom = std::min(bottom, place.y);
        reach = std::max(reach, std::sqrt(dot(place, place)));
    }
};

Bounds bounds_of(const Terrain::Plane& plane) {
    const bool is_level = plane.slope_x == 0 && plane.slope_z == 0;
    constexpr double unbounded = std::numeric_limits<double>::infinity();
    return {is_level ? plane.point.y : unbounded, is_level ? plane.point.y : -unbounded, unbounded};
}

/// Half of the longest way across it.
double half_width_of(const Slab& slab) {
    return std::sqrt(slab.half_x * slab.half_x + slab.half_z * slab.half_z);
}

Bounds bounds_of(const Slab& slab) {
    const double aside = half_width_of(slab);
    Bounds bounds;
    for (const double x : {-aside, aside}) {
        for (const double z : {-aside, aside})
            bounds.take_in(slab.middle + Vector3{x, 0, z});
    }
    return bounds;
}

Bounds bounds_of(const HeightField& field) {
    const HeightField::Grid& grid = field.grid();
    Bounds bounds;
    for (std::size_t row = 0; row < grid.rows; ++row) {
        for (std::size_t column = 0; column < grid.columns; ++column) {
            bounds.take_in({grid.from_x + static_cast<double>(column) * grid.spacing_m,
                            field.heights()[row * grid.columns + column],
                            grid.from_z + static_cast<double>(row) * grid.spacing_m});
        }
    }
    return bounds;
}

Bounds bounds_of(const GroundMesh& mesh) {
    Bounds bounds;
    for (const Vector3& corner : mesh.corners())
        bounds.take_in(corner);
    return bounds;
}

/// Most pieces are excluded by it, with a few comparisons.
Footprint footprint_of(const Slab& slab) {
    const double aside = half_width_of(slab) * (1 + 1e-12);
    const Vector3& at = slab.middle;
    return {at.x - aside, at.x + aside, at.z - aside, at.z + aside};
}

Footprint everywhere() {
    constexpr double far = std::numeric_limits<double>::infinity();
    return {-far, far, -far, far};
}

void require_finite_vector(const char* name, const Vector3& v) {
    require_finite(name, v.x);
    require_finite(name, v.y);
    require_finite(name, v.z);
}

}  // namespace

void Terrain::require_part(std::uint32_t part) const {
    if (part <= frames_.size()) return;
    throw std::out_of_range{"Terrain: no part has the number " + std::to_string(part)};
}

void Terrain::add_piece(Shape shape, std::uint32_t part) {
    const Bounds bounds = std::visit([](const auto& each) { return bounds_of(each); }, shape);
    const Slab* const slab = std::get_if<Slab>(&shape);
    footprints_.push_back(part == 0 && slab != nullptr ? footprint_of(*slab) : everywhere());
    pieces_.push_back({std::move(shape), part, bounds.top, bounds.bottom, bounds.reach});
}

void Terrain::add(const Plane& plane, std::uint32_t part) {
    require_part(part);
    require_finite_vector("point", plane.point);
    require_finite("slope_x", plane.slope_x);
    require_finite("slope_z", plane.slope_z);
    add_piece(plane, part);
}

void Terrain::add(const Box& box, std::uint32_t part) {
    require_part(part);
    require_finite_vector("middle", box.middle);
    require_at_least_zero("size.x", box.size.x);
    require_at_least_zero("size.y", box.size.y);
    require_at_least_zero("size.z", box.size.z);
    require_finite("yaw_rad", box.yaw_rad);
    add_piece(slab_of(box), part);
    const Vector3 half = box.size * 0.5;
    blocks_.push_back({.shape = {.type = ContactShape::Type::box,
                                 .position = box.middle,
                                 .rotation = turned_by({0, box.yaw_rad, 0}),
                                 .half_size_m = half},
                       .radius = math::sqrt(dot(half, half)),
                       .part = part});
}

void Terrain::add(HeightField field, std::uint32_t part) {
    require_part(part);
    add_piece(std::move(field), part);
    has_faces_ = true;
}

void Terrain::add(GroundMesh mesh, std::uint32_t part) {
    require_part(part);
    add_piece(std::move(mesh), part);
    has_faces_ = true;
}

std::uint32_t Terrain::add_part(const GroundFrame& frame) {
    frames_.push_back(frame);
    return static_cast<std::uint32_t>(frames_.size());
}

void Terrain::move(std::uint32_t part, const GroundFrame& frame) {
    require_part(part);
    if (part == 0) throw std::out_of_range{"Terrain: part 0 never moves"};
    frames_[part - 1] = frame;
}

GroundFrame Terrain::frame(std::uint32_t part, double ahead_s) const noexcept {
    if (part < 1 || part > frames_.size()) return {};
    return frames_[part - 1].ahead(ahead_s);
}

double Terrain::highest(double ahead_s) const noexcept {
    double highest = -std::numeric_limits<double>::infinity();
    for (const Piece& piece : pieces_) {
        const double top =
            piece.part == 0 ? piece.top : frame(piece.part, ahead_s).position.y + piece.reach;
        highest = std::max(highest, top);
    }
    return highest;
}

bool Terrain::is_level() const noexcept {
    if (pieces_.size() != 1 || pieces_[0].part != 0) return false;
    const auto* const plane = std::get_if<Plane>(&pieces_[0].shape);
    return plane != nullptr && plane->slope_x == 0 && plane->slope_z == 0;
}

GroundPoint Terrain::under(double x, double z, double top, double ahead_s) const noexcept {
    return highest_under(x, z, top, ahead_s, Which::all);
}

GroundPoint Terrain::surface_under(double x, double z, double top, double ahead_s) const noexcept {
    return highest_under(x, z, top, ahead_s, Which::without_boxes);
}

/// However its part is turned by then, none of it is under that place.
bool Terrain::is_elsewhere(const Piece& piece, double x, double z, double ahead_s) const noexcept {
    const GroundFrame& now = frames_[piece.part - 1];
    const Vector3 velocity = now.velocity + now.acceleration * (0.5 * std::min(ahead_s, 0.0));
    const double dx = x - (now.position.x + velocity.x * ahead_s);
    const double dz = z - (now.position.z + velocity.z * ahead_s);
    // A place on its edge must not be lost by rounding.
    const double reach = piece.reach * (1 + 1e-9) + 1e-9;
    return dx * dx + dz * dz > reach * reach;
}

GroundPoint Terrain::highest_under(double x, double z, double top, double ahead_s,
                                   Which which) const noexcept {
    GroundPoint best{.exists = false};
    if (which == Which::without_boxes && pieces_.size() == blocks_.size()) return best;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
        if (footprints_[i].leaves_out(x, z)) continue;
        const Piece& piece = pieces_[i];
        if (which == Which::without_boxes && std::holds_alternative<Slab>(piece.shape)) continue;
        if (piece.part != 0 && is_elsewhere(piece, x, z, ahead_s)) continue;
        const auto found = std::visit(
            [&](const auto& shape) {
                return piece.part == 0 ? spot_of(shape, x, z, top)
                                       : spot_in_frame(shape, {piece.bottom, piece.top},
                                                       frame(piece.part, ahead_s), x, z, top);
            },
            piece.shape);
        if (!found || (best.exists && found->spot.height <= best.height)) continue;
        best = {found->spot.height, found->spot.normal, piece.part, found->can_stand, true};
    }
    return best;
}

}  // namespace hopcoil
