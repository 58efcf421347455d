// From the options to the sources of the size field: a piece of size for each triangle, feature edge, gap and point,
// and the volumes.

#include <anvilcast/errors.hpp>
#include <anvilcast/naming.hpp>
#include <anvilcast/sizing.hpp>
#include <anvilcast/triangle_tree.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include "base/thread_limit.hpp"
#include "shape/divisions.hpp"
#include "sizing/octree.hpp"
#include "sizing/wall_sizes.hpp"

namespace anvilcast {
namespace sizing {
namespace {

class Gatherer {
  public:
    Gatherer(const Domain& domain, const SizeOptions& options, const Context& context)
        : domain_(domain),
          s_(domain.boundary),
          o_(options),
          context_(context),
          features_(shape::find_features(domain, options.feature_angle)),
          tree_(s_.points, s_.triangles) {
        names_ = {"surface size", "curvature", "gaps"};
        for (const Refinement& r : o_.refine) names_.push_back(r.name);
        names_.emplace_back("largest size");
        sources_.largest = o_.largest > 0 ? o_.largest : std::max(o_.surface, s_.bounds().diagonal());
        sources_.slope = o_.growth - 1;
        sources_.largest_source = static_cast<Index>(names_.size() - 1);
        sources_.bounds = s_.bounds();
    }

    Sizing run(std::size_t max_octree_cells) {
        if (s_.triangles.empty()) throw GeometryError("the domain has no boundary that sizes could be taken from");
        context_.report("sizes", "sources", 0);
        for (Index r = 0; r < o_.refine.size(); ++r) {
            try {
                add_refinement(o_.refine[r], kFirstRefinement + r);
            } catch (const InputError& e) {
                throw InputError(fmt::format("refinement \"{}\": {}", o_.refine[r].name, e.what()));
            }
        }
        add_walls();
        check_walls(max_octree_cells);
        add_curves();
        add_gaps();
        repeat_volumes();
        for (auto& [growth, pieces] : sheets_) {
            raise(pieces);
            repeat_pieces(pieces, growth.first);
            sources_.sheets.emplace_back(std::move(pieces), growth.first, growth.second);
        }
        context_.report("sizes", "field", 0.4);
        out_.field = SizeField(std::make_shared<SizeOctree>(sources_, names_, max_octree_cells, context_), names_);
        return std::move(out_);
    }

  private:
    static constexpr Index kSurface = 0, kCurvature = 1, kGaps = 2, kFirstRefinement = 3;

    std::vector<Piece>& sheet(double growth, double cells_thick) {
        return sheets_[{(growth > 0 ? growth : o_.growth) - 1, std::max(kPlateau, cells_thick)}];
    }
    std::array<Vec3, 3> corners(Index t) const { return {s_.corner(t, 0), s_.corner(t, 1), s_.corner(t, 2)}; }

    std::vector<bool> zones_like(const std::vector<std::string>& patterns) const {
        std::vector<bool> chosen(s_.zones.size(), false);
        for (const std::string& pattern : patterns) {
            bool fits = false;
            for (std::size_t z = 0; z < chosen.size(); ++z)
                if (matches_pattern(s_.zones[z].name, pattern)) chosen[z] = fits = true;
            if (fits) continue;
            std::vector<std::string> names;
            for (const Zone& z : s_.zones) names.push_back(z.name);
            throw InputError(fmt::format("a size is asked for on \"{}\", but no zone has such a name; the zones are {}",
                                         pattern, fmt::join(names, ", ")));
        }
        return chosen;
    }

    void add_refinement(const Refinement& r, Index source) {
        if (!r.on.empty()) add_on_zones(r, source);
        if (!r.edges.empty() || !r.between[0].empty()) add_on_edges(r, source);
        for (const Vec3& p : r.points) sheet(r.growth, r.cells_thick).push_back({{p, p, p}, r.size, source});
        if (r.volume) add_volume(r, source);
    }

    /// The default size of a zone that a refinement is for no longer counts.
    void add_on_zones(const Refinement& r, Index source) {
        const std::vector<bool> chosen = zones_like(r.on);
        has_size_.resize(s_.zones.size(), false);
        auto& pieces = sheet(r.growth, r.cells_thick);
        for (std::size_t z = 0; z < chosen.size(); ++z) has_size_[z] = has_size_[z] || chosen[z];
        for (Index t = 0; t < s_.triangles.size(); ++t)
            if (chosen[s_.zone_of[t]]) pieces.push_back({corners(t), r.size, source});
    }

    /// Feature edges by the zones that meet there.
    std::vector<Edge> edges_of(const Refinement& r) const {
        const bool is_between = !r.between[0].empty();
        const std::vector<bool> first = zones_like(is_between ? std::vector{r.between[0]} : r.edges);
        const std::vector<bool> second = is_between ? zones_like({r.between[1]}) : first;
        const SurfaceEdges edges(s_.triangles, s_.points.size());
        std::vector<Edge> chosen;
        for (std::size_t e = 0; e < edges.size(); ++e) {
            if (features_.curve_at(edges.ends(e)) == kNone) continue;
            std::set<Index> zones;
            for (const auto* use = edges.begin(e); use != edges.end(e); ++use) zones.insert(s_.zone_of[use->triangle]);
            const bool is_chosen = std::any_of(zones.begin(), zones.end(), [&](Index a) {
                return first[a] && (!is_between || std::any_of(zones.begin(), zones.end(),
                                                               [&](Index b) { return a != b && second[b]; }));
            });
            if (is_chosen) chosen.push_back(edges.ends(e));
        }
        if (chosen.empty())
            throw InputError(
                is_between ? fmt::format("no feature edge lies between \"{}\" and \"{}\"", r.between[0], r.between[1])
                           : fmt::format("the zones \"{}\" have no feature edges", fmt::join(r.edges, "\", \"")));
        std::sort(chosen.begin(), chosen.end());
        return chosen;
    }

    void add_on_edges(const Refinement& r, Index source) {
        const std::vector<Edge> chosen = edges_of(r);
        auto& pieces = sheet(r.growth, r.cells_thick);
        if (r.divisions == 0) {
            for (const Edge& e : chosen)
                pieces.push_back({{s_.points[e[0]], s_.points[e[1]], s_.points[e[1]]}, r.size, source});
            return;
        }
        out_.divisions.push_back({chosen, r.divisions, r.bias, r.towards});
        std::set<Index> curves;
        for (const Edge& e : chosen) curves.insert(features_.curve_at(e));
        for (const Index c : curves) add_divided(features_.curves[c], out_.divisions.back(), pieces, source);
    }

    /// What a curve's divisions come to as sizes, so that faces and cells beside it follow.
    void add_divided(const FeatureCurve& curve, const EdgeDivision& division, std::vector<Piece>& pieces,
                     Index source) {
        std::vector<Vec3> places;
        for (const Index p : curve.points) places.push_back(s_.points[p]);
        const std::vector<Vec3> divided = shape::divided(places, {division.divisions, division.bias, division.towards});
        for (std::size_t i = 0; i + 1 < divided.size(); ++i) {
            const double size = distance(divided[i], divided[i + 1]);
            if (size > 0) pieces.push_back({{divided[i], divided[i + 1], divided[i + 1]}, size, source});
        }
    }

    void add_volume(const Refinement& r, Index source) {
        auto volume = make_volume(*r.volume, domain_);
        warn_of_miss(r, *volume);
        if (r.at_least > 0) {
            sources_.coarse.push_back({std::move(volume), r.at_least});
            return;
        }
        const double slope = (r.growth > 0 ? r.growth : o_.growth) - 1;
        sources_.volumes.push_back({std::move(volume), r.size, slope, r.cells_thick * r.size, source});
    }

    /// A volume meets the domain when a point of the boundary is in it, or one of its own points in a region.
    void warn_of_miss(const Refinement& r, const SignedVolume& volume) {
        double nearest = Box::inf;
        for (const Vec3& p : s_.points) nearest = std::min(nearest, volume.distance(p));
        if (nearest <= 0) return;
        constexpr int kLattice = 6;
        const Box box = volume.bounds();
        for (int i = 0; i < kLattice * kLattice * kLattice; ++i) {
            const Vec3 share{(i % kLattice + 0.5) / kLattice, (i / kLattice % kLattice + 0.5) / kLattice,
                             (i / kLattice / kLattice + 0.5) / kLattice};
            const Vec3 e = box.extent(), p = box.lo + Vec3{share.x * e.x, share.y * e.y, share.z * e.z};
            if (volume.distance(p) > 0) continue;
            if (region_at(domain_, tree_, p)) return;
            nearest = std::min(nearest, tree_.closest(p).distance);
        }
        out_.warnings.push_back(
            fmt::format("refinement \"{}\" misses the domain: it lies about {:.4g} m outside of it", r.name, nearest));
    }

    void add_walls() {
        std::vector<double> curvature;
        if (o_.per_turn > 0) curvature = curvature_of_walls(domain_, features_, o_.feature_angle);
        has_size_.resize(s_.zones.size(), false);
        auto& pieces = sheet(0, 0);
        const double outer = std::min(sources_.largest, 0.1 * s_.bounds().diagonal());
        for (Index t = 0; t < s_.triangles.size(); ++t) {
            if (s_.zones[s_.zone_of[t]].is_of_surround) {
                // Sizes grow up to there; that there is a wall, and where, must be known all the same.
                if (!has_size_[s_.zone_of[t]]) pieces.push_back({corners(t), outer, sources_.largest_source});
                continue;
            }
            Piece piece{corners(t), o_.surface_size(), kSurface};
            const double curved = size_of_curvature(curvature.empty() ? 0 : curvature[t]);
            if (has_size_[s_.zone_of[t]]) piece.size = Box::inf;
            if (curved < piece.size && curved < o_.surface_size()) piece = {piece.corners, curved, kCurvature};
            if (piece.size < Box::inf) pieces.push_back(piece);
        }
    }
    /// Each triangle of the surface mesh takes about one cell of the field: far more than that need not be tried.
    void check_walls(std::size_t max_octree_cells) const {
        std::vector<double> triangles(names_.size(), 0);
        double all = 0;
        for (const auto& [growth, pieces] : sheets_)
            for (const Piece& p : pieces) {
                const double n = triangle_area(p.corners[0], p.corners[1], p.corners[2]) / (0.433 * p.size * p.size);
                triangles[p.source] += n;
                all += n;
            }
        if (all <= 4 * static_cast<double>(max_octree_cells)) return;
        const auto most = std::max_element(triangles.begin(), triangles.end()) - triangles.begin();
        throw FailureError(fmt::format(
            "the sizes asked for are far too small for this domain: {:.2g} triangles on its walls alone, most "
            "of them for \"{}\"; ask for larger sizes there",
            all, names_[static_cast<std::size_t>(most)]));
    }

    double size_of_curvature(double curvature) const {
        if (!(curvature > 0)) return Box::inf;
        return std::max(2 * std::numbers::pi / (curvature * o_.per_turn), o_.smallest_size());
    }

    void add_curves() {
        if (o_.per_turn == 0) return;
        std::vector<char> is_on_body(s_.points.size(), 0);
        for (Index t = 0; t < s_.triangles.size(); ++t)
            if (!s_.zones[s_.zone_of[t]].is_of_surround)
                for (const Index p : s_.triangles[t]) is_on_body[p] = 1;
        for (const FeatureCurve& curve : features_.curves) {
            if (is_on_body[curve.points[0]] == 0 || is_on_body[curve.points[1]] == 0) continue;
            const std::vector<double> curvature = curvature_of_segments(s_, curve);
            for (std::size_t i = 0; i < curvature.size(); ++i) {
                const double size = size_of_curvature(curvature[i]);
                const Vec3 &a = s_.points[curve.points[i]], &b = s_.points[curve.points[i + 1]];
                if (size < o_.surface_size()) sheet(0, 0).push_back({{a, b, b}, size, kCurvature});
            }
        }
    }

    void add_gaps() {
        if (o_.across_gaps == 0) return;
        context_.report("sizes", "gaps", 0.1);
        const double floor = o_.gap_floor > 0 ? o_.gap_floor : o_.smallest_size();
        for (const GapPiece& gap :
             find_gaps(domain_, tree_, features_, {o_.across_gaps, floor, o_.surface_size()}, context_))
            sheet(0, 0).push_back({gap.corners, gap.size, kGaps});
    }

    // Beyond a side that repeats lies what is before the other one: what asks for sizes there does so here.

    void repeat_volumes() {
        auto repeat = [this](auto& list) {
            for (const PeriodicPair& pair : domain_.periodic) {
                const std::size_t n = list.size();
                for (const Placement& there : {pair.image, inverse(pair.image)})
                    for (std::size_t i = 0; i < n; ++i) {
                        auto copy = list[i];
                        copy.volume = placed(copy.volume, there);
                        list.push_back(std::move(copy));
                    }
            }
        };
        repeat(sources_.volumes);
        repeat(sources_.coarse);
    }

    /// Those of which something is felt in the domain.
    void repeat_pieces(std::vector<Piece>& pieces, double slope) const {
        const Box& box = sources_.bounds;
        for (const PeriodicPair& pair : domain_.periodic) {
            const std::size_t n = pieces.size();
            for (const Placement& there : {pair.image, inverse(pair.image)})
                for (std::size_t i = 0; i < n; ++i) {
                    Piece piece = pieces[i];
                    Box bounds;
                    for (Vec3& c : piece.corners) bounds.include(c = there(c));
                    const double reach = (sources_.largest - piece.size) / slope + 2 * piece.size;
                    const double room = std::sqrt(box.distance_squared_to(bounds.center())) - bounds.diagonal() / 2;
                    if (room < reach) pieces.push_back(piece);
                }
        }
    }

    /// In coarse volumes walls do not ask for less than is wanted there at the least.
    void raise(std::vector<Piece>& pieces) const {
        for (const CoarseVolume& coarse : sources_.coarse) {
            std::vector<Piece> raised;
            for (const Piece& piece : pieces) raise_within(coarse, piece, raised);
            pieces = std::move(raised);
        }
    }

    /// A piece that is partly in the volume is divided down to where the difference is no longer seen.
    static void raise_within(const CoarseVolume& coarse, Piece piece, std::vector<Piece>& out) {
        const auto& [a, b, c] = piece.corners;
        const Vec3 middle = (a + b + c) / 3.0;
        const double reach = std::max({distance(middle, a), distance(middle, b), distance(middle, c)});
        const double depth = -coarse.volume->distance(middle);
        if (piece.size >= coarse.at_least || depth <= -reach) {
            out.push_back(piece);
        } else if (depth >= reach || reach <= std::max(0.5 * piece.size, 0.1 * coarse.at_least)) {
            if (depth > 0) piece.size = coarse.at_least;
            out.push_back(piece);
        } else if (b == c) {
            const Vec3 m = midpoint(a, b);
            raise_within(coarse, {{a, m, m}, piece.size, piece.source}, out);
            raise_within(coarse, {{m, b, b}, piece.size, piece.source}, out);
        } else {
            const Vec3 ab = midpoint(a, b), bc = midpoint(b, c), ca = midpoint(c, a);
            for (const std::array<Vec3, 3>& part :
                 {std::array{a, ab, ca}, std::array{ab, b, bc}, std::array{ca, bc, c}, std::array{ab, bc, ca}})
                raise_within(coarse, {part, piece.size, piece.source}, out);
        }
    }

    const Domain& domain_;
    const Surface& s_;
    const SizeOptions& o_;
    const Context& context_;
    Features features_;
    TriangleTree tree_;
    std::vector<std::string> names_;
    std::map<std::pair<double, double>, std::vector<Piece>> sheets_;  // by slope and plateau
    std::vector<bool> has_size_;                                      // of each zone
    Sources sources_;
    Sizing out_;
};

}  // namespace
}  // namespace sizing

Sizing make_sizing(const Domain& domain, const SizeOptions& options, const Context& context,
                   std::size_t max_octree_cells) {
    validate(options);
    const ThreadLimit limit(context);
    Sizing out = sizing::Gatherer(domain, options, context).run(max_octree_cells);
    out.volumes = volumes_of(domain, options);
    return out;
}

std::vector<std::pair<std::string, std::function<bool(const Vec3&)>>> volumes_of(const Domain& domain,
                                                                                 const SizeOptions& options) {
    std::vector<std::pair<std::string, std::function<bool(const Vec3&)>>> out;
    for (const Refinement& r : options.refine)
        if (r.volume)
            out.emplace_back(r.name, [volume = sizing::make_volume(*r.volume, domain)](const Vec3& p) {
                return volume->distance(p) <= 0;
            });
    return out;
}

SizeField make_size_field(const Domain& domain, const SizeOptions& options) {
    return make_sizing(domain, options).field;
}

}  // namespace anvilcast
