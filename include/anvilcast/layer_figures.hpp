// The layers that a mesh has on its walls, measured on its cells alone.
//
//     for (const LayerFigures& f : measure_layers(mesh)) print(f.zone, f.most, f.first_median);
//
// A column is followed from each face of a wall through prisms, hexahedra or polyhedra that stand on it as a prism
// does, to the face opposite, as long as there are any. The height of a layer is its volume over the mean of its areas,
// so that a leaning prism counts as high as it is thick. Cubes that stand on a wall are no layers: a lowest hexahedron
// or polyhedron that is nearly as high as wide ends the column before it begins.
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/volume_mesh.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// What stands on one side of a face of a zone.
struct FaceLayers {
    Index face = 0;
    Index cell = 0;               ///< the lowest
    Index count = 0;              ///< 0: no layers
    double area = 0;              ///< of the face, m^2
    double first = 0, total = 0;  ///< heights, metres
    double growth = 0;            ///< mean ratio of a layer's height to the one below, where they grow; 0 below two
    double step = 0;  ///< larger over smaller volume of the last layer and the cell beyond; 0 at another wall
};
/// Of each face of a wall, baffle or interface, owner's side first; faces of an interface have two entries. Parallel,
/// O(n).
/// Has it cells that layers could lie before? A mesh of prisms and hexahedra alone, but for a fiftieth, was swept: all
/// of it would be layers.
ANVILCAST_API bool has_core(const VolumeMesh& mesh);

ANVILCAST_API std::vector<FaceLayers> layers_on_faces(const VolumeMesh& mesh, const Context& context = {});

/// Of one side of a zone; areas weigh.
struct LayerFigures {
    Index zone = 0, region = 0;  ///< numbers of the mesh's
    double area = 0;
    Index most = 0;          ///< layers
    double full_area = 0;    ///< with as many as asked for, or as the most where that is not known
    double bare_area = 0;    ///< without any
    double asked_first = 0;  ///< metres; where not told, the median
    double first_min = 0, first_median = 0, first_max = 0;
    double first_share_2 = 0,
           first_share_5 = 0;  ///< of the area with layers: first height within 2 %, 5 % of that asked for
    double growth_median = 0;
    double step_median = 0, step_95 = 0;  ///< to the core; the latter 95 % are at most
};

/// What was asked for; figures are taken against it.
struct AskedLayers {
    Index zone = 0, region = 0;
    Index count = 0;
    double first = 0;
};
/// One for each side of a zone that has layers somewhere, or for which some were asked. Where there are polyhedra, more
/// layers than on a fifth of a side's area are not counted: cells of the core may look like layers.
ANVILCAST_API std::vector<LayerFigures> measure_layers(const VolumeMesh& mesh,
                                                       const std::vector<AskedLayers>& asked = {},
                                                       const Context& context = {});

}  // namespace anvilcast
