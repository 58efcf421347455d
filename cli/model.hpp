// Surface files as one model.
#pragma once

#include <anvilcast/surface.hpp>

#include <string>
#include <vector>

#include "command.hpp"

namespace cli {

struct ModelOptions : CommonOptions {
    std::vector<std::string> files;
    double split_angle = 0, patience = 0;
    std::string chord_text;
};

void add_surface_files(CLI::App* sub, ModelOptions& o);

struct Model {
    Surface surface;
    LengthUnit unit;  ///< to print in: that of the files when they agree
    std::string name;
    std::vector<double> split_angles;  ///< of each zone; 0: stays whole
};

/// All files as one model: what belongs together is welded exactly.
Model read_model(const ModelOptions& o);

/// Bodies this close to each other, metres, are halves of one unless somebody says how far.
double usual_seam(const Surface& surface);

/// Zones divided as a build would do it, for people; a surface goes out as it came in, though.
Surface divided(const Model& model, const Surface& surface);

}  // namespace cli
