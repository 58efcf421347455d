// The same dust cyclone as make_geometry.cpp makes, as a designer would hand it over: one solid, with names on the
// faces that the flow sees. The CAD kernel is used to model it here; nothing else of this is part of the product.
//
//     make_dust_cyclone_step cyclone-shell.step

#include <APIHeaderSection_MakeHeader.hxx>
#include <BRepAlgoAPI_Cut.hxx>
#include <BRepAlgoAPI_Fuse.hxx>
#include <BRepBndLib.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepPrimAPI_MakeCone.hxx>
#include <BRepPrimAPI_MakeCylinder.hxx>
#include <Bnd_Box.hxx>
#include <Interface_InterfaceModel.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Message_Printer.hxx>
#include <STEPConstruct.hxx>
#include <STEPControl_Writer.hxx>
#include <ShapeUpgrade_UnifySameDomain.hxx>
#include <StepBasic_Product.hxx>
#include <StepData_StepModel.hxx>
#include <StepRepr_RepresentationItem.hxx>
#include <TCollection_HAsciiString.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS_Shape.hxx>
#include <XSControl_TransferWriter.hxx>
#include <XSControl_WorkSession.hxx>
#include <gp_Ax2.hxx>

#include <cmath>
#include <cstdio>

namespace {

gp_Ax2 up_from(double z) { return {gp_Pnt(0, 0, z), gp_Dir(0, 0, 1)}; }

TopoDS_Shape cylinder(double radius, double low, double high) {
    return BRepPrimAPI_MakeCylinder(up_from(low), radius, high - low).Shape();
}

TopoDS_Shape together(const TopoDS_Shape& a, const TopoDS_Shape& b) { return BRepAlgoAPI_Fuse(a, b).Shape(); }

/// Body, cone, dust pipe and duct, all widened by the offset.
TopoDS_Shape vessel(double offset) {
    const TopoDS_Shape body = cylinder(100 + offset, 340, 540 + offset);
    const TopoDS_Shape cone = BRepPrimAPI_MakeCone(up_from(40), 32 + offset, 100 + offset, 300).Shape();
    const TopoDS_Shape duct =
        BRepPrimAPI_MakeBox(gp_Pnt(20, 43 - offset, 450 - offset), gp_Pnt(220, 93 + offset, 540 + offset)).Shape();
    return together(together(together(body, cone), cylinder(32 + offset, 0, 40)), duct);
}

TopoDS_Shape cyclone() {
    const TopoDS_Shape shell = BRepAlgoAPI_Cut(vessel(4), vessel(0)).Shape();
    const TopoDS_Shape with_finder = together(shell, cylinder(43, 410, 620));
    ShapeUpgrade_UnifySameDomain unify(BRepAlgoAPI_Cut(with_finder, cylinder(40, 400, 630)).Shape());
    unify.Build();
    return unify.Shape();
}

/// The zone of a face, told by the box around it.
const char* name_of(const TopoDS_Shape& face) {
    Bnd_Box box;
    BRepBndLib::AddOptimal(face, box, Standard_False, Standard_False);
    double x0 = 0, y0 = 0, z0 = 0, x1 = 0, y1 = 0, z1 = 0;
    box.Get(x0, y0, z0, x1, y1, z1);
    auto near = [](double a, double b) { return std::abs(a - b) < 0.01; };
    const bool is_level = near(z0, z1);
    if (!is_level && near(x1 - x0, 80) && near(z1, 620)) return "finder-bore";
    if (!is_level && near(x1 - x0, 86) && near(z1, 540)) return "finder-outside";
    if (is_level && near(z0, 410)) return "finder-tip";
    if (is_level && near(z0, 540)) return "lid";
    if (is_level && near(z0, 450)) return "duct-wall";
    if (near(y0, y1) && near(y0, 43)) return "duct-wall";
    if (near(y0, y1) && near(y0, 93)) return "body-wall";  // the wall of the body runs on into it, nearly smoothly
    const bool is_inner_body = near(x0, -100) && near(z1, 540), is_inner_cone = near(x0, -100) && near(z1, 340);
    const bool is_dust_pipe = !is_level && near(x1 - x0, 64) && near(z0, 0);
    return is_inner_body || is_inner_cone || is_dust_pipe ? "body-wall" : "outside";
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return std::fputs("usage: make_dust_cyclone_step OUT.step\n", stderr), 2;
    Message::DefaultMessenger()->RemovePrinters(STANDARD_TYPE(Message_Printer));
    const TopoDS_Shape shape = cyclone();
    STEPControl_Writer writer;
    if (writer.Transfer(shape, STEPControl_ManifoldSolidBrep) != IFSelect_RetDone) return 3;
    const Handle(Transfer_FinderProcess) made = writer.WS()->TransferWriter()->FinderProcess();
    for (TopExp_Explorer it(shape, TopAbs_FACE); it.More(); it.Next()) {
        const Handle(StepRepr_RepresentationItem) item = STEPConstruct::FindEntity(made, it.Current());
        if (!item.IsNull()) item->SetName(new TCollection_HAsciiString(name_of(it.Current())));
    }
    const Handle(Interface_InterfaceModel) model = writer.Model();
    for (int i = 1; i <= model->NbEntities(); ++i) {
        const Handle(StepBasic_Product) product = Handle(StepBasic_Product)::DownCast(model->Value(i));
        if (product.IsNull()) continue;
        product->SetName(new TCollection_HAsciiString("cyclone-shell"));
        product->SetId(new TCollection_HAsciiString("cyclone-shell"));
    }
    APIHeaderSection_MakeHeader header(writer.Model());
    const Handle(TCollection_HAsciiString) origin = new TCollection_HAsciiString("Anvilcast demo geometry");
    header.SetTimeStamp(new TCollection_HAsciiString("2026-01-01T00:00:00"));
    header.SetName(new TCollection_HAsciiString("cyclone-shell"));
    header.SetAuthorValue(1, origin);
    header.SetOrganizationValue(1, origin);
    header.SetPreprocessorVersion(origin);
    header.SetOriginatingSystem(origin);
    header.SetAuthorisation(origin);
    header.SetDescriptionValue(1, origin);
    return writer.Write(argv[1]) == IFSelect_RetDone ? 0 : 3;
}
