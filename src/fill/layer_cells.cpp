// Layer cells are made last, from the columns and the core's final boundary: a point that the fill had to leave on the
// top of a stack becomes one more column, between those of its triangle or edge.

#include <anvilcast/assembly.hpp>
#include <anvilcast/errors.hpp>
#include <anvilcast/fill.hpp>
#include <anvilcast/predicates.hpp>
#include <optional>

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/thread_limit.hpp"
#include "fill/fill_core.hpp"

namespace anvilcast {

FillObstacle::~FillObstacle() = default;

namespace fill {
namespace {

/// Triangles of the wall that the core's boundary has: those with a side that no layer covers.
std::vector<char> walls_in_core(const SurfaceMesh& wall, const LayerStacks& stacks) {
    std::vector<char> is_in_core(wall.surface.triangles.size(), 0);
    for (const Index t : stacks.wall_of_core)
        if (t != kNone) is_in_core[t] = 1;
    return is_in_core;
}

/// The face on whose top the point is, or whose edge has it; nothing for one that no layers stand below.
std::optional<Index> face_below(const LayerStacks& stacks, const AddedBoundaryPoint& added) {
    if (const Index face = stacks.face_of_core[added.triangle]; face != kNone) return face;
    if (added.corners[2] != kNone) return std::nullopt;
    for (Index i = 0; i < stacks.faces.size(); ++i) {
        bool has_first = false, has_second = false, has_layers = false;
        for (const Index c : stacks.faces[i].columns) {
            if (c == kNone) continue;
            has_first |= stacks.columns[c].top == added.corners[0];
            has_second |= stacks.columns[c].top == added.corners[1];
            has_layers |= stacks.columns[c].count > 0;
        }
        if (has_first && has_second && has_layers) return i;
    }
    return std::nullopt;
}

/// Points that the fill needs where none can be put.
class Obstacles {
  public:
    void add(const Vec3& place, const char* where) {
        if (places_.empty()) where_ = where;
        places_.push_back(place);
    }
    void throw_if_any() const {
        if (places_.empty()) return;
        const Vec3& p = places_.front();
        throw FillObstacle(fmt::format("the fill needs a point {} at [{:.6g}, {:.6g}, {:.6g}] m, where none can be "
                                       "put; ask for a smaller size or lower layers there",
                                       where_, p.x, p.y, p.z),
                           places_);
    }

  private:
    const char* where_ = "";
    std::vector<Vec3> places_;
};

/// The core's triangles that an added point lies on: all of those at its edge.
std::vector<Index> triangles_at(const SurfaceEdges& edges, const AddedBoundaryPoint& added) {
    if (added.corners[2] != kNone) return {added.triangle};
    const std::array<Index, 2> ends{std::min(added.corners[0], added.corners[1]),
                                    std::max(added.corners[0], added.corners[1])};
    std::vector<Index> triangles;
    for (Index k = 0; k < 3; ++k)
        if (const Index e = edges.edge_of(added.triangle, k); edges.ends(e) == ends)
            for (const auto* use = edges.begin(e); use != edges.end(e); ++use) triangles.push_back(use->triangle);
    if (triangles.empty()) throw InternalError("an added point is on no edge of its triangle");
    return triangles;
}

/// Has each corner that the point is between a column of the face, all with layers or none? Else there is no foot on
/// the wall between.
bool has_place_for_column(const LayerStacks& stacks, const LayerStacks::Face& face, const AddedBoundaryPoint& added) {
    bool has_some = false, has_none = false;
    for (const Index corner : added.corners) {
        if (corner == kNone) continue;
        const auto c = std::find_if(face.columns.begin(), face.columns.end(), [&](Index column) {
            return column != kNone && stacks.columns[column].top == corner;
        });
        if (c == face.columns.end()) return false;
        (stacks.columns[*c].count > 0 ? has_some : has_none) = true;
    }
    return !has_some || !has_none;
}

/// Where the boundary needs a point that no column can be put under the fill is not begun.
void check_added(const SurfaceMesh& wall, const LayerStacks& stacks, const std::vector<AddedBoundaryPoint>& added) {
    if (added.empty()) return;
    const std::vector<char> is_in_core = walls_in_core(wall, stacks);
    const Surface& core = stacks.core.surface;
    const SurfaceEdges edges(core.triangles, core.points.size());
    Obstacles obstacles;
    for (const AddedBoundaryPoint& a : added)
        for (const Index triangle : triangles_at(edges, a)) {
            const Index t = stacks.wall_of_core[triangle];
            for (std::size_t k = 0; t != kNone && k < 2; ++k)
                if (wall.sides[t][k] != stacks.core.sides[triangle][k])
                    obstacles.add(a.place, "on a wall with layers on its other side");
            if (stacks.face_of_core[triangle] == kNone) continue;
            const LayerStacks::Face& face = stacks.faces[stacks.face_of_core[triangle]];
            if (face.side == kNone)
                obstacles.add(a.place, "on the fan of layers round a sharp edge");
            else if (is_in_core[face.side / 2] != 0)
                obstacles.add(a.place, "over a wall with cells on its other side");
            else if (!has_place_for_column(stacks, face, a))
                obstacles.add(a.place, "where layers end");
        }
    obstacles.throw_if_any();
}

class LayerCells {
  public:
    LayerCells(const SurfaceMesh& wall, const LayerStacks& stacks, FilledCore&& core,
               const std::vector<AddedBoundaryPoint>& added)
        : wall_(wall), stacks_(stacks), core_(std::move(core)), cells_(core_.cells) {
        is_in_core_ = walls_in_core(wall, stacks);
        reserve();
        place_columns();
        for (const AddedBoundaryPoint& a : added) add_column(a);
    }

    CellsAndBoundary make(poly::LayerSlots* slots) {
        slots_.first_cell = cells_.cell_types.size();
        take_tops_out();
        std::map<Index, int> n_caps;
        for (const Top& top : tops_) {
            const LayerStacks::Face& face = stacks_.faces[top.face];
            if (!face.is_quad())
                add_triangle(face, top.corners);
            else if (n_caps[top.face]++ == 0)
                add_quad(face);
        }
        Obstacles obstacles;
        for (const auto& [face, n] : n_caps)
            if (n != (stacks_.faces[face].apex != kNone ? 4 : 1))
                obstacles.add(cells_.points[columns_[stacks_.faces[face].columns[0]].back()],
                              "on the fan of layers round a sharp edge");
        obstacles.throw_if_any();
        for (const LayerStacks::Strip& s : stacks_.strips) add_strip(s);
        find_turned_prisms(obstacles);
        obstacles.throw_if_any();
        if (slots != nullptr) *slots = std::move(slots_);
        return std::move(cells_);
    }

  private:
    /// The stacks' own cells are sound; those at columns that were added, over a diagonal that the fill has turned, and
    /// lowest round a sharp edge may not be: at each corner the three edges must turn the right way.
    void find_turned_prisms(Obstacles& obstacles) const {
        constexpr std::array<std::array<std::size_t, 4>, 6> kCorners{
            {{0, 1, 2, 3}, {1, 2, 0, 4}, {2, 0, 1, 5}, {3, 5, 4, 0}, {4, 3, 5, 1}, {5, 4, 3, 2}}};
        for (std::size_t c = slots_.first_cell; c < cells_.cell_types.size(); ++c) {
            if (cells_.cell_types[c] != CellType::prism) continue;
            auto point = [&](std::size_t k) -> const Vec3& {
                return cells_.points[cells_.cell_points[cells_.cell_offsets[c] + k]];
            };
            if (std::any_of(kCorners.begin(), kCorners.end(), [&](const auto& k) {
                    return orient3d(point(k[0]), point(k[1]), point(k[2]), point(k[3])) <= 0;
                }))
                obstacles.add(point(0), "where layers would turn over");
        }
    }

    /// Numbers of its points, from the wall up.
    using Column = std::vector<Index>;
    /// A triangle of the core's final boundary that is the top of a face, seen from the core turned round.
    struct Top {
        Index face;
        Triangle corners;
    };

    Index add_point(const Vec3& p) {
        cells_.points.push_back(p);
        return static_cast<Index>(cells_.points.size() - 1);
    }

    /// Room for all that comes: lists that double on the way would need it twice.
    void reserve() {
        std::size_t n = 0;
        for (const LayerStacks::Face& face : stacks_.faces) {
            Index most = 0;
            for (const Index c : face.columns)
                if (c != kNone) most = std::max(most, stacks_.columns[c].count);
            n += most + (face.apex != kNone ? 1U : 0U);
        }
        cells_.cell_types.reserve(cells_.cell_types.size() + n);
        cells_.cell_offsets.reserve(cells_.cell_offsets.size() + n);
        cells_.cell_region.reserve(cells_.cell_region.size() + n);
        cells_.cell_points.reserve(cells_.cell_points.size() + 6 * n);
        cells_.points.reserve(cells_.points.size() + stacks_.levels.size() + wall_.surface.points.size());
    }

    Index number_of_core(Index p) const { return p == kNone ? kNone : core_.number_of[p]; }

    void place_columns() {
        number_of_wall_.assign(wall_.surface.points.size(), kNone);
        for (Index p = 0; p < number_of_wall_.size(); ++p)
            number_of_wall_[p] = number_of_core(stacks_.core_point_of[p]);
        columns_.resize(stacks_.columns.size());
        for (Index c = 0; c < columns_.size(); ++c) {
            const LayerStacks::Column& given = stacks_.columns[c];
            Column& column = columns_[c];
            Index& foot = number_of_wall_[given.point];
            if (foot == kNone) foot = add_point(wall_.surface.points[given.point]);
            column.push_back(foot);
            for (Index k = 1; k < given.count; ++k) column.push_back(add_point(stacks_.levels[given.first + k - 1]));
            if (given.count > 0) column.push_back(number_of_core(given.top));
            column_of_top_[given.count > 0 ? column.back() : foot].push_back(c);
        }
    }

    /// A column in the middle of others, with the layers of the one with the fewest.
    void add_column(const AddedBoundaryPoint& added) {
        const auto number = face_below(stacks_, added);
        if (!number) return;
        const LayerStacks::Face& face = stacks_.faces[*number];
        std::vector<std::pair<Index, double>> parents;  // columns
        for (std::size_t k = 0; k < 3; ++k)
            if (added.corners[k] != kNone) parents.emplace_back(column_at(face, added.corners[k]), added.weights[k]);
        std::size_t n = columns_[parents.front().first].size();
        for (const auto& [c, weight] : parents) n = std::min(n, columns_[c].size());
        Column column;
        for (std::size_t k = 0; k + 1 < n; ++k) {
            Vec3 p{};
            for (const auto& [c, weight] : parents) p += cells_.points[columns_[c][k]] * weight;
            column.push_back(add_point(p));
        }
        const auto top = std::find(cells_.points.begin(), cells_.points.end(), added.place) - cells_.points.begin();
        column.push_back(static_cast<Index>(top));
        column_of_top_[column.back()].push_back(static_cast<Index>(columns_.size()));
        added_on_[static_cast<Index>(columns_.size())] = parents;
        columns_.push_back(std::move(column));
    }

    Index column_at(const LayerStacks::Face& face, Index core_point) const {
        for (const Index c : face.columns)
            if (c != kNone && stacks_.columns[c].top == core_point) return c;
        throw InternalError("a point on the top of a stack has no column");
    }

    /// The column that ends in a point. Several do where they have no layers: then that of the face. The fill may have
    /// turned a diagonal between two faces in one plane, so that a top has a corner of a neighbour's.
    Index column_of(Index point, const LayerStacks::Face& face) const {
        const auto found = column_of_top_.find(point);
        if (found == column_of_top_.end()) throw InternalError("a top of a stack has no column");
        if (found->second.size() == 1) return found->second.front();
        for (const Index c : found->second)
            if (std::find(face.columns.begin(), face.columns.end(), c) != face.columns.end()) return c;
        throw InternalError("a top of a stack has no column of its face");
    }

    /// The core's boundary without the tops: those are between cells now.
    void take_tops_out() {
        CellsAndBoundary& c = cells_;
        std::vector<std::size_t> offsets{0};
        std::vector<Index> points, zones;
        for (std::size_t b = 0; b < c.boundary_zone.size(); ++b) {
            Index* p = c.boundary_points.data() + c.boundary_offsets[b];
            const Index face = stacks_.face_of_core[core_.parent[b]];
            if (face != kNone) {
                tops_.push_back({face, {p[0], p[2], p[1]}});
                continue;
            }
            points.insert(points.end(), p, p + (c.boundary_offsets[b + 1] - c.boundary_offsets[b]));
            offsets.push_back(points.size());
            zones.push_back(c.boundary_zone[b]);
        }
        c.boundary_points = std::move(points);
        c.boundary_offsets = std::move(offsets);
        c.boundary_zone = std::move(zones);
    }

    void add_boundary(std::initializer_list<Index> points, Index zone) {
        cells_.boundary_points.insert(cells_.boundary_points.end(), points);
        cells_.boundary_offsets.push_back(cells_.boundary_points.size());
        cells_.boundary_zone.push_back(zone);
    }

    void add_cell(CellType type, std::initializer_list<Index> points, Index region) {
        cells_.cell_types.push_back(type);
        cells_.cell_points.insert(cells_.cell_points.end(), points);
        cells_.cell_offsets.push_back(cells_.cell_points.size());
        cells_.cell_region.push_back(region);
    }

    /// The corners of the cell just added at which n columns enter and leave it.
    template <typename Low, typename Up>
    void add_slots(std::size_t n, const Low& low, const Up& up) {
        poly::LayerSlots::Cell slots;
        const auto first = cells_.cell_points.begin() +
                           static_cast<std::ptrdiff_t>(cells_.cell_offsets[cells_.cell_offsets.size() - 2]);
        auto corner = [&](Index p) {
            return static_cast<signed char>(std::find(first, cells_.cell_points.end(), p) - first);
        };
        for (std::size_t i = 0; i < n; ++i) {
            slots.low[i] = corner(low(i));
            slots.up[i] = corner(up(i));
        }
        slots_.cells.push_back(slots);
    }

    /// Layer upon layer over three columns, counter-clockwise seen from above.
    void add_triangle(const LayerStacks::Face& face, const Triangle& corners) {
        std::array<const Column*, 3> c{};
        for (std::size_t k = 0; k < 3; ++k) c[k] = &columns_[column_of(corners[k], face)];
        // Round to where the highest columns begin: a tetrahedron's is first, a pyramid's are first and second.
        auto rotate = [&c] { std::rotate(c.begin(), c.begin() + 1, c.end()); };
        while (c[0]->size() < c[1]->size() || c[0]->size() < c[2]->size() ||
               (c[2]->size() == c[0]->size() && c[1]->size() < c[0]->size()))
            rotate();
        const std::size_t most = c[0]->size();
        for (std::size_t k = 0; k + 1 < most; ++k) {
            auto low = [&](std::size_t i) { return (*c[i])[std::min(k, c[i]->size() - 1)]; };
            auto up = [&](std::size_t i) { return (*c[i])[std::min(k + 1, c[i]->size() - 1)]; };
            const bool goes_up_1 = up(1) != low(1), goes_up_2 = up(2) != low(2);
            if (low(0) == low(1))  // fanned out from one point
                add_cell(CellType::tetrahedron, {up(0), up(2), up(1), low(0)}, face.region);
            else if (goes_up_1 && goes_up_2)
                add_cell(CellType::prism, {low(0), low(1), low(2), up(0), up(1), up(2)}, face.region);
            else if (goes_up_1)
                add_cell(CellType::pyramid, {low(0), up(0), up(1), low(1), low(2)}, face.region);
            else
                add_cell(CellType::tetrahedron, {low(0), low(1), low(2), up(0)}, face.region);
            add_slots(3, low, up);
        }
        if (face.side != kNone && is_in_core_[face.side / 2] == 0)
            add_boundary({c[0]->front(), c[1]->front(), c[2]->front()}, wall_.surface.zone_of[face.side / 2]);
    }

    /// Layer upon layer over the four columns of a fan's strip: two stand on one point, two on another.
    void add_quad(const LayerStacks::Face& face) {
        std::array<const Column*, 4> c{};
        for (std::size_t k = 0; k < 4; ++k) c[k] = &columns_[face.columns[k]];
        // Columns 0 and 3 stand on one point, 1 and 2 on the other; the higher pair first.
        if (c[0]->size() < c[1]->size()) std::rotate(c.begin(), c.begin() + 2, c.end());
        for (std::size_t k = 0; k + 1 < c[0]->size(); ++k) {
            auto low = [&](std::size_t i) { return (*c[i])[std::min(k, c[i]->size() - 1)]; };
            auto up = [&](std::size_t i) { return (*c[i])[std::min(k + 1, c[i]->size() - 1)]; };
            const bool is_first = low(0) == low(3), goes_up = up(1) != low(1);
            if (is_first && goes_up)
                add_cell(CellType::prism, {low(0), up(3), up(0), low(1), up(2), up(1)}, face.region);
            else if (is_first)
                add_cell(CellType::tetrahedron, {up(0), up(3), low(1), low(0)}, face.region);
            else if (goes_up)
                add_cell(CellType::hexahedron, {low(0), low(1), low(2), low(3), up(0), up(1), up(2), up(3)},
                         face.region);
            else
                add_cell(CellType::prism, {low(0), up(0), low(1), low(3), up(3), low(2)}, face.region);
            add_slots(4, low, up);
        }
        if (face.apex == kNone) return;
        add_cell(CellType::pyramid, {c[0]->back(), c[1]->back(), c[2]->back(), c[3]->back(), number_of_core(face.apex)},
                 face.region);
        slots_.cells.emplace_back();
    }

    /// The outermost faces of the stacks along a zone beside them; where points were added to its top, piece by piece.
    void add_strip(const LayerStacks::Strip& strip) {
        std::vector<Index> row{strip.a};
        for (const auto& [column, parents] : added_on_)
            if (parents.size() == 2 && ((parents[0].first == strip.a && parents[1].first == strip.b) ||
                                        (parents[0].first == strip.b && parents[1].first == strip.a)))
                row.push_back(column);
        row.push_back(strip.b);
        std::sort(row.begin() + 1, row.end() - 1, [&](Index p, Index q) {
            const Vec3& from = cells_.points[columns_[strip.a].back()];
            return distance(from, cells_.points[columns_[p].back()]) <
                   distance(from, cells_.points[columns_[q].back()]);
        });
        for (std::size_t i = 0; i + 1 < row.size(); ++i)
            add_strip_piece(columns_[row[i]], columns_[row[i + 1]], strip.zone);
    }

    void add_strip_piece(const Column& a, const Column& b, Index zone) {
        for (std::size_t k = 0; k + 1 < std::max(a.size(), b.size()); ++k) {
            const Index a0 = a[std::min(k, a.size() - 1)], a1 = a[std::min(k + 1, a.size() - 1)];
            const Index b0 = b[std::min(k, b.size() - 1)], b1 = b[std::min(k + 1, b.size() - 1)];
            if (a0 == b0)
                add_boundary({a0, b1, a1}, zone);
            else if (a0 == a1)
                add_boundary({a0, b0, b1}, zone);
            else if (b0 == b1)
                add_boundary({a0, b0, a1}, zone);
            else
                add_boundary({a0, b0, b1, a1}, zone);
        }
    }

    const SurfaceMesh& wall_;
    const LayerStacks& stacks_;
    FilledCore core_;
    CellsAndBoundary& cells_;
    poly::LayerSlots slots_;
    std::vector<Index> number_of_wall_;
    std::vector<Column> columns_;
    std::map<Index, std::vector<Index>> column_of_top_;
    std::map<Index, std::vector<std::pair<Index, double>>> added_on_;  // columns made here: parents and weights
    std::vector<Top> tops_;
    std::vector<char> is_in_core_;  // of the wall's triangles
};

}  // namespace

CellsAndBoundary with_layer_cells(const SurfaceMesh& wall, const LayerStacks& stacks, FilledCore&& core,
                                  const std::vector<AddedBoundaryPoint>& added, poly::LayerSlots* slots) {
    return LayerCells(wall, stacks, std::move(core), added).make(slots);
}

}  // namespace fill

namespace {

/// The points of the core's boundary that are no part of any stack.
std::vector<char> points_without_layers(const LayerStacks& stacks) {
    std::vector<char> is_free(stacks.core.surface.points.size(), 1);
    auto hold = [&is_free](Index p) {
        if (p != kNone) is_free[p] = 0;
    };
    for (const LayerStacks::Column& c : stacks.columns) {
        hold(c.top);
        hold(stacks.core_point_of[c.point]);
    }
    for (const LayerStacks::Face& f : stacks.faces) hold(f.apex);
    return is_free;
}

std::vector<char> tops_of(const LayerStacks& stacks) {
    std::vector<char> is_top;
    for (const Index face : stacks.face_of_core) is_top.push_back(static_cast<char>(face != kNone));
    return is_top;
}

fill::FilledCore fill_inside_layers(const SurfaceMesh& wall, const LayerStacks& stacks, const SizeField& sizes,
                                    const FillOptions& options, const Context& context, FillReport& report) {
    const fill::BoundaryCheck check = [&](const std::vector<AddedBoundaryPoint>& added) {
        fill::check_added(wall, stacks, added);
    };
    try {
        return fill::fill_core(
            stacks.core,
            [&] {
                // Round cubes the fill looks at what is left of the surface by itself.
                return options.core == FillCore::cubes ? sizes : with_finer_surface(sizes, stacks.core.surface);
            },
            options, context, report, points_without_layers(stacks), check, tops_of(stacks));
    } catch (const fill::RegionsMeet& e) {
        // What layers are grown into is closed: the fill has lost a part of it.
        throw FillObstacle(e.what(), {e.place()});
    }
}

}  // namespace

VolumeMesh fill_with_layers(const SurfaceMesh& surface, const LayerStacks& stacks, const SizeField& sizes,
                            const FillOptions& options, const Context& context, FillReport* report) {
    const ThreadLimit limit(context);
    FillReport local;
    FillReport& r = report != nullptr ? *report : local;
    fill::FilledCore core = fill_inside_layers(surface, stacks, sizes, options, context, r);
    const std::optional<fill::CubesToCome> cubes = std::move(core.cubes);
    poly::LayerSlots slots;
    CellsAndBoundary cells = fill::with_layer_cells(surface, stacks, std::move(core), r.boundary_points_added, &slots);
    if (options.cells == FillCells::tetrahedra) return assemble_mesh(std::move(cells));
    return fill::made_polyhedra(std::move(cells), cubes, std::move(slots), context, r);
}

}  // namespace anvilcast
