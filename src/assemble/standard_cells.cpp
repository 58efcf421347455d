// Cells by their corners and boundary faces come in; out comes a mesh with faces, owners and neighbours.
// 1. Every side of every cell, and every boundary face, gets a key of its sorted points; equal keys meet by sorting, in
//    pieces side by side. Two sides make an inner face, one with a boundary face an outer one, two with a boundary face
//    between them a baffle, or an interface where the regions differ.
// 2. Faces are put in order: those within regions, interfaces, then the boundary zone by zone; of equal rank by owner.
// 3. Points of baffles are doubled but for those on their free edges, so that the sides share no point within.
// All decisions are of whole numbers. What does not fit is an InputError with a place.

#include <anvilcast/assembly.hpp>
#include <anvilcast/volume_mesh.hpp>

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <anvilcast/errors.hpp>
#include <atomic>
#include <functional>
#include <numeric>

#include "base/disjoint_sets.hpp"

namespace anvilcast {
namespace {

/// A face of a cell on its way to meet the other side.
struct Side {
    std::array<Index, 4> key;  // sorted points, kNone behind a triangle's three
    Index cell;                // or boundary face, when is_boundary
    unsigned char face;
    bool is_boundary;

    bool operator<(const Side& o) const {
        if (key != o.key) return key < o.key;
        if (is_boundary != o.is_boundary) return o.is_boundary;
        return cell < o.cell;
    }
};

/// Calls visit(begin, end) for blocks of 0..n side by side.
template <typename Visit>
void in_blocks(std::size_t n, const Visit& visit) {
    constexpr std::size_t kBlock = 8192;
    tbb::parallel_for(std::size_t{0}, (n + kBlock - 1) / kBlock,
                      [&](std::size_t k) { visit(k * kBlock, std::min(n, (k + 1) * kBlock)); });
}

/// The items that for_each(visit) visits, by their buckets, sorted in each of them. The order in which blocks come does
/// not matter, as long as no two items are equal. O(n).
template <typename Item, typename ForEach, typename BucketOf, typename Less>
std::vector<Item> sorted_in_buckets(std::size_t n_buckets, const ForEach& for_each, const BucketOf& bucket_of,
                                    const Less& less) {
    auto next = [](std::size_t& counter) {
        return std::atomic_ref<std::size_t>(counter).fetch_add(1, std::memory_order_relaxed);
    };
    std::vector<std::size_t> first(n_buckets + 1, 0);
    for_each([&](const Item& item) { next(first[bucket_of(item) + 1]); });
    std::partial_sum(first.begin(), first.end(), first.begin());
    std::vector<Item> items(first.back());
    std::vector<std::size_t> at(first.begin(), first.end() - 1);
    for_each([&](const Item& item) { items[next(at[bucket_of(item)])] = item; });
    in_blocks(n_buckets, [&](std::size_t begin, std::size_t end) {
        for (std::size_t b = begin; b < end; ++b)
            std::sort(items.begin() + static_cast<std::ptrdiff_t>(first[b]),
                      items.begin() + static_cast<std::ptrdiff_t>(first[b + 1]), less);
    });
    return items;
}

std::array<Index, 4> sorted_key(std::span<const Index> points) {
    std::array<Index, 4> key{kNone, kNone, kNone, kNone};
    std::copy(points.begin(), points.end(), key.begin());
    std::sort(key.begin(), key.end());
    return key;
}

std::array<Index, 4> sorted_key(Index a, Index b, Index c) {
    if (a > b) std::swap(a, b);
    if (b > c) std::swap(b, c);
    if (a > b) std::swap(a, b);
    return {a, b, c, kNone};
}

Side side_of_cell(const CellsAndBoundary& in, Index c, std::size_t face) {
    const Index* cell = in.cell_points.data() + in.cell_offsets[c];
    if (in.cell_types[c] == CellType::tetrahedron) {
        // The corners but one, in the order of the faces: all but the fourth, the third, the first, the second.
        constexpr std::array<std::array<unsigned char, 3>, 4> kCorners{{{0, 1, 2}, {0, 1, 3}, {1, 2, 3}, {0, 2, 3}}};
        const auto& k = kCorners[face];
        return {sorted_key(cell[k[0]], cell[k[1]], cell[k[2]]), c, static_cast<unsigned char>(face), false};
    }
    std::array<Index, 4> corner{};
    std::size_t n = 0;
    for (const int k : cell_faces(in.cell_types[c])[face]) corner[n++] = cell[k];
    return {sorted_key({corner.data(), n}), c, static_cast<unsigned char>(face), false};
}

template <typename Visit>
void for_each_side(const CellsAndBoundary& in, const Visit& visit) {
    in_blocks(in.cell_types.size(), [&](std::size_t begin, std::size_t end) {
        for (auto c = static_cast<Index>(begin); c < end; ++c)
            for (std::size_t f = 0, n = cell_faces(in.cell_types[c]).size(); f < n; ++f) visit(side_of_cell(in, c, f));
    });
    for (Index b = 0; b < in.boundary_zone.size(); ++b)
        visit(Side{sorted_key({in.boundary_points.data() + in.boundary_offsets[b],
                               in.boundary_offsets[b + 1] - in.boundary_offsets[b]}),
                   b, 0, true});
}

/// Sorted. Sides are the most that an assembly holds at a time: they go to their places at once.
std::vector<Side> all_sides(const CellsAndBoundary& in) {
    return sorted_in_buckets<Side>(
        in.points.size(), [&](const auto& visit) { for_each_side(in, visit); }, [](const Side& s) { return s.key[0]; },
        std::less<>());
}

void check_points(const CellsAndBoundary& in) {
    for (std::size_t k = 0; k < in.cell_points.size(); ++k)
        if (in.cell_points[k] >= in.points.size())
            throw InputError(fmt::format("a cell refers to point {}, but there are only {} points", in.cell_points[k],
                                         in.points.size()));
    for (const Index r : in.cell_region)
        if (r >= in.regions.size())
            throw InputError(fmt::format("a cell refers to region {}, but there are only {}", r, in.regions.size()));
    for (const Index p : in.boundary_points)
        if (p >= in.points.size())
            throw InputError(
                fmt::format("a boundary face refers to point {}, but there are only {} points", p, in.points.size()));
}

std::string place_of(const CellsAndBoundary& in, const std::array<Index, 4>& key) {
    const Vec3& p = in.points[key[0]];
    return fmt::format("near [{:.6g}, {:.6g}, {:.6g}] m", p.x, p.y, p.z);
}

struct FaceRecord {
    Index zone;  // kNone for inner faces
    Index owner, neighbour;
    unsigned char face;  // of the owner
    bool is_baffle = false;
};

/// The faces that sides [i, j), all alike, make.
void match_alike(const CellsAndBoundary& in, const std::vector<Side>& sides, std::size_t i, std::size_t j,
                 std::vector<FaceRecord>& faces) {
    std::size_t n_cells = 0, n_boundary = 0;
    for (std::size_t k = i; k < j; ++k) ++(sides[k].is_boundary ? n_boundary : n_cells);
    if (n_cells > 2) throw InputError(fmt::format("{} cells share one face {}", n_cells, place_of(in, sides[i].key)));
    if (n_cells == 0)
        throw InputError(fmt::format("a boundary face {} belongs to no cell", place_of(in, sides[i].key)));
    if (n_cells == 1 && n_boundary == 0)
        throw InputError(fmt::format("an outer face {} is in no zone", place_of(in, sides[i].key)));
    if (n_boundary > (n_cells == 1 ? 1U : 2U))
        throw InputError(fmt::format("a boundary face {} is in the zones more than once", place_of(in, sides[i].key)));
    const bool between_regions = n_cells == 2 && in.cell_region[sides[i].cell] != in.cell_region[sides[i + 1].cell];
    if (between_regions && n_boundary == 0)
        throw InputError(fmt::format("a face between two regions {} is in no zone", place_of(in, sides[i].key)));
    const bool is_named = n_cells == 2 && n_boundary > 0;
    const Role role = is_named ? in.zones[in.boundary_zone[sides[j - 1].cell]].role : Role::wall;
    if (is_named && (between_regions ? role == Role::interface_ : is_within_region(role))) {
        faces.push_back({in.boundary_zone[sides[j - 1].cell], sides[i].cell, sides[i + 1].cell, sides[i].face});
    } else if (n_boundary == 0) {
        faces.push_back({kNone, sides[i].cell, sides[i + 1].cell, sides[i].face});
    } else {
        for (std::size_t k = 0; k < n_cells; ++k)
            faces.push_back({in.boundary_zone[sides[std::min(i + n_cells + k, j - 1)].cell], sides[i + k].cell, kNone,
                             sides[i + k].face, n_cells == 2});
    }
}

/// Faces in the order of the sides, in pieces. Takes the sides, so that they are gone afterwards.
std::vector<std::vector<FaceRecord>> match_sides(const CellsAndBoundary& in, const std::vector<Side> sides) {
    constexpr std::size_t kPiece = 1U << 16;
    std::vector<std::vector<FaceRecord>> faces((sides.size() + kPiece - 1) / kPiece);
    tbb::parallel_for(std::size_t{0}, faces.size(), [&](std::size_t piece) {
        faces[piece].reserve(kPiece / 2);
        std::size_t i = piece * kPiece;
        // What began before belongs to the piece before.
        while (i > 0 && i < sides.size() && sides[i].key == sides[i - 1].key) ++i;
        while (i < std::min(sides.size(), (piece + 1) * kPiece)) {
            std::size_t j = i;
            while (j < sides.size() && sides[j].key == sides[i].key) ++j;
            match_alike(in, sides, i, j, faces[piece]);
            i = j;
        }
    });
    return faces;
}

/// Inner faces in no zone first, then inner faces zone by zone, then outer ones; each by owner and neighbour.
std::vector<FaceRecord> in_order(std::vector<std::vector<FaceRecord>>&& pieces, const CellsAndBoundary& in) {
    const std::vector<FaceRecord> by_owner = sorted_in_buckets<FaceRecord>(
        in.cell_types.size(),
        [&](const auto& visit) {
            tbb::parallel_for(std::size_t{0}, pieces.size(), [&](std::size_t k) {
                for (const FaceRecord& f : pieces[k]) visit(f);
            });
        },
        [](const FaceRecord& f) { return f.owner; },
        [](const FaceRecord& a, const FaceRecord& b) {
            return a.neighbour != b.neighbour ? a.neighbour < b.neighbour : a.face < b.face;
        });
    pieces = {};
    const std::size_t n_zones = in.zones.size();
    auto group_of = [n_zones](const FaceRecord& f) {
        if (f.zone == kNone) return std::size_t{0};
        return 1 + f.zone + (f.neighbour == kNone ? n_zones : 0);
    };
    std::vector<std::size_t> at(2 * n_zones + 2, 0);
    for (const FaceRecord& f : by_owner) ++at[group_of(f) + 1];
    std::partial_sum(at.begin(), at.end(), at.begin());
    std::vector<FaceRecord> faces(by_owner.size());
    for (const FaceRecord& f : by_owner) faces[at[group_of(f)]++] = f;
    return faces;
}

template <typename Visit>
void for_corners(const CellsAndBoundary& in, const FaceRecord& f, Visit visit) {
    const Index* cell = in.cell_points.data() + in.cell_offsets[f.owner];
    for (const int k : cell_faces(in.cell_types[f.owner])[f.face]) visit(cell[k]);
}

/// A baffle has two sides, with points of their own: each point of a baffle is doubled as often as there are groups of
/// cells round it that hang together over faces at the point. The free edges of a baffle keep single points.
void split_at_baffles(CellsAndBoundary& in, const std::vector<FaceRecord>& faces) {
    std::vector<bool> on_baffle(in.points.size(), false);
    for (const FaceRecord& f : faces)
        if (f.is_baffle) for_corners(in, f, [&](Index p) { on_baffle[p] = true; });
    std::vector<std::array<Index, 2>> uses;  // point, cell
    for (Index c = 0; c < in.cell_types.size(); ++c)
        for (std::size_t k = in.cell_offsets[c]; k < in.cell_offsets[c + 1]; ++k)
            if (on_baffle[in.cell_points[k]]) uses.push_back({in.cell_points[k], c});
    if (uses.empty()) return;
    std::sort(uses.begin(), uses.end());
    auto number = [&uses](Index p, Index c) {
        return static_cast<Index>(std::lower_bound(uses.begin(), uses.end(), std::array{p, c}) - uses.begin());
    };
    DisjointSets groups(uses.size());
    for (const FaceRecord& f : faces)
        if (f.neighbour != kNone)
            for_corners(in, f, [&](Index p) {
                if (on_baffle[p]) groups.join(number(p, f.owner), number(p, f.neighbour));
            });
    // The first group of a point keeps it.
    std::vector<Index> point_of(uses.size(), kNone);
    for (Index u = 0; u < uses.size(); ++u) {
        const Index root = groups.find(u);
        if (point_of[root] == kNone) {
            const bool is_first = u == 0 || uses[u - 1][0] != uses[u][0];
            point_of[root] = is_first ? uses[u][0] : static_cast<Index>(in.points.size());
            if (!is_first) in.points.push_back(Vec3(in.points[uses[u][0]]));
        }
        point_of[u] = point_of[root];
    }
    for (Index c = 0; c < in.cell_types.size(); ++c)
        for (std::size_t k = in.cell_offsets[c]; k < in.cell_offsets[c + 1]; ++k)
            if (Index& p = in.cell_points[k]; p < on_baffle.size() && on_baffle[p]) p = point_of[number(p, c)];
}

}  // namespace

VolumeMesh assemble_mesh(CellsAndBoundary&& in) {
    check_points(in);
    std::vector<std::vector<FaceRecord>> pieces = match_sides(in, all_sides(in));
    const std::vector<FaceRecord> faces = in_order(std::move(pieces), in);
    split_at_baffles(in, faces);
    VolumeMesh mesh;
    mesh.points = std::move(in.points);
    mesh.cell_types = std::move(in.cell_types);
    mesh.cell_offsets = std::move(in.cell_offsets);
    mesh.cell_points = std::move(in.cell_points);
    mesh.cell_region = std::move(in.cell_region);
    mesh.regions = std::move(in.regions);
    mesh.periodic = std::move(in.periodic);
    for (const Zone& z : in.zones) mesh.zones.push_back(without_faces(z));
    mesh.owner.reserve(faces.size());
    mesh.face_offsets.assign(faces.size() + 1, 0);
    for (std::size_t f = 0; f < faces.size(); ++f) {
        const FaceRecord& face = faces[f];
        mesh.face_offsets[f + 1] = mesh.face_offsets[f] + cell_faces(mesh.cell_types[face.owner])[face.face].size();
        mesh.owner.push_back(face.owner);
        if (face.neighbour != kNone) mesh.neighbour.push_back(face.neighbour);
        if (face.zone != kNone) {
            BoundaryZone& zone = mesh.zones[face.zone];
            if (zone.n_faces++ == 0) zone.first_face = f;
        }
    }
    mesh.face_points.resize(mesh.face_offsets.back());
    in_blocks(faces.size(), [&](std::size_t begin, std::size_t end) {
        for (std::size_t f = begin; f < end; ++f) {
            const std::span<const Index> cell = mesh.cell(faces[f].owner);
            Index* out = mesh.face_points.data() + mesh.face_offsets[f];
            for (const int k : cell_faces(mesh.cell_types[faces[f].owner])[faces[f].face])
                *out++ = cell[static_cast<std::size_t>(k)];
        }
    });
    for (BoundaryZone& zone : mesh.zones)
        if (zone.n_faces == 0) zone.first_face = mesh.n_faces();
    return mesh;
}

}  // namespace anvilcast
