// What a case asks for, member by member; see records.hpp. Lines of the case file are for messages and left out: a
// comment that is added changes nothing.
#pragma once

#include <anvilcast/case.hpp>

#include "pipeline/kept/stage_fields.hpp"

namespace anvilcast {

template <typename Archive>
void fields(Archive& a, LengthUnit& v) {
    auto& [name, metres] = v;
    a(name, metres);
}
template <typename Archive>
void fields(Archive& a, PeriodicRequest& v) {
    auto& [first, second, image, tolerance, place] = v;
    static_cast<void>(place);
    a(first, second, image, tolerance);
}
/// The file is told by what is in it, see keys.cpp.
template <typename Archive>
void fields(Archive& a, PartSpec& v) {
    auto& [name, file, unit, split_angle, weld, chord, angle, patience, placement, zone_ending] = v;
    static_cast<void>(file);
    a(name, unit, split_angle, weld, chord, angle, patience, placement, zone_ending);
}
template <typename Archive>
void fields(Archive& a, MendOptions& v) {
    auto& [weld, stitch, remove_needles, drop_specks, close_rims, drop_duplicates, orient] = v;
    a(weld, stitch, remove_needles, drop_specks, close_rims, drop_duplicates, orient);
}
template <typename Archive>
void fields(Archive& a, Plane& v) {
    auto& [point, normal] = v;
    a(point, normal);
}
template <typename Archive>
void fields(Archive& a, Cylinder& v) {
    auto& [from, to, radius] = v;
    a(from, to, radius);
}
template <typename Archive>
void fields(Archive& a, ZoneRule& v) {
    auto& [name, role, bc_type, part, matches, near, normal, normal_tolerance, inside_box, on_plane, on_cylinder,
           tolerance, area, touching, place] = v;
    static_cast<void>(place);
    a(name, role, bc_type, part, matches, near, normal, normal_tolerance, inside_box, on_plane, on_cylinder, tolerance,
      area, touching);
}
template <typename Archive>
void fields(Archive& a, OpeningSpec& v) {
    auto& [name, role, bc_type, near, rim, all, distance, is_swept, steps, line] = v;
    static_cast<void>(line);
    a(name, role, bc_type, near, rim, all, distance, is_swept, steps);
}

template <typename Archive>
void fields(Archive& a, BoxVolume& v) {
    auto& [lo, hi] = v;
    a(lo, hi);
}
template <typename Archive>
void fields(Archive& a, BallVolume& v) {
    auto& [center, radius] = v;
    a(center, radius);
}
template <typename Archive>
void fields(Archive& a, ConeVolume& v) {
    auto& [from, to, radius_from, radius_to, has_round_ends] = v;
    a(from, to, radius_from, radius_to, has_round_ends);
}
template <typename Archive>
void fields(Archive& a, BodyVolume& v) {
    auto& [surface] = v;
    a(surface);
}
template <typename Archive>
void fields(Archive& a, RelativeBox& v) {
    auto& [of, lo, hi] = v;
    a(of, lo, hi);
}
template <typename Archive>
void fields(Archive& a, WakeVolume& v) {
    auto& [of, direction, opening, length] = v;
    a(of, direction, opening, length);
}
template <typename Archive>
void fields(Archive& a, RegionVolume& v) {
    auto& [name] = v;
    a(name);
}
template <typename Archive>
void fields(Archive& a, WrapSpec::Finer& v) {
    auto& [gap, volume, near, line] = v;
    static_cast<void>(line);
    a(gap, volume, near);
}
template <typename Archive>
void fields(Archive& a, WrapSpec& v) {
    auto& [gap, detail, feature_angle, parts, finer, line] = v;
    static_cast<void>(line);
    a(gap, detail, feature_angle, parts, finer);
}

template <typename Archive>
void fields(Archive& a, Reach& v) {
    auto& [value, in_body_lengths] = v;
    a(value, in_body_lengths);
}
template <typename Archive>
void fields(Archive& a, SymmetryPlane& v) {
    auto& [kept, at] = v;
    a(kept, at);
}
template <typename Archive>
void fields(Archive& a, SurroundOptions& v) {
    auto& [shape, flow, up, ahead, behind, aside, above, below, corners, center, radius, ground, ground_at, symmetry,
           sides_apart] = v;
    a(shape, flow, up, ahead, behind, aside, above, below, corners, center, radius, ground, ground_at, symmetry,
      sides_apart);
}
template <typename Archive>
void fields(Archive& a, SurroundSpec& v) {
    auto& [options, line] = v;
    static_cast<void>(line);
    a(options);
}
template <typename Archive>
void fields(Archive& a, Divider& v) {
    auto& [surface, region, kind, within] = v;
    a(surface, region, kind, within);
}
template <typename Archive>
void fields(Archive& a, RegionRequest& v) {
    auto& [name, kind, inside, solid_of, is_around, at_zone, is_behind, is_largest] = v;
    a(name, kind, inside, solid_of, is_around, at_zone, is_behind, is_largest);
}

template <typename Archive>
void fields(Archive& a, Refinement& v) {
    auto& [name, on, edges, between, points, volume, size, at_least, divisions, bias, towards, growth, cells_thick] = v;
    a(name, on, edges, between, points, volume, size, at_least, divisions, bias, towards, growth, cells_thick);
}
template <typename Archive>
void fields(Archive& a, SizeOptions& v) {
    auto& [surface, largest, growth, smallest, per_turn, across_gaps, gap_floor, feature_angle, refine] = v;
    a(surface, largest, growth, smallest, per_turn, across_gaps, gap_floor, feature_angle, refine);
}
template <typename Archive>
void fields(Archive& a, SurfaceMeshOptions& v) {
    auto& [feature_angle, deviation, tolerance, curved, divisions] = v;
    a(feature_angle, deviation, tolerance, curved, divisions);
}
template <typename Archive>
void fields(Archive& a, Fluid& v) {
    auto& [name, density, viscosity] = v;
    a(name, density, viscosity);
}
template <typename Archive>
void fields(Archive& a, FlowConditions& v) {
    auto& [speed, fluid, length, wall] = v;
    a(speed, fluid, length, wall);
}
template <typename Archive>
void fields(Archive& a, FlowSpec& v) {
    auto& [conditions, y_plus_at, line] = v;
    static_cast<void>(line);
    a(conditions, y_plus_at);
}
template <typename Archive>
void fields(Archive& a, CubeLayout& v) {
    auto& [per_level, axes] = v;
    a(per_level, axes);
}
template <typename Archive>
void fields(Archive& a, LayerRecipe& v) {
    auto& [on, first_height, y_plus, first_flatness, count, growth, total_height, last_height, last_flatness,
           meets_core, plateau, squeeze_to, gap_cells, in, line] = v;
    static_cast<void>(line);
    a(on, first_height, y_plus, first_flatness, count, growth, total_height, last_height, last_flatness, meets_core,
      plateau, squeeze_to, gap_cells, in);
}

template <typename Archive>
void fields(Archive& a, StraightPiece& v) {
    auto& [from, to] = v;
    a(from, to);
}
template <typename Archive>
void fields(Archive& a, ArcPiece& v) {
    auto& [middle, first_radius, second_radius, turned, from, to] = v;
    a(middle, first_radius, second_radius, turned, from, to);
}
template <typename Archive>
void fields(Archive& a, SmoothPiece& v) {
    auto& [points, is_closed, bends, knots] = v;
    a(points, is_closed, bends, knots);
}
template <typename Archive>
void fields(Archive& a, PlaneCurve& v) {
    auto& [zone, pieces, divisions, bias, finer_at, line, corner_angle_deg, gives_way, divides] = v;
    static_cast<void>(line);
    a(zone, pieces, divisions, bias, finer_at, corner_angle_deg, gives_way, divides);
}
template <typename Archive>
void fields(Archive& a, PlaneArea& v) {
    auto& [name, kind, inside, cells, corners, line] = v;
    static_cast<void>(line);
    a(name, kind, inside, cells, corners);
}
template <typename Archive>
void fields(Archive& a, SectionPlane& v) {
    auto& [normal, offset] = v;
    a(normal, offset);
}
/// The sweep is quickly done, and not kept.
template <typename Archive>
void fields(Archive& a, PlaneSpec& v) {
    auto& [curves, areas, at, corner_angle_deg, join, is_swept, path, sweep, step_size, sweep_line] = v;
    static_cast<void>(is_swept);
    static_cast<void>(path);
    static_cast<void>(sweep);
    static_cast<void>(step_size);
    static_cast<void>(sweep_line);
    a(curves, areas, at, corner_angle_deg, join);
}

}  // namespace anvilcast
