// How many cells and triangles a domain with a size field comes to, before any of them is made.
// 1. Cells: over each leaf of the field volume over (size^3 times that of a regular tetrahedron of edge 1) is summed
//    up, region by region and source by source. A leaf that walls run through is looked at along one line across them,
//    through a place that changes from leaf to leaf: what is thinner than a leaf is met as often as it is large.
// 2. Between two walls closer than a size there is one layer of cells, however close they are.
// 3. A region's volume is known exactly from its boundary: what leaves at walls come to is scaled to it.
// 4. Triangles: pieces of the boundary divided until they are no larger than their size.
// Everything here is an estimate; rates were measured on the demos and on simple bodies, and tests hold plans to 15 %.

#include <anvilcast/predicates.hpp>
#include <anvilcast/prediction.hpp>

#include <tbb/parallel_for.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <optional>

#include "base/thread_limit.hpp"
#include "forecast/with_mesh.hpp"

namespace anvilcast {
namespace {

/// Regular triangles and tetrahedra of edge 1 have an area of 0.433 and a volume of 0.118. The mesh's are a little
/// smaller or larger than their size says; by how much was measured on the demos and on spheres, boxes and pipes.
constexpr double kTrianglesPerArea = 1 / 0.4330127;
constexpr double kCellsPerVolume = 1 / 0.1178511;
constexpr double kTriangleRate = 1.0, kCellRate = 1.03;

/// Between two walls that are closer than this share of the size there is one layer of cells, however close they are:
/// three for each two triangles that face each other, and some more where these do not fit (measured on slabs).
constexpr double kThinnest = 1.14 * 3 * kTrianglesPerArea / (kCellRate * kCellsPerVolume);

constexpr std::size_t kBlock = 1024;

/// Volume and cells by region and source, apart for octree cells that walls run through.
struct Sums {
    struct Entry {
        double volume = 0, cells = 0;
    };
    Sums() = default;
    Sums(std::size_t n_regions, std::size_t n_sources_in)
        : n_sources(n_sources_in), inside(n_regions * n_sources), at_wall(inside.size()) {}
    void add(const Sums& other) {
        for (std::size_t i = 0; i < inside.size(); ++i) {
            inside[i].volume += other.inside[i].volume;
            inside[i].cells += other.inside[i].cells;
            at_wall[i].volume += other.at_wall[i].volume;
            at_wall[i].cells += other.at_wall[i].cells;
        }
    }
    std::size_t n_sources = 0;
    std::vector<Entry> inside, at_wall;  // [region * n_sources + source]
};

Sums::Entry& entry_of(const SizeField::Cell& cell, Index region, Sums& out) {
    return (cell.is_at_wall ? out.at_wall : out.inside)[region * out.n_sources + cell.source];
}

/// A cell that no wall runs through is in one region.
void add_inner_cell(const Domain& domain, const TriangleTree& tree, const SizeField& sizes, const SizeField::Cell& cell,
                    Sums& out) {
    const double half = 0.5 * cell.width, volume = half * half * half;
    const auto region = region_at(domain, tree, cell.lo + Vec3{half, half, half});
    if (!region) return;
    Sums::Entry& entry = entry_of(cell, *region, out);
    for (unsigned i = 0; i < 8; ++i) {
        const double h = sizes.at(cell.lo + Vec3{0.5 + (i & 1U), 0.5 + (i >> 1U & 1U), 0.5 + (i >> 2U)} * half);
        entry.volume += volume;
        entry.cells += volume * kCellsPerVolume / (h * h * h);
    }
}

/// What a line through a cell meets: pieces of it, each in one region, and how thick that region is there.
struct Chord {
    double from, to;
    Index region;
    double thickness;
};

/// Along `axis` from the origin, between two lengths: walls on both sides tell the thickness of what lies between.
std::vector<Chord> chords(const Domain& domain, const TriangleTree& tree, const Vec3& origin, int axis, double from,
                          double to) {
    const Surface& s = domain.boundary;
    Vec3 way;
    way[axis] = 1;
    std::vector<Chord> out;
    constexpr double kFacing = 0.8;  // cosine between walls that a slab lies between; others meet in an edge near by
    double at = from;
    std::optional<Vec3> normal_at;  // of the wall that the line came through
    Index region = kNone;
    while (true) {
        const auto hit = tree.first_hit(origin, way, at, to);
        if (hit.triangle == kNone) break;
        const Index t = hit.triangle;
        const Vec3 normal = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        const auto& sides = domain.sides[t];
        const bool is_slab = normal_at && std::abs(dot(normal, *normal_at)) > kFacing;
        const double thickness = is_slab ? (hit.t - at) * std::abs(normal[axis]) : Box::inf;
        if (const Index before = sides[hit.from_front ? 0 : 1]; before != kNone)
            out.push_back({at, hit.t, before, thickness});
        at = hit.t;
        normal_at = normal;
        region = sides[hit.from_front ? 1 : 0];
    }
    if (!normal_at) {
        Vec3 middle = origin;
        middle[axis] += 0.5 * (from + to);
        region = region_at(domain, tree, middle).value_or(kNone);
    }
    if (region != kNone) out.push_back({at, to, region, Box::inf});
    return out;
}

/// A cell that walls run through is looked at along one line, across the wall that is nearest and through a place that
/// changes from cell to cell: so on the whole every part of it counts alike, and what is thinner than a cell is met.
void add_wall_cell(const Domain& domain, const TriangleTree& tree, const SizeField& sizes, const SizeField::Cell& cell,
                   std::uint64_t number, Sums& out) {
    const Surface& s = domain.boundary;
    const Vec3 middle = cell.lo + 0.5 * Vec3{cell.width, cell.width, cell.width};
    const Index near = tree.nearly_closest(middle, Box::inf, 0.2).triangle;
    if (near == kNone) return;
    const Vec3 n = triangle_normal(s.corner(near, 0), s.corner(near, 1), s.corner(near, 2));
    const int axis = std::abs(n.x) >= std::abs(n.y) && std::abs(n.x) >= std::abs(n.z) ? 0
                     : std::abs(n.y) >= std::abs(n.z)                                 ? 1
                                                                                      : 2;
    std::uint64_t state = (number + 1) * 0x9E3779B97F4A7C15ULL;
    auto share = [&state] {
        state ^= state >> 31U;
        state *= 0xBF58476D1CE4E5B9ULL;
        state ^= state >> 29U;
        return static_cast<double>(state >> 11U) * 0x1p-53;
    };
    Vec3 origin = cell.lo;
    origin[(axis + 1) % 3] += share() * cell.width;
    origin[(axis + 2) % 3] += share() * cell.width;
    const double beyond = sizes.at(middle);
    for (const Chord& c : chords(domain, tree, origin, axis, -beyond, cell.width + beyond)) {
        const double from = std::max(0.0, c.from), to = std::min(cell.width, c.to);
        if (!(to > from)) continue;
        Vec3 at = origin;
        at[axis] += 0.5 * (from + to);
        const double h = sizes.at(at), volume = (to - from) * cell.width * cell.width;
        Sums::Entry& entry = entry_of(cell, c.region, out);
        entry.volume += volume;
        entry.cells += volume * kCellsPerVolume / (h * h * h) * std::max(1.0, kThinnest * h / c.thickness);
    }
}

/// By the divergence theorem; normals point out of the region behind.
std::vector<double> region_volumes(const Domain& domain) {
    std::vector<double> volume(domain.regions.size(), 0);
    const Surface& s = domain.boundary;
    const Vec3 origin = s.bounds().center();
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const double v = tetrahedron_volume(s.corner(t, 2), s.corner(t, 1), s.corner(t, 0), origin);
        const auto& [front, behind] = domain.sides[t];
        if (behind != kNone) volume[behind] += v;
        if (front != kNone) volume[front] -= v;
    }
    return volume;
}

/// Triangles on a piece of the boundary, divided until it is no larger than its size.
struct Piece {
    double triangles = 0, weighted_size = 0;
};
void add_piece(const SizeField& sizes, const Vec3& a, const Vec3& b, const Vec3& c, int depth, Piece& out) {
    const double h = sizes.at((a + b + c) / 3.0);
    const double ab = distance_squared(a, b), bc = distance_squared(b, c), ca = distance_squared(c, a);
    const double longest = std::max({ab, bc, ca});
    if (longest > 9 * h * h && depth < 40) {
        const Vec3 &p = longest == ab ? a : longest == bc ? b : c, &q = longest == ab ? b : longest == bc ? c : a;
        const Vec3 &tip = longest == ab ? c : longest == bc ? a : b, middle = midpoint(p, q);
        add_piece(sizes, p, middle, tip, depth + 1, out);
        add_piece(sizes, middle, q, tip, depth + 1, out);
        return;
    }
    const double area = triangle_area(a, b, c);
    out.triangles += area * kTrianglesPerArea / (h * h);
    out.weighted_size += area * h;
}

}  // namespace

Prediction predict(const Domain& domain, const SizeField& sizes, const Context& context) {
    const ThreadLimit limit(context);
    const Surface& s = domain.boundary;
    const TriangleTree tree(s.points, s.triangles);
    std::vector<Sums> blocks((sizes.n_cells() + kBlock - 1) / kBlock);
    tbb::parallel_for(std::size_t{0}, blocks.size(), [&](std::size_t b) {
        context.check_stop();
        blocks[b] = Sums(domain.regions.size(), sizes.sources().size());
        for (std::size_t i = b * kBlock; i < std::min(sizes.n_cells(), (b + 1) * kBlock); ++i)
            if (const SizeField::Cell cell = sizes.cell(i); cell.is_at_wall)
                add_wall_cell(domain, tree, sizes, cell, i, blocks[b]);
            else
                add_inner_cell(domain, tree, sizes, cell, blocks[b]);
    });
    Sums sums(domain.regions.size(), sizes.sources().size());
    for (const Sums& block : blocks) sums.add(block);

    Prediction out;
    const std::vector<double> volumes = region_volumes(domain);
    std::vector<SourceShare> shares;
    for (const std::string& name : sizes.sources()) shares.push_back({name});
    for (std::size_t r = 0; r < domain.regions.size(); ++r) {
        // One line through a cell tells little about where the wall is; but a region's volume is known.
        double inside = 0, at_wall = 0, cells = 0;
        for (std::size_t i = 0; i < sums.n_sources; ++i) {
            inside += sums.inside[r * sums.n_sources + i].volume;
            at_wall += sums.at_wall[r * sums.n_sources + i].volume;
        }
        const double scale = at_wall > 0 ? std::max(0.0, volumes[r] - inside) / at_wall : 0;
        for (std::size_t i = 0; i < sums.n_sources; ++i) {
            const Sums::Entry &in = sums.inside[r * sums.n_sources + i], &at = sums.at_wall[r * sums.n_sources + i];
            shares[i].volume += in.volume + scale * at.volume;
            shares[i].cells += kCellRate * (in.cells + scale * at.cells);
            cells += kCellRate * (in.cells + scale * at.cells);
        }
        out.cells_of_region.push_back(cells);
        out.cells += cells;
    }
    for (const SourceShare& share : shares)
        if (share.cells > 0) out.sources.push_back(share);
    std::stable_sort(out.sources.begin(), out.sources.end(),
                     [](const SourceShare& a, const SourceShare& b) { return a.cells > b.cells; });

    std::vector<Piece> pieces(s.triangles.size());
    tbb::parallel_for(std::size_t{0}, pieces.size(), [&](std::size_t i) {
        const auto t = static_cast<Index>(i);
        add_piece(sizes, s.corner(t, 0), s.corner(t, 1), s.corner(t, 2), 0, pieces[i]);
    });
    out.triangles_of_zone.assign(s.zones.size(), 0);
    out.area_of_zone.assign(s.zones.size(), 0);
    out.size_of_zone.assign(s.zones.size(), 0);
    for (Index t = 0; t < s.triangles.size(); ++t) {
        const Index zone = s.zone_of[t];
        out.triangles_of_zone[zone] += kTriangleRate * pieces[t].triangles;
        out.area_of_zone[zone] += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
        out.size_of_zone[zone] += pieces[t].weighted_size;
    }
    for (std::size_t z = 0; z < s.zones.size(); ++z) {
        out.triangles += out.triangles_of_zone[z];
        if (out.area_of_zone[z] > 0) out.size_of_zone[z] /= out.area_of_zone[z];
    }
    return out;
}

Prediction forecast::predict_with_mesh(const Domain& domain, const SizeField& sizes, const Surface& mesh,
                                       const Context& context) {
    // Small triangles beside each other rule less of the space than each by itself would: measured on an oven and eight
    // soups, 0.97 to 1.22 times as many cells came out without this.
    constexpr double kShared = 0.9;
    Prediction out = predict(domain, with_finer_surface(sizes, mesh), context);
    out.cells *= kShared;
    for (double& n : out.cells_of_region) n *= kShared;
    for (SourceShare& share : out.sources) share.cells *= kShared;
    out.triangles = static_cast<double>(mesh.triangles.size());
    out.triangles_of_zone.assign(mesh.zones.size(), 0);
    for (const Index zone : mesh.zone_of) ++out.triangles_of_zone[zone];
    return out;
}

double predicted_polyhedra(double tetrahedra, double triangles) {
    // In the core's lattice six tetrahedra come with each point; a point of the boundary, of which come half as many as
    // triangles, has not quite half of them.
    constexpr double kTetrahedraPerPoint = 6.0, kPerTriangle = 0.24;
    return tetrahedra / kTetrahedraPerPoint + kPerTriangle * triangles;
}

Cost predict_cost(double triangles, double cells, double polyhedra) {
    // Orientations of scattered points: arithmetic and cache misses in about the mixture that meshing has.
    constexpr std::size_t kPoints = 1U << 18U, kTests = 200'000;
    constexpr double kReferenceSeconds = 0.0135;
    std::vector<Vec3> points(kPoints);
    std::uint64_t state = 88172645463325252ULL;
    auto random = [&state] {
        state ^= state << 13U;
        state ^= state >> 7U;
        state ^= state << 17U;
        return state;
    };
    for (Vec3& p : points)
        for (int i = 0; i < 3; ++i) p[i] = static_cast<double>(random() >> 11U) * 0x1p-53;
    double best = 1e9;
    for (int run = 0; run < 5; ++run) {
        const auto start = std::chrono::steady_clock::now();
        std::size_t positive = 0;
        for (std::size_t i = 0; i < kTests; ++i) {
            const std::uint64_t r = random();
            positive += orient3d(points[r % kPoints], points[(r >> 16U) % kPoints], points[(r >> 32U) % kPoints],
                                 points[(r >> 40U) % kPoints]) > 0
                            ? 1
                            : 0;
        }
        const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        if (positive > 0) best = std::min(best, seconds);
    }
    const double slowness = best / kReferenceSeconds;
    constexpr double kTrianglesPerSecond = 60'000, kCellsPerSecond = 42'000;
    constexpr double kBaseMegabytes = 45, kBytesPerTriangle = 450, kBytesPerCell = 330;
    constexpr double kPolyhedraPerSecond = 40'000, kBytesPerPolyhedron = 700;
    return {slowness * (triangles / kTrianglesPerSecond + cells / kCellsPerSecond + polyhedra / kPolyhedraPerSecond),
            kBaseMegabytes +
                (triangles * kBytesPerTriangle + cells * kBytesPerCell + polyhedra * kBytesPerPolyhedron) / 1e6};
}

}  // namespace anvilcast
