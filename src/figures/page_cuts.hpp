// Cuts through a mesh as pages show them: the cells that a plane meets, each with what it is coloured by.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/metrics.hpp>
#include <anvilcast/volume_mesh.hpp>

#include <array>
#include <initializer_list>
#include <span>
#include <vector>

#include "figures/page_data.hpp"

namespace anvilcast::figures {

/// Takes over what points a list of polygons needs.
class Gatherer {
  public:
    explicit Gatherer(const VolumeMesh& mesh, std::size_t n_tags) : mesh_(mesh), number_(mesh.points.size(), kNone) {
        out_.tags.resize(n_tags);
    }
    void add(std::span<const Index> polygon, std::initializer_list<std::uint8_t> tags) {
        // A page's polygon has at most 255 corners; no face of a mesh comes near.
        if (polygon.size() > 255) return;
        for (const Index p : polygon) {
            if (number_[p] == kNone) {
                number_[p] = static_cast<Index>(out_.points.size());
                out_.points.push_back(mesh_.points[p]);
            }
            out_.corners.push_back(number_[p]);
        }
        out_.counts.push_back(static_cast<std::uint8_t>(polygon.size()));
        std::size_t t = 0;
        for (const std::uint8_t tag : tags) out_.tags[t++].push_back(tag);
    }
    PagePolygons take() { return std::move(out_); }

  private:
    const VolumeMesh& mesh_;
    std::vector<Index> number_;
    PagePolygons out_;
};

inline std::uint8_t byte_of(std::size_t n) { return static_cast<std::uint8_t>(std::min<std::size_t>(n, 255)); }

/// What cells are coloured by in cuts, 0 good to 255 bad.
struct CellQuality {
    MetricId metric;
    std::vector<std::uint8_t> bytes;
    double low = 0, high = 1;  // of the values that 0 and 255 stand for
};
CellQuality cell_quality(const VolumeMesh& mesh, const Context& context);

/// Least and largest coordinate of each cell along an axis.
using CellReach = std::vector<std::array<float, 2>>;
std::array<CellReach, 3> reach_of_cells(const VolumeMesh& mesh);

/// The cells that a plane across an axis meets, by their reach along it: the faces towards its high side, with type,
/// region and quality.
PagePolygons cut_at(const VolumeMesh& mesh, const CellReach& reach, double at, const CellQuality& quality);

}  // namespace anvilcast::figures
