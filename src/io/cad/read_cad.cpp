// STEP, IGES and BREP through the OpenCASCADE CAD kernel. It reads the model and turns its faces into triangles; what
// the triangles are then is ours. Faces are joined by topology, not by place: the points of an edge have one number
// each, whichever face asks for them, so that a sound solid comes in closed.

#include <BRep_Tool.hxx>
#include <Message.hxx>
#include <Message_Printer.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <Standard_Failure.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TopoDS_Vertex.hxx>

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <map>
#include <set>

#include "io/apart.hpp"
#include "io/archive.hpp"
#include "io/cad/cad.hpp"
#include "io/cad/model.hpp"
#include "io/surfaces/surface_text.hpp"

namespace anvilcast {
namespace {

using namespace cad;

void be_silent() { Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer)); }

/// The faces of all bodies as one surface.
class Assembler {
  public:
    Assembler(const Model& model, const std::string& file) : model_(model), file_(file) {}

    Surface assemble() {
        std::map<std::string, int> uses, next;
        for (const Body& body : model_.bodies) ++uses[body_name(body)];
        for (const Body& body : model_.bodies) {
            const std::string base = body_name(body);
            add_body(body.shape, uses[base] == 1 ? base : fmt::format("{}-{}", base, ++next[base]));
        }
        finish_edges();
        return std::move(surface_);
    }
    int faces_without_triangles() const { return faces_without_triangles_; }

  private:
    std::string body_name(const Body& body) const { return body.name.empty() ? io::stem_of(file_) : body.name; }

    void add_body(const TopoDS_Shape& shape, const std::string& part) {
        TopTools_IndexedMapOfShape faces;
        // A face between two bodies, or met twice, is taken once for each body.
        TopExp::MapShapes(shape, TopAbs_FACE, faces);
        std::map<std::string, Index> zone_of_name;
        for (int i = 1; i <= faces.Extent(); ++i) {
            // Faces that belong to a solid are taken with it.
            const TopoDS_Face face = TopoDS::Face(faces(i));
            if (shape.ShapeType() != TopAbs_SOLID && belongs_to_solid(face)) continue;
            if (shape.ShapeType() == TopAbs_SOLID) of_solids_.Add(face);
            const std::string own = model_.name_of_face(face);
            const std::string name = !own.empty() ? own : faces.Extent() == 1 ? part : fmt::format("{}-{}", part, i);
            auto [it, is_new] = zone_of_name.try_emplace(name, static_cast<Index>(surface_.zones.size()));
            if (is_new) surface_.zones.push_back({name, Role::wall, part});
            add_face(face, it->second);
        }
    }
    bool belongs_to_solid(const TopoDS_Face& face) const { return of_solids_.Contains(face); }

    void add_face(const TopoDS_Face& face, Index zone) {
        TopLoc_Location location;
        const Handle(Poly_Triangulation) mesh = BRep_Tool::Triangulation(face, location);
        if (mesh.IsNull() || mesh->NbTriangles() == 0) {
            ++faces_without_triangles_;
            return;
        }
        const gp_Trsf& placed = location.Transformation();
        auto place_of = [&](int node) {
            const gp_Pnt p = mesh->Node(node).Transformed(placed);
            Vec3 out;
            for (int axis = 0; axis < 3; ++axis)
                out[axis] = io::to_metres(p.Coord(axis + 1), {"", model_.metres}, [this] { return file_; });
            return out;
        };
        std::vector<Index> number(static_cast<std::size_t>(mesh->NbNodes()) + 1, kNone);
        for (TopExp_Explorer it(face, TopAbs_EDGE); it.More(); it.Next())
            number_edge(TopoDS::Edge(it.Current()), mesh, location, place_of, number);
        for (int node = 1; node <= mesh->NbNodes(); ++node)
            if (number[static_cast<std::size_t>(node)] == kNone)
                number[static_cast<std::size_t>(node)] = new_point(place_of(node));
        const bool reversed = (face.Orientation() == TopAbs_REVERSED) != (placed.IsNegative() == Standard_True);
        for (int t = 1; t <= mesh->NbTriangles(); ++t) {
            int a = 0, b = 0, c = 0;
            mesh->Triangle(t).Get(a, b, c);
            if (reversed) std::swap(b, c);
            surface_.triangles.push_back({number[static_cast<std::size_t>(a)], number[static_cast<std::size_t>(b)],
                                          number[static_cast<std::size_t>(c)]});
            surface_.zone_of.push_back(zone);
        }
    }

    /// Gives the nodes of a face on an edge the numbers of the edge's points.
    void number_edge(const TopoDS_Edge& edge, const Handle(Poly_Triangulation) & mesh, const TopLoc_Location& location,
                     const std::function<Vec3(int)>& place_of, std::vector<Index>& number) {
        const Handle(Poly_PolygonOnTriangulation) polygon = BRep_Tool::PolygonOnTriangulation(edge, mesh, location);
        if (polygon.IsNull()) return;
        const int n = polygon->NbNodes();
        std::vector<Index>& points = points_of_edge_[edges_.Add(edge)];
        if (points.size() != static_cast<std::size_t>(n)) {
            if (!points.empty()) return;  // divided differently by another face: left apart, the health check tells
            TopoDS_Vertex first, last;
            TopExp::Vertices(TopoDS::Edge(edge.Oriented(TopAbs_FORWARD)), first, last);
            const bool is_point = BRep_Tool::Degenerated(edge) == Standard_True;
            for (int i = 1; i <= n; ++i) {
                const TopoDS_Vertex& end = i == 1 || is_point ? first : last;
                const bool at_end = (i == 1 || i == n || is_point) && !end.IsNull();
                points.push_back(at_end ? vertex_point(end, place_of(polygon->Node(i)))
                                        : new_point(place_of(polygon->Node(i))));
            }
        }
        for (int i = 1; i <= n; ++i)
            number[static_cast<std::size_t>(polygon->Node(i))] = points[static_cast<std::size_t>(i - 1)];
        if (BRep_Tool::IsClosed(edge, mesh, location)) seams_.insert(edges_.FindIndex(edge));
    }

    Index vertex_point(const TopoDS_Vertex& vertex, const Vec3& place) {
        Index& point = point_of_vertex_.try_emplace(vertices_.Add(vertex), kNone).first->second;
        if (point == kNone) point = new_point(place);
        return point;
    }
    Index new_point(const Vec3& place) {
        surface_.points.push_back(place);
        return static_cast<Index>(surface_.points.size() - 1);
    }

    /// All CAD edges but the seams of closed faces are edges to keep.
    void finish_edges() {
        for (const auto& [edge, points] : points_of_edge_) {
            if (seams_.contains(edge)) continue;
            for (std::size_t i = 1; i < points.size(); ++i)
                if (points[i] != points[i - 1])
                    surface_.feature_edges.push_back(
                        {std::min(points[i - 1], points[i]), std::max(points[i - 1], points[i])});
        }
        std::sort(surface_.feature_edges.begin(), surface_.feature_edges.end());
        const auto last = std::unique(surface_.feature_edges.begin(), surface_.feature_edges.end());
        surface_.feature_edges.erase(last, surface_.feature_edges.end());
    }

    const Model& model_;
    std::string file_;
    Surface surface_;
    TopTools_IndexedMapOfShape edges_, vertices_, of_solids_;
    std::map<int, std::vector<Index>> points_of_edge_;
    std::map<int, Index> point_of_vertex_;
    std::set<int> seams_;
    int faces_without_triangles_ = 0;
};

void check_unit(const Model& model, const ReadSurfaceOptions& options, const std::string& file) {
    if (!model.knows_unit || !options.unit || options.unit->metres == model.unit.metres) return;
    throw InputError(fmt::format("{}: the file says that its lengths are in {}, {} was asked for; leave the unit out",
                                 file, model.unit.name, options.unit->name));
}

}  // namespace

bool can_read_cad() { return true; }

namespace {

/// What the kernel makes of a file; nothing of it is tidied up yet.
SurfaceFile read_by_kernel(const std::string& name, const ReadSurfaceOptions& options) {
    const std::string ending = io::lower_ending(name);
    be_silent();
    try {
        const Model model = ending.starts_with(".st")   ? read_step(name)
                            : ending.starts_with(".ig") ? read_iges(name)
                                                        : read_brep(name, options);
        check_unit(model, options, name);
        if (model.bodies.empty()) throw InputError(fmt::format("{}: there is no face in it", name));
        const double off = triangulate(model, options);
        Assembler assembler(model, name);
        SurfaceFile out;
        out.surface = assembler.assemble();
        out.unit = model.unit;
        out.knows_unit = model.knows_unit;
        out.is_cad = true;
        if (options.chord > 0 && off > 1.01 * options.chord)
            out.warnings.push_back(
                fmt::format("{}: the triangles are up to {} off the faces, more than the chord asked for", name,
                            format_length(off, model.unit)));
        if (const int n = assembler.faces_without_triangles(); n > 0)
            out.warnings.push_back(
                fmt::format("{}: {} face(s) could not be turned into triangles and are missing", name, n));
        return out;
    } catch (const Standard_Failure& e) {
        throw InputError(fmt::format("{}: the CAD kernel stumbles over it ({}); export the model again", name,
                                     e.GetMessageString()));
    }
}

/// What was read on its way between processes, in or out.
template <typename Archive>
void pass(Archive& a, SurfaceFile& file) {
    Surface& s = file.surface;
    a.pass(s.points);
    a.pass(s.triangles);
    a.pass(s.zone_of);
    a.pass(s.feature_edges);
    a.pass_list(s.zones, [](Archive& to, Zone& zone) {
        to.pass(zone.name);
        to.pass(zone.part);
    });
    a.pass(file.unit.name);
    a.pass(file.unit.metres);
    a.pass(file.knows_unit);
    a.pass_list(file.warnings, [](Archive& to, std::string& warning) { to.pass(warning); });
}

SurfaceFile received(io::ArchiveReader& in) {
    SurfaceFile file;
    Surface& s = file.surface;
    pass(in, file);
    file.is_cad = true;
    // A process with a damaged memory may have written anything.
    auto is_point = [&](Index p) { return p < s.points.size(); };
    bool fits = s.zone_of.size() == s.triangles.size();
    for (const Triangle& t : s.triangles) fits = fits && is_point(t[0]) && is_point(t[1]) && is_point(t[2]);
    for (const Edge& e : s.feature_edges) fits = fits && is_point(e[0]) && is_point(e[1]);
    for (const Index z : s.zone_of) fits = fits && z < s.zones.size();
    for (const Vec3& p : s.points) fits = fits && is_finite(p);
    if (!fits) io::ArchiveReader::refuse();
    return file;
}

/// A sound file takes a second for each of its megabytes, and a few where its faces are intricate.
io::ApartLimits limits_for(const std::string& name, const ReadSurfaceOptions& options) {
    constexpr double kLeastSeconds = 8, kSecondsPerMegabyte = 60, kMegabyte = 1e6;
    constexpr std::size_t kLeastBytes = 1'600'000'000, kBytesPerByte = 500;
    std::error_code code;
    const std::uintmax_t size = std::filesystem::file_size(name, code);
    io::ApartLimits limits;
    limits.cpu_seconds = options.patience > 0
                             ? options.patience
                             : kLeastSeconds + kSecondsPerMegabyte * static_cast<double>(size) / kMegabyte;
    limits.bytes = kLeastBytes + kBytesPerByte * static_cast<std::size_t>(size);
    return limits;
}

}  // namespace

SurfaceFile io::read_cad(const std::filesystem::path& file, const ReadSurfaceOptions& options) {
    const std::string name = file.string();
    const ApartLimits limits = limits_for(name, options);
    SurfaceFile out;
    const ApartEnd end = run_apart(
        [&](ArchiveWriter& to) {
            SurfaceFile read = read_by_kernel(name, options);
            pass(to, read);
        },
        [&](ArchiveReader& from) { out = received(from); }, limits, options.stop);
    switch (end) {
        case ApartEnd::done:
            break;
        case ApartEnd::out_of_time:
            throw InputError(fmt::format(
                "{}: the CAD kernel was not done with it within {:.0f} s, far more than a sound file of its "
                "size takes: it is damaged, or its faces are very intricate; export it again, ask for a "
                "larger chord, or have more patience (patience = {:.0f})",
                name, limits.cpu_seconds, 10 * limits.cpu_seconds));
        case ApartEnd::out_of_memory:
            throw InputError(
                fmt::format("{}: the CAD kernel needs more than {:.1f} GB for it, far more than a sound file of its "
                            "size takes: it is damaged, or its faces are very intricate; export it again, or ask for "
                            "a larger chord",
                            name, static_cast<double>(limits.bytes) / 1e9));
        case ApartEnd::died:
            throw InputError(
                fmt::format("{}: the CAD kernel fell over it; it is damaged: export the model again", name));
    }
    out.triangles_dropped = finish(out.surface, name);
    return out;
}

}  // namespace anvilcast
