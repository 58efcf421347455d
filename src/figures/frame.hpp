// What stands round a scene: title, legend, colour scale, scale bar, axes; and labels that do not overlap.
#pragma once

#include <anvilcast/figures.hpp>
#include <functional>
#include <string>
#include <vector>

#include "figures/canvas.hpp"

namespace anvilcast::figures {

struct LegendEntry {
    std::string name, detail;  ///< e.g. a zone and the number of its faces
    Colour colour;
};

/// From low to high; `logarithmic` where ratios count.
struct Scale {
    std::string name;
    double low = 0, high = 1;
    bool logarithmic = false;
    bool reversed = false;  ///< low values have the colours of high ones
    bool of_quality = false;
    double factor = 1;  ///< from the values to what is printed

    double share(double value) const;
    Colour colour(double value) const;
};

struct Label {
    Vec3 place;
    std::string text;
    Colour colour;
};

struct Picture {
    std::string title, subtitle;
    std::vector<LegendEntry> legend;
    std::string legend_title;
    std::optional<Scale> scale;
    Facets facets;
    std::vector<Stroke> strokes;
    std::vector<Label> labels;
    std::optional<Vec3> ring;  ///< pointed at
};

/// Throws InputError for a size that is out of range.
void check_size(const FigureOptions& options);

/// Fits the camera to the points, or to `at` and `across` of the options, and draws all.
void paint(const std::filesystem::path& file, const Picture& picture, Camera camera, const FigureOptions& options,
           const std::vector<Vec3>& to_fit);

/// A length of 1, 2 or 5 times a power of ten, at most the given one.
double round_length(double most);

}  // namespace anvilcast::figures
