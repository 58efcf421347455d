// The plane mesh, from curves to cells: curves are cut into strands and faces (outline), areas chosen among the faces,
// sizes found on the strands drawn up to walls, strands divided, and each area filled. Points of strands are shared by
// what lies on their sides.

#include <anvilcast/errors.hpp>
#include <anvilcast/planar.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "planar/blocks.hpp"
#include "planar/quadrangles.hpp"
#include "planar/triangles.hpp"
#include "planar/vec2.hpp"

namespace anvilcast {
namespace {

using namespace planar;

/// Of the extent of all curves: what rounding may part. Ends farther apart do not meet unless the user says so.
constexpr double kRounding = 1e-9;

double extent_of(const std::vector<PlaneCurve>& curves) {
    Box box;
    for (const PlaneCurve& c : curves)
        for (const CurvePiece& piece : c.pieces)
            for (int k = 0; k <= 16; ++k) {
                const Vec2 p = place_on(piece, k / 16.0);
                box.include(Vec3{p.x, p.y, 0});
            }
    return box.is_empty() ? 0 : box.diagonal();
}

class PlaneMesher {
  public:
    PlaneMesher(const PlaneRequest& request, const Context& context)
        : request_(request), curves_(request.curves), areas_(request.areas), context_(context) {}

    PlaneResult run() {
        if (curves_.empty()) throw InputError("there are no curves to enclose anything");
        validate(request_.sizing);
        join_ = std::max(request_.join, kRounding * extent_of(curves_));
        outline_ = arrange(curves_, join_);
        choose_areas();
        context_.report("sizes", "sizes", 0);
        const Domain walls = as_walls(outline_, curves_, areas_, request_.sizing.surface_size());
        const Sizing sizing = make_sizing(walls, request_.sizing, context_);
        sizes_ = sizing.field;
        out_.warnings = sizing.warnings;
        divide();
        context_.report("surface", "areas", 0.3);
        fill();
        name_zones();
        return std::move(out_);
    }

  private:
    const std::string& name_of(const Strand& s) const { return curves_[s.curve].zone.name; }

    // ---- areas ----

    void choose_areas() {
        if (areas_.empty()) areas_.emplace_back();
        std::vector<Index> taken(outline_.faces.size(), kNone);
        for (Index a = 0; a < areas_.size(); ++a) {
            const Index f = face_of(areas_[a]);
            if (taken[f] != kNone)
                throw InputError(fmt::format("the areas \"{}\" and \"{}\" are one and the same", areas_[taken[f]].name,
                                             areas_[a].name));
            taken[f] = a;
            face_of_area_.push_back(f);
            const Face& face = outline_.faces[f];
            set_sides(face.outer, a);
            for (const Loop& hole : face.holes) set_sides(hole, a);
        }
        for (const Strand& s : outline_.strands)
            if (s.area[0] != kNone && s.area[0] == s.area[1])
                throw GeometryError(
                    fmt::format("the curve \"{}\" ends within the area \"{}\"{}; make it meet others, or "
                                "leave it out",
                                name_of(s), areas_[s.area[0]].name, nearest_miss()));
        for (Index a = 0; a < areas_.size(); ++a) out_.mesh.regions.push_back({areas_[a].name, areas_[a].kind});
    }
    void set_sides(const Loop& loop, Index area) {
        for (const Pass& p : loop) outline_.strands[p.strand].area[p.is_forward ? 0 : 1] = area;
    }

    Index face_of(const PlaneArea& area) const {
        const auto& faces = outline_.faces;
        if (faces.empty()) throw GeometryError(fmt::format("the curves enclose nothing{}", nearest_miss()));
        if (!area.inside) {
            if (faces.size() == 1) return 0;
            std::string places;
            for (const Face& f : faces) {
                const Vec2 p = place_inside(outline_, f);
                places += fmt::format("{}[{:.5g}, {:.5g}]", places.empty() ? "" : ", ", p.x, p.y);
            }
            throw InputError(
                fmt::format("the curves enclose {} areas; say which with a place inside: there are those "
                            "round {} m",
                            faces.size(), places));
        }
        for (Index f = 0; f < faces.size(); ++f) {
            const auto inside = is_inside(outline_, faces[f], *area.inside);
            if (!inside)
                throw InputError(
                    fmt::format("the place [{:.6g}, {:.6g}] m inside of the area \"{}\" lies on a curve; "
                                "move it off",
                                area.inside->x, area.inside->y, area.name));
            if (*inside) return f;
        }
        throw GeometryError(fmt::format("nothing encloses the place [{:.6g}, {:.6g}] m of the area \"{}\"{}",
                                        area.inside->x, area.inside->y, area.name, nearest_miss()));
    }

    /// The open ends that are nearest to each other, or to a curve, in words.
    std::string nearest_miss() const {
        double least = Box::inf;
        std::string words;
        for (const Index end : outline_.open_ends) {
            const Vec2& p = outline_.nodes[end];
            const Strand* own = nullptr;
            for (const Strand& s : outline_.strands)
                if (s.from == end || s.to == end) own = &s;
            for (const Strand& s : outline_.strands) {
                if (&s == own) continue;
                for (std::size_t k = 1; k < s.samples.size(); ++k) {
                    const Vec2 &a = s.samples[k - 1].point, &b = s.samples[k].point;
                    const double share = std::clamp(dot(p - a, b - a) / length_squared(b - a), 0.0, 1.0);
                    const double gap = distance(a * (1 - share) + b * share, p);
                    if (gap >= least) continue;
                    least = gap;
                    words = fmt::format(
                        ": the end of \"{}\" at [{:.6g}, {:.6g}] m misses \"{}\" by {:.3g} m; where they "
                        "should meet, correct it, or set join to more than that",
                        name_of(*own), p.x, p.y, name_of(s), gap);
                }
            }
        }
        return words;
    }

    // ---- divisions ----

    void divide() {
        Division division = count_edges(outline_, curves_, sizes_);
        for (Index a = 0; a < areas_.size(); ++a)
            if (areas_[a].cells == PlaneCells::mapped) mapped_.push_back(plan_mapped(outline_, face(a), areas_[a], a));
        std::vector<FacingSides> facing;
        for (const MappedPlan& m : mapped_) {
            const auto own = facing_sides(m, face(m.area));
            facing.insert(facing.end(), own.begin(), own.end());
        }
        // The one may undo the other where areas share sides; then once more.
        for (int round = 0; round < 8; ++round) {
            make_even(division);
            make_equal(division, facing, outline_, curves_, areas_);
            const auto before = division.count;
            for (const MappedPlan& m : mapped_)
                make_divisible(division, m, face(m.area), areas_[m.area], curves_, outline_);
            if (division.count == before && is_even(division)) break;
        }
        out_.mesh.points = outline_.nodes;
        for (std::size_t i = 0; i < outline_.strands.size(); ++i) {
            const Strand& s = outline_.strands[i];
            std::vector<Index> list;
            if (division.count[i] > 0) {
                const auto points = divided(s, curves_, division.count[i], division.is_given[i] != 0, sizes_);
                list.push_back(s.from);
                for (std::size_t k = 1; k + 1 < points.size(); ++k) {
                    list.push_back(static_cast<Index>(out_.mesh.points.size()));
                    out_.mesh.points.push_back(points[k]);
                }
                list.push_back(s.to);
            }
            points_of_.push_back(std::move(list));
        }
    }
    bool is_of_quadrangles(const Strand& s) const {
        return std::any_of(s.area.begin(), s.area.end(),
                           [this](Index a) { return a != kNone && areas_[a].cells == PlaneCells::quadrangles; });
    }
    bool is_even(const Division& division) const {
        for (std::size_t i = 0; i < outline_.strands.size(); ++i)
            if (is_of_quadrangles(outline_.strands[i]) && division.count[i] % 2 != 0) return false;
        return true;
    }
    /// Sides of areas of quadrangles are divided in pairs of edges; pairs of one loop, or of two strands between the
    /// same nodes, must not be one and the same.
    void make_even(Division& division) const {
        std::map<std::pair<Index, Index>, int> n_between;
        for (const Strand& s : outline_.strands) ++n_between[std::minmax(s.from, s.to)];
        for (std::size_t i = 0; i < outline_.strands.size(); ++i) {
            const Strand& s = outline_.strands[i];
            if (!is_of_quadrangles(s)) continue;
            const int least = s.is_loop() ? 6 : n_between[std::minmax(s.from, s.to)] > 1 ? 4 : 2;
            const int wanted = std::max(least, division.count[i] + division.count[i] % 2);
            if (wanted == division.count[i]) continue;
            if (division.is_given[i] != 0)
                throw InputError(
                    fmt::format("the curve \"{}\" has a piece of {} edge(s) beside an area of quadrangles, "
                                "which needs an even number, here {} at least; change its divisions",
                                name_of(s), division.count[i], least));
            division.count[i] = wanted;
        }
    }
    const Face& face(Index area) const { return outline_.faces[face_of_area_[area]]; }

    // ---- cells ----

    void fill() {
        PlanarMesh& mesh = out_.mesh;
        std::vector<RimEdge> rim;
        auto filled = [&](Index area) {
            return area != kNone && areas_[area].cells == PlaneCells::triangles ? area : kNone;
        };
        for (std::size_t i = 0; i < outline_.strands.size(); ++i) {
            const Strand& s = outline_.strands[i];
            const std::array<Index, 2> area{filled(s.area[0]), filled(s.area[1])};
            if (area[0] == kNone && area[1] == kNone) continue;
            for (std::size_t k = 1; k < points_of_[i].size(); ++k)
                rim.push_back({points_of_[i][k - 1], points_of_[i][k], area});
        }
        const Triangles made = fill_with_triangles(
            mesh.points, rim,
            [this](const Vec2& p) {
                return sizes_.at({p.x, p.y, 0});
            },
            context_);
        const auto n_shared = static_cast<Index>(mesh.points.size());
        const AllQuadrangles squares = quadrangles();
        for (const MappedPlan& m : mapped_) fill_mapped_area(m);
        auto add = [&](const std::vector<Vec2>& points, const auto& cells, const std::vector<Index>& areas) {
            const auto n_before = static_cast<Index>(mesh.points.size());
            mesh.points.insert(mesh.points.end(), points.begin() + n_shared, points.end());
            for (std::size_t c = 0; c < cells.size(); ++c) {
                std::array<Index, 4> cell{kNone, kNone, kNone, kNone};
                for (std::size_t k = 0; k < cells[c].size(); ++k)
                    cell[k] = cells[c][k] < n_shared ? cells[c][k] : n_before + (cells[c][k] - n_shared);
                mesh.cells.push_back(cell);
                mesh.cell_region.push_back(areas[c]);
            }
        };
        add(made.points, made.triangles, made.area);
        add(squares.points, squares.cells, squares.area);
        drop_unused_points();
    }
    AllQuadrangles quadrangles() const {
        std::vector<RimEdge> rim;
        std::vector<Index> middle;
        auto own = [this](Index a) { return a != kNone && areas_[a].cells == PlaneCells::quadrangles ? a : kNone; };
        for (std::size_t i = 0; i < outline_.strands.size(); ++i) {
            const Strand& s = outline_.strands[i];
            if (!is_of_quadrangles(s)) continue;
            for (std::size_t k = 2; k < points_of_[i].size(); k += 2) {
                rim.push_back({points_of_[i][k - 2], points_of_[i][k], {own(s.area[0]), own(s.area[1])}});
                middle.push_back(points_of_[i][k - 1]);
            }
        }
        return fill_with_quadrangles(
            out_.mesh.points, rim, middle,
            [this](const Vec2& p) {
                return sizes_.at({p.x, p.y, 0});
            },
            context_);
    }
    void fill_mapped_area(const MappedPlan& plan) {
        PlanarMesh& mesh = out_.mesh;
        std::vector<Index> rim;
        std::vector<int> sides;
        for (const Pass& p : face(plan.area).outer) {
            std::vector<Index> list = points_of_[p.strand];
            if (!p.is_forward) std::reverse(list.begin(), list.end());
            sides.push_back(static_cast<int>(list.size()) - 1);
            rim.insert(rim.end(), list.begin(), list.end() - 1);
        }
        std::vector<Vec2> places;
        for (const Index p : rim) places.push_back(mesh.points[p]);
        const Quadrangles made = fill_mapped(plan, places, sides, areas_[plan.area].name, sizes_);
        const auto first = static_cast<Index>(mesh.points.size()), n_rim = static_cast<Index>(rim.size());
        mesh.points.insert(mesh.points.end(), made.inner.begin(), made.inner.end());
        for (std::array<Index, 4> cell : made.cells) {
            for (Index& p : cell) p = p < n_rim ? rim[p] : first + (p - n_rim);
            mesh.cells.push_back(cell);
            mesh.cell_region.push_back(plan.area);
        }
    }

    /// Nodes of curves that no area has.
    void drop_unused_points() {
        PlanarMesh& mesh = out_.mesh;
        std::vector<Index> number(mesh.points.size(), kNone);
        for (const auto& cell : mesh.cells)
            for (const Index p : cell)
                if (p != kNone) number[p] = 0;
        Index n = 0;
        for (std::size_t p = 0; p < number.size(); ++p) {
            if (number[p] == kNone) continue;
            mesh.points[n] = mesh.points[p];
            number[p] = n++;
        }
        mesh.points.resize(n);
        for (auto& cell : mesh.cells)
            for (Index& p : cell)
                if (p != kNone) p = number[p];
        for (auto& list : points_of_)
            for (Index& p : list) p = number[p];
    }

    /// Curves by their names are zones; what lies between two areas is a zone of its own.
    void name_zones() {
        PlanarMesh& mesh = out_.mesh;
        for (std::size_t i = 0; i < outline_.strands.size(); ++i) {
            const Strand& s = outline_.strands[i];
            if (points_of_[i].empty()) continue;
            const bool is_between = s.area[0] != kNone && s.area[1] != kNone;
            const Index zone = zone_for(s, is_between);
            const bool is_forward = s.area[0] != kNone && (s.area[1] == kNone || s.area[0] < s.area[1]);
            const auto& list = points_of_[i];
            for (std::size_t k = 1; k < list.size(); ++k)
                mesh.edges.push_back(is_forward ? PlanarEdge{list[k - 1], list[k], zone}
                                                : PlanarEdge{list[k], list[k - 1], zone});
        }
    }
    Index zone_for(const Strand& s, bool is_between) {
        Zone zone = curves_[s.curve].zone;
        if (is_between) {
            // Its pair of regions is part of an interface's name, as one zone lies between two regions only.
            const auto [low, high] = std::minmax(s.area[0], s.area[1]);
            zone.role = Role::interface_;
            zone.name += "-to-" + areas_[high].name;
            zone.other_name = curves_[s.curve].zone.name + "-to-" + areas_[low].name;
        }
        auto& zones = out_.mesh.zones;
        for (Index z = 0; z < zones.size(); ++z)
            if (zones[z].name == zone.name && zones[z].other_name == zone.other_name) return z;
        zones.push_back(std::move(zone));
        return static_cast<Index>(zones.size() - 1);
    }

    const PlaneRequest& request_;
    const std::vector<PlaneCurve>& curves_;
    std::vector<PlaneArea> areas_;
    const Context& context_;
    double join_ = 0;
    Outline outline_;
    std::vector<Index> face_of_area_;
    SizeField sizes_;
    std::vector<MappedPlan> mapped_;
    std::vector<std::vector<Index>> points_of_;  ///< of each strand
    PlaneResult out_;
};

}  // namespace

PlaneResult mesh_plane(const PlaneRequest& request, const Context& context) {
    return PlaneMesher(request, context).run();
}

}  // namespace anvilcast
