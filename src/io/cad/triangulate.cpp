// Triangles on CAD faces. The kernel takes the chord as a hint: what it made is measured, and made again finer where
// that is too far off.

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <IMeshTools_Parameters.hxx>
#include <Poly_Triangulation.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "io/cad/model.hpp"

namespace anvilcast::cad {
namespace {

constexpr double kDefaultChord = 1.0 / 2000;  // of the model's diagonal
constexpr double kLargestChord = 1.0 / 200;
constexpr int kMostAttempts = 4;
constexpr double kFinerAtMost = 0.4;  // of the chord that was asked of the kernel, from one attempt to the next
constexpr double kWorthIt = 0.8;      // of the deviation, from one attempt to the next
/// A default is no promise: an intricate face takes the kernel a minute for each attempt.
constexpr double kSlackOfDefault = 2;

/// How far the middles of a face's triangles are from the face, along their normals.
double deviation(const TopoDS_Face& face) {
    TopLoc_Location location;
    const Handle(Poly_Triangulation) mesh = BRep_Tool::Triangulation(face, location);
    if (mesh.IsNull() || !mesh->HasUVNodes()) return 0;
    const BRepAdaptor_Surface surface(TopoDS::Face(face.Located(TopLoc_Location())), Standard_False);
    if (surface.GetType() == GeomAbs_Plane) return 0;
    double worst = 0;
    for (int t = 1; t <= mesh->NbTriangles(); ++t) {
        int a = 0, b = 0, c = 0;
        mesh->Triangle(t).Get(a, b, c);
        const gp_XYZ p = mesh->Node(a).XYZ(), q = mesh->Node(b).XYZ(), r = mesh->Node(c).XYZ();
        const gp_XYZ normal = (q - p).Crossed(r - p);
        if (normal.Modulus() == 0) continue;
        const gp_XY uv = (mesh->UVNode(a).XY() + mesh->UVNode(b).XY() + mesh->UVNode(c).XY()) / 3;
        worst = std::max(worst, std::abs((surface.Value(uv.X(), uv.Y()).XYZ() - p).Dot(normal)) / normal.Modulus());
    }
    return worst;
}

}  // namespace

double triangulate(const Model& model, const ReadSurfaceOptions& options) {
    Bnd_Box box;
    for (const Body& body : model.bodies) BRepBndLib::Add(body.shape, box);
    if (box.IsVoid()) return 0;
    const double diagonal = std::sqrt(box.SquareExtent());
    const double chord =
        std::min(options.chord > 0 ? options.chord / model.metres : kDefaultChord * diagonal, kLargestChord * diagonal);
    // The kernel takes the chord as a hint: what it made is measured, and made again finer where that is too far off.
    struct Outcome {
        double worst = 0;  ///< deviation
        int n_bare = 0;    ///< faces without triangles
    };
    auto mesh_with = [&](double deflection) {
        IMeshTools_Parameters parameters;
        parameters.Deflection = parameters.DeflectionInterior = deflection;
        parameters.Angle = parameters.AngleInterior = options.angle * std::numbers::pi / 180;
        // Folds within the chord would be followed for ever for the sake of the angle.
        parameters.MinSize = 2 * chord;
        Outcome out;
        for (const Body& body : model.bodies) {
            BRepMesh_IncrementalMesh mesher;
            mesher.ChangeParameters() = parameters;
            mesher.SetShape(body.shape);
            mesher.Perform();
            for (TopExp_Explorer it(body.shape, TopAbs_FACE); it.More(); it.Next()) {
                const TopoDS_Face face = TopoDS::Face(it.Current());
                TopLoc_Location location;
                out.n_bare += BRep_Tool::Triangulation(face, location).IsNull() ? 1 : 0;
                out.worst = std::max(out.worst, deviation(face));
            }
        }
        return out;
    };
    auto forget = [&] {
        for (const Body& body : model.bodies) BRepTools::Clean(body.shape);
    };
    const double allowed = options.chord > 0 ? chord : kSlackOfDefault * chord;
    double asked = chord;
    Outcome best = mesh_with(asked);
    for (int attempt = 1; attempt < kMostAttempts && best.worst > allowed; ++attempt) {
        forget();
        const double finer = asked * std::max(kFinerAtMost, 0.8 * chord / best.worst);
        const Outcome now = mesh_with(finer);
        // Finer does not help where surfaces are beyond the kernel's control, and costs whole faces at times.
        if (now.worst > kWorthIt * best.worst || now.n_bare > best.n_bare) {
            forget();
            return mesh_with(asked).worst * model.metres;
        }
        asked = finer;
        best = now;
    }
    return best.worst * model.metres;
}

}  // namespace anvilcast::cad
