#include "wrap/findings.hpp"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace anvilcast::wrapping {
namespace {

// In gaps.
constexpr double kBridged = 0.1;  ///< a triangle whose middle is farther than this from the original is a bridge's
constexpr double kBesideBridge = 0.02;  ///< beside such a one, this is enough
constexpr double kBridgeWidth = 0.3;    ///< narrower bridges belong to the zone beside them
constexpr double kReached = 0.25;       ///< the original is lost where the wrap is farther than this
constexpr double kTouches = 0.005;      ///< what is closer to the original is on it
/// Places on a square gap of the original that its distance is looked at from.
constexpr double kPlacesInGap = 4;
/// Patches of a zone smaller than this many square gaps go to the zone around them.
constexpr double kSpeck = 0.4;

/// The middles of n^2 equal pieces of a triangle.
std::vector<Vec3> middles_of_pieces(const Vec3& a, const Vec3& b, const Vec3& c, int n = 8) {
    std::vector<Vec3> places;
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < 2 * (n - i) - 1; ++j) {
            const double share = (j % 2 == 0 ? 1.0 : 2.0) / 3;
            places.push_back(a + (b - a) * ((i + share) / n) + (c - a) * ((j / 2 + share) / n));
        }
    return places;
}

class Description {
  public:
    Description(const Surface& original, const TriangleTree& tree, const LengthAt& gap_at,
                const std::vector<bool>& is_held, Surface& wrap)
        : original_(original),
          tree_(tree),
          gap_at_(gap_at),
          is_held_(is_held),
          wrap_(wrap),
          edges_(wrap.triangles, wrap.points.size()),
          bridge_(static_cast<Index>(original.zones.size())) {}

    void name_zones(std::vector<WrapFinding>& bridged) {
        const std::size_t n = wrap_.triangles.size();
        nearest_zone_.resize(n);
        off_.resize(n);
        wrap_.zone_of.resize(n);
        tbb::parallel_for(std::size_t{0}, n, [&](std::size_t t) {
            const auto at = static_cast<Index>(t);
            const Vec3 middle = middle_of(at);
            const auto hit = tree_.closest(middle);
            nearest_zone_[t] = original_.zone_of[hit.triangle];
            off_[t] = hit.distance;
            wrap_.zone_of[t] = hit.distance > kBridged * gap_at_(middle) ? bridge_ : nearest_zone_[t];
        });
        widen_bridges();
        drop_narrow_bridges();
        drop_specks();
        list_bridges(bridged);
    }

  private:
    Vec3 middle_of(Index t) const { return (wrap_.corner(t, 0) + wrap_.corner(t, 1) + wrap_.corner(t, 2)) / 3.0; }
    double area(Index t) const { return triangle_area(wrap_.corner(t, 0), wrap_.corner(t, 1), wrap_.corner(t, 2)); }

    /// The pieces of equal zones, joined over edges.
    std::vector<std::vector<Index>> pieces() const {
        std::vector<std::vector<Index>> all;
        std::vector<bool> seen(wrap_.triangles.size(), false);
        for (Index first = 0; first < wrap_.triangles.size(); ++first) {
            if (seen[first]) continue;
            std::vector<Index> piece{first};
            seen[first] = true;
            for (std::size_t k = 0; k < piece.size(); ++k)
                for_neighbours(piece[k], [&](Index next, std::size_t) {
                    if (seen[next] || wrap_.zone_of[next] != wrap_.zone_of[first]) return;
                    seen[next] = true;
                    piece.push_back(next);
                });
            all.push_back(std::move(piece));
        }
        return all;
    }
    template <typename Visit>
    void for_neighbours(Index t, const Visit& visit) const {
        for (Index k = 0; k < 3; ++k) {
            const std::size_t e = edges_.edge_of(t, k);
            for (const auto* use = edges_.begin(e); use != edges_.end(e); ++use)
                if (use->triangle != t) visit(use->triangle, e);
        }
    }
    /// At its rim a bridge is close to the original; what is off it there, within two triangles, belongs to it.
    void widen_bridges() {
        for (int ring = 0; ring < 2; ++ring) {
            std::vector<Index> beside;
            for (Index t = 0; t < wrap_.triangles.size(); ++t) {
                const Triangle& c = wrap_.triangles[t];
                const double held = is_held_[c[0]] || is_held_[c[1]] || is_held_[c[2]] ? kOffset : 0;
                if (wrap_.zone_of[t] == bridge_ || off_[t] < (kBesideBridge + held) * gap_at_(middle_of(t))) continue;
                bool is_beside = false;
                for_neighbours(t, [&](Index next, std::size_t) { is_beside |= wrap_.zone_of[next] == bridge_; });
                if (is_beside) beside.push_back(t);
            }
            for (const Index t : beside) wrap_.zone_of[t] = bridge_;
        }
    }
    void drop_narrow_bridges() {
        for (const auto& piece : pieces()) {
            if (wrap_.zone_of[piece.front()] != bridge_) continue;
            const bool is_wide = std::any_of(piece.begin(), piece.end(), [&](Index t) {
                return 2 * off_[t] > kBridgeWidth * gap_at_(middle_of(t));
            });
            if (!is_wide)
                for (const Index t : piece) wrap_.zone_of[t] = nearest_zone_[t];
        }
    }
    void drop_specks() {
        for (const auto& piece : pieces()) {
            const Index zone = wrap_.zone_of[piece.front()];
            if (zone == bridge_) continue;
            double sum = 0;
            for (const Index t : piece) sum += area(t);
            const double gap = gap_at_(middle_of(piece.front()));
            if (sum > kSpeck * gap * gap) continue;
            // Between curves that are kept it is what was drawn.
            std::map<Index, double> beside;
            bool is_kept = true;
            for (const Index t : piece)
                for_neighbours(t, [&](Index next, std::size_t e) {
                    if (wrap_.zone_of[next] == zone) return;
                    const auto& ends = edges_.ends(e);
                    beside[wrap_.zone_of[next]] += distance(wrap_.points[ends[0]], wrap_.points[ends[1]]);
                    if (!std::binary_search(wrap_.feature_edges.begin(), wrap_.feature_edges.end(), ends))
                        is_kept = false;
                });
            if (is_kept || beside.empty()) continue;
            const Index other = std::max_element(beside.begin(), beside.end(), [](const auto& a, const auto& b) {
                                    return a.second < b.second;
                                })->first;
            for (const Index t : piece) wrap_.zone_of[t] = other;
        }
    }
    /// How much of a triangle is off the original.
    double area_off(Index t) const {
        const Triangle& c = wrap_.triangles[t];
        const bool is_held = is_held_[c[0]] || is_held_[c[1]] || is_held_[c[2]];
        const double least = (kTouches + (is_held ? kOffset : 0)) * gap_at_(middle_of(t));
        const std::vector<Vec3> places = middles_of_pieces(wrap_.corner(t, 0), wrap_.corner(t, 1), wrap_.corner(t, 2));
        const auto n = std::count_if(places.begin(), places.end(),
                                     [&](const Vec3& p) { return tree_.closest(p, least).triangle == kNone; });
        return area(t) * static_cast<double>(n) / static_cast<double>(places.size());
    }
    /// What is off the original of each piece of the bridges, with that of the triangles round it: a gap's rim runs
    /// through these where it is not an edge.
    std::vector<double> areas_off(const std::vector<std::vector<Index>>& pieces) const {
        std::vector<Index> piece_at(wrap_.points.size(), kNone);
        for (Index k = 0; k < pieces.size(); ++k)
            if (wrap_.zone_of[pieces[k].front()] == bridge_)
                for (const Index t : pieces[k])
                    for (const Index p : wrap_.triangles[t]) piece_at[p] = std::min(piece_at[p], k);
        std::vector<double> off(wrap_.triangles.size(), 0);
        auto piece_of = [&](const Triangle& c) { return std::min({piece_at[c[0]], piece_at[c[1]], piece_at[c[2]]}); };
        tbb::parallel_for(std::size_t{0}, off.size(), [&](std::size_t t) {
            if (piece_of(wrap_.triangles[t]) != kNone) off[t] = area_off(static_cast<Index>(t));
        });
        std::vector<double> sum(pieces.size(), 0);
        for (Index t = 0; t < off.size(); ++t)
            if (const Index k = piece_of(wrap_.triangles[t]); k != kNone) sum[k] += off[t];
        return sum;
    }
    void list_bridges(std::vector<WrapFinding>& bridged) const {
        const auto all = pieces();
        const std::vector<double> off = areas_off(all);
        for (std::size_t k = 0; k < all.size(); ++k) {
            const auto& piece = all[k];
            if (wrap_.zone_of[piece.front()] != bridge_) continue;
            WrapFinding found;
            found.area = off[k];
            std::map<Index, double> beside;
            double farthest = 0, whole = 0;
            Vec3 middle;
            for (const Index t : piece) {
                whole += area(t);
                middle += middle_of(t) * area(t);
                farthest = std::max(farthest, off_[t]);
                beside[nearest_zone_[t]] += area(t);
            }
            middle = middle * (1 / whole);
            // The middle of a bent piece may lie beside it.
            found.place = middle_of(*std::min_element(piece.begin(), piece.end(), [&](Index a, Index b) {
                return distance_squared(middle_of(a), middle) < distance_squared(middle_of(b), middle);
            }));
            found.width = 2 * farthest;
            found.zone = original_
                             .zones[std::max_element(beside.begin(), beside.end(),
                                                     [](const auto& a, const auto& b) { return a.second < b.second; })
                                        ->first]
                             .name;
            bridged.push_back(found);
        }
        std::stable_sort(bridged.begin(), bridged.end(),
                         [](const WrapFinding& a, const WrapFinding& b) { return a.area > b.area; });
    }

    const Surface& original_;
    const TriangleTree& tree_;
    const LengthAt& gap_at_;
    const std::vector<bool>& is_held_;
    Surface& wrap_;
    SurfaceEdges edges_;
    Index bridge_;
    std::vector<Index> nearest_zone_;
    std::vector<double> off_;
};

struct Measured {
    double distance;
    Vec3 at;
};

DistanceSummary summary_of(std::vector<Measured> all) {
    DistanceSummary out;
    if (all.empty()) return out;
    for (const Measured& m : all) {
        out.mean += m.distance / static_cast<double>(all.size());
        if (m.distance >= out.largest) {
            out.largest = m.distance;
            out.largest_at = m.at;
        }
    }
    auto nth = all.begin() + static_cast<std::ptrdiff_t>(0.99 * static_cast<double>(all.size() - 1));
    std::nth_element(all.begin(), nth, all.end(),
                     [](const Measured& a, const Measured& b) { return a.distance < b.distance; });
    out.percentile_99 = nth->distance;
    return out;
}

/// The wrap's points and the middles of its triangles, but for bridges.
DistanceSummary to_original(const Surface& wrap, const TriangleTree& original, Index bridge) {
    std::vector<char> counts(wrap.points.size(), 1);
    for (Index t = 0; t < wrap.triangles.size(); ++t)
        if (wrap.zone_of[t] == bridge)
            for (const Index p : wrap.triangles[t]) counts[p] = 0;
    std::vector<Vec3> places;
    for (Index p = 0; p < wrap.points.size(); ++p)
        if (counts[p] != 0) places.push_back(wrap.points[p]);
    for (Index t = 0; t < wrap.triangles.size(); ++t)
        if (wrap.zone_of[t] != bridge)
            places.push_back((wrap.corner(t, 0) + wrap.corner(t, 1) + wrap.corner(t, 2)) / 3.0);
    std::vector<Measured> all(places.size());
    tbb::parallel_for(std::size_t{0}, places.size(), [&](std::size_t k) {
        all[k] = {original.closest(places[k]).distance, places[k]};
    });
    return summary_of(std::move(all));
}

/// The original's triangles, looked at in so many places that these are about a gap apart.
void look_from_original(const Surface& original, const TriangleTree& wrap, const LengthAt& gap_at, WrapResult& result) {
    struct Share {
        double area = 0, lost = 0, largest_lost = 0;
        Vec3 at;
    };
    std::vector<Share> zones(original.zones.size());
    std::vector<std::vector<Measured>> reached(original.triangles.size());
    std::vector<double> lost_share(original.triangles.size());
    std::vector<Vec3> lost_at(original.triangles.size());
    std::vector<double> stands_for(original.triangles.size(), 0);
    tbb::parallel_for(std::size_t{0}, original.triangles.size(), [&](std::size_t k) {
        const auto t = static_cast<Index>(k);
        const Vec3 &a = original.corner(t, 0), &b = original.corner(t, 1), &c = original.corner(t, 2);
        const double gap = gap_at((a + b + c) / 3.0);
        const double area = triangle_area(a, b, c), per_place = gap * gap / kPlacesInGap;
        // Of many small triangles only some are looked at, and stand for the others.
        const auto stride = static_cast<std::size_t>(std::clamp(0.25 * per_place / std::max(area, 1e-300), 1.0, 64.0));
        if (k % stride != 0) return;
        stands_for[k] = static_cast<double>(stride);
        const int n = static_cast<int>(std::clamp(std::ceil(std::sqrt(area / per_place)), 1.0, 24.0));
        int n_lost = 0;
        for (const Vec3& p : middles_of_pieces(a, b, c, n)) {
            const auto hit = wrap.closest(p, kReached * gap);
            if (hit.triangle != kNone) {
                reached[k].push_back({hit.distance, p});
            } else {
                ++n_lost;
                lost_at[k] = p;
            }
        }
        lost_share[k] = static_cast<double>(n_lost) / (n * n);
    });
    std::vector<Measured> all;
    for (Index t = 0; t < original.triangles.size(); ++t) {
        all.insert(all.end(), reached[t].begin(), reached[t].end());
        Share& zone = zones[original.zone_of[t]];
        const double area =
            stands_for[t] * triangle_area(original.corner(t, 0), original.corner(t, 1), original.corner(t, 2));
        zone.area += area;
        zone.lost += area * lost_share[t];
        if (area * lost_share[t] > zone.largest_lost) {
            zone.largest_lost = area * lost_share[t];
            zone.at = lost_at[t];
        }
    }
    result.from_original = summary_of(std::move(all));
    for (std::size_t z = 0; z < zones.size(); ++z)
        if (zones[z].lost > 0)
            result.lost.push_back(
                {original.zones[z].name, zones[z].at, zones[z].lost, zones[z].lost / zones[z].area, 0});
    std::stable_sort(result.lost.begin(), result.lost.end(),
                     [](const WrapFinding& a, const WrapFinding& b) { return a.area > b.area; });
}

}  // namespace

void describe(const Surface& original, const TriangleTree& tree, Settled settled, const LengthAt& gap_at,
              WrapResult& result) {
    Surface& wrap = result.surface;
    wrap.points = std::move(settled.points);
    wrap.triangles = std::move(settled.triangles);
    wrap.feature_edges = std::move(settled.on_curves);
    wrap.zones = original.zones;
    Description(original, tree, gap_at, settled.is_held, wrap).name_zones(result.bridged);
    if (!result.bridged.empty()) wrap.zones.push_back({"bridged", Role::wall});
    for (Zone& zone : wrap.zones) zone.is_wrapped = true;
    const TriangleTree own(wrap.points, wrap.triangles);
    result.to_original = to_original(wrap, tree, static_cast<Index>(original.zones.size()));
    look_from_original(original, own, gap_at, result);
    for (const Edge& e : wrap.feature_edges)
        if (settled.sites[e[0]].is_reached && settled.sites[e[1]].is_reached)
            result.edges_kept += distance(settled.sites[e[0]].target, settled.sites[e[1]].target);
    result.edges_kept = std::min(result.edges_kept, result.edges_asked);
    result.points_held_off = static_cast<std::size_t>(std::count(settled.is_held.begin(), settled.is_held.end(), true));
}

}  // namespace anvilcast::wrapping
