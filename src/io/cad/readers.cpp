// Reading STEP, IGES and BREP: bodies, and names for their faces.

#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <IGESCAFControl_Reader.hxx>
#include <IGESData_IGESEntity.hxx>
#include <IGESData_IGESModel.hxx>
#include <Interface_Check.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <StepData_StepModel.hxx>
#include <StepShape_Face.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TDF_LabelSequence.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
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

#include <fmt/format.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <functional>
#include <locale>
#include <map>
#include <optional>
#include <set>
#include <sstream>

#include "io/cad/model.hpp"
#include "io/files.hpp"
#include "io/surfaces/surface_text.hpp"

namespace anvilcast::cad {
namespace {

constexpr double kSewing = 1e-2;  // millimetres: edges of IGES faces closer than this are one edge

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

/// What the kernel, or the standard's own numbering, calls the n-th use of a product that nobody named.
bool is_number_of_instance(const std::string& name) {
    constexpr std::string_view kUse = "NAUO";
    return name.starts_with("=>[") ||
           (name.starts_with(kUse) && name.find_first_not_of("0123456789", kUse.size()) == std::string::npos);
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
            for (int i = 1; i <= components.Length(); ++i) {
                const std::string instance = name_of(components.Value(i));
                visit(components.Value(i), place, is_number_of_instance(instance) ? name : instance);
            }
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

/// The application keeps what it opened until that is closed.
std::shared_ptr<void> closing(const Handle(TDocStd_Document) & document) {
    return {nullptr, [document](void*) { XCAFApp_Application::GetApplication()->Close(document); }};
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
        if (check.IsNull() || !check->HasFailed() ||
            !(type.starts_with("StepGeom_") || type.starts_with("StepShape_") || type.starts_with("StepRepr_") ||
              type.starts_with("StepData_")))
            continue;
        throw InputError(fmt::format("{}: entity #{} is damaged ({}); export the model again", file,
                                     entities->IdentLabel(entities->Value(i)), check->CFail(1)));
    }
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

}  // namespace

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
    model.document = closing(document);
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

Model read_iges(const std::string& file) {
    IGESCAFControl_Reader reader;
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone)
        throw InputError(fmt::format("{}: the CAD kernel cannot read it as IGES; export the model again", file));
    const Handle(TDocStd_Document) document = transferred(reader, file);
    const Handle(XSControl_TransferReader) transfer = reader.WS()->TransferReader();
    Model model;
    model.document = closing(document);
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
        throw InputError(fmt::format(
            "{}: the CAD kernel cannot read it as BREP, it is damaged or cut off; export the model again", file));
    Model model;
    for (TopExp_Explorer it(shape, TopAbs_SOLID); it.More(); it.Next()) model.bodies.push_back({"", it.Current()});
    if (TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SOLID).More()) model.bodies.push_back({"", shape});
    model.name_of_face = [](const TopoDS_Face&) { return std::string(); };
    model.unit = *options.unit;
    model.metres = options.unit->metres;
    return model;
}

}  // namespace anvilcast::cad
