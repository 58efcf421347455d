// CAD models as the kernel of OpenCASCADE reads them.
#pragma once

#include <TopoDS_Face.hxx>
#include <TopoDS_Shape.hxx>

#include <anvilcast/surface_files.hpp>
#include <functional>
#include <memory>
#include <string>
#include <vector>

namespace anvilcast::cad {

struct Body {
    std::string name;
    TopoDS_Shape shape;
};

/// What a reader brings: bodies, and a way to name a face ("" when it has no name of its own).
struct Model {
    std::shared_ptr<void> document;  ///< closed when the model goes
    std::vector<Body> bodies;
    std::function<std::string(const TopoDS_Face&)> name_of_face;
    LengthUnit unit;
    bool knows_unit = false;
    double metres = 1e-3;  ///< length of the kernel's unit: it turns STEP and IGES into millimetres
};

/// Each throws InputError with the file's name when the kernel cannot read it, or reads only part of it.
Model read_step(const std::string& file);
Model read_iges(const std::string& file);
Model read_brep(const std::string& file, const ReadSurfaceOptions& options);

/// Gives every face triangles within the chord and the angle, as far as the kernel can. Returns how far they are off,
/// metres.
double triangulate(const Model& model, const ReadSurfaceOptions& options);

}  // namespace anvilcast::cad
