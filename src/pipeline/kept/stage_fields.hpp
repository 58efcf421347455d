// What stages make, member by member; see records.hpp.
#pragma once

#include <anvilcast/pipeline.hpp>
#include <anvilcast/planar.hpp>

#include "pipeline/kept/records.hpp"
#include "sizing/octree.hpp"

namespace anvilcast {

template <typename Archive>
void fields(Archive& a, Box& v) {
    auto& [lo, hi] = v;
    a(lo, hi);
}
template <typename Archive>
void fields(Archive& a, Zone& v) {
    auto& [name, role, part, role_is_guess, other_name, is_wrapped, is_of_surround, is_patch, bc_type] = v;
    a(name, role, part, role_is_guess, other_name, is_wrapped, is_of_surround, is_patch, bc_type);
}
template <typename Archive>
void fields(Archive& a, Region& v) {
    auto& [name, kind] = v;
    a(name, kind);
}
template <typename Archive>
void fields(Archive& a, Placement& v) {
    auto& [image, origin] = v;
    a(image, origin);
}
template <typename Archive>
void fields(Archive& a, PeriodicPair& v) {
    auto& [first, second, image, residual] = v;
    a(first, second, image, residual);
}
template <typename Archive>
void fields(Archive& a, Surface& v) {
    auto& [points, triangles, zone_of, zones, feature_edges] = v;
    a(points, triangles, zone_of, zones, feature_edges);
}
template <typename Archive>
void fields(Archive& a, Mending& v) {
    auto& [what, count, largest_move, at] = v;
    a(what, count, largest_move, at);
}
template <typename Archive>
void fields(Archive& a, SpaceCell& v) {
    auto& [volume, area, bounds, inside, zones, inside_of, touches_opening] = v;
    a(volume, area, bounds, inside, zones, inside_of, touches_opening);
}
template <typename Archive>
void fields(Archive& a, DomainRegion& v) {
    auto& [name, kind, volume, inside] = v;
    a(name, kind, volume, inside);
}
template <typename Archive>
void fields(Archive& a, Domain::Leftover& v) {
    auto& [zone, region, area, at] = v;
    a(zone, region, area, at);
}
template <typename Archive>
void fields(Archive& a, Domain::Overlap& v) {
    auto& [first, second, volume, at] = v;
    a(first, second, volume, at);
}
template <typename Archive>
void fields(Archive& a, Domain::Film& v) {
    auto& [region, zone, width, at] = v;
    a(region, zone, width, at);
}
template <typename Archive>
void fields(Archive& a, Domain& v) {
    auto& [boundary, sides, regions, volume, periodic, uncut, uncut_of, leftovers, left_out, overlaps, films] = v;
    a(boundary, sides, regions, volume, periodic, uncut, uncut_of, leftovers, left_out, overlaps, films);
}
template <typename Archive>
void fields(Archive& a, AbsorbReport& v) {
    auto& [faces, narrowed, edges, largest_move, largest_move_at, zones] = v;
    a(faces, narrowed, edges, largest_move, largest_move_at, zones);
}
template <typename Archive>
void fields(Archive& a, Surround& v) {
    auto& [surface, body_length, frontal_area, section_area, warnings] = v;
    a(surface, body_length, frontal_area, section_area, warnings);
}
template <typename Archive>
void fields(Archive& a, WrapFinding& v) {
    auto& [zone, place, area, share, width] = v;
    a(zone, place, area, share, width);
}
template <typename Archive>
void fields(Archive& a, DistanceSummary& v) {
    auto& [mean, percentile_99, largest, largest_at] = v;
    a(mean, percentile_99, largest, largest_at);
}
template <typename Archive>
void fields(Archive& a, WrapResult& v) {
    auto& [surface, gap, n_triangles, to_original, from_original, bridged, lost, edges_asked, edges_kept,
           points_held_off, peak_bytes] = v;
    a(surface, gap, n_triangles, to_original, from_original, bridged, lost, edges_asked, edges_kept, points_held_off,
      peak_bytes);
}

namespace sizing {
template <typename Archive>
void fields(Archive& a, SizeOctree& v) {
    v.members(a);
}
}  // namespace sizing
template <typename Archive>
void fields(Archive& a, SizeField& v) {
    v.members(a);
}
template <typename Archive>
void fields(Archive& a, EdgeDivision& v) {
    auto& [edges, divisions, bias, towards] = v;
    a(edges, divisions, bias, towards);
}
/// Volumes are functions: whoever reads sizes back makes them again, see volumes_of().
template <typename Archive>
void fields(Archive& a, Sizing& v) {
    auto& [field, divisions, warnings, volumes] = v;
    static_cast<void>(volumes);
    a(field, divisions, warnings);
}

template <typename Archive>
void fields(Archive& a, SurfaceFlaw& v) {
    auto& [kind, place, value, zone] = v;
    a(kind, place, value, zone);
}
template <typename Archive>
void fields(Archive& a, SurfaceMesh& v) {
    auto& [surface, sides, regions, periodic, largest_deviation, largest_deviation_at, too_far, flaws] = v;
    a(surface, sides, regions, periodic, largest_deviation, largest_deviation_at, too_far, flaws);
}

template <typename Archive>
void fields(Archive& a, LayerStack& v) {
    auto& [first, last, total, growth, count, plateau, step_to_core] = v;
    a(first, last, total, growth, count, plateau, step_to_core);
}
template <typename Archive>
void fields(Archive& a, ZoneLayers::Shortfall& v) {
    auto& [limit, area, at] = v;
    a(limit, area, at);
}
template <typename Archive>
void fields(Archive& a, ZoneLayers& v) {
    auto& [zone, region, asked, area, full_area, squeezed_area, bare_area, shortfalls] = v;
    a(zone, region, asked, area, full_area, squeezed_area, bare_area, shortfalls);
}
template <typename Archive>
void fields(Archive& a, LayerStacks::Column& v) {
    auto& [point, first, count, top, room, limit] = v;
    a(point, first, count, top, room, limit);
}
template <typename Archive>
void fields(Archive& a, LayerStacks::Face& v) {
    auto& [columns, side, region, apex] = v;
    a(columns, side, region, apex);
}
template <typename Archive>
void fields(Archive& a, LayerStacks::Strip& v) {
    auto& [from, to, zone] = v;
    a(from, to, zone);
}
template <typename Archive>
void fields(Archive& a, LayerStacks& v) {
    auto& [columns, levels, faces, strips, core, face_of_core, wall_of_core, core_point_of, zones] = v;
    a(columns, levels, faces, strips, core, face_of_core, wall_of_core, core_point_of, zones);
}

template <typename Archive>
void fields(Archive& a, BoundaryZone& v) {
    auto& [name, role, first_face, n_faces, other_name, bc_type] = v;
    a(name, role, first_face, n_faces, other_name, bc_type);
}
template <typename Archive>
void fields(Archive& a, VolumeMesh& v) {
    auto& [points, cell_types, cell_offsets, cell_points, cell_region, face_offsets, face_points, owner, neighbour,
           zones, regions, periodic, plane_depth] = v;
    a(points, cell_types, cell_offsets, cell_points, cell_region, face_offsets, face_points, owner, neighbour, zones,
      regions, periodic, plane_depth);
}
template <typename Archive>
void fields(Archive& a, AddedBoundaryPoint& v) {
    auto& [place, triangle, corners, weights] = v;
    a(place, triangle, corners, weights);
}
template <typename Archive>
void fields(Archive& a, FillReport& v) {
    auto& [boundary_points_added, boundary_points_lifted, edges_flipped_in, faces_flipped_in, interior_points,
           boundary_moves, insertions, cubes, cube_volume, cells_of_core, bad_polyhedra, merged_polyhedra,
           worst_shape] = v;
    a(boundary_points_added, boundary_points_lifted, edges_flipped_in, faces_flipped_in, interior_points,
      boundary_moves, insertions, cubes, cube_volume, cells_of_core, bad_polyhedra, merged_polyhedra, worst_shape);
}

/// All but the mesh, which is kept by itself, its quality, which is judged anew, and what it cost.
template <typename Archive>
void fields(Archive& a, BuildResult& v) {
    auto& [mesh, quality, bounds, predicted_cells, domain_volume, regions, leftovers, left_out, corners_joined,
           largest_join, absorbed, surround, wrapped, largest_deviation, largest_deviation_at, layers, fill, costs,
           mendings, guessed_roles, warnings] = v;
    static_cast<void>(mesh);
    static_cast<void>(quality);
    static_cast<void>(costs);
    a(bounds, predicted_cells, domain_volume, regions, leftovers, left_out, corners_joined, largest_join, absorbed,
      surround, wrapped, largest_deviation, largest_deviation_at, layers, fill, mendings, guessed_roles, warnings);
}

template <typename Archive>
void fields(Archive& a, PlanarEdge& v) {
    auto& [from, to, zone] = v;
    a(from, to, zone);
}
template <typename Archive>
void fields(Archive& a, PlanarMesh& v) {
    auto& [points, cells, cell_region, edges, zones, regions, periodic] = v;
    a(points, cells, cell_region, edges, zones, regions, periodic);
}
template <typename Archive>
void fields(Archive& a, LayerFigures& v) {
    auto& [zone, region, area, most, full_area, bare_area, asked_first, first_min, first_median, first_max,
           first_share_2, first_share_5, growth_median, step_median, step_95] = v;
    a(zone, region, area, most, full_area, bare_area, asked_first, first_min, first_median, first_max, first_share_2,
      first_share_5, growth_median, step_median, step_95);
}
template <typename Archive>
void fields(Archive& a, PlaneResult& v) {
    auto& [mesh, warnings, layers, figures, layer_cells] = v;
    a(mesh, warnings, layers, figures, layer_cells);
}

}  // namespace anvilcast
