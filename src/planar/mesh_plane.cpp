// The plane mesh, from curves to cells: curves are cut into strands and faces (outline), areas chosen among the faces,
// sizes found on the strands drawn up to walls, strands divided, layers grown on them, and what these leave of each
// area filled. Points of strands are shared by what lies on their sides.

#include <anvilcast/errors.hpp>
#include <anvilcast/planar.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_map>

#include "planar/blocks.hpp"
#include "planar/layers.hpp"
#include "planar/quadrangles.hpp"
#include "planar/repeat.hpp"
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
        : request_(request), curves_(request.curves), context_(context) {}

    PlaneResult run() {
        if (curves_.empty()) throw InputError("there are no curves to enclose anything");
        validate(request_.sizing);
        join_ = std::max(request_.join, kRounding * extent_of(curves_));
        outline_ = arrange(curves_, join_);
        choose_areas();
        repeats_ = make_repeated(outline_, faces_, curves_, request_.periodic);
        context_.report("sizes", "sizes", 0);
        Walls walls = as_walls(outline_, curves_, areas_, request_.sizing.surface_size());
        walls.domain.periodic = repeats_.pairs;
        wall_zones_ = walls.zone_of_strand;
        const Sizing sizing = make_sizing(walls.domain, request_.sizing, context_);
        sizes_ = sizing.field;
        out_.warnings = sizing.warnings;
        layers_ = plan_layers(outline_, curves_, walls, faces_, request_.layers,
                              {request_.layers, request_.wall, request_.y_plus_at}, sizes_);
        take_alike(repeats_, layers_);
        context_.report("surface", "areas", 0.3);
        divide();
        fill();
        name_zones();
        out_.mesh.periodic = repeats_.pairs;
        tell_layers();
        return std::move(out_);
    }

  private:
    const std::string& name_of(const Strand& s) const { return curves_[s.curve].zone.name; }

    // ---- areas ----

    /// Of the areas asked for; and what curves divide of one is more of it.
    void choose_areas() {
        std::vector<PlaneArea> asked = request_.areas;
        if (asked.empty()) asked.emplace_back();
        std::vector<Index> taken(outline_.faces.size(), kNone), faces;
        for (Index a = 0; a < asked.size(); ++a) {
            const Index f = face_of(asked[a]);
            if (taken[f] != kNone)
                throw InputError(fmt::format("the areas \"{}\" and \"{}\" are one and the same", asked[taken[f]].name,
                                             asked[a].name));
            taken[f] = a;
            faces.push_back(f);
        }
        const std::vector<std::array<Index, 2>> beside = faces_beside_strands();
        for (std::size_t k = 0; k < faces.size(); ++k)
            for (Index i = 0; i < outline_.strands.size(); ++i) {
                const auto& [left, right] = beside[i];
                if (!curves_[outline_.strands[i].curve].divides || (left != faces[k] && right != faces[k])) continue;
                const Index other = left == faces[k] ? right : left;
                if (other == kNone || taken[other] != kNone) continue;
                taken[other] = taken[faces[k]];
                faces.push_back(other);
            }
        for (Index a = 0; a < asked.size(); ++a) {
            const Index region = region_named(asked[a]);
            for (const Index f : faces) {
                if (taken[f] != a) continue;
                areas_.push_back(asked[a]);
                region_of_.push_back(region);
                faces_.push_back(outline_.faces[f]);
            }
        }
        for (Index a = 0; a < areas_.size(); ++a) {
            set_sides(faces_[a].outer, a);
            for (const Loop& hole : faces_[a].holes) set_sides(hole, a);
        }
        for (const Strand& s : outline_.strands) refuse_unfit(s);
    }
    /// Areas of one name are one region.
    Index region_named(const PlaneArea& area) {
        auto& regions = out_.mesh.regions;
        for (Index r = 0; r < regions.size(); ++r)
            if (regions[r].name == area.name && regions[r].kind == area.kind) return r;
        regions.push_back({area.name, area.kind});
        return static_cast<Index>(regions.size() - 1);
    }
    std::vector<std::array<Index, 2>> faces_beside_strands() const {
        std::vector<std::array<Index, 2>> out(outline_.strands.size(), {kNone, kNone});
        for (Index f = 0; f < outline_.faces.size(); ++f) {
            auto note = [&](const Loop& loop) {
                for (const Pass& p : loop) out[p.strand][p.is_forward ? 0 : 1] = f;
            };
            note(outline_.faces[f].outer);
            for (const Loop& hole : outline_.faces[f].holes) note(hole);
        }
        return out;
    }
    void set_sides(const Loop& loop, Index area) {
        for (const Pass& p : loop) outline_.strands[p.strand].area[p.is_forward ? 0 : 1] = area;
    }
    void refuse_unfit(const Strand& s) const {
        const auto& [left, right] = s.area;
        if (left != kNone && left == right)
            throw GeometryError(
                fmt::format("the curve \"{}\" ends within the area \"{}\"{}; make it meet others, or "
                            "leave it out",
                            name_of(s), areas_[left].name, nearest_miss()));
        if (!curves_[s.curve].divides || left == right) return;
        if (left != kNone && right != kNone && region_of_[left] == region_of_[right]) return;
        const Vec2 at = place_at(s, curves_, 0.5 * s.length());
        throw InputError(fmt::format(
            "a dividing line lies on the rim of the area \"{}\" at [{:.6g}, {:.6g}] m, where a curve with a name is "
            "needed: make it a [[curve]]",
            areas_[left != kNone ? left : right].name, at.x, at.y));
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
        Division division = count_edges(outline_, curves_, sizes_, layers_.slid);
        for (Index a = 0; a < areas_.size(); ++a)
            if (areas_[a].cells == PlaneCells::mapped)
                mapped_.push_back(plan_mapped(outline_, faces_[a], areas_[a], a));
        std::vector<FacingSides> facing = as_facing(repeats_);
        for (const MappedPlan& m : mapped_) {
            const auto own = facing_sides(m, faces_[m.area]);
            facing.insert(facing.end(), own.begin(), own.end());
        }
        // The one may undo the other where areas share sides; then once more.
        for (int round = 0; round < 8; ++round) {
            make_even(division);
            make_equal(division, facing, outline_, curves_, areas_);
            const auto before = division.count;
            for (const MappedPlan& m : mapped_)
                make_divisible(division, m, faces_[m.area], areas_[m.area], curves_, outline_);
            if (division.count == before && is_even(division)) break;
        }
        for (const RepeatedStrand& r : repeats_.strands)
            if (division.count[r.strand] != division.count[r.image])
                throw InputError(fmt::format(
                    "the curves \"{}\" and \"{}\" repeat and must have as many edges; the areas beside them need {} "
                    "and {}: give both the same divisions",
                    name_of(outline_.strands[r.strand]), name_of(outline_.strands[r.image]), division.count[r.strand],
                    division.count[r.image]));
        out_.mesh.points = outline_.nodes;
        points_of_.resize(outline_.strands.size());
        std::vector<const RepeatedStrand*> source(outline_.strands.size(), nullptr);
        for (const RepeatedStrand& r : repeats_.strands) source[r.image] = &r;
        const auto divided_part = [&](Index i, double from, double to) {
            const Index own = source[i] != nullptr ? source[i]->strand : i;
            std::vector<Vec2> points;
            if (division.count[own] == 0) return points;
            points = divided(outline_.strands[own], curves_, division.count[own], division.is_given[own] != 0, sizes_,
                             from, to);
            if (source[i] != nullptr)
                for (Vec2& p : points) p = moved(source[i]->to_image, p);
            return points;
        };
        for (Index i = 0; i < outline_.strands.size(); ++i) {
            const bool waits = !layers_.is_empty() && layers_.recipe[i] == std::array<Index, 2>{kNone, kNone};
            if (!waits) put_in(i, divided_part(i, 0, outline_.strands[i].length()));
        }
        if (layers_.is_empty()) {
            for (Index a = 0; a < areas_.size(); ++a) cores_.push_back(whole(a));
            return;
        }
        GrownLayers grown = grow_plane_layers({outline_, curves_, faces_, areas_, sizes_, repeats_}, layers_,
                                              request_.layers, out_.mesh.points, points_of_, divided_part, context_);
        cores_ = std::move(grown.cores);
        out_.mesh.cells = std::move(grown.cells);
        for (const Index a : grown.cell_area) out_.mesh.cell_region.push_back(region_of_[a]);
        out_.layer_cells = static_cast<double>(out_.mesh.cells.size());
        out_.layers = std::move(grown.zones);
        out_.figures = std::move(grown.figures);
    }
    void put_in(Index strand, const std::vector<Vec2>& points) {
        if (points.empty()) return;
        const Strand& s = outline_.strands[strand];
        std::vector<Index>& list = points_of_[strand];
        list.push_back(s.from);
        for (std::size_t k = 1; k + 1 < points.size(); ++k) {
            list.push_back(static_cast<Index>(out_.mesh.points.size()));
            out_.mesh.points.push_back(points[k]);
        }
        list.push_back(s.to);
    }
    /// What is to be filled of an area without layers.
    GrownLayers::Core whole(Index area) const {
        GrownLayers::Core out;
        auto add = [&](const Loop& loop) {
            auto& entries = out.loops.emplace_back();
            auto& pass_of = out.pass_of.emplace_back();
            for (const Pass& p : loop) {
                entries.push_back(points_of_[p.strand]);
                if (!p.is_forward) std::reverse(entries.back().begin(), entries.back().end());
                pass_of.push_back(static_cast<Index>(pass_of.size()));
            }
        };
        add(faces_[area].outer);
        for (const Loop& hole : faces_[area].holes) add(hole);
        return out;
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

    // ---- cells ----

    /// Edges, or pairs of them, round the cores of the areas of one kind of cells; those between two areas once.
    std::vector<RimEdge> rim_of(PlaneCells kind, std::size_t step, std::vector<Index>* middles) const {
        std::vector<RimEdge> rim;
        std::unordered_map<std::uint64_t, std::size_t> place;
        for (Index a = 0; a < areas_.size(); ++a) {
            if (areas_[a].cells != kind) continue;
            for (const auto& loop : cores_[a].loops)
                for (const auto& list : loop) {
                    if ((list.size() - 1) % step != 0) refuse_odd(a, list);
                    for (std::size_t k = step; k < list.size(); k += step) {
                        const Index from = list[k - step], to = list[k], middle = list[k - step / 2];
                        const auto [low, high] = std::minmax(from, to);
                        // Two pairs may join the same ends; their middles differ.
                        const std::uint64_t key =
                            middles != nullptr ? middle : (static_cast<std::uint64_t>(low) << 32) | high;
                        const auto [at, is_new] = place.try_emplace(key, rim.size());
                        if (is_new) {
                            rim.push_back({from, to, {a, kNone}});
                            if (middles != nullptr) middles->push_back(middle);
                        } else {
                            rim[at->second].area[rim[at->second].from == from ? 0 : 1] = a;
                        }
                    }
                }
        }
        return rim;
    }
    [[noreturn]] void refuse_odd(Index area, const std::vector<Index>& list) const {
        const Vec2& at = out_.mesh.points[list[list.size() / 2]];
        throw InputError(fmt::format(
            "the area \"{}\" of quadrangles has a side of {} edges at [{:.6g}, {:.6g}] m, where layers of another area "
            "end on it; it needs an even number: take one layer more or fewer there, or cells = \"triangles\"",
            areas_[area].name, list.size() - 1, at.x, at.y));
    }

    void fill() {
        PlanarMesh& mesh = out_.mesh;
        const SizeAt size_at = [this](const Vec2& p) { return sizes_.at({p.x, p.y, 0}); };
        const std::vector<RimEdge> rim = rim_of(PlaneCells::triangles, 1, nullptr);
        const Triangles made = rim.empty() ? Triangles{} : fill_with_triangles(mesh.points, rim, size_at, context_);
        std::vector<Index> middles;
        const std::vector<RimEdge> pairs = rim_of(PlaneCells::quadrangles, 2, &middles);
        const AllQuadrangles squares =
            pairs.empty() ? AllQuadrangles{} : fill_with_quadrangles(mesh.points, pairs, middles, size_at, context_);
        const auto n_shared = static_cast<Index>(mesh.points.size());
        for (const MappedPlan& m : mapped_) fill_mapped_area(m);
        auto add = [&](const std::vector<Vec2>& points, const auto& cells, const std::vector<Index>& areas) {
            if (cells.empty()) return;
            const auto n_before = static_cast<Index>(mesh.points.size());
            mesh.points.insert(mesh.points.end(), points.begin() + n_shared, points.end());
            for (std::size_t c = 0; c < cells.size(); ++c) {
                std::array<Index, 4> cell{kNone, kNone, kNone, kNone};
                for (std::size_t k = 0; k < cells[c].size(); ++k)
                    cell[k] = cells[c][k] < n_shared ? cells[c][k] : n_before + (cells[c][k] - n_shared);
                mesh.cells.push_back(cell);
                mesh.cell_region.push_back(region_of_[areas[c]]);
            }
        };
        add(made.points, made.triangles, made.area);
        add(squares.points, squares.cells, squares.area);
        drop_unused_points();
    }
    void fill_mapped_area(const MappedPlan& plan) {
        PlanarMesh& mesh = out_.mesh;
        std::vector<Index> rim;
        std::vector<int> sides;
        for (const auto& list : cores_[plan.area].loops.front()) {
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
            mesh.cell_region.push_back(region_of_[plan.area]);
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
            if (points_of_[i].empty() || curves_[s.curve].divides) continue;
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

    /// Layers by the numbers of the mesh's zones and regions.
    void tell_layers() {
        for (std::size_t k = 0; k < out_.layers.size(); ++k) {
            ZoneLayers& z = out_.layers[k];
            for (std::size_t i = 0; i < outline_.strands.size(); ++i) {
                const Strand& s = outline_.strands[i];
                if (wall_zones_[i] != z.zone || (s.area[0] != z.region && s.area[1] != z.region)) continue;
                const bool is_between = s.area[0] != kNone && s.area[1] != kNone;
                z.zone = out_.figures[k].zone = zone_for(s, is_between);
                z.region = out_.figures[k].region = region_of_[z.region];
                break;
            }
        }
        join_alike(out_.layers, out_.figures);
    }

    const PlaneRequest& request_;
    std::vector<PlaneCurve> curves_;
    Repeats repeats_;
    std::vector<PlaneArea> areas_;  ///< what lines divide of one is several
    std::vector<Index> region_of_;  ///< of each of them
    std::vector<Face> faces_;
    std::vector<Index> wall_zones_;  ///< of each strand
    const Context& context_;
    double join_ = 0;
    Outline outline_;
    SizeField sizes_;
    std::vector<MappedPlan> mapped_;
    LayerPlan layers_;
    std::vector<GrownLayers::Core> cores_;
    std::vector<std::vector<Index>> points_of_;  ///< of each strand
    PlaneResult out_;
};

}  // namespace

PlaneResult mesh_plane(const PlaneRequest& request, const Context& context) {
    return PlaneMesher(request, context).run();
}

}  // namespace anvilcast
