// The fill, step by step: Delaunay tetrahedra of the surface's points, recovery of its triangles, the tetrahedra
// outside taken away, interior points, optimisation, and the mesh put together.

#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/fill.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "base/thread_limit.hpp"
#include "fill/both_sides.hpp"
#include "fill/fill_core.hpp"
#include "fill/optimise.hpp"
#include "fill/recovery.hpp"
#include "fill/refine.hpp"
#include "tets/kernel.hpp"
#include "tets/spatial_order.hpp"
#include "tets/tet_complex.hpp"

namespace anvilcast {
namespace fill {
namespace {

/// Eight corners of a box well outside, so that everything of the surface is strictly inside the hull. They are
/// a little askew: eight cospherical points would only cost time.
void add_surroundings(std::vector<Vec3>& points) {
    Box box;
    for (const Vec3& p : points) box.include(p);
    const Vec3 center = box.center();
    const double reach = box.diagonal();
    for (int i = 0; i < 8; ++i) {
        const double stretch = 1.0 + 0.013 * i;
        points.push_back(center +
                         reach * stretch *
                             Vec3{(i & 1) != 0 ? 1.0 : -1.0, (i & 2) != 0 ? 1.0 : -1.0, (i & 4) != 0 ? 1.0 : -1.0});
    }
}

struct Start {
    TetComplex complex;
    SurfaceTriangles surface;
    std::vector<Index> order;  ///< point order[k - 1] of the surface mesh is vertex k
};

/// Delaunay tetrahedra of the surface's points; the triangles in the complex's numbers.
Start triangulate(const Surface& surface, const Context& context) {
    std::vector<Vec3> points = surface.points;
    add_surroundings(points);
    const std::vector<Index> order = insertion_order(points);
    Kernel kernel(points, order, context);
    Start start{TetComplex(kernel.points(), kernel.tets()), {}, order};
    std::vector<Index> number(points.size());
    for (Index k = 0; k < order.size(); ++k) number[order[k]] = k + 1;
    for (Index t = 0; t < surface.triangles.size(); ++t) {
        const Triangle& c = surface.triangles[t];
        for (const Index p : c)
            if (start.complex.tet_at(number[p]) == kNone) {
                const Vec3& q = surface.points[p];
                throw GeometryError(
                    fmt::format("two points of the surface mesh are in one place, [{:.9g}, {:.9g}, {:.9g}] m: "
                                "weld it first",
                                q.x, q.y, q.z));
            }
        start.surface.triangles.push_back({number[c[0]], number[c[1]], number[c[2]]});
        start.surface.parent.push_back(t);
    }
    return start;
}

std::vector<AddedBoundaryPoint> added_points(const Start& start, const std::vector<SplitPoint>& splits) {
    std::vector<AddedBoundaryPoint> points;
    for (const SplitPoint& split : splits) {
        AddedBoundaryPoint point{start.complex.point(split.vertex), split.triangle, {kNone, kNone, kNone}, {}};
        for (std::size_t k = 0; k < split.between.size(); ++k) {
            point.corners[k] = start.order[split.between[k].first - 1];
            point.weights[k] = split.between[k].second;
        }
        points.push_back(point);
    }
    return points;
}

/// Is the tetrahedron behind the tagged face f, that is, does the surface's normal point away from it?
bool is_behind(const TetComplex& complex, Index t, int f, const Triangle& triangle) {
    const Index* v = complex.tet(t).v;
    // kFace runs counter-clockwise seen from inside; the surface's triangle must run the other way round.
    const auto at = std::find(triangle.begin(), triangle.end(), v[kFace[f][0]]) - triangle.begin();
    return triangle[static_cast<std::size_t>((at + 1) % 3)] == v[kFace[f][2]];
}

std::string name_of(const SurfaceMesh& mesh, Index region) {
    return region >= mesh.regions.size() ? "the outside" : "region \"" + mesh.regions[region].name + "\"";
}

/// The region of each tetrahedron, kNone outside of all: flood up to tagged faces; these tell the region on their
/// sides.
std::vector<Index> find_region_of(const TetComplex& complex, const SurfaceTriangles& surface, const SurfaceMesh& mesh) {
    constexpr Index kUnknown = kNone - 1;
    std::vector<Index> region(complex.n_slots(), kUnknown);
    std::vector<Index> piece;
    for (Index first = 0; first < complex.n_slots(); ++first) {
        if (complex.is_free(first) || region[first] != kUnknown) continue;
        piece.assign(1, first);
        region[first] = kNone;
        Index verdict = kUnknown;
        auto hear = [&](Index says, const Vec3& at) {
            if (verdict != kUnknown && says != verdict)
                throw RegionsMeet(
                    fmt::format("the surface mesh is not closed, or its normals disagree: {} and {} run into each "
                                "other near [{:.6g}, {:.6g}, {:.6g}] m",
                                name_of(mesh, verdict), name_of(mesh, says), at.x, at.y, at.z),
                    at);
            verdict = says;
        };
        for (std::size_t k = 0; k < piece.size(); ++k) {
            const Index t = piece[k];
            if (complex.has_ghost(t)) hear(kNone, complex.point(surface.triangles.front()[0]));
            for (int f = 0; f < 4; ++f) {
                const Index tag = complex.tag(t, f);
                if (tag != kNone) {
                    const auto& sides = mesh.sides[surface.parent[tag]];
                    hear(sides[is_behind(complex, t, f, surface.triangles[tag]) ? 1 : 0],
                         complex.point(surface.triangles[tag][0]));
                    continue;
                }
                const Index code = complex.tet(t).n[f];
                if (code == kNone || region[tet_of(code)] != kUnknown) continue;
                region[tet_of(code)] = kNone;
                piece.push_back(tet_of(code));
            }
        }
        for (const Index t : piece) region[t] = verdict == kUnknown ? kNone : verdict;
    }
    return region;
}

/// The tetrahedra inside, alone; vertex numbers stay.
TetComplex carve(const TetComplex& complex, const std::vector<Index>& region) {
    std::vector<Index> number(complex.n_slots(), kNone);
    std::vector<Tet> kept;
    std::vector<Index> origin;
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (region[t] == kNone || complex.is_free(t)) continue;
        number[t] = static_cast<Index>(kept.size());
        kept.push_back(complex.tet(t));
        origin.push_back(t);
    }
    for (Tet& t : kept)
        for (Index& code : t.n)
            code = number[tet_of(code)] == kNone ? kNone : code_of(number[tet_of(code)], face_of(code));
    TetComplex carved(complex.points(), std::move(kept));
    for (Index t = 0; t < origin.size(); ++t)
        for (int f = 0; f < 4; ++f)
            if (complex.tag(origin[t], f) != kNone) carved.set_tag(t, f, complex.tag(origin[t], f));
    return carved;
}

/// A boundary cell without a height worth the name: two of its faces are the boundary, the two others may be.
struct FlatCell {
    std::vector<Index> tags;                    ///< of the boundary's faces
    std::vector<std::array<Index, 3>> exposed;  ///< the other faces, counter-clockwise seen from inside the cell
};
constexpr double kFlat = 1e-10;

double longest_edge(const TetComplex& complex, const Tet& tet) {
    double longest = 0;
    for (const auto& e : kEdge)
        longest = std::max(longest, distance(complex.point(tet.v[e[0]]), complex.point(tet.v[e[1]])));
    return longest;
}

/// Nothing for a cell that is higher than kFlat of its size, or whose faces cannot be exchanged.
std::optional<FlatCell> flat_cell(const TetComplex& complex, Index t) {
    const Tet& tet = complex.tet(t);
    if (std::none_of(tet.n, tet.n + 4, [](Index code) { return code == kNone; })) return std::nullopt;
    FlatCell cell;
    std::vector<Vec3> normals;  // of the faces as the boundary has them, or would have them
    const double longest = longest_edge(complex, tet);
    double largest = 0, least_exposed = Box::inf;
    for (int f = 0; f < 4; ++f) {
        const std::array<Index, 3> face{tet.v[kFace[f][0]], tet.v[kFace[f][1]], tet.v[kFace[f][2]]};
        const Vec3 inward = triangle_normal(complex.point(face[0]), complex.point(face[1]), complex.point(face[2]));
        const double area = length(inward) / 2;
        largest = std::max(largest, area);
        if (tet.n[f] == kNone) {
            cell.tags.push_back(complex.tag(t, f));
            normals.push_back(-inward);
        } else {
            cell.exposed.push_back(face);
            normals.push_back(inward);
            least_exposed = std::min(least_exposed, area);
        }
    }
    // A long thin cell need not be flat: its height over its largest face counts.
    const bool is_flat = 3 * std::abs(complex.volume(t)) <= kFlat * longest * largest;
    // A point that was added to an edge lies between its ends: that would be a boundary face without an area. Where one
    // of the points lies among the others the boundary would be folded.
    const bool is_folded =
        std::any_of(normals.begin(), normals.end(), [&](const Vec3& n) { return dot(n, normals[0]) <= 0; });
    if (!is_flat || is_folded || cell.tags.size() != 2 || least_exposed < kFlat * longest * longest)
        return std::nullopt;
    return cell;
}

/// A flat patch whose points are rounded off their plane leaves cells of no height below it: four points of the patch,
/// two boundary triangles. Taking such a cell away flips the diagonal of the two triangles and moves the boundary by
/// less than the rounding did. Only cells under two triangles of one patch are touched; none under those of patch
/// kNone.
void peel_flat_cells(TetComplex& complex, SurfaceTriangles& surface, const std::vector<Index>& patch_of) {
    auto patch = [&](Index tag) { return patch_of[surface.parent[tag]]; };
    for (bool changed = true; changed;) {
        changed = false;
        for (Index t = 0; t < complex.n_slots(); ++t) {
            if (complex.is_free(t)) continue;
            const auto cell = flat_cell(complex, t);
            if (!cell || patch(cell->tags[0]) == kNone || patch(cell->tags[0]) != patch(cell->tags[1]) ||
                !complex.peel(t))
                continue;
            // Seen from inside the cell that is gone, the faces turn towards the outside of those that remain.
            for (std::size_t k = 0; k < 2; ++k) surface.triangles[cell->tags[k]] = cell->exposed[k];
            changed = true;
        }
    }
}

/// Zones; but nothing is flipped that others have been built on.
std::vector<Index> patches_to_peel(const Surface& surface, const std::vector<char>& is_free) {
    std::vector<Index> patches = surface.zone_of;
    for (std::size_t t = 0; t < patches.size() && !is_free.empty(); ++t)
        for (const Index p : surface.triangles[t])
            if (is_free[p] == 0) patches[t] = kNone;
    return patches;
}

/// Cells in Hilbert order of their first corner would scatter less; they keep the order of their slots, which follows
/// the insertion, and points are numbered as the cells meet them.
FilledCore collect(const TetComplex& complex, const SurfaceTriangles& triangles, const SurfaceMesh& mesh,
                   const std::vector<Index>& order) {
    FilledCore core;
    CellsAndBoundary& out = core.cells;
    out.zones = mesh.surface.zones;
    out.regions = mesh.regions;
    out.periodic = mesh.periodic;
    const std::vector<Index> region = find_region_of(complex, triangles, mesh);
    std::vector<Index> number(complex.points().size(), kNone);
    auto numbered = [&](Index v) {
        if (number[v] == kNone) {
            number[v] = static_cast<Index>(out.points.size());
            out.points.push_back(complex.point(v));
        }
        return number[v];
    };
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        for (const Index v : complex.tet(t).v) out.cell_points.push_back(numbered(v));
        out.cell_types.push_back(CellType::tetrahedron);
        out.cell_offsets.push_back(out.cell_points.size());
        out.cell_region.push_back(region[t]);
    }
    for (Index i = 0; i < triangles.triangles.size(); ++i) {
        const Index parent = triangles.parent[i];
        const bool has_two_faces =
            mesh.is_baffle(parent) && !is_within_region(mesh.surface.zones[mesh.surface.zone_of[parent]].role);
        for (int copy = 0; copy < (has_two_faces ? 2 : 1); ++copy) {
            for (const Index v : triangles.triangles[i]) out.boundary_points.push_back(numbered(v));
            out.boundary_offsets.push_back(out.boundary_points.size());
            out.boundary_zone.push_back(mesh.surface.zone_of[parent]);
            core.parent.push_back(parent);
        }
    }
    core.number_of.assign(mesh.surface.points.size(), kNone);
    for (Index k = 0; k < order.size(); ++k)
        if (order[k] < core.number_of.size()) core.number_of[order[k]] = number[k + 1];
    return core;
}

/// What is on sides that repeat stays, for it would have to move on both.
std::vector<char> without_repeated(std::vector<char> may_slide, const SurfaceMesh& mesh) {
    if (mesh.periodic.empty()) return may_slide;
    may_slide.resize(mesh.surface.points.size(), 1);
    for (Index t = 0; t < mesh.surface.triangles.size(); ++t)
        if (mesh.surface.zones[mesh.surface.zone_of[t]].role == Role::periodic)
            for (const Index p : mesh.surface.triangles[t]) may_slide[p] = 0;
    return may_slide;
}

/// The tetrahedra of a surface with its triangles back among them.
struct Recovered {
    Start start;
    RecoveryReport report;
    std::size_t lifted;
    std::vector<AddedBoundaryPoint> added;
};

Recovered recovered(const SurfaceMesh& surface, const Context& context) {
    context.report("fill", "triangulation of the boundary points", 0);
    Recovered out{triangulate(surface.surface, context), {}, 0, {}};
    out.report = recover_boundary(out.start.complex, out.start.surface, context);
    out.lifted = lift_splits(out.start.complex, out.start.surface, out.report.splits);
    out.added = added_points(out.start, out.report.splits);
    return out;
}

/// Points that are needed on one of two sides that repeat are put on both, until none is missing.
Recovered recovered_alike(DividedSurface& surface, const std::vector<char>& is_held, const Context& context) {
    constexpr int kMostRounds = 6;
    for (int round = 0; round < kMostRounds; ++round) {
        Recovered out = recovered(surface.mesh, context);
        if (!put_on_both_sides(surface, out.added, is_held)) return out;
    }
    throw FailureError(
        "the fill needed more and more points on the periodic sides; ask for other sizes there, or a finer surface");
}

DividedSurface undivided(const SurfaceMesh& surface) {
    DividedSurface out{surface, {}};
    for (Index t = 0; t < surface.surface.triangles.size(); ++t) out.parent.push_back(t);
    return out;
}

/// A tetrahedron between three faces of the surface that meet at a point at no angle at all has no point that could
/// move, and no volume.
void refuse_cells_without_volume(const TetComplex& complex) {
    /// Of a cell's shape: below it rounding decides about the volume's sign.
    constexpr double kNoVolume = 1e-14;
    std::vector<Vec3> places;
    for (Index t = 0; t < complex.n_slots(); ++t) {
        if (complex.is_free(t)) continue;
        const Index* v = complex.tet(t).v;
        const std::array<Vec3, 4> p{complex.point(v[0]), complex.point(v[1]), complex.point(v[2]), complex.point(v[3])};
        if (shape(p[0], p[1], p[2], p[3]) < kNoVolume) places.push_back((p[0] + p[1] + p[2] + p[3]) / 4.0);
    }
    if (places.empty()) return;
    const Vec3& p = places.front();
    throw FillObstacle(
        fmt::format("faces of the surface meet at no angle near [{:.9g}, {:.9g}, {:.9g}] m: the cell between them has "
                    "no volume; look at the surface there, take narrow steps out with [sizing] absorb, or change the "
                    "surface size a little",
                    p.x, p.y, p.z),
        places);
}

/// What the fill made of a divided surface told of the one that it was divided from.
void tell_of_undivided(const DividedSurface& divided, std::size_t n_points, FilledCore& core) {
    for (Index& t : core.parent) t = divided.parent[t];
    core.number_of.resize(n_points);
}

/// Points that lie between such as were put in cannot be told of by corners of the surface.
void tell_of_undivided(const DividedSurface& divided, std::size_t n_points, std::vector<AddedBoundaryPoint>& added) {
    std::vector<Vec3> strange;
    for (AddedBoundaryPoint& point : added) {
        point.triangle = divided.parent[point.triangle];
        for (const Index corner : point.corners)
            if (corner != kNone && corner >= n_points) strange.push_back(point.place);
    }
    if (!strange.empty())
        throw FillObstacle("the fill needs a point beside one that a periodic side needs; ask for another size there",
                           strange);
}

/// Sweeps over the cells in each of two passes.
constexpr int kSweeps = 2;
/// A polyhedron about a point with six or eight cells has so few faces that it is small beside its neighbours.
constexpr std::size_t kLeastStar = 10;

}  // namespace
}  // namespace fill

namespace fill {

FilledCore fill_core(const SurfaceMesh& surface, const MakeSizes& make_sizes, const FillOptions& options,
                     const Context& context, FillReport& report, const std::vector<char>& may_slide,
                     const BoundaryCheck& check, const std::vector<char>& is_top) {
    const auto fill = options.core == FillCore::cubes ? fill_round_cubes : fill_with_tetrahedra_alone;
    return fill(surface, make_sizes, options, context, report, may_slide, check, is_top);
}

FilledCore fill_with_tetrahedra_alone(const SurfaceMesh& given, const MakeSizes& make_sizes, const FillOptions& options,
                                      const Context& context, FillReport& r, const std::vector<char>& slidable,
                                      const BoundaryCheck& check, const std::vector<char>& is_top) {
    std::optional<DividedSurface> divided;
    if (!given.periodic.empty()) divided = undivided(given);
    Recovered found = divided ? recovered_alike(*divided, is_top, context) : recovered(given, context);
    if (divided) tell_of_undivided(*divided, given.surface.points.size(), found.added);
    const SurfaceMesh& surface = divided ? divided->mesh : given;
    const std::vector<char> may_slide = without_repeated(slidable, surface);
    Start& start = found.start;
    r.boundary_points_lifted = found.lifted;
    r.boundary_points_added = std::move(found.added);
    if (check) check(r.boundary_points_added);
    r.edges_flipped_in = found.report.edges_by_flips;
    r.faces_flipped_in = found.report.faces_by_flips;

    TetComplex inside = carve(start.complex, find_region_of(start.complex, start.surface, surface));
    peel_flat_cells(inside, start.surface, patches_to_peel(surface.surface, may_slide));
    r.interior_points = add_interior_points(inside, make_sizes(), options.max_cells, context).points;
    if (options.optimise) {
        OptimiseOptions how{.sweeps = kSweeps};
        if (options.cells == FillCells::polyhedra) how.least_star = kLeastStar;
        std::optional<Slide> slide;
        if (options.slide) {
            slide.emplace(surface, start.surface, start.order, may_slide, *options.slide);
            how.slide = &*slide;
        }
        const OptimiseReport optimised = optimise_in_chunks(inside, how, context);
        r.boundary_moves = optimised.slides;
        r.insertions = optimised.insertions;
        r.worst_shape = optimised.worst_after;
    }
    if (options.cells == FillCells::tetrahedra) refuse_cells_without_volume(inside);
    FilledCore core = collect(inside, start.surface, surface, start.order);
    if (divided) tell_of_undivided(*divided, given.surface.points.size(), core);
    r.cells_of_core = core.cells.cell_types.size();
    return core;
}

}  // namespace fill

VolumeMesh fill_with_tetrahedra(const SurfaceMesh& surface, const SizeField& sizes, const FillOptions& options,
                                const Context& context, FillReport* report) {
    const ThreadLimit limit(context);
    FillReport local;
    FillReport& r = report != nullptr ? *report : local;
    return assemble_mesh(std::move(fill::fill_core(
                                       surface, [&sizes] { return sizes; }, options, context, r)
                                       .cells));
}

VolumeMesh fill_with_polyhedra(const SurfaceMesh& surface, const SizeField& sizes, const FillOptions& options,
                               const Context& context, FillReport* report) {
    FillReport local;
    FillReport& r = report != nullptr ? *report : local;
    const ThreadLimit limit(context);
    FillOptions how = options;
    how.cells = FillCells::polyhedra;
    fill::FilledCore core = fill::fill_core(
        surface, [&sizes] { return sizes; }, how, context, r);
    return fill::made_polyhedra(std::move(core.cells), core.cubes, {}, context, r);
}

}  // namespace anvilcast
