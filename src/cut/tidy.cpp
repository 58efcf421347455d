#include <anvilcast/triangle_tree.hpp>

#include <algorithm>
#include <cstdlib>
#include <numeric>

#include "cut/complex.hpp"

namespace anvilcast::cutting {
namespace {

using robust::ExactPoint;
using Origins = std::vector<CutSurface::Origin>;

bool is_collinear(const Complex& c, Index t) {
    const auto p = c.corners(t);
    for (int axis = 0; axis < 3; ++axis)
        if (robust::orient2d(*p[0], *p[1], *p[2], axis) != 0) return false;
    return true;
}

bool is_turned(const Complex& c, Index t, const std::vector<Vec3>& normals) {
    const CutSurface::Origin& o = c.origins[t].front();
    return dot(c.normal(t), normals[o.triangle]) * (o.is_reversed ? -1.0 : 1.0) < 0;
}

void merge_points(Complex& c) {
    std::vector<Index> order(c.points.size());
    std::iota(order.begin(), order.end(), Index{0});
    std::stable_sort(order.begin(), order.end(), [&](Index p, Index q) {
        const int s = robust::compare(c.points[p], c.points[q]);
        return s != 0 ? s < 0 : p < q;
    });
    std::vector<Index> number(order.size());
    bool changed = false;
    for (std::size_t k = 0; k < order.size(); ++k) {
        const bool again = k > 0 && c.points[order[k]] == c.points[order[k - 1]];
        number[order[k]] = again ? number[order[k - 1]] : order[k];
        changed = changed || again;
    }
    if (!changed) return;
    for (Triangle& t : c.triangles)
        for (Index& p : t) p = number[p];
    for (Edge& e : c.feature_edges) e = {std::min(number[e[0]], number[e[1]]), std::max(number[e[0]], number[e[1]])};
    std::erase_if(c.feature_edges, [](const Edge& e) { return e[0] == e[1]; });
    std::sort(c.feature_edges.begin(), c.feature_edges.end());
    c.feature_edges.erase(std::unique(c.feature_edges.begin(), c.feature_edges.end()), c.feature_edges.end());
}

/// Points of unsettled triangles within the grain become the lowest-numbered one.
void merge_near_points(Complex& c, double grain) {
    std::vector<bool> is_open(c.points.size(), false);
    for (Index t = 0; t < c.triangles.size(); ++t)
        if (!c.is_settled[t])
            for (const Index p : c.triangles[t]) is_open[p] = true;
    std::vector<Index> open;
    for (Index p = 0; p < c.points.size(); ++p)
        if (is_open[p]) open.push_back(p);
    std::vector<Vec3> places;
    std::vector<Triangle> dots;
    for (const Index p : open) {
        dots.push_back(
            {static_cast<Index>(places.size()), static_cast<Index>(places.size()), static_cast<Index>(places.size())});
        places.push_back(c.points[p].approx());
    }
    const TriangleTree tree(places, dots);
    for (Index k = 0; k < open.size(); ++k) {
        Box box;
        box.include(places[k] - Vec3{grain, grain, grain});
        box.include(places[k] + Vec3{grain, grain, grain});
        Index first = k;
        tree.overlapping(box, [&](Index j) {
            if (j < first && distance(places[j], places[k]) <= grain) first = j;
        });
        // The place of the first may have moved on already.
        if (first != k) c.points[open[k]] = c.points[open[first]];
    }
}

void drop_collapsed(Complex& c) {
    keep_triangles(c, [&](Index t) {
        const Triangle& v = c.triangles[t];
        return v[0] != v[1] && v[1] != v[2] && v[2] != v[0];
    });
}

bool is_even(const Triangle& t, const Triangle& sorted) {
    const auto at = static_cast<std::size_t>(std::find(t.begin(), t.end(), sorted[0]) - t.begin());
    return t[(at + 1) % 3] == sorted[1];
}

/// Sorted. A triangle that lies folded on itself, to and fro, counts as often as it goes to more than it comes back.
Origins without_folds(Origins&& all) {
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
        return a.triangle != b.triangle ? a.triangle < b.triangle : a.is_reversed < b.is_reversed;
    });
    Origins out;
    for (std::size_t i = 0, j = 0; i < all.size(); i = j) {
        int net = 0;
        for (; j < all.size() && all[j].triangle == all[i].triangle; ++j) net += all[j].is_reversed ? -1 : 1;
        for (int k = 0; k < std::abs(net); ++k) out.push_back({all[i].triangle, all[i].zone, net < 0});
    }
    return out;
}

/// Triangles with the same corners become the first of them.
void merge_triangles(Complex& c) {
    std::vector<std::pair<Triangle, Index>> keys(c.triangles.size());
    for (Index t = 0; t < c.triangles.size(); ++t) {
        keys[t] = {c.triangles[t], t};
        std::sort(keys[t].first.begin(), keys[t].first.end());
    }
    std::sort(keys.begin(), keys.end());
    std::vector<bool> dropped(c.triangles.size(), false);
    for (std::size_t i = 0; i < keys.size();) {
        const Index first = keys[i].second;
        std::size_t j = i + 1;
        for (; j < keys.size() && keys[j].first == keys[i].first; ++j) {
            const Index t = keys[j].second;
            const bool opposite = is_even(c.triangles[t], keys[i].first) != is_even(c.triangles[first], keys[i].first);
            for (CutSurface::Origin o : c.origins[t]) {
                o.is_reversed = o.is_reversed != opposite;
                c.origins[first].push_back(o);
            }
            dropped[t] = true;
        }
        if (j > i + 1) {
            Origins& o = c.origins[first];
            o = without_folds(std::move(o));
            if (o.empty()) dropped[first] = true;
            // The first origin gives the direction.
            if (!o.empty() && o.front().is_reversed) {
                std::swap(c.triangles[first][1], c.triangles[first][2]);
                for (auto& origin : o) origin.is_reversed = !origin.is_reversed;
            }
        }
        i = j;
    }
    keep_triangles(c, [&](Index t) { return !dropped[t]; });
}

/// The corner opposite the longest side.
std::size_t blunt_corner(const Complex& c, Index t) {
    const auto p = c.corners(t);
    std::size_t best = 0;
    double longest = -1;
    for (std::size_t k = 0; k < 3; ++k) {
        const double l = distance_squared(p[(k + 1) % 3]->approx(), p[(k + 2) % 3]->approx());
        if (l > longest) {
            longest = l;
            best = k;
        }
    }
    return best;
}

double longest_side(const Complex& c, Index t) {
    const auto k = blunt_corner(c, t);
    const auto p = c.corners(t);
    return distance(p[(k + 1) % 3]->approx(), p[(k + 2) % 3]->approx());
}

/// Above the longest side.
double height(const Complex& c, Index t) {
    const double base = longest_side(c, t);
    return base > 0 ? length(c.normal(t)) / base : 0;
}

/// Takes bad triangles out; true when there was one. Only such as have no triangle in common are treated at a time.
bool remove_bad(Complex& c, const std::vector<Vec3>& normals, double grain, bool turned_too) {
    std::vector<Index> bad;
    for (Index t = 0; t < c.triangles.size(); ++t)
        if ((turned_too && is_turned(c, t, normals)) || is_collinear(c, t) ||
            (!c.is_settled[t] && height(c, t) <= grain))
            bad.push_back(t);
    if (bad.empty()) return false;
    // Of flat ones that lie on each other the longest: the other way round they would make each other anew.
    std::stable_sort(bad.begin(), bad.end(),
                     [&c](Index s, Index t) { return longest_side(c, s) > longest_side(c, t); });
    const SurfaceEdges edges(c.triangles, c.points.size());
    std::vector<bool> used(c.triangles.size(), false), dropped(c.triangles.size(), false);
    for (const Index t : bad) {
        if (used[t]) continue;
        const auto k = blunt_corner(c, t);
        const Index b = c.triangles[t][k];
        const std::size_t e = edges.edge_of(t, static_cast<Index>((k + 1) % 3));
        const auto [from, to] = edges.ends(e);
        bool free = true;
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use) free = free && !used[use->triangle];
        if (!free) continue;
        for (const auto* use = edges.begin(e); use != edges.end(e); ++use) {
            used[use->triangle] = true;
            const Triangle old = c.triangles[use->triangle];
            if (std::find(old.begin(), old.end(), b) != old.end()) {
                dropped[use->triangle] = true;
                continue;
            }
            Triangle second = old;
            std::replace(c.triangles[use->triangle].begin(), c.triangles[use->triangle].end(), to, b);
            std::replace(second.begin(), second.end(), from, b);
            c.triangles.push_back(second);
            c.is_settled[use->triangle] = false;
            c.is_settled.push_back(false);
            c.origins.push_back(c.origins[use->triangle]);
        }
        const auto feature = std::lower_bound(c.feature_edges.begin(), c.feature_edges.end(), Edge{from, to});
        if (feature != c.feature_edges.end() && *feature == Edge{from, to}) {
            c.feature_edges.erase(feature);
            for (const Index end : {from, to}) {
                const Edge piece{std::min(end, b), std::max(end, b)};
                c.feature_edges.insert(std::lower_bound(c.feature_edges.begin(), c.feature_edges.end(), piece), piece);
            }
            c.feature_edges.erase(std::unique(c.feature_edges.begin(), c.feature_edges.end()), c.feature_edges.end());
        }
    }
    dropped.resize(c.triangles.size(), false);
    keep_triangles(c, [&](Index t) { return !dropped[t]; });
    return true;
}

/// Flat triangles with a side that is next to nothing: its ends become one.
void collapse_needles(Complex& c) {
    constexpr double kShort = 1e-6;  // of the longest side
    for (Index t = 0; t < c.triangles.size(); ++t) {
        if (!is_collinear(c, t)) continue;
        const Triangle& v = c.triangles[t];
        for (std::size_t k = 0; k < 3; ++k) {
            const auto [first, second] = std::minmax(v[k], v[(k + 1) % 3]);
            if (distance(c.points[first].approx(), c.points[second].approx()) < kShort * longest_side(c, t))
                c.points[second] = c.points[first];
        }
    }
    merge_points(c);
    drop_collapsed(c);
}

}  // namespace

void tidy(Complex& complex, const std::vector<Vec3>& normals, double grain) {
    constexpr int kMostRounds = 200;
    if (grain > 0) merge_near_points(complex, grain);
    merge_points(complex);
    drop_collapsed(complex);
    // Folds that make each other anew may stay; what has no area may not.
    for (int round = 0; round < kMostRounds; ++round) {
        const bool is_late = round >= kMostRounds / 2;
        if (is_late) collapse_needles(complex);
        if (!remove_bad(complex, normals, grain, !is_late)) break;
    }
    merge_triangles(complex);
}

}  // namespace anvilcast::cutting
