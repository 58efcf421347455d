// How large a mesh will be, before it is made.
//
//     Prediction p = predict(domain, sizes);
//     print(p.cells, p.triangles);
//     for (const SourceShare& s : p.sources) print(s.name, s.cells / p.cells);
#pragma once

#include <anvilcast/context.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/export.hpp>
#include <anvilcast/sizing.hpp>
#include <string>
#include <vector>

namespace anvilcast {

struct SourceShare {
    std::string name;
    double volume = 0;  ///< of the domain where this source rules, m^3
    double cells = 0;   ///< predicted there
};

struct Prediction {
    double triangles = 0;  ///< of the surface mesh
    double cells = 0;      ///< tetrahedra
    std::vector<double> triangles_of_zone;
    std::vector<double> area_of_zone;  ///< m^2
    std::vector<double> size_of_zone;  ///< mean edge length, metres
    std::vector<double> cells_of_region;
    std::vector<SourceShare> sources;  ///< most cells first; those that rule nowhere left out
};

/// Sums the inverse cube of the size over the regions, cell by cell of the field's octree, and its inverse square over
/// the boundary. Within 15 % of the mesh that is built, as a rule within 5 %. Parallel; O(n log m) for n octree cells
/// and m triangles.
ANVILCAST_API Prediction predict(const Domain& domain, const SizeField& sizes, const Context& context = {});

/// What meshing takes on this machine.
/// That a core of so many tetrahedra comes to, with so many triangles about it.
ANVILCAST_API double predicted_polyhedra(double tetrahedra, double triangles);

struct Cost {
    double seconds = 0;
    double megabytes = 0;
};

/// Seconds from a short measurement of this machine (some 20 ms) against the one that the rates were taken on. Time is
/// right within a factor of two, memory within a third.
ANVILCAST_API Cost predict_cost(double triangles, double cells, double polyhedra = 0);

}  // namespace anvilcast
