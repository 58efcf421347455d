#include "model.hpp"

#include <anvilcast/case.hpp>
#include <anvilcast/surface_files.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

namespace cli {

void add_surface_files(CLI::App* sub, ModelOptions& o) {
    sub->add_option("FILE", o.files, fmt::format("surface files {}; several are looked at as one", surface_endings()))
        ->required();
    add_unit(sub, o, "unit of the numbers in the files (default mm; STEP and IGES know theirs)");
    sub->add_option("--split-angle", o.split_angle,
                    "divide zones at edges sharper than this, in degrees (default: 40 for files that come as one zone)")
        ->check(CLI::Range(1.0, 180.0));
    sub->add_option("--chord", o.chord_text,
                    "triangles of CAD faces stay within this of them (default: 1/2000 of the diagonal)");
    sub->add_option("--patience", o.patience,
                    "seconds that reading a CAD file may take (default: far more than a sound file of its size needs)")
        ->check(CLI::Range(1.0, 1e6));
}

Model read_model(const ModelOptions& o) {
    Model model;
    model.unit = unit_of(o);
    std::vector<Surface> parts;
    for (const std::string& file : o.files) {
        ReadSurfaceOptions options;
        if (!states_unit(file) || !o.unit.empty()) options.unit = unit_of(o);
        options.chord = length_or(o.chord_text, unit_of(o), 0);
        options.patience = o.patience;
        options.stop = stoppable().stop;
        SurfaceFile part = read_surface(file, options);
        for (const std::string& w : part.warnings) tell(fmt::format("anvilcast: {}\n", w));
        if (o.unit.empty() && o.files.size() == 1) model.unit = part.unit;
        const bool split = o.split_angle > 0 || (part.surface.zones.size() == 1 && !part.is_cad);
        const double angle = o.split_angle > 0 ? o.split_angle : PartSpec::kDefaultSplitAngle;
        model.split_angles.insert(model.split_angles.end(), part.surface.zones.size(), split ? angle : 0);
        model.name += (model.name.empty() ? "" : " + ") + file;
        parts.push_back(std::move(part.surface));
    }
    model.surface = joined(parts);
    if (parts.size() > 1) weld(model.surface);
    return model;
}

double usual_seam(const Surface& surface) {
    constexpr double kShareOfExtent = 3e-4;
    return kShareOfExtent * surface.bounds().diagonal();
}

Surface divided(const Model& model, const Surface& surface) {
    return split_at_sharp_edges(surface, model.split_angles);
}

}  // namespace cli
