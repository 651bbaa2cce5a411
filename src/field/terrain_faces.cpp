#include <variant>

#include <hopcoil/base/components.hpp>
#include <hopcoil/field/terrain.hpp>

namespace hopcoil {
namespace {

/// Forwards the faces of a piece, transformed into the world.
class Carried final : public FaceVisitor {
  public:
    Carried(FaceVisitor& visitor, const GroundFrame& frame, std::uint32_t part)
        : visitor_{visitor}, frame_{frame}, part_{part} {}

    void visit(const GroundFace& face) noexcept override {
        GroundFace carried = face;
        carried.part = part_;
        if (part_ != 0) {
            for (Vector3& corner : carried.corners)
                corner = frame_.to_world(corner);
            carried.normal = rotated(frame_.rotation, face.normal);
            for (Vector3& normal : carried.beyond)
                normal = rotated(frame_.rotation, normal);
        }
        visitor_.visit(carried);
    }

  private:
    FaceVisitor& visitor_;
    const GroundFrame& frame_;
    std::uint32_t part_;
};

}  // namespace

/// Faces are chosen in the part's frame: one that is steep there may be level when the part is
/// tilted.
void Terrain::visit_faces(const Vector3& place, double radius, double ahead_s, FaceChoice choice,
                          FaceVisitor& visitor) const noexcept {
    if (!has_faces_) return;
    for (const Piece& piece : pieces_) {
        const auto* const mesh = std::get_if<GroundMesh>(&piece.shape);
        const auto* const field = std::get_if<HeightField>(&piece.shape);
        if (mesh == nullptr && field == nullptr) continue;
        const GroundFrame carrier = frame(piece.part, ahead_s);
        const Vector3 local = piece.part == 0 ? place : carrier.to_local(place);
        Carried carried{visitor, carrier, piece.part};
        if (mesh != nullptr) mesh->visit_faces(local, radius, choice, carried);
        if (field != nullptr) field->visit_faces(local, radius, choice, carried);
    }
}

GroundDistance Terrain::surface_distance(const Vector3& place, double above,
                                         double ahead_s) const noexcept {
    const GroundDistance found = Ground::surface_distance(place, above, ahead_s);
    if (found.metres >= 0) return found;
    const double wall = nearest_wall(place, -found.metres, ahead_s).metres;
    return wall >= 0 && wall < -found.metres ? GroundDistance{} : found;
}

GroundDistance Terrain::nearest_wall(const Vector3& place, double within,
                                     double ahead_s) const noexcept {
    GroundDistance best;
    if (!has_faces_) return best;
    for (const Piece& piece : pieces_) {
        const GroundMesh* const mesh = std::get_if<GroundMesh>(&piece.shape);
        if (mesh == nullptr) continue;
        const GroundFrame carrier = frame(piece.part, ahead_s);
        const auto wall = mesh->nearest_wall(carrier.to_local(place), within);
        if (!wall || wall->metres >= best.metres) continue;
        best = {wall->metres, rotated(carrier.rotation, wall->normal), piece.part};
    }
    return best;
}

}  // namespace hopcoil
