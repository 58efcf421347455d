// Meshes and surfaces as coloured facets with their legend.
#pragma once

#include <anvilcast/figures.hpp>
#include <functional>
#include <vector>

#include "figures/frame.hpp"

namespace anvilcast::figures {

/// What each cell and each face in a zone looks like.
class Paint {
  public:
    Paint(const VolumeMesh& mesh, const Colouring& colouring, const FigureOptions& options, const Context& context);

    Colour of_cell(Index cell) const;
    /// Of a face in zone `zone`, seen from the cell behind it.
    Colour of_face(std::size_t face, Index zone) const;
    /// Legend or scale, of what is among the given cells or zones.
    void explain(Picture& picture, const std::vector<Index>& cells) const;
    void explain_zones(Picture& picture, const std::vector<char>& zone_is_shown) const;

  private:
    double value_of(Index cell) const { return static_cast<double>(values_[cell]); }

    const VolumeMesh& mesh_;
    Colouring colouring_;
    std::vector<float> values_;    // of cells
    std::vector<Index> n_layers_;  // of faces in zones
    std::optional<Scale> scale_;
};

/// Colours of a metric: from good to bad over all of its values.
Scale scale_of(const MetricInfo& info, std::span<const float> values, const LengthUnit& unit);

/// The faces of the cells that are kept and their neighbours are not, as whole cells stand; walls of kept cells in a
/// faint colour, without edges, but for those of the cells that the cut goes through.
void add_cut(const VolumeMesh& mesh, const std::vector<char>& is_kept, const std::vector<Index>& met,
             const Paint& paint, const Theme& theme, bool edges, Picture& picture);

}  // namespace anvilcast::figures
