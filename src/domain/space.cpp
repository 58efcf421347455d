// Space divided: the complex of everything, its cells, and which parts' material each belongs to.

#include <anvilcast/domain.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/weld.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <limits>
#include <map>
#include <set>

#include "base/disjoint_sets.hpp"

namespace anvilcast {
namespace {

/// How often each region is enclosed by each part: walking through a triangle of the part from front to behind adds
/// one. A part for which that depends on the way is not closed.
struct Windings {
    std::vector<std::vector<int>> of;  // [region][part]
    std::vector<bool> part_is_closed;
};

/// Triangles by the regions at their sides, as a list with offsets.
struct TrianglesOfRegions {
    std::vector<std::size_t> first;
    std::vector<Index> triangle;

    explicit TrianglesOfRegions(const Regions& regions) : first(regions.volumes.size() + 1, 0) {
        for (const auto& sides : regions.sides) {
            ++first[sides[0] + 1];
            if (sides[1] != sides[0]) ++first[sides[1] + 1];
        }
        for (std::size_t r = 1; r < first.size(); ++r) first[r] += first[r - 1];
        triangle.resize(first.back());
        std::vector<std::size_t> next(first.begin(), first.end() - 1);
        for (Index t = 0; t < regions.sides.size(); ++t) {
            const auto& sides = regions.sides[t];
            triangle[next[sides[0]]++] = t;
            if (sides[1] != sides[0]) triangle[next[sides[1]]++] = t;
        }
    }
};

/// `part_of`: of each input triangle.
Windings find_windings(const CutSurface& complex, const Regions& regions, const std::vector<Index>& part_of,
                       std::size_t n_parts) {
    const TrianglesOfRegions at(regions);
    const std::size_t n_regions = regions.volumes.size();
    Windings w{std::vector<std::vector<int>>(n_regions), std::vector<bool>(n_parts, true)};
    std::vector<int> step(n_parts, 0);  // of the triangle at hand; zero otherwise
    auto add_step = [&](Index t, int way) {
        for (const auto& o : complex.origins_of(t))
            if (part_of[o.triangle] != kNone) step[part_of[o.triangle]] += o.is_reversed ? -way : way;
    };
    for (Index start = 0; start < n_regions; ++start) {
        if (!w.of[start].empty()) continue;
        w.of[start].assign(n_parts, 0);
        std::vector<Index> queue{start};
        for (std::size_t k = 0; k < queue.size(); ++k) {
            const Index r = queue[k];
            for (std::size_t i = at.first[r]; i < at.first[r + 1]; ++i) {
                const Index t = at.triangle[i];
                const auto [front, back] = regions.sides[t];
                const Index other = front == r ? back : front;
                if (other == r) {
                    // Both sides are one region: whatever part this is a piece of encloses nothing here, unless it is
                    // folded onto itself.
                    add_step(t, 1);
                    for (const auto& o : complex.origins_of(t))
                        if (const Index p = part_of[o.triangle]; p != kNone && step[p] != 0)
                            w.part_is_closed[p] = false;
                    add_step(t, -1);
                    continue;
                }
                const int way = front == r ? 1 : -1;
                add_step(t, way);
                if (w.of[other].empty()) {
                    w.of[other] = w.of[r];
                    for (std::size_t p = 0; p < n_parts; ++p) w.of[other][p] += step[p];
                    queue.push_back(other);
                } else {
                    for (std::size_t p = 0; p < n_parts; ++p)
                        if (w.of[other][p] != w.of[r][p] + step[p]) w.part_is_closed[p] = false;
                }
                add_step(t, -way);
            }
        }
    }
    return w;
}

/// A point well off the walls: the middle of the longest way from one of the largest triangles straight across.
Vec3 find_inside(const Surface& s, const Regions& regions, const TriangleTree& tree, const TrianglesOfRegions& at,
                 Index region) {
    constexpr std::size_t kTries = 12;
    std::vector<Index> list(at.triangle.begin() + static_cast<std::ptrdiff_t>(at.first[region]),
                            at.triangle.begin() + static_cast<std::ptrdiff_t>(at.first[region + 1]));
    auto size = [&s](Index t) {
        return length_squared(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
    };
    const std::size_t n = std::min(kTries, list.size());
    std::partial_sort(list.begin(), list.begin() + static_cast<std::ptrdiff_t>(n), list.end(), [&](Index p, Index q) {
        const double a = size(p), b = size(q);
        return a != b ? a > b : p < q;
    });
    Vec3 best = tree.bounds().center();
    double longest = 0;
    for (std::size_t k = 0; k < n; ++k) {
        const Index t = list[k];
        const bool from_front = regions.sides[t][0] == region;
        const Vec3 normal = normalized(triangle_normal(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2)));
        const Vec3 way = from_front ? normal : -normal;
        const Vec3 origin = 0.31 * s.corner(t, 0) + 0.36 * s.corner(t, 1) + 0.33 * s.corner(t, 2);
        for (const auto& hit : tree.line_hits(origin, way)) {
            if (hit.triangle == t || !(hit.t > 0)) continue;
            if (regions.sides[hit.triangle][hit.from_front ? 0 : 1] == region && hit.t > longest) {
                longest = hit.t;
                best = origin + way * (hit.t / 2);
            }
            break;
        }
    }
    return best;
}

void find_cells(Space& space, const Windings& windings) {
    const TrianglesOfRegions at(space.regions);
    const Surface& s = space.complex.surface;
    const TriangleTree tree(s.points, s.triangles);
    space.cells.assign(space.regions.volumes.size(), {});
    for (Index r = 0; r < space.cells.size(); ++r) {
        SpaceCell& cell = space.cells[r];
        cell.volume = r == Regions::kOutside ? std::numeric_limits<double>::infinity() : space.regions.volumes[r];
        std::set<std::string> zones;
        for (std::size_t i = at.first[r]; i < at.first[r + 1]; ++i) {
            const Index t = at.triangle[i];
            if (space.divides_only(t)) continue;
            for (int k = 0; k < 3; ++k) cell.bounds.include(s.corner(t, k));
            cell.area += triangle_area(s.corner(t, 0), s.corner(t, 1), s.corner(t, 2));
            for (const auto& o : space.complex.origins_of(t)) {
                if (space.is_of_divider(o.triangle)) continue;
                zones.insert(s.zones[o.zone].name);
                cell.touches_opening = cell.touches_opening || space.is_of_opening(o.triangle);
            }
        }
        cell.zones.assign(zones.begin(), zones.end());
        for (std::size_t p = 0; p < space.parts.size(); ++p)
            if (windings.part_is_closed[p] && windings.of[r][p] != 0) cell.inside_of.push_back(space.parts[p]);
        if (r != Regions::kOutside) cell.inside = find_inside(s, space.regions, tree, at, r);
    }
}

/// Takes the triangles out that are pieces of patches and lie in the material of a part. Tells whether there were any.
bool drop_patches_in_material(Space& space, const Windings& windings) {
    auto in_material = [&](Index t) {
        for (const auto& o : space.complex.origins_of(t))
            if (!space.is_of_opening(o.triangle)) return false;
        for (std::size_t p = 0; p < space.parts.size(); ++p)
            if (windings.part_is_closed[p] && windings.of[space.regions.sides[t][0]][p] != 0 &&
                windings.of[space.regions.sides[t][1]][p] != 0)
                return true;
        return false;
    };
    CutSurface& c = space.complex;
    CutSurface kept;
    kept.first_origin.push_back(0);
    for (Index t = 0; t < c.surface.triangles.size(); ++t) {
        if (in_material(t)) continue;
        kept.surface.triangles.push_back(c.surface.triangles[t]);
        kept.surface.zone_of.push_back(c.surface.zone_of[t]);
        for (const auto& o : c.origins_of(t)) kept.origins.push_back(o);
        kept.first_origin.push_back(static_cast<Index>(kept.origins.size()));
    }
    if (kept.surface.triangles.size() == c.surface.triangles.size()) return false;
    c.surface.triangles = std::move(kept.surface.triangles);
    c.surface.zone_of = std::move(kept.surface.zone_of);
    c.origins = std::move(kept.origins);
    c.first_origin = std::move(kept.first_origin);
    drop_unused_points(c.surface);
    return true;
}

/// The cells without what dividers divide them into: pieces at both sides of a divider belong to one.
void join_pieces(Space& space) {
    Space::Pieces& p = space.pieces;
    DisjointSets cells(p.regions.volumes.size());
    for (Index t = 0; t < p.regions.sides.size(); ++t)
        if (space.divides_only(t)) cells.join(p.regions.sides[t][0], p.regions.sides[t][1]);
    // The outside stays first.
    std::vector<Index> number(p.regions.volumes.size(), kNone);
    Index n = 0;
    for (Index piece = 0; piece < number.size(); ++piece)
        if (Index& root = number[cells.find(piece)]; root == kNone) root = n++;
    p.cell.resize(number.size());
    space.regions = {{}, std::vector<double>(n, 0)};
    for (Index piece = 0; piece < number.size(); ++piece) {
        p.cell[piece] = number[cells.find(piece)];
        space.regions.volumes[p.cell[piece]] += p.regions.volumes[piece];
    }
    for (const auto& [front, behind] : p.regions.sides) space.regions.sides.push_back({p.cell[front], p.cell[behind]});
}

/// Which shapes each piece is inside of.
void find_pieces(Space& space) {
    Space::Pieces& p = space.pieces;
    std::vector<Index> shape_of(space.first_of_dividers, kNone);
    for (const Index d : p.divider_of) shape_of.push_back(p.dividers[d].is_sheet() ? kNone : d);
    const Windings windings = find_windings(space.complex, p.regions, shape_of, p.dividers.size());
    for (Index d = 0; d < p.dividers.size(); ++d)
        if (!windings.part_is_closed[d])
            throw InputError(fmt::format("the shape of region \"{}\" is not closed; mend it, or close its rims",
                                         p.dividers[d].region));
    const Surface& s = space.complex.surface;
    const TriangleTree tree(s.points, s.triangles);
    const TrianglesOfRegions at(p.regions);
    p.in_shapes.resize(p.cell.size());
    p.inside.resize(p.cell.size());
    for (Index piece = 0; piece < p.cell.size(); ++piece) {
        for (Index d = 0; d < p.dividers.size(); ++d)
            if (windings.of[piece][d] != 0) p.in_shapes[piece].push_back(d);
        if (piece != Regions::kOutside) p.inside[piece] = find_inside(s, p.regions, tree, at, piece);
    }
}

/// Everything that space is divided by, one after the other.
Surface gathered(const Surface& parts, const std::vector<Opening>& openings, const SpaceOptions& options,
                 Space& space) {
    std::vector<Surface> all{close_openings(parts, openings)};
    space.first_of_openings = static_cast<Index>(parts.triangles.size());
    space.first_of_surround = static_cast<Index>(all.front().triangles.size());
    if (options.surround != nullptr) all.push_back(*options.surround);
    space.first_of_dividers = space.first_of_surround;
    if (options.surround != nullptr) space.first_of_dividers += static_cast<Index>(options.surround->triangles.size());
    for (const Divider& d : options.dividers) {
        space.pieces.divider_of.insert(space.pieces.divider_of.end(), d.surface.triangles.size(),
                                       static_cast<Index>(space.pieces.dividers.size()));
        space.pieces.dividers.push_back(d);
        space.pieces.dividers.back().surface = {};
        all.push_back(d.surface);
    }
    return all.size() == 1 ? std::move(all.front()) : joined(all);
}

/// Of each input triangle; empty for what is of no part.
std::vector<std::string> parts_of(const Space& space) {
    std::vector<std::string> out = space.part_of;
    out.resize(space.first_of_dividers + space.pieces.divider_of.size());
    return out;
}

}  // namespace

Space divide_space(const Surface& parts, const std::vector<Opening>& openings, const SpaceOptions& options,
                   const Context& context) {
    Space space;
    space.file_of_part = options.file_of_part;
    space.join = options.join;
    for (Index t = 0; t < parts.triangles.size(); ++t)
        space.part_of.push_back(options.part_of.empty() ? parts.zones[parts.zone_of[t]].part : options.part_of[t]);
    Surface all = gathered(parts, openings, options, space);

    std::map<std::string, Index> number;
    std::vector<Index> part_of;
    for (Index t = 0; t < all.triangles.size(); ++t) {
        if (!space.is_of_part(t)) {
            part_of.push_back(kNone);
            continue;
        }
        const auto [it, is_new] = number.try_emplace(space.part_of[t], static_cast<Index>(space.parts.size()));
        if (is_new) space.parts.push_back(space.part_of[t]);
        part_of.push_back(it->second);
    }
    std::vector<bool> stays;
    for (Index t = 0; t < all.triangles.size(); ++t) stays.push_back(space.is_of_opening(t));
    space.complex = cut_at_intersections(all, {options.join, parts_of(space), stays}, context);
    context.report("domain", "regions", 0.6);
    auto look = [&] {
        space.regions = find_regions(space.complex.surface);
        if (!options.dividers.empty()) {
            space.pieces.regions = std::move(space.regions);
            join_pieces(space);
        }
        return find_windings(space.complex, space.regions, part_of, space.parts.size());
    };
    Windings windings = look();
    if (drop_patches_in_material(space, windings)) windings = look();
    space.part_is_closed = windings.part_is_closed;
    find_cells(space, windings);
    if (!options.dividers.empty()) find_pieces(space);
    space.uncut = std::make_shared<const Surface>(std::move(all));
    return space;
}

}  // namespace anvilcast
