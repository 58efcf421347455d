// What a person should know about a case before it is solved, said once.
#pragma once

#include <anvilcast/case.hpp>
#include <anvilcast/domain.hpp>
#include <anvilcast/layers.hpp>
#include <anvilcast/surface_mesh.hpp>
#include <string>
#include <vector>

namespace anvilcast {

/// Walls that the flow meets and that have no layers where others have, and stacks that are lower than the boundary
/// layer.
void warn_of_layers(const Domain& domain, const std::vector<LayerForecast>& forecasts, const Case& c,
                    std::vector<std::string>& warnings);

/// Where the surface mesh is farther from the parts than asked for, or flawed: how often, and the worst place.
void warn_of_surface_mesh(const SurfaceMesh& mesh, const Case& c, std::vector<std::string>& warnings);

/// What the zones are called as files.
std::vector<std::string> zone_file_names(const VolumeMesh& mesh);

/// Names that a file cannot hold as they are.
void warn_of_names(const VolumeMesh& mesh, const Case& c, std::vector<std::string>& warnings);

/// More than a few that differ in names and numbers alone become one, the first of them, with a count.
std::vector<std::string> gathered(const std::vector<std::string>& warnings);

/// When no place that the case names is near the parts, but all would be if these were a thousand times as large, or
/// the like: what to look at. Else empty.
std::string unit_suspicion(const Case& c, const Box& parts);

}  // namespace anvilcast
