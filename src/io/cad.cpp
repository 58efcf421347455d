// STEP, IGES and BREP through the OpenCASCADE CAD kernel. It reads the model and turns its faces into triangles; what
// the triangles are then is ours. Faces are joined by topology, not by place: the points of an edge have one number
// each, whichever face asks for them, so that a sound solid comes in closed.

#include "io/cad.hpp"

#include <anvilcast/errors.hpp>

#include <fmt/format.h>

#include <BRepAdaptor_Surface.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <IGESCAFControl_Reader.hxx>
#include <IGESData_GlobalSection.hxx>
#include <IGESData_IGESEntity.hxx>
#include <IGESData_IGESModel.hxx>
#include <IMeshTools_Parameters.hxx>
#include <Interface_Check.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_Printer.hxx>
#include <Message_ProgressIndicator.hxx>
#include <Poly_PolygonOnTriangulation.hxx>
#include <Poly_Triangulation.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <Standard_Failure.hxx>
#include <StepData_StepModel.hxx>
#include <StepShape_Face.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TCollection_AsciiString.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TDF_ChildIterator.hxx>
#include <TDF_LabelSequence.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Edge.hxx>
#include <TopoDS_Face.hxx>
#include <TransferBRep.hxx>
#include <Transfer_TransientProcess.hxx>
#include <XCAFApp_Application.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_LayerTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>
#include <XSControl_TransferReader.hxx>
#include <XSControl_WorkSession.hxx>

#include <algorithm>
#include <chrono>
#include <functional>
#include <locale>
#include <map>
#include <numbers>
#include <set>
#include <sstream>

#include "io/files.hpp"
#include "io/surface_text.hpp"

namespace anvilcast {
namespace {

constexpr double kDefaultChord = 1.0 / 2000;  // of the model's diagonal
constexpr double kLargestChord = 1.0 / 200;
constexpr int kMostAttempts = 4;
constexpr double kFinerAtMost = 0.4;  // of the chord that was asked of the kernel, from one attempt to the next
constexpr double kWorthIt = 0.8;      // of the deviation, from one attempt to the next
constexpr int kMostMinutes = 10;
constexpr double kSewing = 1e-2;  // millimetres: edges of IGES faces closer than this are one edge
constexpr double kKernelUnit = 1e-3;  // the kernel turns STEP and IGES into millimetres

struct Body {
    std::string name;
    TopoDS_Shape shape;
};

/// What a reader brings: bodies, and a way to name a face ("" when it has no name of its own).
struct Model {
    std::vector<Body> bodies;
    std::function<std::string(const TopoDS_Face&)> name_of_face;
    LengthUnit unit;
    bool knows_unit = false;
    double metres = kKernelUnit;  ///< length of the kernel's unit
};

void be_silent() { Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer)); }

std::string text_of(const TCollection_ExtendedString& text) {
    std::string out(static_cast<std::size_t>(text.LengthOfCString()) + 1, '\0');
    Standard_PCharacter place = out.data();
    text.ToUTF8CString(place);
    out.resize(out.find('\0'));
    return std::string(io::trimmed(out));
}

std::string name_of(const TDF_Label& label) {
    Handle(TDataStd_Name) name;
    if (!label.FindAttribute(TDataStd_Name::GetID(), name)) return "";
    const std::string text = text_of(name->Get());
    // What the kernel calls things that have no name.
    static const std::set<std::string> kinds{"COMPOUND", "COMPSOLID", "SOLID", "SHELL", "FACE"};
    return kinds.contains(text) ? "" : text;
}

/// "millimetre", "MM", "inch" and the like as a unit of ours; nothing when it is not known.
std::optional<LengthUnit> unit_named(std::string name) {
    std::transform(name.begin(), name.end(), name.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    static const std::map<std::string, const char*> names{
        {"millimetre", "mm"}, {"millimeter", "mm"}, {"mm", "mm"},         {"metre", "m"},      {"meter", "m"},
        {"m", "m"},           {"centimetre", "cm"}, {"centimeter", "cm"}, {"cm", "cm"},        {"micrometre", "um"},
        {"micrometer", "um"}, {"um", "um"},         {"kilometre", "km"},  {"kilometer", "km"}, {"km", "km"},
        {"inch", "in"},       {"in", "in"},         {"foot", "ft"},       {"ft", "ft"}};
    const auto it = names.find(name);
    return it == names.end() ? std::nullopt : std::optional(parse_length_unit(it->second));
}

/// The bodies of a document: each solid is one, and where there is none each shape as a whole.
class BodyCollector {
  public:
    explicit BodyCollector(const Handle(XCAFDoc_ShapeTool) & shapes) : shapes_(shapes) {}

    std::vector<Body> collect() {
        TDF_LabelSequence roots;
        shapes_->GetFreeShapes(roots);
        for (int i = 1; i <= roots.Length(); ++i) visit(roots.Value(i), TopLoc_Location(), "");
        return std::move(bodies_);
    }

  private:
    void visit(const TDF_Label& label, const TopLoc_Location& location, const std::string& given_name) {
        TDF_Label product = label;
        TopLoc_Location place = location;
        if (XCAFDoc_ShapeTool::IsReference(label)) {
            place = location * XCAFDoc_ShapeTool::GetLocation(label);
            XCAFDoc_ShapeTool::GetReferredShape(label, product);
        }
        const std::string own = name_of(product);
        const std::string name = own.empty() ? given_name : own;
        if (XCAFDoc_ShapeTool::IsAssembly(product)) {
            TDF_LabelSequence components;
            XCAFDoc_ShapeTool::GetComponents(product, components);
            for (int i = 1; i <= components.Length(); ++i)
                visit(components.Value(i), place, name_of(components.Value(i)));
            return;
        }
        add(XCAFDoc_ShapeTool::GetShape(product).Moved(place), name);
    }

    void add(const TopoDS_Shape& shape, const std::string& name) {
        std::vector<TopoDS_Shape> solids;
        for (TopExp_Explorer it(shape, TopAbs_SOLID); it.More(); it.Next()) solids.push_back(it.Current());
        for (const TopoDS_Shape& solid : solids) bodies_.push_back({name, solid});
        if (TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SOLID).More()) bodies_.push_back({name, shape});
    }

    Handle(XCAFDoc_ShapeTool) shapes_;
    std::vector<Body> bodies_;
};

std::string hex_color(const Quantity_Color& color) {
    return "color-" + std::string(Quantity_Color::ColorToHex(color).ToCString() + 1);
}

/// A face's own name, else its layer, else its colour.
std::function<std::string(const TopoDS_Face&)> face_names(const Handle(TDocStd_Document) & document,
                                                          std::function<std::string(const TopoDS_Face&)> entity_name) {
    const Handle(XCAFDoc_LayerTool) layers = XCAFDoc_DocumentTool::LayerTool(document->Main());
    const Handle(XCAFDoc_ColorTool) colors = XCAFDoc_DocumentTool::ColorTool(document->Main());
    const Handle(XCAFDoc_ShapeTool) shapes = XCAFDoc_DocumentTool::ShapeTool(document->Main());
    return [=](const TopoDS_Face& face) -> std::string {
        if (std::string name = entity_name(face); !name.empty()) return name;
        TDF_Label label;
        if (!shapes->Search(face, label, Standard_True, Standard_True, Standard_True)) {
            const TopoDS_Shape unplaced = face.Located(TopLoc_Location());
            if (!shapes->Search(unplaced, label, Standard_True, Standard_True, Standard_True)) return "";
        }
        if (std::string name = name_of(label); !name.empty()) return name;
        const Handle(TColStd_HSequenceOfExtendedString) found = layers->GetLayers(label);
        if (!found.IsNull() && found->Length() > 0) return text_of(found->Value(1));
        Quantity_Color color;
        if (colors->GetColor(label, XCAFDoc_ColorSurf, color) || colors->GetColor(label, XCAFDoc_ColorGen, color))
            return hex_color(color);
        return "";
    };
}

template <typename Reader>
Handle(TDocStd_Document) transferred(Reader& reader, const std::string& name) {
    Handle(TDocStd_Document) document;
    XCAFApp_Application::GetApplication()->NewDocument("BinXCAF", document);
    reader.SetColorMode(Standard_True);
    reader.SetNameMode(Standard_True);
    reader.SetLayerMode(Standard_True);
    if (!reader.Transfer(document))
        throw InputError(fmt::format("{}: the CAD kernel finds no shape in it; export the model again", name));
    return document;
}

/// The names of the entities that faces were made of, by what placed copies of a face have in common.
template <typename Entity, typename Name>
std::function<std::string(const TopoDS_Face&)> entity_names(const Handle(Transfer_TransientProcess) & process,
                                                            Name name_of_entity) {
    std::map<const TopoDS_TShape*, std::string> names;
    for (int i = 1; i <= process->NbMapped(); ++i) {
        const Handle(Entity) entity = Handle(Entity)::DownCast(process->Mapped(i));
        if (entity.IsNull()) continue;
        const TopoDS_Shape shape = TransferBRep::ShapeResult(process, entity);
        if (shape.IsNull()) continue;
        const std::string name = name_of_entity(entity);
        if (name.empty()) continue;
        for (TopExp_Explorer it(shape, TopAbs_FACE); it.More() && shape.ShapeType() >= TopAbs_SHELL; it.Next())
            names.try_emplace(it.Current().TShape().get(), name);
    }
    return [names](const TopoDS_Face& face) {
        const auto it = names.find(face.TShape().get());
        return it == names.end() ? std::string() : it->second;
    };
}

/// The kernel goes on with half-read entities, and falls over the holes in them: damaged geometry is refused here.
void check_entities(const Handle(StepData_StepModel) & entities, const std::string& file) {
    for (int i = 1; i <= entities->NbEntities(); ++i) {
        if (!entities->IsErrorEntity(i)) continue;
        const Handle(Interface_Check) check = entities->Check(i, Standard_True);
        const std::string type = entities->Value(i)->DynamicType()->Name();
        if (check.IsNull() || !check->HasFailed() || !(type.starts_with("StepGeom_") || type.starts_with("StepShape_") || type.starts_with("StepRepr_") || type.starts_with("StepData_")))
            continue;
        throw InputError(fmt::format("{}: entity #{} is damaged ({}); export the model again", file,
                                     entities->IdentLabel(entities->Value(i)), check->CFail(1)));
    }
}

Model read_step(const std::string& file) {
    const std::string content = io::read_file(file);
    if (content.find("END-ISO-10303-21") == std::string::npos)
        throw InputError(fmt::format(
            "{}: the file has no end (\"END-ISO-10303-21;\" after {} bytes); it is truncated, copy or export it again",
            file, content.size()));
    STEPCAFControl_Reader reader;
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone)
        throw InputError(fmt::format("{}: the CAD kernel cannot read it as STEP; export the model again", file));
    check_entities(Handle(StepData_StepModel)::DownCast(reader.Reader().WS()->Model()), file);
    const Handle(TDocStd_Document) document = transferred(reader, file);
    const Handle(XSControl_TransferReader) transfer = reader.Reader().WS()->TransferReader();
    Model model;
    model.bodies = BodyCollector(XCAFDoc_DocumentTool::ShapeTool(document->Main())).collect();
    model.name_of_face = face_names(
        document, entity_names<StepShape_Face>(transfer->TransientProcess(), [](const auto& face) {
            const std::string name = face->Name().IsNull() ? "" : std::string(io::trimmed(face->Name()->ToCString()));
            return name == "NONE" ? "" : name;
        }));
    TColStd_SequenceOfAsciiString lengths, angles, solid_angles;
    reader.ChangeReader().FileUnits(lengths, angles, solid_angles);
    const auto unit = lengths.IsEmpty() ? std::nullopt : unit_named(lengths.First().ToCString());
    model.unit = unit.value_or(parse_length_unit("mm"));
    model.knows_unit = true;
    return model;
}

/// IGES knows no edges between faces. The kernel finds them, so that neighbours are divided alike along them.
void sew(Model& model) {
    std::map<const TopoDS_TShape*, std::string> names;
    for (Body& body : model.bodies) {
        BRepBuilderAPI_Sewing sewing(kSewing);
        for (TopExp_Explorer it(body.shape, TopAbs_FACE); it.More(); it.Next()) sewing.Add(it.Current());
        sewing.Perform();
        for (TopExp_Explorer it(body.shape, TopAbs_FACE); it.More(); it.Next()) {
            const std::string name = model.name_of_face(TopoDS::Face(it.Current()));
            if (!name.empty()) names.try_emplace(sewing.Modified(it.Current()).TShape().get(), name);
        }
        if (!sewing.SewedShape().IsNull()) body.shape = sewing.SewedShape();
    }
    model.name_of_face = [names](const TopoDS_Face& face) {
        const auto it = names.find(face.TShape().get());
        return it == names.end() ? std::string() : it->second;
    };
}

Model read_iges(const std::string& file) {
    IGESCAFControl_Reader reader;
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone)
        throw InputError(fmt::format("{}: the CAD kernel cannot read it as IGES; export the model again", file));
    const Handle(TDocStd_Document) document = transferred(reader, file);
    const Handle(XSControl_TransferReader) transfer = reader.WS()->TransferReader();
    Model model;
    model.bodies = BodyCollector(XCAFDoc_DocumentTool::ShapeTool(document->Main())).collect();
    model.name_of_face =
        face_names(document, entity_names<IGESData_IGESEntity>(transfer->TransientProcess(), [](const auto& entity) {
                       if (!entity->HasName() || entity->NameValue().IsNull()) return std::string();
                       return std::string(io::trimmed(entity->NameValue()->ToCString()));
                   }));
    sew(model);
    const Handle(IGESData_IGESModel) iges = Handle(IGESData_IGESModel)::DownCast(reader.Model());
    const Handle(TCollection_HAsciiString) unit_name =
        iges.IsNull() ? Handle(TCollection_HAsciiString)() : iges->GlobalSection().UnitName();
    const auto unit = unit_name.IsNull() ? std::nullopt : unit_named(unit_name->ToCString());
    model.unit = unit.value_or(parse_length_unit("mm"));
    model.knows_unit = true;
    return model;
}

Model read_brep(const std::string& file, const ReadSurfaceOptions& options) {
    if (!options.unit)
        throw InputError(fmt::format("{}: a BREP file does not say the unit of its numbers; give it, e.g. mm", file));
    TopoDS_Shape shape;
    BRep_Builder builder;
    // The kernel's reader does not look whether reading went well; a stream that throws does.
    std::istringstream stream(io::read_file(file));
    stream.imbue(std::locale::classic());
    stream.exceptions(std::ios::failbit | std::ios::badbit);
    try {
        BRepTools::Read(shape, stream, builder);
    } catch (const std::ios_base::failure&) {
        shape.Nullify();
    }
    if (shape.IsNull())
        throw InputError(fmt::format("{}: the CAD kernel cannot read it as BREP, it is damaged or cut off; export the model again", file));
    Model model;
    for (TopExp_Explorer it(shape, TopAbs_SOLID); it.More(); it.Next()) model.bodies.push_back({"", it.Current()});
    if (TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SOLID).More()) model.bodies.push_back({"", shape});
    model.name_of_face = [](const TopoDS_Face&) { return std::string(); };
    model.unit = *options.unit;
    model.metres = options.unit->metres;
    return model;
}

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
        auto& count = faces_of_edge_[edges_.FindIndex(edge)];
        ++count;
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
    std::map<int, int> faces_of_edge_;
    std::set<int> seams_;
    int faces_without_triangles_ = 0;
};

/// Breaks off what takes too long.
class Deadline : public Message_ProgressIndicator {
  public:
    Standard_Boolean UserBreak() override {
        return std::chrono::steady_clock::now() - start_ > std::chrono::minutes(kMostMinutes) ? Standard_True : Standard_False;
    }

  protected:
    void Show(const Message_ProgressScope&, const Standard_Boolean) override {}

  private:
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

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

/// Returns how far the triangles are off, metres.
double triangulate(const Model& model, const ReadSurfaceOptions& options, const std::string& file) {
    Bnd_Box box;
    for (const Body& body : model.bodies) BRepBndLib::Add(body.shape, box);
    if (box.IsVoid()) return 0;
    const double diagonal = std::sqrt(box.SquareExtent());
    const double chord =
        std::min(options.chord > 0 ? options.chord / model.metres : kDefaultChord * diagonal, kLargestChord * diagonal);
    // The kernel takes the chord as a hint: what it made is measured, and made again finer where that is too far off.
    const Handle(Deadline) deadline = new Deadline;
    auto mesh_with = [&](double deflection) {
        IMeshTools_Parameters parameters;
        parameters.Deflection = parameters.DeflectionInterior = deflection;
        parameters.Angle = parameters.AngleInterior = options.angle * std::numbers::pi / 180;
        double worst = 0;
        for (const Body& body : model.bodies) {
            BRepMesh_IncrementalMesh mesher;
            mesher.ChangeParameters() = parameters;
            mesher.SetShape(body.shape);
            mesher.Perform(deadline->Start());
            if (deadline->UserBreak())
                throw InputError(
                    fmt::format("{}: its faces were not turned into triangles within {} minutes; it may be damaged, or ask for a "
                                "larger chord",
                                file, kMostMinutes));
            for (TopExp_Explorer it(body.shape, TopAbs_FACE); it.More(); it.Next())
                worst = std::max(worst, deviation(TopoDS::Face(it.Current())));
        }
        return worst;
    };
    auto forget = [&] {
        for (const Body& body : model.bodies) BRepTools::Clean(body.shape);
    };
    double asked = chord, worst = mesh_with(asked);
    for (int attempt = 1; attempt < kMostAttempts && worst > chord; ++attempt) {
        forget();
        const double finer = asked * std::max(kFinerAtMost, 0.8 * chord / worst);
        const double now = mesh_with(finer);
        if (now > kWorthIt * worst) {  // finer does not help: some surfaces are beyond the kernel's control
            forget();
            return mesh_with(asked) * model.metres;
        }
        asked = finer;
        worst = now;
    }
    return worst * model.metres;
}

void check_unit(const Model& model, const ReadSurfaceOptions& options, const std::string& file) {
    if (!model.knows_unit || !options.unit || options.unit->metres == model.unit.metres) return;
    throw InputError(fmt::format("{}: the file says that its lengths are in {}, {} was asked for; leave the unit out",
                                 file, model.unit.name, options.unit->name));
}

}  // namespace

bool can_read_cad() { return true; }

SurfaceFile io::read_cad(const std::filesystem::path& file, const ReadSurfaceOptions& options) {
    const std::string name = file.string();
    const std::string ending = lower_ending(name);
    be_silent();
    try {
        const Model model = ending.starts_with(".st")   ? read_step(name)
                            : ending.starts_with(".ig") ? read_iges(name)
                                                        : read_brep(name, options);
        check_unit(model, options, name);
        if (model.bodies.empty()) throw InputError(fmt::format("{}: there is no face in it", name));
        const double off = triangulate(model, options, name);
        Assembler assembler(model, name);
        SurfaceFile out;
        out.surface = assembler.assemble();
        out.unit = model.unit;
        out.knows_unit = model.knows_unit;
        out.is_cad = true;
        out.triangles_dropped = finish(out.surface, name);
        if (options.chord > 0 && off > 1.01 * options.chord)
            out.warnings.push_back(fmt::format("{}: the triangles are up to {} off the faces, more than the chord asked for", name,
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

}  // namespace anvilcast
